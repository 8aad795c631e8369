package store

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"
)

// ClockSeen is what the clock said when it was last looked at; zero is never.
func (s *Store) ClockSeen(ctx context.Context) (time.Time, error) { return clockSeen(ctx, s.pool) }

// ClockSeen is the same as a transaction sees it.
func (t *Tx) ClockSeen(ctx context.Context) (time.Time, error) { return clockSeen(ctx, t.tx) }

func clockSeen(ctx context.Context, q querier) (seen time.Time, err error) {
	rows, err := q.Query(ctx, "select seen from clock")
	if err != nil {
		return seen, err
	}
	seen, err = pgx.CollectOneRow(rows, pgx.RowTo[time.Time])
	if errors.Is(err, pgx.ErrNoRows) {
		return time.Time{}, nil
	}
	return seen, err
}

// SeeClock notes what the clock says, where it goes on; of two services the later one.
func (s *Store) SeeClock(ctx context.Context, now time.Time) error {
	_, err := s.pool.Exec(ctx, "insert into clock (seen) values ($1) on conflict (one) do update set seen = greatest(clock.seen, excluded.seen)", now)
	return err
}

// SetClock notes that the clock is right, wherever it has gone.
func (s *Store) SetClock(ctx context.Context, now time.Time) error {
	_, err := s.pool.Exec(ctx, "insert into clock (seen) values ($1) on conflict (one) do update set seen = excluded.seen", now)
	return err
}
