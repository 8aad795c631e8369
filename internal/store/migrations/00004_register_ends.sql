-- +goose Up
-- The last day on which a register row holds; null is until the next.
alter table registers add column valid_to date;

-- +goose Down
alter table registers drop column valid_to;
