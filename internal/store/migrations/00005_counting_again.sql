-- +goose Up
-- Of a copy made when an intake was taken back: the version from which it counts
-- again. It bears the intake that had brought it.
alter table registers add column again bigint references intakes;
alter table targets add column again bigint references intakes;
-- +goose StatementBegin
do $$
declare feed regclass;
begin
  for feed in select oid from pg_class where relnamespace = 'feeds'::regnamespace and relkind = 'p' loop
    execute format('alter table %s add column again bigint', feed);
  end loop;
end $$;
-- +goose StatementEnd

-- +goose Down
alter table registers drop column again;
alter table targets drop column again;
