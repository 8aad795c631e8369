-- +goose Up
-- What the last sweep of each period held against the cuts of each rule, flagged or not:
-- one row a rule and level, in arrays by subject.
create table swept_figures (
  sweep bigint not null references sweeps,
  rule text not null,
  level text not null,
  unit text not null,
  keys text[] not null,
  held float8[] not null, -- null where nothing was
  outcomes smallint[] not null, -- 1 clear, 2 breach, 3 no data, 4 not judged
  primary key (sweep, rule, level)
);

create view reporting.figures_swept as
  select f.sweep, s.grain, s.period as starts, f.rule, f.level as kind, x.key, x.value, f.unit, (array['clear', 'breach', 'no data', 'not judged'])[x.outcome] as outcome
  from swept_figures f join sweeps s on s.id = f.sweep, unnest(f.keys, f.held, f.outcomes) x (key, value, outcome);

-- +goose StatementBegin
do $$ begin
  grant select on reporting.figures_swept to oskel_reading;
exception
  when insufficient_privilege or undefined_object then null; -- as in the migration that makes the role
end $$;
-- +goose StatementEnd

-- +goose Down
drop view reporting.figures_swept;
drop table swept_figures;
