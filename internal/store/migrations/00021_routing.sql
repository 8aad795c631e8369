-- +goose Up
-- Whose case it is about, who does not review it; who is told of a case; who is away.
alter table cases add column self text;
create table case_copies (
  case_id bigint not null references cases,
  name text not null, -- a desk or an account
  primary key (case_id, name)
);
create index on case_copies (name, case_id desc);
create table absences (
  id bigint generated always as identity primary key,
  person text not null references people,
  first date not null,
  last date not null check (last >= first),
  stand_in text references people check (stand_in <> person),
  author text not null,
  at timestamptz not null default now()
);
create index on absences (person, last);

-- +goose Down
drop table absences, case_copies;
alter table cases drop column self;
