package store

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"oskel/core/measure"
	"oskel/core/rulebook"
)

// Lines reads some lines of a feed, as they counted at a data version, in the
// order they are asked for: as people write them, days as ISO, subjects by key,
// decimals as they are. Columns are in the order of the declaration; what is
// missing is "".
func (s *Store) Lines(ctx context.Context, f *rulebook.Feed, version int64, of measure.Behind) (columns []string, rows [][]string, err error) {
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
	if len(of.Lines) == 0 {
		return columns, nil, nil
	}
	days, nths := make([]time.Time, len(of.Lines)), make([]int64, len(of.Lines))
	for i, l := range of.Lines {
		days[i], nths[i] = l.Day.Time(), int64(l.Nth)
	}
	date := quoted(f.Date)
	args := []any{version, days[0], days[len(days)-1], days, nths}
	only := ""
	for _, side := range of.Sides {
		args = append(args, side.Codes)
		only += fmt.Sprintf(" and %s = any($%d)", quoted(side.Column), len(args))
	}
	sql := fmt.Sprintf(`with l as (select *, row_number() over (partition by %[1]s order by intake, line) - 1 as nth from %[2]s where %[1]s between $2
		and $3 and %[3]s%[4]s)
		select array[%[5]s] from unnest($4::date[], $5::bigint[]) with ordinality as asked (day, number, place) join l on l.%[1]s = asked.day
			and l.nth = asked.number%[6]s order by asked.place`,
		date, feedTable(f.Name), counts, only, strings.Join(selects, ", "), joins)
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	found, err := s.pool.Query(ctx, sql, args...)
	if err != nil {
		return nil, nil, err
	}
	rows, err = pgx.CollectRows(found, pgx.RowTo[[]string])
	return columns, rows, err
}
