package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"oskel/core/calendar"
)

// RegisterEntry is one row that a register file brought of a subject, with
// the intake that brought it, the one that had it count again, if one did, and
// the one after which it no longer counted.
type RegisterEntry struct {
	Name                                     string
	Attributes                               map[string]string
	ActiveFrom, ActiveTo, ValidFrom, ValidTo *calendar.Day
	Intake                                   int64
	File, Author                             string
	At                                       time.Time
	Again, Superseded                        *int64
}

// RegisterHistory lists every row a register ever had of a subject, the
// newest intake first.
func (s *Store) RegisterHistory(ctx context.Context, kind, key string) ([]RegisterEntry, error) {
	rows, err := s.pool.Query(ctx, `select r.name, r.attributes, r.active_from, r.active_to, r.valid_from, r.valid_to, r.intake, i.file, i.author, i.at,
		r.again, r.superseded
		from registers r join subjects s on s.kind = r.kind and s.code = r.code join intakes i on i.id = r.intake
		where r.kind = $1 and s.key = $2 order by coalesce(r.again, r.intake) desc, r.valid_from desc nulls last`, kind, key)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (RegisterEntry, error) {
		var e RegisterEntry
		var from, to, valid, end *time.Time
		err := row.Scan(&e.Name, &e.Attributes, &from, &to, &valid, &end, &e.Intake, &e.File, &e.Author, &e.At, &e.Again, &e.Superseded)
		e.ActiveFrom, e.ActiveTo, e.ValidFrom, e.ValidTo = dayOf(from), dayOf(to), dayOf(valid), dayOf(end)
		return e, err
	})
}
