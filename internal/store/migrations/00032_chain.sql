-- +goose Up
-- A cleared flag that no sweep of its own period ever raised stands by the period before
-- alone, and goes with it: it is dropped by a sweep, and stays what earlier sweeps said.
alter table exceptions add column own boolean not null default true;
alter table exceptions add column dropped bigint;
update exceptions e set own = false where state = 'cleared' and not exists (select from past_exceptions p where p.exception = e.id and p.state <> 'cleared');
-- By all rules, until it is worse: how far each rule's flag lay beyond its cut then.
alter table peaces add column beyonds jsonb;
-- What a sweep was computed by; a later program may compute otherwise.
alter table sweeps add column computation int not null default 1;

-- +goose Down
alter table sweeps drop column computation;
alter table peaces drop column beyonds;
alter table exceptions drop column dropped;
alter table exceptions drop column own;
