package store

import (
	"context"

	"github.com/jackc/pgx/v5"
)

// OpenPerson finds an account that is not closed, and keeps it from being closed until
// the transaction ends.
func (t *Tx) OpenPerson(ctx context.Context, name string) (Person, error) {
	rows, err := t.tx.Query(ctx, "select "+personColumns+" from people where name = $1 and closed_at is null for share", name)
	if err != nil {
		return Person{}, err
	}
	p, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[Person])
	return p, notFound(err)
}

// AnyParked says whether any case is parked.
func (s *Store) AnyParked(ctx context.Context) (some bool, err error) {
	err = s.pool.QueryRow(ctx, "select exists (select from cases where state = 'parked')").Scan(&some)
	return some, err
}

// ParkedCase is one that is parked, and whether lines have come that it waits for.
type ParkedCase struct {
	Case
	Came bool
}

// ParkedCases lists the parked cases that nobody is at work on, and holds them to the end
// of the transaction.
func (t *Tx) ParkedCases(ctx context.Context) (out []ParkedCase, err error) {
	all, err := manyCases(ctx, t.tx, "where state = 'parked' order by id for update skip locked")
	if err != nil {
		return nil, err
	}
	newest := map[string]int64{}
	for _, c := range all {
		p := ParkedCase{Case: c}
		if c.ParkedFor != "" && c.ParkedAt != nil {
			last, known := newest[c.ParkedFor]
			if !known {
				if err := t.tx.QueryRow(ctx, "select coalesce(max(id), 0) from intakes where kind = 'feed' and name = $1", c.ParkedFor).Scan(&last); err != nil {
					return nil, err
				}
				newest[c.ParkedFor] = last
			}
			p.Came = last > *c.ParkedAt
		}
		out = append(out, p)
	}
	return out, nil
}

// Reclear has cases say whether anything in them is still flagged.
func (t *Tx) Reclear(ctx context.Context, ids []int64) error {
	_, err := t.tx.Exec(ctx, `update cases c set cleared = not exists (select from exceptions e where e.case_id = c.id and e.state <> 'cleared')
		where c.id = any($1) and c.state <> 'settled' and c.cleared <> not exists (select from exceptions e where e.case_id = c.id and e.state <> 'cleared')`, ids)
	return err
}

// IsDuplicate says whether an error is that of something that is there already.
func IsDuplicate(err error) bool { return duplicate(err) }
