package books

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"strings"
	"time"

	"oskel/core/amount"
	"oskel/core/judge"
	"oskel/core/measure"
	"oskel/core/routing"
	"oskel/core/rulebook"
)

// Routed is what a draft's rules and routes would bring to each desk and person in a
// period, beside what they hold now.
type Routed struct {
	Book    *rulebook.Book
	Desks   map[string]DeskGets
	People  map[string]PersonGets
	Notes   map[string]int // why whom routes name would not get cases, and how many
	Listed  int            // flagged by rules whose flags go to no desk
	Flagged int
}

// DeskGets is what a desk would get.
type DeskGets struct {
	Flags, Cases int
	Unassigned   int // of the cases, those that nobody gets by name
	Holds        int // unsettled cases now
}

// PersonGets is what somebody would get.
type PersonGets struct {
	Cases, Holds int
	Away         bool
	Lead         bool
}

// Routing rehearses the routes of a draft: what is flagged in a period goes to desks and
// people as it would if a sweep found it today, and nothing is changed. A subject's flags
// on a desk are one case; cases that are open are not joined, and nobody is snoozed.
func (r *Rehearser) Routing(ctx context.Context, d Variant, period string, now time.Time) (*Routed, error) {
	published, draft, err := r.draft(ctx, d)
	if err != nil {
		return nil, err
	}
	_, is, err := periods(published, draft, period)
	if err != nil {
		return nil, err
	}
	today := draft.Calendar.Today(now)
	staff, err := r.store.Staff(ctx, today)
	if err != nil {
		return nil, err
	}
	out := &Routed{Book: draft, Desks: map[string]DeskGets{}, People: map[string]PersonGets{}, Notes: map[string]int{}}
	holds, err := r.store.CountUnsettled(ctx)
	if err != nil {
		return nil, err
	}
	for desk, n := range holds {
		out.Desks[desk] = DeskGets{Holds: n}
	}
	for name, s := range staff {
		if s.Lead || s.Reviews {
			out.People[name] = PersonGets{Holds: s.Load, Away: s.Away, Lead: s.Lead}
		}
	}
	g := &routing.Giver{Book: draft, Staff: staff, Had: func(desk string) (int, error) { return r.store.CountOnDesk(ctx, desk) }}
	err = r.figures.Share(ctx, published, draft, func(e *measure.Engine) error {
		for _, c := range out.cases(e, all(e, is)) {
			to, err := g.Give(c)
			if err != nil {
				return err
			}
			desk := out.Desks[c.Desk]
			if desk.Cases++; to.Name == "" {
				desk.Unassigned++
				if to.Text != "" {
					out.Notes[to.Text]++
				}
			} else {
				p := out.People[to.Name]
				p.Cases++
				out.People[to.Name] = p
			}
			out.Desks[c.Desk] = desk
		}
		return ctx.Err()
	})
	return out, err
}

// cases are those that would be opened, the gravest first, and of each the first route
// that says who gets it.
func (out *Routed) cases(e *measure.Engine, results []*judge.Result) []routing.Case {
	type of struct{ level, key, desk string }
	type opened struct {
		routing.Case
		severity int
		of       of
	}
	known := map[of]*opened{}
	for _, res := range results {
		level, keys := res.Level.String(), []string(nil)
		_, last := e.Book.Calendar.Span(res.Period)
		below := judge.ReportsTo(e, last)
		for _, code := range res.Flagged() {
			if out.Flagged++; res.Rule.NoCase {
				out.Listed++
				continue
			}
			if keys == nil {
				keys, _ = e.Names(res.Level)
			}
			attributes := res.Attributes(e, code)
			item := routing.Item{Kind: level, Rule: res.Rule.Name, Family: res.Rule.Family(), Grade: res.Verdict(code).Grade, Attributes: attributes}
			if stake := judge.BriefEvidence(e, res, code).Stake; stake != nil {
				if a, err := amount.Parse(amount.RoundRat(stake, 4)); err == nil {
					item.Stake = &a
				}
			}
			to := routing.To(e.Book, item)
			desk := out.Desks[to.Desk]
			desk.Flags++
			out.Desks[to.Desk] = desk
			at := of{level, keys[code], to.Desk}
			c := known[at]
			if c == nil {
				self := e.Book.SelfOf(res.Level, attributes)
				c = &opened{routing.Case{Desk: to.Desk, Self: self, Bars: func(name string) bool { return routing.Bars(self, below[self], name) }},
					e.Book.Severity(item.Grade), at}
				known[at] = c
			}
			c.severity, c.For = min(c.severity, e.Book.Severity(item.Grade)), cmp.Or(c.For, to.For)
		}
	}
	all := slices.SortedFunc(maps.Values(known), func(a, b *opened) int {
		return cmp.Or(a.severity-b.severity, strings.Compare(a.of.level, b.of.level), strings.Compare(a.of.key, b.of.key), strings.Compare(a.of.desk, b.of.desk))
	})
	cases := make([]routing.Case, len(all))
	for i, c := range all {
		cases[i] = c.Case
	}
	return cases
}
