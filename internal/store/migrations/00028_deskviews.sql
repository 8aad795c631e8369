-- +goose Up
-- Views of the desk too, beside those of the list of exceptions.
alter table views add column of text not null default 'exceptions' check (of in ('exceptions', 'cases'));
drop index views_own, views_shared;
create unique index views_own on views (owner, of, lower(name)) where not shared;
create unique index views_shared on views (of, lower(name)) where shared;

-- +goose Down
delete from views where of = 'cases';
drop index views_own, views_shared;
alter table views drop column of;
create unique index views_own on views (owner, lower(name)) where not shared;
create unique index views_shared on views (lower(name)) where shared;
