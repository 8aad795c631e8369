package books

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/measure"
	"oskel/core/rulebook"
)

// Change is what a whole draft does to one rule at one level.
type Change struct {
	Rule          *rulebook.Rule
	Level         rulebook.Level
	Before, After *judge.Tally
	Turned        [3]int
}

// Changes is what a whole draft does: rule by rule, and desk by desk the
// exceptions it would have before and after.
type Changes struct {
	Book    *rulebook.Book
	Rules   []Change
	Before  map[string]int
	After   map[string]int
	Advice  []string
	Flagged [2]int
}

// Book rehearses all rules of a draft, in their order and with what stops
// them, against the published book.
func (r *Rehearser) Book(ctx context.Context, d Variant, period string) (*Changes, error) {
	published, draft, err := r.draft(ctx, d)
	if err != nil {
		return nil, err
	}
	was, is, err := periods(published, draft, period)
	if err != nil {
		return nil, err
	}
	out := &Changes{Book: draft, Before: map[string]int{}, After: map[string]int{}}
	type part struct {
		rule  string
		level rulebook.Level
	}
	old := map[part]*judge.Result{}
	err = r.figures.Share(ctx, published, published, func(e *measure.Engine) error {
		for _, res := range all(e, was) {
			old[part{res.Rule.Name, res.Level}] = res
			out.Flagged[0] += desks(e, res, out.Before)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	err = r.figures.Share(ctx, published, draft, func(e *measure.Engine) error {
		for _, res := range all(e, is) {
			key := part{res.Rule.Name, res.Level}
			before := old[key]
			delete(old, key)
			t := res.Tally()
			c := Change{Rule: res.Rule, Level: res.Level, After: &t}
			if before != nil {
				b := before.Tally()
				c.Before = &b
			}
			for _, f := range judge.Flips(before, res) {
				switch {
				case f.Before.Grade == "":
					c.Turned[0]++
				case f.After.Grade == "":
					c.Turned[1]++
				default:
					c.Turned[2]++
				}
			}
			if t.Crowded() {
				out.Advice = append(out.Advice, Crowded(res.Rule, t))
			}
			out.Rules = append(out.Rules, c)
			out.Flagged[1] += desks(e, res, out.After)
		}
		for name, r := range e.Snapshot.Registers {
			if len(r.Keys) == 0 {
				out.Advice = append(out.Advice, fmt.Sprintf("the register of %s is empty: no subject can be judged", name))
			}
		}
		return ctx.Err()
	})
	for key, res := range old { // rules that the draft lacks, or that are off
		t := res.Tally()
		out.Rules = append(out.Rules, Change{Rule: res.Rule, Level: key.level, Before: &t, Turned: [3]int{0, t.Flagged, 0}})
	}
	slices.SortStableFunc(out.Rules, func(a, b Change) int { return strings.Compare(boolKey(a), boolKey(b)) })
	slices.Sort(out.Advice)
	return out, err
}

// all evaluates every rule of a book in the last period of its grain that ends by
// the end of one.
func all(e *measure.Engine, p calendar.Period) (out []*judge.Result) {
	for _, grain := range e.Book.Grains() {
		if within, ok := e.Book.Calendar.Within(p, grain); ok {
			out = append(out, judge.All(e, within)...)
		}
	}
	return out
}

// boolKey sorts removed rules last, by name.
func boolKey(c Change) string {
	if c.After == nil {
		return "1" + c.Rule.Name + c.Level.String()
	}
	return "0"
}

// Crowded says that a rule marks too many to be useful.
func Crowded(rule *rulebook.Rule, t judge.Tally) string {
	share := 100 * float64(t.Flagged) / float64(max(1, t.Judged()+t.NoData))
	text := fmt.Sprintf("%s flags %d of %d judged, %.0f%%: too many to be useful", rule.Name, t.Flagged, t.Judged()+t.NoData, share)
	if share > 50 {
		return text + "; flag the less common side instead"
	}
	return text
}
