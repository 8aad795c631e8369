-- +goose Up
-- A rulebook that one person is working on; one a person.
create table drafts (
  person text primary key references people,
  text text not null,
  based_on int not null,
  version int not null,
  at timestamptz not null default now()
);

-- +goose Down
drop table drafts;
