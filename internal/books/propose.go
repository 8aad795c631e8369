package books

import (
	"context"
	"time"

	"oskel/core/judge"
	"oskel/core/method"
)

// longestSearch is how long is searched; what was proven until then is told.
const longestSearch = 20 * time.Second

// proposalPeriods is how far back what was settled is looked at.
const proposalPeriods = 24

// Propose searches the published rule of a name for changes that would have dropped what
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
	bounded, done := context.WithTimeout(ctx, longestSearch)
	defer done()
	e, err := r.figures.Engine(bounded, book)
	if err != nil {
		return out, err
	}
	out = judge.Propose(e, rule, revision.Text, record, method.All())
	switch {
	case ctx.Err() != nil:
		return out, ctx.Err()
	case bounded.Err() != nil && len(out.Proposals) == 0: // what was proven by then is told
		return out, cannot("the search for suggestions took longer than %s", longestSearch)
	}
	return out, nil
}
