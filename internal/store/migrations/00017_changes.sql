-- +goose Up
-- Every service of a database is told when something changes that its verdicts hang on;
-- and a sweep says how long its stages took.
-- +goose StatementBegin
create function tell_changed() returns trigger language plpgsql as
$$ begin perform pg_notify('oskel_changed', tg_table_name); return null; end $$;
-- +goose StatementEnd
create trigger tell_changed after insert on revisions for each statement execute function tell_changed();
create trigger tell_changed after insert on intakes for each statement execute function tell_changed();
create trigger tell_changed after insert on sweeps for each statement execute function tell_changed();
create trigger tell_changed after insert or delete on closings for each statement execute function tell_changed();
alter table sweeps add column stages jsonb;

-- +goose Down
alter table sweeps drop column stages;
drop function tell_changed cascade;
