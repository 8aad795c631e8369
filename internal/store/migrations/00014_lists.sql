-- +goose Up
-- For how many periods in a row something has been flagged, and how far beyond its cut
-- it lies, as a share of the cut; null where it is not known, or there is none. And
-- views of lists that people keep by name.
alter table exceptions add column streak int, add column beyond double precision;
update exceptions set streak = 1 where state = 'raised';
alter table past_exceptions add column streak int, add column beyond double precision;
drop view exception_versions;
create view exception_versions as
  select id, grain, period, rule, kind, code, event, name, state, outcome, grade, severity, sentence, value, yardstick, stake, beyond, evidence, desk, case_id, streak, sweep, first_sweep, since from exceptions
  union all
  select e.id, e.grain, e.period, e.rule, e.kind, e.code, p.event, p.name, p.state, p.outcome, p.grade, p.severity, p.sentence, p.value, p.yardstick, p.stake, p.beyond, p.evidence, p.desk, e.case_id, p.streak, p.sweep, e.first_sweep, p.since
  from past_exceptions p join exceptions e on e.id = p.exception;
create table views (
  id bigint generated always as identity primary key,
  name text not null,
  owner text not null,
  shared boolean not null,
  query jsonb not null,
  at timestamptz not null default now()
);
create unique index views_own on views (owner, lower(name)) where not shared;
create unique index views_shared on views (lower(name)) where shared;

-- +goose Down
drop table views;
drop view exception_versions;
alter table exceptions drop column streak, drop column beyond;
alter table past_exceptions drop column streak, drop column beyond;
create view exception_versions as
  select id, grain, period, rule, kind, code, event, name, state, outcome, grade, severity, sentence, value, yardstick, stake, evidence, desk, case_id, sweep, first_sweep, since from exceptions
  union all
  select e.id, e.grain, e.period, e.rule, e.kind, e.code, p.event, p.name, p.state, p.outcome, p.grade, p.severity, p.sentence, p.value, p.yardstick, p.stake, p.evidence, p.desk, e.case_id, p.sweep, e.first_sweep, p.since
  from past_exceptions p join exceptions e on e.id = p.exception;
