package books

import (
	"context"

	"oskel/core/judge"
	"oskel/core/method"
)

// proposalPeriods is how far back what was settled is looked at.
const proposalPeriods = 24

// Propose searches the published rule of a name for changes that would have spared what
// was explained and kept what was confirmed, in the periods up to one.
func (r *Rehearser) Propose(ctx context.Context, name, period string) (out judge.Proposed, err error) {
	revision, book, err := r.books.Published(ctx)
	if err != nil {
		return out, err
	}
	rule := book.Rule(name)
	if rule == nil {
		return out, cannot("there is no rule %q", name)
	}
	_, p, err := periods(book, book, period)
	if err != nil {
		return out, err
	}
	c := book.Calendar
	within, ok := c.Within(p, rule.Each)
	if !ok {
		return out, nil
	}
	run := c.Run(within, proposalPeriods)
	settled, err := r.store.SettledExceptions(ctx, name, c.Key(run[0]), c.Key(within))
	if err != nil {
		return out, err
	}
	var record []judge.Settled
	for _, s := range settled {
		of, known := c.ByKey(s.Period)
		level, complaint := book.ParseLevel(s.Kind)
		if known && complaint == "" {
			record = append(record, judge.Settled{Period: of, Level: level, Key: s.Key, Event: s.Event, Finding: s.Finding})
		}
	}
	e, err := r.figures.Engine(ctx, book)
	if err != nil {
		return out, err
	}
	out = judge.Propose(e, rule, revision.Text, record, method.All())
	return out, ctx.Err()
}
