-- +goose Up
-- What a sweep says of a closed period a later revision of the rulebook says too, or not.
create table confirmed (
    sweep bigint not null references sweeps (id) on delete cascade,
    revision integer not null,
    same boolean not null,
    at timestamptz not null default now(),
    primary key (sweep, revision)
);

-- +goose Down
drop table confirmed;
