-- +goose Up
-- Periods that a lead has closed: none is swept while it stands here. Who closed and
-- opened what, and why, the audit keeps.
create table closings (
  grain text not null,
  period date not null,
  author text not null,
  at timestamptz not null default now(),
  note text not null,
  primary key (grain, period)
);

-- +goose Down
drop table closings;
