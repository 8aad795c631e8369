-- +goose Up
-- What is found of an event has that event's day in its identity: a rule may flag a
-- subject several times in a period, once for each. Of the period as a whole it is null.
alter table exceptions add column event date;
alter table exceptions drop constraint exceptions_grain_period_rule_kind_code_key;
create unique index exceptions_identity on exceptions (grain, period, rule, kind, code, coalesce(event, '-infinity'));

-- +goose Down
drop index exceptions_identity;
delete from exceptions e where exists (select from exceptions o where (o.grain, o.period, o.rule, o.kind, o.code) = (e.grain, e.period, e.rule, e.kind, e.code) and o.id < e.id);
alter table exceptions add unique (grain, period, rule, kind, code);
alter table exceptions drop column event;
