-- +goose Up
-- What a sweep recorded stays readable after the later sweeps of its period: an
-- exception says since which sweep it stands as it does, and what it said before is
-- kept. Of sweeps made before this, what later ones overtook is not there.
alter table exceptions add column since bigint;
update exceptions set since = sweep;
alter table exceptions alter column since set not null;
create table past_exceptions (
  exception bigint not null references exceptions,
  since bigint not null,
  sweep bigint not null, -- the last that found it so
  event date,
  name text not null,
  state text not null,
  outcome text not null,
  grade text not null,
  severity int not null,
  sentence text not null,
  value text not null,
  yardstick text not null,
  stake numeric,
  evidence jsonb not null,
  desk text not null,
  primary key (exception, since)
);
alter table sweeps add column whole boolean not null default true;
update sweeps set whole = false where id not in (select max(id) from sweeps group by grain, period);
create view exception_versions as
  select id, grain, period, rule, kind, code, event, name, state, outcome, grade, severity, sentence, value, yardstick, stake, evidence, desk, case_id, sweep, first_sweep, since from exceptions
  union all
  select e.id, e.grain, e.period, e.rule, e.kind, e.code, p.event, p.name, p.state, p.outcome, p.grade, p.severity, p.sentence, p.value, p.yardstick, p.stake, p.evidence, p.desk, e.case_id, p.sweep, e.first_sweep, p.since
  from past_exceptions p join exceptions e on e.id = p.exception;

-- +goose Down
drop view exception_versions;
drop table past_exceptions;
alter table exceptions drop column since;
alter table sweeps drop column whole;
