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
	Of          string // exceptions, cases, tables, or boards
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

// View is one that a person may see, of a list.
func (s *Store) View(ctx context.Context, of string, id int64, owner string) (View, error) {
	rows, err := s.pool.Query(ctx, "select id, of, name, owner, shared, query from views where id = $1 and of = $2 and (owner = $3 or shared)", id, of, owner)
	if err != nil {
		return View{}, err
	}
	v, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[View])
	if errors.Is(err, pgx.ErrNoRows) {
		err = ErrNotFound
	}
	return v, err
}

// SaveView keeps a view; one's own of the same name becomes this. ErrTaken says that
// another's shared view has the name.
func (s *Store) SaveView(ctx context.Context, v *View) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		// It keeps its number, which links and boards name it by. Of one name there may be
		// two, one shared: the older stays.
		if _, err := tx.Exec(ctx, `delete from views v using views o where v.owner = $1 and v.of = $3 and lower(v.name) = lower($2)
			and o.owner = v.owner and o.of = v.of and lower(o.name) = lower(v.name) and o.id < v.id`, v.Owner, v.Name, v.Of); err != nil {
			return err
		}
		err := tx.QueryRow(ctx, "update views set name = $2, shared = $4, query = $5 where owner = $1 and of = $3 and lower(name) = lower($2) returning id",
			v.Owner, v.Name, v.Of, v.Shared, v.Query).Scan(&v.ID)
		if errors.Is(err, pgx.ErrNoRows) {
			var many int
			if err := tx.QueryRow(ctx, "select count(*) from views where owner = $1", v.Owner).Scan(&many); err != nil {
				return err
			}
			if many >= mostViews {
				return ErrTooMany
			}
			err = tx.QueryRow(ctx, "insert into views (of, name, owner, shared, query) values ($1, $2, $3, $4, $5) returning id", v.Of, v.Name, v.Owner,
				v.Shared, v.Query).Scan(&v.ID)
		}
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
