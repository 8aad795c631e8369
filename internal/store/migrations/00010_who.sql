-- +goose Up
-- A token has a name, a scope and an end, and can be told from the others. Those there
-- are get ninety days.
alter table tokens rename column at to made;
alter table tokens
  add column id bigint generated always as identity unique,
  add column title text not null default 'command line',
  add column scope text not null default 'everything' check (scope in ('read', 'review', 'everything')),
  add column ends timestamptz not null default now() + interval '90 days',
  add column used timestamptz;
create index on tokens (person);

-- A one-time word opens an account once, for a password of one's own.
alter table people add column word text, add column word_ends timestamptz;

-- A browser from which somebody has signed in is known again: what others get wrong
-- under their name elsewhere does not slow it down.
create table known_browsers (
  hash bytea primary key,
  person text not null references people on delete cascade,
  at timestamptz not null default now()
);

-- What was done, by whom, from where. It is only added to.
create table audit (
  id bigint generated always as identity primary key,
  at timestamptz not null default clock_timestamp(),
  person text not null,
  way text not null,
  address text not null,
  request text not null,
  operation text not null,
  about text not null,
  outcome text not null
);
create index on audit (person, id);
create index on audit (operation, id);
-- +goose StatementBegin
create function audit_is_kept() returns trigger language plpgsql as
$$ begin raise exception 'the audit is only added to'; end $$;
-- +goose StatementEnd
create trigger audit_is_kept before update or delete or truncate on audit for each statement execute function audit_is_kept();
revoke update, delete, truncate on audit from current_user;

-- +goose Down
drop table audit, known_browsers;
drop function audit_is_kept;
alter table people drop column word, drop column word_ends;
alter table tokens drop column id, drop column title, drop column scope, drop column ends, drop column used;
alter table tokens rename column made to at;
