-- +goose Up
-- A closing that is a sign-off: all cases of the period were settled or parked then.
alter table closings add column signed_off boolean not null default false;
create or replace view reporting.periods as
  select s.grain, s.period as starts, s.id as sweep, s.revision, s.data_version, s.at as swept_at, s.author as swept_by, s.raised, s.standing, s.cleared, c.at as closed_at, c.author as closed_by, c.note as closing_note, s.so_far, c.signed_off
  from sweeps s left join closings c on c.grain = s.grain and c.period = s.period
  where s.id in (select max(id) from sweeps group by grain, period);

-- +goose Down
drop view reporting.periods;
create view reporting.periods as
  select s.grain, s.period as starts, s.id as sweep, s.revision, s.data_version, s.at as swept_at, s.author as swept_by, s.raised, s.standing, s.cleared, c.at as closed_at, c.author as closed_by, c.note as closing_note, s.so_far
  from sweeps s left join closings c on c.grain = s.grain and c.period = s.period
  where s.id in (select max(id) from sweeps group by grain, period);
alter table closings drop column signed_off;
