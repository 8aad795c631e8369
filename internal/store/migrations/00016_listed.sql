-- +goose Up
-- A list of exceptions is read in its usual order from an index: a page of a hundred
-- thousand is as quick as one of ten.
drop index exceptions_grain_period_severity_stake_kind_code_rule_idx;
create index exceptions_listed on exceptions (grain, period, (state = 'cleared'), severity, stake desc nulls last, name collate "C", id);

-- +goose Down
drop index exceptions_listed;
create index on exceptions (grain, period, severity, stake desc nulls last, kind, code, rule);
