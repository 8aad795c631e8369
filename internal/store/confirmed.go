package store

import (
	"context"

	"github.com/jackc/pgx/v5"
)

// Confirmed says of the sweeps that were held against a revision whether it says the same.
func (s *Store) Confirmed(ctx context.Context, revision int) (map[int64]bool, error) {
	rows, err := s.pool.Query(ctx, "select sweep, same from confirmed where revision = $1", revision)
	if err != nil {
		return nil, err
	}
	out := map[int64]bool{}
	var sweep int64
	var same bool
	_, err = pgx.ForEachRow(rows, []any{&sweep, &same}, func() error {
		out[sweep] = same
		return nil
	})
	return out, err
}

// Confirm notes whether a revision says the same as a sweep did.
func (s *Store) Confirm(ctx context.Context, sweep int64, revision int, same bool) error {
	_, err := s.pool.Exec(ctx, "insert into confirmed (sweep, revision, same) values ($1, $2, $3) on conflict do nothing", sweep, revision, same)
	return err
}
