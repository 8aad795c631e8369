-- +goose Up
-- Up to which day a sweep judged a period that was still running; null is all of it.
alter table sweeps add column so_far date;

create or replace view reporting.periods as
  select s.grain, s.period as starts, s.id as sweep, s.revision, s.data_version, s.at as swept_at, s.author as swept_by, s.raised, s.standing, s.cleared, c.at as closed_at, c.author as closed_by, c.note as closing_note, s.so_far
  from sweeps s left join closings c on c.grain = s.grain and c.period = s.period
  where s.id in (select max(id) from sweeps group by grain, period);

create or replace view reporting.sweeps as
  select id as sweep, grain, period as starts, revision, data_version, author as swept_by, at as swept_at, took_ms, raised, standing, cleared, so_far from sweeps;

-- +goose Down
drop view reporting.periods;
drop view reporting.sweeps;
create view reporting.periods as
  select s.grain, s.period as starts, s.id as sweep, s.revision, s.data_version, s.at as swept_at, s.author as swept_by, s.raised, s.standing, s.cleared, c.at as closed_at, c.author as closed_by, c.note as closing_note
  from sweeps s left join closings c on c.grain = s.grain and c.period = s.period
  where s.id in (select max(id) from sweeps group by grain, period);
create view reporting.sweeps as
  select id as sweep, grain, period as starts, revision, data_version, author as swept_by, at as swept_at, took_ms, raised, standing, cleared from sweeps;
alter table sweeps drop column so_far;
