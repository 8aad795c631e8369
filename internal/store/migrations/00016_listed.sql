-- +goose Up
-- A list of exceptions is read in its usual order from an index: a page of a hundred
-- thousand is as quick as one of ten.
drop index exceptions_grain_period_severity_stake_kind_code_rule_idx;
create index exceptions_listed on exceptions (grain, period, (state = 'cleared'), severity, stake desc nulls last, name collate "C", id);
-- And what flags some subjects is looked up by them.
create index exceptions_subject on exceptions (kind, code, grain, period);

-- +goose Down
drop index exceptions_listed, exceptions_subject;
create index on exceptions (grain, period, severity, stake desc nulls last, kind, code, rule);
