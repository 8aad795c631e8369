-- +goose Up
create schema feeds; -- one table a feed, made when a rulebook declares it

create table people (
  name text primary key,
  title text not null,
  role text not null check (role in ('analyst', 'reviewer', 'lead')),
  password text not null,
  desks text[] not null default '{}',
  at timestamptz not null default now()
);
create table tokens (
  hash bytea primary key,
  person text not null references people on delete cascade,
  at timestamptz not null default now()
);
create table sessions (
  token text primary key,
  data bytea not null,
  expiry timestamptz not null
);
create index on sessions (expiry);

create table revisions (
  number int primary key,
  based_on int not null,
  text text not null,
  author text not null,
  note text not null,
  differences text[] not null,
  at timestamptz not null default now()
);

-- An intake's id is the data version it makes.
create table intakes (
  id bigint primary key,
  kind text not null check (kind in ('feed', 'register', 'targets', 'take-back')),
  name text not null,
  mode text not null,
  period text,
  file text not null,
  sha256 bytea not null,
  lines bigint not null,
  months int[] not null,
  totals jsonb not null,
  author text not null,
  at timestamptz not null default now(),
  taken_back_by bigint references intakes
);
create index on intakes (sha256);

create table subjects (
  kind text not null,
  code int not null,
  key text not null,
  primary key (kind, code),
  unique (kind, key)
);
-- Rows are never overwritten: each says which intake brought it and which one
-- superseded it, so that any earlier data version can be read.
create table registers (
  kind text not null,
  code int not null,
  name text not null,
  attributes jsonb not null,
  active_from date,
  active_to date,
  intake bigint not null references intakes,
  superseded bigint references intakes,
  foreign key (kind, code) references subjects
);
create index on registers (kind, code) where superseded is null;
create table targets (
  kind text not null,
  code int not null,
  measure text not null,
  month date not null,
  target numeric(19, 4) not null,
  intake bigint not null references intakes,
  superseded bigint references intakes,
  foreign key (kind, code) references subjects
);
create index on targets (kind, measure, month, code) where superseded is null;

create table sweeps (
  id bigint generated always as identity primary key,
  period date not null,
  revision int not null references revisions,
  data_version bigint not null,
  compared_with bigint references sweeps, -- the sweep of the period before
  author text not null,
  at timestamptz not null default now(),
  took_ms int not null,
  raised int not null,
  standing int not null,
  cleared int not null,
  tallies jsonb not null,
  difference jsonb
);
create index on sweeps (period, id desc);

create table cases (
  id bigint generated always as identity primary key,
  kind text not null,
  code int not null,
  desk text not null,
  state text not null default 'open' check (state in ('open', 'taken', 'settled')),
  grade text not null,
  severity int not null,
  due date not null,
  opened_at timestamptz not null default now(),
  taken_by text references people,
  finding text check (finding in ('confirmed', 'explained', 'data fault', 'rule fault')),
  settled_by text references people,
  settled_at timestamptz,
  version int not null default 1,
  foreign key (kind, code) references subjects,
  check ((state = 'settled') = (finding is not null))
);
create unique index on cases (kind, code, desk) where state <> 'settled';
create index on cases (desk, state, due);
create table case_events (
  id bigint generated always as identity primary key,
  case_id bigint not null references cases,
  at timestamptz not null default now(),
  author text not null,
  what text not null,
  text text not null
);
create index on case_events (case_id, id);

-- One row a period, rule and subject that was ever flagged there.
create table exceptions (
  id bigint generated always as identity primary key,
  period date not null,
  rule text not null,
  kind text not null,
  code int not null,
  name text not null,
  state text not null check (state in ('raised', 'standing', 'cleared')),
  outcome text not null,
  grade text not null,
  severity int not null,
  sentence text not null,
  value text not null,
  yardstick text not null,
  stake numeric,
  evidence jsonb not null,
  desk text not null,
  case_id bigint references cases,
  sweep bigint not null references sweeps,
  first_sweep bigint not null references sweeps,
  unique (period, rule, kind, code),
  foreign key (kind, code) references subjects
);
create index on exceptions (period, severity, stake desc nulls last, kind, code, rule);
create index on exceptions (case_id);

-- +goose Down
drop table exceptions, case_events, cases, sweeps, targets, registers, subjects, intakes, revisions, sessions, tokens, people;
drop schema feeds cascade;
