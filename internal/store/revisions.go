package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"
)

// Revision is one published rulebook; it never changes.
type Revision struct {
	Number, BasedOn    int
	Text, Author, Note string
	Differences        []string
	At                 time.Time
}

const revisionColumns = "number, based_on, text, author, note, differences, at"

// LatestRevision is the published rulebook, or ErrNotFound before the first. It is
// read once: a revision never changes.
func (s *Store) LatestRevision(ctx context.Context) (Revision, error) {
	var number int
	if err := s.pool.QueryRow(ctx, "select coalesce(max(number), 0) from revisions").Scan(&number); err != nil {
		return Revision{}, err
	}
	if latest := s.latest.Load(); latest != nil && latest.Number == number {
		return *latest, nil
	}
	r, err := oneRevision(ctx, s.pool, "select "+revisionColumns+" from revisions where number = $1", number)
	if err == nil {
		s.latest.Store(&r)
	}
	return r, err
}

// LatestRevision is the same within a transaction.
func (t *Tx) LatestRevision(ctx context.Context) (Revision, error) {
	return oneRevision(ctx, t.tx, "select "+revisionColumns+" from revisions order by number desc limit 1")
}

// Revision finds a revision by number.
func (s *Store) Revision(ctx context.Context, number int) (Revision, error) {
	return oneRevision(ctx, s.pool, "select "+revisionColumns+" from revisions where number = $1", number)
}

// Revision is the same within a transaction.
func (t *Tx) Revision(ctx context.Context, number int) (Revision, error) {
	return oneRevision(ctx, t.tx, "select "+revisionColumns+" from revisions where number = $1", number)
}

// Revisions lists all revisions, the newest first.
func (s *Store) Revisions(ctx context.Context) ([]Revision, error) {
	rows, err := s.pool.Query(ctx, "select "+revisionColumns+" from revisions order by number desc")
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Revision])
}

func oneRevision(ctx context.Context, q querier, sql string, args ...any) (Revision, error) {
	rows, err := q.Query(ctx, sql, args...)
	if err != nil {
		return Revision{}, err
	}
	r, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[Revision])
	return r, notFound(err)
}

// AddRevision publishes; the caller holds LockPublish.
func (t *Tx) AddRevision(ctx context.Context, r Revision) error {
	_, err := t.tx.Exec(ctx, "insert into revisions ("+revisionColumns+") values ($1, $2, $3, $4, $5, $6, $7)",
		r.Number, r.BasedOn, r.Text, r.Author, r.Note, r.Differences, r.At)
	return err
}
