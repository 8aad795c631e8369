-- +goose Up
-- Periods of any length: beside the day that a period is kept by, its grain. All
-- that is on record is of months. The sweep and the exceptions of October and of
-- its quarter begin on the same day.
alter table sweeps add column grain text not null default 'month';
alter table sweeps alter column grain drop default;
drop index sweeps_period_id_idx;
create index on sweeps (grain, period, id desc);

alter table exceptions add column grain text not null default 'month';
alter table exceptions alter column grain drop default;
alter table exceptions drop constraint exceptions_period_rule_kind_code_key;
alter table exceptions add unique (grain, period, rule, kind, code);
drop index exceptions_period_severity_stake_kind_code_rule_idx;
create index on exceptions (grain, period, severity, stake desc nulls last, kind, code, rule);

-- +goose Down
update cases set state = 'settled', finding = 'cleared' where state <> 'settled' and not exists (select from exceptions e where e.case_id = cases.id and e.grain = 'month');
delete from exceptions where grain <> 'month';
update sweeps set compared_with = null where grain <> 'month';
delete from sweeps where grain <> 'month';
drop index exceptions_grain_period_severity_stake_kind_code_rule_idx;
alter table exceptions drop constraint exceptions_grain_period_rule_kind_code_key;
alter table exceptions drop column grain;
alter table exceptions add unique (period, rule, kind, code);
create index on exceptions (period, severity, stake desc nulls last, kind, code, rule);
drop index sweeps_grain_period_id_idx;
alter table sweeps drop column grain;
create index on sweeps (period, id desc);
