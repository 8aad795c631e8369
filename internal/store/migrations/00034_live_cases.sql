-- +goose Up
-- What is done to cases is told to whoever looks at them.
create trigger tell_changed after insert on case_events for each statement execute function tell_changed();

-- +goose Down
drop trigger tell_changed on case_events;
