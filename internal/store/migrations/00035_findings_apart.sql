-- +goose Up
-- The finding of a case is that of each of its flags, but of those named here by number.
alter table cases add column apart jsonb;
create or replace view reporting.findings as
  select distinct c.id as "case", e.rule, e.kind, c.key, c.desk, coalesce(c.apart ->> e.id::text, c.finding) as finding, c.settled_by, c.settled_at, c.settled_at - c.opened_at as took, c.reason, c.recovered, c.written_off
  from cases c join exceptions e on e.case_id = c.id where c.state = 'settled';

-- +goose Down
create or replace view reporting.findings as
  select distinct c.id as "case", e.rule, e.kind, c.key, c.desk, c.finding, c.settled_by, c.settled_at, c.settled_at - c.opened_at as took, c.reason, c.recovered, c.written_off
  from cases c join exceptions e on e.case_id = c.id where c.state = 'settled';
alter table cases drop column apart;
