package store

import (
	"context"
	"maps"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"

	"oskel/core/calendar"
	"oskel/core/routing"
)

// Staff is everybody whose account is open, by name, as of a day.
func (t *Tx) Staff(ctx context.Context, day calendar.Day) (map[string]routing.Staff, error) {
	return staff(ctx, t.tx, day)
}

// Staff is the same outside a transaction.
func (s *Store) Staff(ctx context.Context, day calendar.Day) (map[string]routing.Staff, error) {
	return staff(ctx, s.pool, day)
}

func staff(ctx context.Context, q querier, day calendar.Day) (map[string]routing.Staff, error) {
	rows, err := q.Query(ctx, `select p.name, p.role = 'lead', p.role = 'reviewer', p.desks, (select count(*) from cases c where c.taken_by = p.name
		and c.state <> 'settled'), a.id is not null, coalesce(a.stand_in, '')
		from people p left join lateral (select id, stand_in from absences a where a.person = p.name and $1 between a.first and a.last
			order by id desc limit 1) a on true
		where p.closed_at is null`, day.Time())
	if err != nil {
		return nil, err
	}
	out := map[string]routing.Staff{}
	var name string
	var s routing.Staff
	_, err = pgx.ForEachRow(rows, []any{&name, &s.Lead, &s.Reviews, &s.Desks, &s.Load, &s.Away, &s.StandIn}, func() error {
		out[name] = s
		s.Desks = nil
		return nil
	})
	return out, err
}

const countOnDesk = "select count(*) from cases where desk = $1"

// CountOnDesk is how many cases a desk has had.
func (t *Tx) CountOnDesk(ctx context.Context, desk string) (n int, err error) {
	err = t.tx.QueryRow(ctx, countOnDesk, desk).Scan(&n)
	return n, err
}

// CountOnDesk is the same outside a transaction.
func (s *Store) CountOnDesk(ctx context.Context, desk string) (n int, err error) {
	err = s.pool.QueryRow(ctx, countOnDesk, desk).Scan(&n)
	return n, err
}

// AddCopies records who is told of cases.
func (t *Tx) AddCopies(ctx context.Context, copies map[int64][]string) error {
	var rows [][]any
	for _, id := range slices.Sorted(maps.Keys(copies)) {
		for _, name := range copies[id] {
			rows = append(rows, []any{id, name})
		}
	}
	if len(rows) == 0 {
		return nil
	}
	_, err := t.tx.CopyFrom(ctx, pgx.Identifier{"case_copies"}, []string{"case_id", "name"}, pgx.CopyFromRows(rows))
	return err
}

// Absence is when somebody is away, and who stands in for them.
type Absence struct {
	ID          int64
	Person      string
	First, Last calendar.Day
	StandIn     string // "" is nobody
	Author      string
}

const absenceSelect = "select id, person, first, last, coalesce(stand_in, ''), author from absences "

func manyAbsences(ctx context.Context, q querier, tail string, args ...any) ([]Absence, error) {
	rows, err := q.Query(ctx, absenceSelect+tail, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (a Absence, err error) {
		var first, last time.Time
		err = row.Scan(&a.ID, &a.Person, &first, &last, &a.StandIn, &a.Author)
		a.First, a.Last = *dayOf(&first), *dayOf(&last)
		return a, err
	})
}

// Absences lists those that end on a day or later, by their first day.
func (s *Store) Absences(ctx context.Context, from calendar.Day) ([]Absence, error) {
	return manyAbsences(ctx, s.pool, "where last >= $1 order by first, person, id", from.Time())
}

// Absences lists those that meet some days, within the transaction.
func (t *Tx) Absences(ctx context.Context, first, last calendar.Day) ([]Absence, error) {
	return manyAbsences(ctx, t.tx, "where last >= $1 and first <= $2 order by first, person, id", first.Time(), last.Time())
}

// AddAbsence records one, and numbers it.
func (t *Tx) AddAbsence(ctx context.Context, a *Absence) error {
	var standIn *string
	if a.StandIn != "" {
		standIn = &a.StandIn
	}
	return t.tx.QueryRow(ctx, "insert into absences (person, first, last, stand_in, author) values ($1, $2, $3, $4, $5) returning id", a.Person,
		a.First.Time(), a.Last.Time(), standIn, a.Author).Scan(&a.ID)
}

// DeleteAbsence takes one away that is of a person, or with "" of anybody.
func (s *Store) DeleteAbsence(ctx context.Context, id int64, of string) error {
	tag, err := s.pool.Exec(ctx, "delete from absences where id = $1 and ($2 = '' or person = $2)", id, of)
	if err == nil && tag.RowsAffected() == 0 {
		return ErrNotFound
	}
	return err
}
