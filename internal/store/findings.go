package store

import (
	"context"

	"github.com/jackc/pgx/v5"

	"oskel/core/calendar"
)

// flagFinding is the finding of a flag e of a case c.
const flagFinding = "coalesce(c.apart ->> e.id::text, c.finding)"

// RuleFinding is how many cases with exceptions of a rule were settled by a finding.
type RuleFinding struct {
	Rule, Finding string
	Cases         int
}

// YearFindings counts what came of the cases with exceptions of each rule in the year
// before now, the most frequent first.
func (s *Store) YearFindings(ctx context.Context) (map[string][]RuleFinding, error) {
	rows, err := s.pool.Query(ctx, `select e.rule, `+flagFinding+`, count(distinct c.id) from cases c join exceptions e on e.case_id = c.id
		where c.state = 'settled' and c.settled_at > now() - interval '1 year' and c.finding is not null group by 1, 2 order by 1, 3 desc, 2`)
	if err != nil {
		return nil, err
	}
	out := map[string][]RuleFinding{}
	var f RuleFinding
	_, err = pgx.ForEachRow(rows, []any{&f.Rule, &f.Finding, &f.Cases}, func() error {
		out[f.Rule] = append(out[f.Rule], f)
		return nil
	})
	return out, err
}

// RuleFindings counts what came of the exceptions of each rule from one period to
// another of the same grain.
func (s *Store) RuleFindings(ctx context.Context, from, to calendar.Key) ([]RuleFinding, error) {
	rows, err := s.pool.Query(ctx, `select e.rule, `+flagFinding+`, count(distinct c.id) from exceptions e join cases c on c.id = e.case_id
		where e.grain = $1 and e.period between $2 and $3 and c.state = 'settled' and c.finding is not null group by 1, 2`, from.Grain, from.Start.Time(),
		to.Start.Time())
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[RuleFinding])
}
