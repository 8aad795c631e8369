-- +goose Up
-- From when on an entry holds; null is since ever.
alter table registers add column valid_from date;

-- +goose Down
alter table registers drop column valid_from;
