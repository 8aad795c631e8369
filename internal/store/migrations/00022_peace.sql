-- +goose Up
-- Subjects that are left in peace: what a rule flags of them opens no case meanwhile.
create table peaces (
  id bigint generated always as identity primary key,
  case_id bigint not null references cases, -- in which it was said
  kind text not null,
  code int not null,
  rule text not null, -- '' is all
  until date not null,
  worse float8, -- until it is worse by this share of how far it lay beyond its cut
  severity int not null,
  beyond float8,
  author text not null references people,
  at timestamptz not null default now(),
  ended_at timestamptz,
  ended_by text references people,
  foreign key (kind, code) references subjects
);
create index on peaces (until) where ended_at is null;
create index on peaces (case_id);
alter table sweeps add column in_peace int not null default 0;

create view reporting.peaces as
  select p.id as peace, p.case_id as "case", p.kind, s.key, p.rule, p.until, p.worse, p.author, p.at, p.ended_at, p.ended_by from peaces p join subjects s on s.kind = p.kind and s.code = p.code;
-- +goose StatementBegin
do $$ begin
  grant select on reporting.peaces to oskel_reading;
exception
  when insufficient_privilege or undefined_object then null; -- as in the migration that makes the role
end $$;
-- +goose StatementEnd

-- +goose Down
drop view reporting.peaces;
alter table sweeps drop column in_peace;
drop table peaces;
