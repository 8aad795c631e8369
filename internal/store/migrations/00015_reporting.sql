-- +goose Up
-- What any SQL client may read: documented views, apart from the tables, which may
-- change. Whoever is a member of the role oskel_reading reads them and nothing else.
create schema reporting;

-- +goose StatementBegin
create function reporting.number(written text) returns numeric language sql immutable strict as
$$ select case when written ~ '^-?[0-9]+(/[1-9][0-9]*)?$' then round(split_part(written, '/', 1)::numeric / coalesce(nullif(split_part(written, '/', 2), '')::numeric, 1), 6) end $$;
-- +goose StatementEnd

create view reporting.periods as
  select s.grain, s.period as starts, s.id as sweep, s.revision, s.data_version, s.at as swept_at, s.author as swept_by, s.raised, s.standing, s.cleared, c.at as closed_at, c.author as closed_by, c.note as closing_note
  from sweeps s left join closings c on c.grain = s.grain and c.period = s.period
  where s.id in (select max(id) from sweeps group by grain, period);

create view reporting.sweeps as
  select id as sweep, grain, period as starts, revision, data_version, author as swept_by, at as swept_at, took_ms, raised, standing, cleared from sweeps;

create view reporting.rules_swept as
  select s.id as sweep, s.grain, s.period as starts, t ->> 'rule' as rule, t ->> 'level' as level, coalesce((t ->> 'trial')::boolean, false) as on_trial,
    (t ->> 'subjects')::int as subjects, (t ->> 'flagged')::int as flagged, (t ->> 'clear')::int as clear, (t ->> 'no_data')::int as no_data
  from sweeps s, jsonb_array_elements(s.tallies) t;

create view reporting.subjects as
  select r.kind, s.key, r.name, r.attributes, r.active_from, r.active_to, r.valid_from, r.valid_to
  from registers r join subjects s on s.kind = r.kind and s.code = r.code where r.superseded is null;

create view reporting.exceptions as
  select e.id as exception, e.grain, e.period as starts, e.rule, e.kind, s.key, e.name, e.event as event_day, e.state, e.outcome, e.grade, e.severity,
    reporting.number(e.evidence ->> 'value') as value, reporting.number(e.evidence ->> 'yardstick') as yardstick, e.evidence ->> 'unit' as unit,
    e.stake, e.streak, e.beyond, e.sentence, e.desk, e.case_id as "case", e.sweep, e.first_sweep
  from exceptions e join subjects s on s.kind = e.kind and s.code = e.code;

create view reporting.cases as
  select id as "case", kind, key, name, desk, state, grade, severity, due, cleared, items, opened_at, taken_by, finding, settled_by, settled_at from cases;

create view reporting.findings as
  select distinct c.id as "case", e.rule, e.kind, c.key, c.desk, c.finding, c.settled_by, c.settled_at, c.settled_at - c.opened_at as took
  from cases c join exceptions e on e.case_id = c.id where c.state = 'settled';

-- +goose StatementBegin
do $$ begin
  if not exists (select from pg_roles where rolname = 'oskel_reading') then
    create role oskel_reading nologin;
  end if;
  grant usage on schema reporting to oskel_reading;
  grant select on all tables in schema reporting to oskel_reading;
exception
  when insufficient_privilege then null; -- whoever may, can make the role and grant it by hand
  when duplicate_object or unique_violation then -- another service made it just now
    grant usage on schema reporting to oskel_reading;
    grant select on all tables in schema reporting to oskel_reading;
end $$;
-- +goose StatementEnd

-- +goose Down
drop schema reporting cascade;
