-- +goose Up
-- What the clock said when it was last looked at, so that one that leaps is noticed.
create table clock (one boolean primary key default true check (one), seen timestamptz not null);

-- +goose Down
drop table clock;
