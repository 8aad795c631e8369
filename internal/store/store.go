// Package store keeps everything in PostgreSQL. It is the only room with SQL.
package store

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"

	"oskel/core/calendar"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Store is safe for concurrent use.
type Store struct{ pool *pgxpool.Pool }

// ErrNotFound says that what was asked for is not there.
var ErrNotFound = errors.New("not found")

// ErrChanged says that what is to be written has changed since it was read.
var ErrChanged = errors.New("it has changed since it was read; read it again")

// Open connects to a database and brings its tables up to date.
func Open(ctx context.Context, url string) (*Store, error) {
	config, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("the database address cannot be read: %w", err)
	}
	config.MaxConns = max(config.MaxConns, 8)
	pool, err := pgxpool.NewWithConfig(ctx, config)
	if err != nil {
		return nil, fmt.Errorf("opening the database: %w", err)
	}
	if err := pool.Ping(ctx); err != nil {
		pool.Close()
		return nil, fmt.Errorf("the database does not answer; is it running, and is the address right? %w", err)
	}
	sub, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, err
	}
	db := stdlib.OpenDBFromPool(pool)
	defer db.Close() //nolint:errcheck // it only hands its connections back to the pool
	provider, err := goose.NewProvider(goose.DialectPostgres, db, sub)
	if err == nil {
		_, err = provider.Up(ctx)
	}
	if err != nil {
		pool.Close()
		return nil, fmt.Errorf("bringing the tables up to date: %w", err)
	}
	return &Store{pool}, nil
}

// Close ends all connections.
func (s *Store) Close() { s.pool.Close() }

// Pool is for the session store, which brings its own SQL.
func (s *Store) Pool() *pgxpool.Pool { return s.pool }

// querier is a pool or a transaction.
type querier interface {
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
	QueryRow(ctx context.Context, sql string, args ...any) pgx.Row
	Exec(ctx context.Context, sql string, args ...any) (pgconn.CommandTag, error)
}

// Tx is a transaction; what is done through it is done whole or not at all.
type Tx struct{ tx pgx.Tx }

// Lock names work that only one transaction may do at a time, across all
// services of a database.
type Lock int64

// The locks.
const (
	LockIntake Lock = iota + 7001
	LockSweep
	LockPublish
)

// Do runs work in one transaction, holding the lock to its end.
func (s *Store) Do(ctx context.Context, lock Lock, work func(*Tx) error) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		if lock != 0 {
			if _, err := tx.Exec(ctx, "select pg_advisory_xact_lock($1)", int64(lock)); err != nil {
				return err
			}
		}
		return work(&Tx{tx})
	})
}

func notFound(err error) error {
	if errors.Is(err, pgx.ErrNoRows) {
		return ErrNotFound
	}
	return err
}

// duplicate says whether err is a broken unique index.
func duplicate(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && pg.Code == "23505"
}

func monthDate(m calendar.Month) time.Time { return m.First().Time() }

func monthOf(t time.Time) calendar.Month { return calendar.MonthOf(t.Year(), t.Month()) }

func dayOf(t *time.Time) *calendar.Day {
	if t == nil {
		return nil
	}
	d := calendar.Date(t.Year(), t.Month(), t.Day())
	return &d
}
