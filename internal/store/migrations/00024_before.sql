-- +goose Up
-- What was found before of a subject is on the page of each of its cases.
create index cases_of_subject on cases (kind, code) where state = 'settled';

-- +goose Down
drop index cases_of_subject;
