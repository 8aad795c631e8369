package books

import (
	"context"
	"math/big"
	"slices"

	"oskel/core/calendar"
	"oskel/core/explain"
	"oskel/core/judge"
	"oskel/core/lang"
	"oskel/core/measure"
	"oskel/core/routing"
	"oskel/core/rulebook"
	"oskel/internal/store"
)

// Question is about one rule of a draft in a period.
type Question struct {
	Variant
	Rule     string
	Level    string // one of those it judges; the first unless stated
	Period   string // of the published calendar, or else of the draft's; of another grain than the rule's it is the rule's last period by its end
	LookBack int
	LineUp   bool
	Key      string // of the subject of a what-if
	WhatIf   map[string]string
}

// most lists are this long.
const (
	mostShown = 200
	mostNear  = 12
)

// Found is one subject with its sentence.
type Found struct {
	Key, Name         string
	Before, After     string // grades
	Sentence          string
	Value, Comparison string
}

// Answer is what a rehearsal of one rule finds.
type Answer struct {
	Book      *rulebook.Book
	Rule      *rulebook.Rule
	Level     rulebook.Level
	Result    *judge.Result
	Engine    *measure.Engine // while the answer is read
	Tally     judge.Tally
	Published *judge.Tally // nil where the rule is new
	Flagged   []Found
	Flips     []Found
	Turned    [3]int // newly flagged, no longer flagged, regraded
	Near      []Found
	Before    map[string]int // by desk, of the published rule
	Desks     map[string]int
	Back      []Back
	WhatIf    *WhatIf
}

// Back is one period of a look back, with how many of those flagged were
// settled as explained.
type Back struct {
	judge.Back
	Explained int
}

// WhatIf is what the rule would say.
type WhatIf struct {
	Verdict judge.Verdict
	Refused string
}

// Rehearse judges one rule of a draft on real data; then reads the answer while
// the engine is at hand.
func (r *Rehearser) Rehearse(ctx context.Context, ask Question, then func(*Answer) error) error {
	published, draft, err := r.draft(ctx, ask.Variant)
	if err != nil {
		return err
	}
	rule := draft.Rule(ask.Rule)
	if rule == nil {
		var names []string
		for _, x := range draft.Rules {
			names = append(names, x.Name)
		}
		return cannot("there is no rule %q%s", ask.Rule, lang.Suggestion(ask.Rule, names))
	}
	level := rule.Levels[0]
	if ask.Level != "" {
		i := slices.IndexFunc(rule.Levels, func(l rulebook.Level) bool { return l.String() == ask.Level })
		if i < 0 {
			return cannot("the rule %s does not judge %q", rule.Name, ask.Level)
		}
		level = rule.Levels[i]
	}
	// A draft of another shape is judged on columns of its own, and the
	// published rule on the published ones.
	var apart *measure.Engine
	if !rulebook.SameShape(published, draft) {
		if apart, err = r.figures.Engine(ctx, published); err != nil {
			return err
		}
	}
	was, period, err := periods(published, draft, ask.Period)
	if err != nil {
		return err
	}
	if period, err = grain(draft, rule, period); err != nil {
		return err
	}
	return r.figures.Share(ctx, published, draft, func(e *measure.Engine) error {
		a := &Answer{Book: draft, Rule: rule, Level: level, Engine: e, Before: map[string]int{}, Desks: map[string]int{}}
		a.Result = judge.Judge(e, rule, level, period)
		a.Tally = a.Result.Tally()
		var before *judge.Result
		old := published.Rule(rule.Name)
		if old != nil {
			if was, err = grain(published, old, was); err != nil {
				old = nil
			}
		}
		if old != nil && old.On && slices.Contains(old.Levels, level) && judge.Holds(published, old, was) {
			engine := apart
			if engine == nil {
				engine = e.With(published)
			}
			found := r.published(engine, old, level, was)
			before, a.Published, a.Before = found.result, &found.tally, found.desks
		}
		a.find(before)
		if ask.LookBack > 0 {
			if err := r.lookBack(ctx, a, published, period, ask.LookBack); err != nil {
				return err
			}
		}
		if ask.Key != "" {
			if err := a.whatIf(ask); err != nil {
				return err
			}
		}
		if ctx.Err() != nil {
			return ctx.Err()
		}
		return then(a)
	})
}

// desks counts the flagged by the desk they would go to; what a rule only lists goes to none.
func desks(e *measure.Engine, r *judge.Result, to map[string]int) (flagged int) {
	codes, kind := r.Flagged(), r.Level.String()
	if r.Rule.NoCase {
		return len(codes)
	}
	for _, code := range codes {
		to[routing.Desk(e.Book, routing.Item{Kind: kind, Rule: r.Rule.Name, Family: r.Rule.Family(), Grade: r.Verdict(code).Grade,
			Attributes: r.Attributes(e, code)})]++
	}
	return len(codes)
}

// find says who is flagged, who flips, and who is near.
func (a *Answer) find(before *judge.Result) {
	keys, names := a.Engine.Names(a.Level)
	shown := func(code uint32, v judge.Verdict) Found {
		ev := judge.BriefEvidence(a.Engine, a.Result, code)
		f := Found{Key: keys[code], Name: names[code], After: v.Grade, Sentence: explain.Sentence(a.Book, a.Rule, a.Result.Period, v, ev)}
		f.Value, f.Comparison = ev.Compared().Words()
		return f
	}
	flagged := a.Result.Flagged()
	desks(a.Engine, a.Result, a.Desks)
	slices.SortStableFunc(flagged, func(x, y uint32) int {
		p, q := a.Result.Verdict(x).Grade, a.Result.Verdict(y).Grade
		return a.Book.Severity(p) - a.Book.Severity(q)
	})
	for _, code := range flagged[:min(len(flagged), mostShown)] {
		a.Flagged = append(a.Flagged, shown(code, a.Result.Verdict(code)))
	}
	for _, f := range judge.Flips(before, a.Result) {
		switch {
		case f.Before.Grade == "":
			a.Turned[0]++
		case f.After.Grade == "":
			a.Turned[1]++
		default:
			a.Turned[2]++
		}
		if len(a.Flips) < mostShown {
			found := shown(f.Code, f.After)
			found.Before = f.Before.Grade
			a.Flips = append(a.Flips, found)
		}
	}
	for _, n := range a.Result.NearCut(mostNear) {
		a.Near = append(a.Near, shown(n.Code, a.Result.Verdict(n.Code)))
	}
}

// grain is a period as a rule is evaluated: itself, or the last one of the rule's
// grain that ends by its end.
func grain(book *rulebook.Book, rule *rulebook.Rule, p calendar.Period) (calendar.Period, error) {
	within, ok := book.Calendar.Within(p, rule.Each)
	if !ok {
		return p, cannot("the rule %s is evaluated each %s, and none has ended by the end of %s", rule.Name, rule.Each, book.Calendar.Words(p))
	}
	return within, nil
}

// PeriodError says that a text names no period, neither of the published
// calendar nor of the draft's.
type PeriodError struct{ error }

// periods are the period that a text names, of the published calendar or, where
// that knows none of the name, of the draft's, and the other's that it is.
func periods(published, draft *rulebook.Book, text string) (was, is calendar.Period, err error) {
	if was, err = published.Calendar.Parse(text); err == nil {
		is, ok := draft.Calendar.In(published.Calendar, was)
		if !ok {
			return was, is, cannot("the draft's calendar has no window %s", text)
		}
		return was, is, nil
	}
	if is, other := draft.Calendar.Parse(text); other == nil {
		if was, ok := published.Calendar.In(draft.Calendar, is); ok {
			return was, is, nil
		}
		return is, is, nil // a window of the draft's own: the published book has none
	}
	return was, is, &PeriodError{err}
}

func (r *Rehearser) lookBack(ctx context.Context, a *Answer, published *rulebook.Book, p calendar.Period, n int) error {
	swept := func(p calendar.Period) calendar.Key {
		if was, ok := published.Calendar.In(a.Book.Calendar, p); ok {
			return published.Calendar.Key(was)
		}
		return a.Book.Calendar.Key(p)
	}
	run := a.Book.Calendar.Run(p, n)
	explained, err := r.store.Explained(ctx, a.Rule.Name, a.Level.String(), swept(run[0]), swept(p))
	if err != nil {
		return err
	}
	keys, _ := a.Engine.Names(a.Level)
	for _, b := range judge.LookBack(a.Engine, a.Rule, a.Level, p, n) {
		out := Back{Back: b}
		for _, code := range b.Codes {
			if explained[store.SubjectPeriod{Key: keys[code], Period: swept(b.Period)}] {
				out.Explained++
			}
		}
		a.Back = append(a.Back, out)
	}
	return nil
}

func (a *Answer) whatIf(ask Question) error {
	code, ok := a.Engine.Code(a.Level, ask.Key)
	if !ok {
		return cannot("there is no %s %q", a.Book.One(a.Level), ask.Key)
	}
	changes := map[string]*big.Rat{}
	for name, text := range ask.WhatIf {
		if a.Book.Measure(name) == nil && name != "target" && name != "comparison" {
			var known []string
			for _, m := range a.Book.Measures {
				known = append(known, m.Name)
			}
			return cannot("there is no measure %q%s", name, lang.Suggestion(name, append(known, "target", "comparison")))
		}
		if text == "missing" {
			changes[name] = nil
			continue
		}
		n, err := lang.ParseNumber(text)
		if err != nil {
			return cannot("what if: %s: %s", name, err)
		}
		changes[name] = n.Rat()
	}
	if a.Rule.Method != nil && a.Rule.Says("of") == "" {
		return cannot("a what-if changes figures, and %s looks at dated lines", a.Rule.Method.Name)
	}
	v, refused := judge.WhatIf(a.Engine, a.Result, code, changes)
	a.WhatIf = &WhatIf{v, refused}
	return nil
}
