-- +goose Up
-- By subject whatever their state: where few cases were settled when the planner last
-- looked, it read all that are settled for one subject's.
drop index cases_of_subject;
create index cases_of_subject on cases (kind, code);

-- +goose Down
drop index cases_of_subject;
create index cases_of_subject on cases (kind, code) where state = 'settled';
