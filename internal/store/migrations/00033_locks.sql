-- +goose Up
-- Work of which only one may be done at a time holds a row here: those who may only read
-- cannot reach it, as they can reach advisory locks.
create table locks (id bigint primary key);
insert into locks select generate_series(7001, 7005);
-- A file is read piece by piece, which is quick where it is not packed.
alter table case_files alter column content set storage external;

-- +goose Down
alter table case_files alter column content set storage extended;
drop table locks;
