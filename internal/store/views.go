package store

import (
	"context"
	"encoding/json"
	"errors"

	"github.com/jackc/pgx/v5"
)

// View is a view of a list that somebody keeps by name.
type View struct {
	ID          int64
	Of          string // exceptions, or cases
	Name, Owner string
	Shared      bool
	Query       json.RawMessage
}

// ErrTooMany says that somebody keeps as many views as one may.
var ErrTooMany = errors.New("there are 100 views already; delete one first")

// mostViews is how many views one person may keep.
const mostViews = 100

// Views lists those of a list that are a person's, and those that are shared, by name; of
// one name one's own first.
func (s *Store) Views(ctx context.Context, of, owner string) ([]View, error) {
	rows, err := s.pool.Query(ctx, `select id, of, name, owner, shared, query from views where of = $2 and (owner = $1 or shared)
		order by lower(name) collate "C", (owner <> $1), id`, owner, of)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[View])
}

// SaveView keeps a view; one's own of the same name becomes this. ErrTaken says that
// another's shared view has the name.
func (s *Store) SaveView(ctx context.Context, v *View) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		var many int
		if err := tx.QueryRow(ctx, "with old as (delete from views where owner = $1 and of = $3 and lower(name) = lower($2)) select count(*) from views "+
			"where owner = $1 and not (of = $3 and lower(name) = lower($2))", v.Owner, v.Name, v.Of).Scan(&many); err != nil {
			return err
		}
		if many >= mostViews {
			return ErrTooMany
		}
		err := tx.QueryRow(ctx, "insert into views (of, name, owner, shared, query) values ($1, $2, $3, $4, $5) returning id", v.Of, v.Name, v.Owner,
			v.Shared, v.Query).Scan(&v.ID)
		if duplicate(err) {
			return ErrTaken
		}
		return err
	})
}

// DeleteView forgets a view of a person or, for a lead, any that is shared.
func (s *Store) DeleteView(ctx context.Context, id int64, owner string, lead bool) error {
	tag, err := s.pool.Exec(ctx, "delete from views where id = $1 and (owner = $2 or $3 and shared)", id, owner, lead)
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrNotFound
	}
	return err
}
