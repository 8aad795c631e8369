-- +goose Up
-- The months of feeds lie in a schema of their own, so that no feed can bear the
-- name of another's month.
create schema feed_months;
-- +goose StatementBegin
do $$
declare month regclass;
begin
  for month in select i.inhrelid from pg_inherits i join pg_class c on c.oid = i.inhrelid where c.relnamespace = 'feeds'::regnamespace loop
    execute format('alter table %s set schema feed_months', month);
  end loop;
end $$;
-- +goose StatementEnd

-- The intake from which on a subject is known; 0 is ever.
alter table subjects add column intake bigint not null default 0;
update subjects s set intake = first.intake from (select kind, code, min(intake) as intake from registers group by kind, code) first
  where first.kind = s.kind and first.code = s.code;

-- +goose Down
alter table subjects drop column intake;
-- +goose StatementBegin
do $$
declare month regclass;
begin
  for month in select c.oid from pg_class c where c.relnamespace = 'feed_months'::regnamespace and c.relkind = 'r' loop
    execute format('alter table %s set schema feeds', month);
  end loop;
end $$;
-- +goose StatementEnd
drop schema feed_months;
