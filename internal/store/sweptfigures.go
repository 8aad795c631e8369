package store

import (
	"context"

	"github.com/jackc/pgx/v5"
)

// SweptFigures is what a rule held of the subjects of a level, in a sweep: three columns of
// equal length. Held is nil where nothing was; outcomes are 1 clear, 2 breach, 3 no data
// and 4 not judged.
type SweptFigures struct {
	Rule, Level, Unit string
	Keys              []string
	Held              []*float64
	Outcomes          []int16
}

// PutFigures records what a sweep held, in place of that of the earlier ones of its period;
// what is kept is from the one before.
func (t *Tx) PutFigures(ctx context.Context, s Sweep, prior int64, all, kept []SweptFigures) error {
	rules, levels := make([]string, len(kept)), make([]string, len(kept))
	for i, f := range kept {
		rules[i], levels[i] = f.Rule, f.Level
	}
	if _, err := t.tx.Exec(ctx, "update swept_figures f set sweep = $1 from unnest($3::text[], $4::text[]) k(rule, level) where f.sweep = $2 and "+
		"f.rule = k.rule and f.level = k.level", s.ID, prior, rules, levels); err != nil {
		return err
	}
	if _, err := t.tx.Exec(ctx, "delete from swept_figures f using sweeps s where s.id = f.sweep and s.grain = $1 and s.period = $2 and s.id <> $3",
		s.Period.Grain, s.Period.Start.Time(), s.ID); err != nil {
		return err
	}
	_, err := t.tx.CopyFrom(ctx, pgx.Identifier{"swept_figures"}, []string{"sweep", "rule", "level", "unit", "keys", "held", "outcomes"},
		pgx.CopyFromSlice(len(all), func(i int) ([]any, error) {
			f := all[i]
			return []any{s.ID, f.Rule, f.Level, f.Unit, f.Keys, f.Held, f.Outcomes}, nil
		}))
	return err
}
