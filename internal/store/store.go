// Package store keeps everything in PostgreSQL. It is the only room with SQL.
package store

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"net"
	"runtime/debug"
	"slices"
	"strings"
	"sync/atomic"
	"syscall"
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
type Store struct {
	pool   *pools
	queues map[Lock]chan struct{} // whoever waits for a lock waits here first, without a connection
	latest atomic.Pointer[Revision]
}

// ErrNotFound says that what was asked for is not there.
var ErrNotFound = errors.New("not found")

// ErrChanged says that what is to be written has changed since it was read.
var ErrChanged = errors.New("it has changed since you read it; load it again")

// Migrations are the steps by which the tables came to be as they are.
func Migrations() fs.FS {
	sub, err := fs.Sub(migrations, "migrations")
	if err != nil {
		panic(err) // they are part of the binary
	}
	return sub
}

// Open connects to a database and brings its tables up to date.
func Open(ctx context.Context, url string) (*Store, error) {
	config, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("the database address cannot be read: %w", err)
	}
	if !strings.Contains(url, "pool_max_conns") {
		config.MaxConns = max(config.MaxConns, leastConnections)
	}
	named(config.ConnConfig)
	pool, err := openPools(ctx, config)
	if err != nil {
		return nil, err
	}
	db := stdlib.OpenDBFromPool(pool.main)
	defer db.Close() //nolint:errcheck // it only hands its connections back to the pool
	provider, err := goose.NewProvider(goose.DialectPostgres, db, Migrations())
	if err == nil {
		err = up(ctx, provider)
	}
	if err != nil {
		pool.close()
		return nil, fmt.Errorf("bringing the tables up to date: %w", err)
	}
	s := &Store{pool: pool, queues: map[Lock]chan struct{}{}}
	for _, lock := range []Lock{LockIntake, LockSweep, LockPublish, LockPeople} {
		s.queues[lock] = make(chan struct{}, 1)
	}
	return s, nil
}

// named has a connection be known to others as the service's.
func named(config *pgx.ConnConfig) {
	if config.RuntimeParams["application_name"] == "" {
		config.RuntimeParams["application_name"] = applicationName
	}
}

// up brings the tables up to date, unless a newer program has been at work.
func up(ctx context.Context, provider *goose.Provider) error {
	at, err := provider.GetDBVersion(ctx)
	if err != nil {
		return err
	}
	if newest := NewestSchema(); at > newest {
		return fmt.Errorf("this database belongs to a newer version (schema %d; this program knows %d); run that one", at, newest)
	}
	_, err = provider.Up(ctx)
	return err
}

// Close ends all connections.
func (s *Store) Close() { s.pool.close() }

// Ready says whether the database answers.
func (s *Store) Ready(ctx context.Context) error {
	_, err := s.pool.Exec(ctx, "select 1")
	return err
}

// Interactive is for the session store, which brings its own SQL.
func (s *Store) Interactive() *pgxpool.Pool { return s.pool.quick }

// Reconnect drops all connections that are idle: those to a server that was
// lost are worth nothing.
func (s *Store) Reconnect() {
	s.pool.main.Reset()
	s.pool.quick.Reset()
}

// Lost says whether an error is that of a database that is not there, or not
// yet again: what failed by it may be asked once more.
func Lost(err error) bool {
	var connect *pgconn.ConnectError
	var pg *pgconn.PgError
	var network net.Error
	switch {
	case err == nil, errors.Is(err, context.Canceled):
		return false
	case errors.As(err, &pg):
		// Connection failures, and a server that shuts down or starts up.
		return strings.HasPrefix(pg.Code, "08") || slices.Contains([]string{"57P01", "57P02", "57P03"}, pg.Code)
	case errors.As(err, &connect), errors.As(err, &network) && !network.Timeout():
		return true
	}
	// A connection that breaks in mid-answer; whoever asks whom is not told of the database.
	return strings.Contains(err.Error(), "conn closed") || errors.Is(err, io.ErrUnexpectedEOF)
}

// Full says whether an error is that of a database whose disk is full.
func Full(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && pg.Code == "53100" || errors.Is(err, syscall.ENOSPC)
}

// querier is a pool or a transaction.
type querier interface {
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
	QueryRow(ctx context.Context, sql string, args ...any) pgx.Row
	Exec(ctx context.Context, sql string, args ...any) (pgconn.CommandTag, error)
}

// Tx is a transaction; what is done through it is done whole or not at all.
type Tx struct {
	tx   pgx.Tx
	grew []string // tables of which the planner knows too little from now on
}

// grows notes that a table has got many rows.
func (t *Tx) grows(table string, rows int) {
	if rows >= manyRows && !slices.Contains(t.grew, table) {
		t.grew = append(t.grew, table)
	}
}

// manyRows is from how many new rows on a table is looked at anew for the planner:
// until then it might read all of it for one row.
const manyRows = 1000

// Lock names work that only one transaction may do at a time, across all
// services of a database.
type Lock int64

// The locks.
const (
	LockIntake Lock = iota + 7001
	LockSweep
	LockPublish
	LockPeople
	lockQueue
)

// InTx runs work in one transaction, holding the lock to its end. Work asks the
// transaction for all it needs: a second connection could be one that another
// waits with.
func (s *Store) InTx(ctx context.Context, lock Lock, work func(*Tx) error) error {
	if queue := s.queues[lock]; queue != nil {
		select {
		case queue <- struct{}{}:
			defer func() { <-queue }()
		case <-ctx.Done():
			return ctx.Err()
		}
	}
	var told *Audited
	var grew []string
	err := pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) (err error) {
		t := &Tx{tx: tx}
		if lock != 0 {
			if err := t.Lock(ctx, lock); err != nil {
				return err
			}
		}
		if err := work(t); err != nil {
			return err
		}
		told, err = t.writeAudit(ctx)
		grew = t.grew
		return err
	})
	if err == nil && told != nil {
		told.Written = true
	}
	if err == nil && len(grew) > 0 {
		s.analyze(ctx, grew)
	}
	return err
}

// analyze tells the planner what has become of tables. It is done when the work is;
// without it all goes on, more slowly.
func (s *Store) analyze(ctx context.Context, tables []string) {
	for _, table := range tables {
		if _, err := s.pool.Exec(ctx, "analyze "+pgx.Identifier{table}.Sanitize()); err != nil && ctx.Err() == nil {
			slog.WarnContext(ctx, "ANALYZE failed", "table", table, "error", err)
		}
	}
}

// Lock holds a further lock to the transaction's end. Whoever holds LockPublish
// may ask for LockIntake, never the other way round.
func (t *Tx) Lock(ctx context.Context, lock Lock) error {
	_, err := t.tx.Exec(ctx, fmt.Sprintf("set local lock_timeout = '%ds'", int(longestWait.Seconds())))
	if err == nil {
		_, err = t.tx.Exec(ctx, "select from locks where id = $1 for update", int64(lock))
	}
	var pg *pgconn.PgError
	if errors.As(err, &pg) && pg.Code == "55P03" {
		return fmt.Errorf("%w for %s", ErrHeld, longestWait)
	}
	return err
}

// longestWait is for how long work waits for what another service holds; in one service
// it waits in line without end.
const longestWait = 5 * time.Minute

// ErrHeld says that another service has not ended its work in time.
var ErrHeld = errors.New("another service on the same database has held what this waits for")

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

func startOf(t time.Time) calendar.Day { return calendar.Date(t.Date()) }

func monthOf(t time.Time) calendar.Month { return calendar.MonthOf(t.Year(), t.Month()) }

// caught turns a panic of a worker into an error of its work: one must not end
// the process.
func caught(err *error) {
	if what := recover(); what != nil {
		*err = fmt.Errorf("panic: %v\n%s", what, debug.Stack())
	}
}

func dayOr(t *time.Time, otherwise calendar.Day) calendar.Day {
	if d := dayOf(t); d != nil {
		return *d
	}
	return otherwise
}

func dayOf(t *time.Time) *calendar.Day {
	if t == nil {
		return nil
	}
	d := calendar.Date(t.Year(), t.Month(), t.Day())
	return &d
}
