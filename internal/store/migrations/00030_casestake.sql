-- +goose Up
-- What is at stake in a case: of what is flagged in it.
alter table cases add column stake numeric;
update cases c set stake = (select sum(e.stake) from exceptions e where e.case_id = c.id and e.state <> 'cleared');

-- +goose Down
alter table cases drop column stake;
