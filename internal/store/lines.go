package store

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"oskel/core/calendar"
	"oskel/core/rulebook"
)

// LineFilter says which lines are read: of a data version, a stretch of days
// and some subjects.
type LineFilter struct {
	Version     int64
	First, Last calendar.Day
	Subjects    []SubjectFilter // all must hold
}

// SubjectFilter lets lines through whose column names one of some subjects.
type SubjectFilter struct {
	Column string
	Codes  []int32
}

// Lines reads lines as people write them: days as ISO, subjects by key,
// decimals as they are. Columns are in the order of the declaration; what is
// missing is "".
func (s *Store) Lines(ctx context.Context, f *rulebook.Feed, filter LineFilter) (columns []string, rows [][]string, err error) {
	columns = []string{f.Date}
	selects := []string{fmt.Sprintf("l.%s::text", quoted(f.Date))}
	joins := ""
	for i, sub := range f.Subjects {
		columns = append(columns, sub.Column)
		selects = append(selects, fmt.Sprintf("coalesce(s%d.key, '')", i))
		joins += fmt.Sprintf(" left join subjects s%d on s%d.kind = '%s' and s%d.code = l.%s", i, i, sub.Kind, i, quoted(sub.Column))
	}
	for _, n := range f.Numbers {
		columns = append(columns, n.Column)
		selects = append(selects, fmt.Sprintf("coalesce(trim_scale(l.%s)::text, '')", quoted(n.Column)))
	}
	for _, t := range append(append([]string(nil), f.Labels...), f.Notes...) {
		columns = append(columns, t)
		selects = append(selects, fmt.Sprintf("coalesce(l.%s, '')", quoted(t)))
	}
	sql := fmt.Sprintf("select array[%s] from %s l%s where l.%s between $2 and $3 and %s",
		strings.Join(selects, ", "), feedTable(f.Name), joins, quoted(f.Date), counts)
	args := []any{filter.Version, filter.First.Time(), filter.Last.Time()}
	for _, s := range filter.Subjects {
		args = append(args, s.Codes)
		sql += fmt.Sprintf(" and l.%s = any($%d)", quoted(s.Column), len(args))
	}
	sql += fmt.Sprintf(" order by l.%s, l.intake, l.line", quoted(f.Date))
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	found, err := s.pool.Query(ctx, sql, args...)
	if err != nil {
		return nil, nil, err
	}
	rows, err = pgx.CollectRows(found, pgx.RowTo[[]string])
	return columns, rows, err
}
