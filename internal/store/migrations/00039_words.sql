-- +goose Up
-- Tables and columns have the names that people read.
alter table intakes drop constraint intakes_kind_check;
update intakes set kind = 'revert' where kind = 'take-back';
alter table intakes add constraint intakes_kind_check check (kind in ('feed', 'register', 'targets', 'revert'));
alter table intakes rename column taken_back_by to reverted_by;
alter table peaces rename to snoozes;
alter table sweeps rename column in_peace to snoozed;
alter table data_faults rename to data_issues;
alter table exceptions rename column yardstick to comparison;
alter table past_exceptions rename column yardstick to comparison;
alter view exception_versions rename column yardstick to comparison;
alter table sweeps rename column so_far to to_date;
alter view reporting.peaces rename to snoozes;
alter view reporting.data_faults rename to data_issues;
alter view reporting.exceptions rename column yardstick to comparison;
alter view reporting.sweeps rename column so_far to to_date;
alter view reporting.periods rename column so_far to to_date;

-- +goose Down
alter table intakes rename column reverted_by to taken_back_by;
alter table intakes drop constraint intakes_kind_check;
update intakes set kind = 'take-back' where kind = 'revert';
alter table intakes add constraint intakes_kind_check check (kind in ('feed', 'register', 'targets', 'take-back'));
alter view reporting.periods rename column to_date to so_far;
alter view reporting.sweeps rename column to_date to so_far;
alter view reporting.exceptions rename column comparison to yardstick;
alter view reporting.data_issues rename to data_faults;
alter view reporting.snoozes rename to peaces;
alter table sweeps rename column to_date to so_far;
alter view exception_versions rename column comparison to yardstick;
alter table past_exceptions rename column comparison to yardstick;
alter table exceptions rename column comparison to yardstick;
alter table data_issues rename to data_faults;
alter table sweeps rename column snoozed to in_peace;
alter table snoozes rename to peaces;
