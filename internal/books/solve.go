package books

import (
	"context"

	"oskel/core/amount"
	"oskel/core/judge"
	"oskel/core/lang"
	"oskel/core/measure"
	"oskel/core/rulebook"
)

// Solve asks for the value of a dial that flags about so many a month.
type Solve struct {
	Variant
	Dial   string
	Wanted float64
	Period string // as of a Question
	Months int
	Rules  []string // those that use the dial unless stated
}

// Solution is the value found, and what was tried.
type Solution struct {
	Dial  *rulebook.Dial
	Rules []string
	Best  judge.Tried
	Now   float64
	Tried []judge.Tried
}

// Solve finds a dial's value for a wanted number of exceptions.
func (r *Rehearser) Solve(ctx context.Context, s Solve) (*Solution, error) {
	published, draft, err := r.draft(ctx, s.Variant)
	if err != nil {
		return nil, err
	}
	dial := draft.Dial(s.Dial)
	if dial == nil {
		return nil, cannot("there is no dial %q%s", s.Dial, lang.Suggestion(s.Dial, dialNames(draft)))
	}
	out := &Solution{Dial: dial, Rules: s.Rules}
	if len(out.Rules) == 0 {
		out.Rules = draft.RulesUnder(s.Dial)
	}
	if len(out.Rules) == 0 {
		return nil, cannot("no rule uses the dial %s", s.Dial)
	}
	for _, name := range out.Rules {
		if draft.Rule(name) == nil {
			return nil, cannot("there is no rule %q", name)
		}
	}
	low, high, ok := dialRange(dial)
	if !ok {
		return nil, cannot("the dial %s has no range: state 'from' and 'to', between which a value is looked for", s.Dial)
	}
	step := amount.Amount(amount.Scale / 100)
	if dial.Percent {
		step = amount.Scale / 1000 // a tenth of a percent
	}
	_, period, err := periods(published, draft, s.Period)
	if err != nil {
		return nil, err
	}
	err = r.figures.Share(ctx, published, draft, func(e *measure.Engine) error {
		out.Best, out.Tried = judge.SolveDial(e, s.Dial, out.Rules, period, s.Months, s.Wanted, low, high, step)
		now, _ := judge.SolveDial(e, s.Dial, out.Rules, period, s.Months, s.Wanted, dial.Value, dial.Value, step)
		out.Now = now.Average
		return ctx.Err()
	})
	return out, err
}

func dialRange(d *rulebook.Dial) (low, high amount.Amount, ok bool) {
	if d.From == nil || d.To == nil {
		return 0, 0, false
	}
	return *d.From, *d.To, true
}
