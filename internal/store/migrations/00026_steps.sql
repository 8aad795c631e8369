-- +goose Up
-- Steps that cases have come to: reminded before they were due, and gone up after; and who
-- does not review a case since they report to whom it is about.
alter table cases add column below text;
create table case_steps (
  case_id bigint not null references cases,
  due date not null, -- by then, which a graver flag brings forward
  step text not null,
  at timestamptz not null default now(),
  primary key (case_id, due, step)
);
alter table case_todos add column reminded_at timestamptz;
create index on case_todos (due) where done_at is null and reminded_at is null;

-- +goose Down
alter table case_todos drop column reminded_at;
drop table case_steps;
alter table cases drop column below;
