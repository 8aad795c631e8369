package sweep

import (
	"math"

	"oskel/core/explain"
	"oskel/core/judge"
	"oskel/internal/store"
)

// mostFigures is of how many subjects a rule may speak for its figures to be kept for
// others to read: of larger ones what is flagged is on record alone.
const mostFigures = 20_000

var outcomeNumbers = map[judge.Outcome]int16{judge.Clear: 1, judge.Breach: 2, judge.NoData: 3, judge.NotJudged: 4}

// figures keeps what the rules held of all whom they judged: of those that were not judged
// again, what they held before.
func (r *run) figures(results []*judge.Result) error {
	var all, kept []store.SweptFigures
	for _, result := range results {
		if result.Tally().Subjects > mostFigures {
			continue
		}
		unit, _, _ := explain.Axis(r.engine.Book, result.Rule)
		f := store.SweptFigures{Rule: result.Rule.Name, Level: result.Level.String(), Unit: string(unit), Keys: []string{}, Held: []*float64{}, Outcomes: []int16{}}
		keys, _ := r.engine.Names(result.Level)
		for code, v := range result.All() {
			outcome, known := outcomeNumbers[v.Outcome]
			if !known { // out of the rule's scope
				continue
			}
			var held *float64
			if h := result.Held(code); !math.IsNaN(h) && !math.IsInf(h, 0) {
				held = &h
			}
			f.Keys, f.Held, f.Outcomes = append(f.Keys, keys[code]), append(f.Held, held), append(f.Outcomes, outcome)
		}
		all = append(all, f)
	}
	for of := range r.unchanged {
		kept = append(kept, store.SweptFigures{Rule: of.rule, Level: of.level})
	}
	return r.tx.PutFigures(r.ctx, *r.sweep, r.prior.ID, all, kept)
}
