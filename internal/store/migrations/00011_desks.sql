-- +goose Up
-- A list of cases is read from the cases alone: whoever sweeps keeps with each whom it
-- is of, what its newest item says, and how many there are.
alter table cases add column key text, add column name text, add column sentence text, add column items int;
update cases c set key = s.key, name = coalesce(top.name, s.key), sentence = coalesce(top.sentence, ''), items = (select count(*) from exceptions e where e.case_id = c.id)
  from subjects s, cases o
  left join lateral (select name, sentence from exceptions e where e.case_id = o.id order by (e.state = 'cleared'), e.period desc, e.severity, e.rule limit 1) top on true
  where o.id = c.id and s.kind = c.kind and s.code = c.code;
alter table cases alter column key set not null, alter column name set not null, alter column sentence set not null, alter column items set not null;
drop index cases_desk_state_due_idx;
create index cases_waiting on cases (desk, cleared, due, severity, id) where state <> 'settled';
create index cases_waiting_anywhere on cases (cleared, due, severity, id) where state <> 'settled';
create index cases_settled on cases (desk, settled_at desc, id) where state = 'settled';

-- +goose Down
drop index cases_waiting, cases_waiting_anywhere, cases_settled;
create index on cases (desk, state, due);
alter table cases drop column key, drop column name, drop column sentence, drop column items;
