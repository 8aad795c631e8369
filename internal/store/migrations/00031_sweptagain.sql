-- +goose Up
-- A sweep of a period that was swept before notes of each exception which sweep says so.
-- With room left beside it that is written there, and no index is touched.
alter table exceptions set (fillfactor = 60);

-- +goose Down
alter table exceptions reset (fillfactor);
