-- +goose Up
-- A case of which nothing is flagged any more, and the finding that says so.
alter table cases add column cleared boolean not null default false;
update cases c set cleared = true where exists (select from exceptions e where e.case_id = c.id) and not exists (select from exceptions e where e.case_id = c.id and e.state <> 'cleared');
alter table cases drop constraint cases_finding_check;
alter table cases add constraint cases_finding_check check (finding in ('confirmed', 'explained', 'data fault', 'rule fault', 'cleared'));

-- What is cleared is no longer at stake, and not judged by a rule that is off.
update exceptions set stake = null where state = 'cleared';
update exceptions set outcome = 'not judged' where state = 'cleared' and outcome = 'breach';

-- Accounts that are closed keep what they did.
alter table people add column closed_at timestamptz;
-- Counts changes of the password: sessions begun under an earlier one have ended.
alter table people add column generation int not null default 0;

-- +goose Down
alter table people drop column generation, drop column closed_at;
alter table cases drop constraint cases_finding_check;
alter table cases add constraint cases_finding_check check (finding in ('confirmed', 'explained', 'data fault', 'rule fault'));
alter table cases drop column cleared;
