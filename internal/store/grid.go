package store

import (
	"context"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"oskel/core/calendar"
)

// GridSubject is a subject of a grid of flags.
type GridSubject struct {
	Kind, Key, Name string
	Code            int32
}

// FlagGrid lists a page of the subjects that are flagged in the periods from one to
// another, and counts all of them: those flagged in the last period first, the most
// serious of them before others, then those flagged in most periods.
func (s *Store) FlagGrid(ctx context.Context, f ExceptionFilter, from calendar.Key) (page []GridSubject, total int, err error) {
	where, args := f.over(from)
	const tables = " from exceptions e join subjects s on s.kind = e.kind and s.code = e.code "
	if err := s.pool.QueryRow(ctx, "select count(*) from (select 1"+tables+where+" group by e.kind, e.code) q", args...).Scan(&total); err != nil {
		return nil, 0, err
	}
	args = append(args, f.Limit, f.Offset)
	rows, err := s.pool.Query(ctx, fmt.Sprintf(`select e.kind, s.key, max(e.name), e.code%s%s group by e.kind, e.code, s.key
		order by min(e.severity) filter (where e.period = $3) nulls last, count(distinct e.period) desc, min(e.severity), e.kind,
			s.key collate "C" limit $%d offset $%d`, tables, where, len(args)-1, len(args)), args...)
	if err != nil {
		return nil, 0, err
	}
	page, err = pgx.CollectRows(rows, pgx.RowToStructByPos[GridSubject])
	return page, total, err
}

// over are the conditions of a filter of flags from a period to the filter's own.
func (f ExceptionFilter) over(from calendar.Key) (where string, args []any) {
	args = []any{f.Period.Grain, from.Start.Time(), f.Period.Start.Time()}
	where = "where e.grain = $1 and e.period between $2 and $3 and e.state <> 'cleared'"
	for _, c := range []struct{ condition, value string }{
		{"e.rule = $%d", f.Rule}, {"e.kind = $%d", f.Kind}, {"e.desk = $%d", f.Desk},
		{"(position(lower($%[1]d) in lower(e.name)) > 0 or position(lower($%[1]d) in lower(s.key)) > 0)", f.Text},
	} {
		if c.value != "" {
			args = append(args, c.value)
			where += " and " + fmt.Sprintf(c.condition, len(args))
		}
	}
	return where, args
}

// GridFlag is what flags a subject in a period.
type GridFlag struct {
	Kind        string
	Code        int32
	Period      time.Time
	Rule, Grade string
}

// GridFlags lists what flags a page of subjects, the most serious first.
func (s *Store) GridFlags(ctx context.Context, f ExceptionFilter, from calendar.Key, of []GridSubject) ([]GridFlag, error) {
	where, args := f.over(from)
	kinds, codes := make([]string, len(of)), make([]int32, len(of))
	for i, g := range of {
		kinds[i], codes[i] = g.Kind, g.Code
	}
	args = append(args, kinds, codes)
	rows, err := s.pool.Query(ctx, fmt.Sprintf(`select e.kind, e.code, e.period, e.rule, e.grade from unnest($%d::text[], $%d::int[]) a(kind, code)
		join exceptions e on e.kind = a.kind and e.code = a.code
		join subjects s on s.kind = e.kind and s.code = e.code %s order by e.severity, e.rule`, len(args)-1, len(args), where), args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[GridFlag])
}
