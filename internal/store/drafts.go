package store

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"
)

// Draft is a rulebook that one person is working on, made from a revision.
type Draft struct {
	Person  string
	Text    string
	BasedOn int
	Version int // 0 is none yet
	At      time.Time
}

// Draft finds a person's draft, or ErrNotFound.
func (s *Store) Draft(ctx context.Context, person string) (Draft, error) {
	d := Draft{Person: person}
	err := s.pool.QueryRow(ctx, "select text, based_on, version, at from drafts where person = $1", person).Scan(&d.Text, &d.BasedOn, &d.Version, &d.At)
	if errors.Is(err, pgx.ErrNoRows) {
		err = ErrNotFound
	}
	return d, err
}

// PutDraft keeps a draft that was read at a version, 0 for none, or says
// ErrChanged.
func (s *Store) PutDraft(ctx context.Context, d Draft) (Draft, error) {
	var at time.Time
	err := s.pool.QueryRow(ctx, `insert into drafts (person, text, based_on, version) select $1, $2, $3, 1 where $4 = 0
		on conflict (person) do nothing returning at`, d.Person, d.Text, d.BasedOn, d.Version).Scan(&at)
	if errors.Is(err, pgx.ErrNoRows) {
		err = s.pool.QueryRow(ctx, "update drafts set text = $2, based_on = $3, version = version + 1, at = now() where person = $1 and version = $4 "+
			"returning at", d.Person, d.Text, d.BasedOn, d.Version).Scan(&at)
	}
	if errors.Is(err, pgx.ErrNoRows) {
		return d, ErrChanged
	}
	d.Version, d.At = d.Version+1, at
	return d, err
}

// DeleteDraft throws a draft away.
func (s *Store) DeleteDraft(ctx context.Context, person string) error {
	_, err := s.pool.Exec(ctx, "delete from drafts where person = $1", person)
	return err
}
