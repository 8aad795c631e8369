-- +goose Up
-- Faults of the data that cases were settled for, until lines of their feeds mend them.
create table data_faults (
  id bigint generated always as identity primary key,
  case_id bigint not null references cases,
  feeds text[] not null, -- in which the fault lies
  note text not null,
  author text not null references people,
  at timestamptz not null default now(),
  data_version bigint not null, -- the newest when it was found
  ended_at timestamptz,
  ended_by text,  -- an account, or a sweep
  ended_text text -- how
);
create unique index on data_faults (case_id) where ended_at is null;
create index on data_faults (id desc);

create view reporting.data_faults as
  select f.id as fault, f.case_id as "case", c.kind, c.key, f.feeds, f.note, f.author, f.at, f.ended_at, f.ended_by, f.ended_text from data_faults f join cases c on c.id = f.case_id;
-- +goose StatementBegin
do $$ begin
  grant select on reporting.data_faults to oskel_reading;
exception
  when insufficient_privilege or undefined_object then null; -- as in the migration that makes the role
end $$;
-- +goose StatementEnd

-- +goose Down
drop view reporting.data_faults;
drop table data_faults;
