package store

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"

	"oskel/core/calendar"
)

// Closing says that a lead has closed a period.
type Closing struct {
	Period       calendar.Key
	Author, Note string
	At           time.Time
	SignedOff    bool // all its cases were settled or parked then
}

// ErrClosed says that a period is closed, ErrNotClosed that it is not.
var (
	ErrClosed    = errors.New("the period is closed")
	ErrNotClosed = errors.New("the period is not closed")
)

// Closings lists the periods of a grain that are closed, by their keys.
func (s *Store) Closings(ctx context.Context, grain string) (map[calendar.Key]Closing, error) {
	return closings(ctx, s.pool, "where grain = $1", grain)
}

// Closing finds the closing of a period, or ErrNotFound.
func (t *Tx) Closing(ctx context.Context, k calendar.Key) (Closing, error) {
	all, err := closings(ctx, t.tx, "where grain = $1 and period = $2", k.Grain, k.Start.Time())
	if err != nil {
		return Closing{}, err
	}
	c, closed := all[k]
	if !closed {
		return c, ErrNotFound
	}
	return c, nil
}

func closings(ctx context.Context, q querier, tail string, args ...any) (map[calendar.Key]Closing, error) {
	rows, err := q.Query(ctx, "select grain, period, author, at, note, signed_off from closings "+tail, args...)
	if err != nil {
		return nil, err
	}
	out := map[calendar.Key]Closing{}
	all, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (Closing, error) {
		var c Closing
		var period time.Time
		err := row.Scan(&c.Period.Grain, &period, &c.Author, &c.At, &c.Note, &c.SignedOff)
		c.Period.Start = startOf(period)
		return c, err
	})
	for _, c := range all {
		out[c.Period] = c
	}
	return out, err
}

// ClosePeriod closes a period; ErrClosed if it is closed already.
func (t *Tx) ClosePeriod(ctx context.Context, c Closing) error {
	_, err := t.tx.Exec(ctx, "insert into closings (grain, period, author, note, signed_off) values ($1, $2, $3, $4, $5)", c.Period.Grain,
		c.Period.Start.Time(), c.Author, c.Note, c.SignedOff)
	if duplicate(err) {
		return ErrClosed
	}
	return err
}

// ReopenPeriod opens a period again; ErrNotClosed if it is not closed.
func (t *Tx) ReopenPeriod(ctx context.Context, k calendar.Key) error {
	tag, err := t.tx.Exec(ctx, "delete from closings where grain = $1 and period = $2", k.Grain, k.Start.Time())
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrNotClosed
	}
	return err
}
