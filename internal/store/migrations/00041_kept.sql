-- +goose Up
-- Tables of figures that are kept by name, and boards of up to four of them.
alter table views drop constraint views_of_check;
alter table views add constraint views_of_check check (of in ('exceptions', 'cases', 'tables', 'boards'));

-- +goose Down
delete from views where of in ('tables', 'boards');
alter table views drop constraint views_of_check;
alter table views add constraint views_of_check check (of in ('exceptions', 'cases'));
