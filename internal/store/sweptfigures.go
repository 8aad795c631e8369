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

// PutFigures records what a sweep held, in place of that of the earlier ones of its period.
func (t *Tx) PutFigures(ctx context.Context, s Sweep, all []SweptFigures) error {
	if _, err := t.tx.Exec(ctx, "delete from swept_figures f using sweeps s where s.id = f.sweep and s.grain = $1 and s.period = $2", s.Period.Grain, s.Period.Start.Time()); err != nil {
		return err
	}
	_, err := t.tx.CopyFrom(ctx, pgx.Identifier{"swept_figures"}, []string{"sweep", "rule", "level", "unit", "keys", "held", "outcomes"}, pgx.CopyFromSlice(len(all), func(i int) ([]any, error) {
		f := all[i]
		return []any{s.ID, f.Rule, f.Level, f.Unit, f.Keys, f.Held, f.Outcomes}, nil
	}))
	return err
}
