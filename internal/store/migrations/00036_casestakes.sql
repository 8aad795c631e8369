-- +goose Up
-- Rules speak of the same money of a subject: at stake in a case is that of the rule with most.
update cases c set stake = (select max(stake) from (select sum(e.stake) as stake from exceptions e where e.case_id = c.id and e.state <> 'cleared' group by e.rule) r) where stake is not null;

-- +goose Down
update cases c set stake = (select sum(e.stake) from exceptions e where e.case_id = c.id and e.state <> 'cleared') where stake is not null;
