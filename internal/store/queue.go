package store

import (
	"context"
	"fmt"

	"github.com/jackc/pgx/v5/pgxpool"
)

// QueueSchema is where the tables of the queue of jobs are.
const QueueSchema = "river"

// queueConnections are kept for the queue, so that it never waits for those of
// requests.
const queueConnections = 2

// OpenQueue opens connections for the queue of jobs, which brings its own SQL, and has
// it make its tables: one service after the other, where several begin at once.
func OpenQueue(ctx context.Context, url string, tables func(*pgxpool.Pool) error) (*pgxpool.Pool, error) {
	config, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("the database address cannot be read: %w", err)
	}
	config.MaxConns = queueConnections
	named(config.ConnConfig)
	pool, err := pgxpool.NewWithConfig(ctx, config)
	if err != nil {
		return nil, err
	}
	// Some steps of the tables cannot be in one transaction, so that the lock is the
	// connection's.
	err = pool.AcquireFunc(ctx, func(conn *pgxpool.Conn) error {
		if _, err := conn.Exec(ctx, "select pg_advisory_lock($1)", int64(lockQueue)); err != nil {
			return err
		}
		defer conn.Exec(context.WithoutCancel(ctx), "select pg_advisory_unlock($1)", int64(lockQueue)) //nolint:errcheck // the connection's end does it too
		if _, err := conn.Exec(ctx, "create schema if not exists "+QueueSchema); err != nil {
			return err
		}
		return tables(pool)
	})
	if err != nil {
		pool.Close()
		return nil, fmt.Errorf("making the tables of the queue of jobs: %w", err)
	}
	return pool, nil
}
