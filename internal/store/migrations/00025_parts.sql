-- +goose Up
-- What belongs to a case beside what is flagged and said: files, and what is to be done;
-- and what somebody is told of cases.
create table case_files (
  id bigint generated always as identity primary key,
  case_id bigint not null references cases,
  name text not null,
  media text not null,
  size int not null,
  sha256 bytea not null,
  content bytea, -- null once it is taken away
  author text not null references people,
  at timestamptz not null default now(),
  dropped_at timestamptz,
  dropped_by text references people,
  check ((content is null) = (dropped_at is not null))
);
alter table case_files alter column content set storage external; -- most are compressed already
create index on case_files (case_id, id);
create table case_todos (
  id bigint generated always as identity primary key,
  case_id bigint not null references cases,
  text text not null,
  owner text not null references people,
  due date not null,
  author text not null references people,
  at timestamptz not null default now(),
  done_at timestamptz,
  done_by text references people
);
create index on case_todos (case_id, id);
create index on case_todos (owner, due) where done_at is null;
create table notices (
  id bigint generated always as identity primary key,
  person text not null references people,
  case_id bigint not null references cases,
  what text not null,
  text text not null,
  author text not null, -- an account, or "the calendar"
  at timestamptz not null default now(),
  seen_at timestamptz
);
create index on notices (person, id desc);
create index on notices (person) where seen_at is null;
create index on notices (case_id);
create trigger tell_changed after insert on notices for each statement execute function tell_changed();

-- +goose Down
drop table notices, case_todos, case_files;
