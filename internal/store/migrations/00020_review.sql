-- +goose Up
-- What people do with cases: parked until a day or until lines of a feed come, asked of
-- somebody, settled with a reason and amounts, and undone for a moment.
alter table cases drop constraint cases_state_check;
alter table cases add constraint cases_state_check check (state in ('open', 'taken', 'parked', 'settled'));
alter table cases add column asked text references people, add column parked_to date, add column parked_for text, add column parked_at bigint,
  add column reason text, add column recovered numeric(19, 4), add column written_off numeric(19, 4), add column undo jsonb;
alter table cases add check ((state = 'parked') = (parked_to is not null or parked_for is not null));
alter table cases add column resting boolean not null generated always as (cleared or state = 'parked') stored;
comment on column cases.parked_at is 'the data version that was newest when it was parked for lines of a feed';
drop index cases_waiting, cases_waiting_anywhere;
create index cases_waiting on cases (desk, resting, due, severity, id) where state <> 'settled';
create index cases_waiting_anywhere on cases (resting, due, severity, id) where state <> 'settled';
create index cases_parked on cases (parked_to) where state = 'parked';
create index cases_asked on cases (asked) where asked is not null;
create index cases_held on cases (taken_by) where state <> 'settled' and taken_by is not null;

create or replace view reporting.cases as
  select id as "case", kind, key, name, desk, state, grade, severity, due, cleared, items, opened_at, taken_by, finding, settled_by, settled_at, asked, parked_to, parked_for, reason, recovered, written_off from cases;
create or replace view reporting.findings as
  select distinct c.id as "case", e.rule, e.kind, c.key, c.desk, c.finding, c.settled_by, c.settled_at, c.settled_at - c.opened_at as took, c.reason, c.recovered, c.written_off
  from cases c join exceptions e on e.case_id = c.id where c.state = 'settled';

-- +goose Down
drop view reporting.findings;
drop view reporting.cases;
update cases set state = case when taken_by is null then 'open' else 'taken' end where state = 'parked';
drop index cases_waiting, cases_waiting_anywhere, cases_parked, cases_asked, cases_held;
alter table cases drop column resting, drop column asked, drop column parked_to, drop column parked_for, drop column parked_at, drop column reason, drop column recovered, drop column written_off, drop column undo;
alter table cases drop constraint cases_state_check;
alter table cases add constraint cases_state_check check (state in ('open', 'taken', 'settled'));
create index cases_waiting on cases (desk, cleared, due, severity, id) where state <> 'settled';
create index cases_waiting_anywhere on cases (cleared, due, severity, id) where state <> 'settled';
create view reporting.cases as
  select id as "case", kind, key, name, desk, state, grade, severity, due, cleared, items, opened_at, taken_by, finding, settled_by, settled_at from cases;
create view reporting.findings as
  select distinct c.id as "case", e.rule, e.kind, c.key, c.desk, c.finding, c.settled_by, c.settled_at, c.settled_at - c.opened_at as took
  from cases c join exceptions e on e.case_id = c.id where c.state = 'settled';
