package method

import (
	"slices"
	"strings"

	"oskel/core/measure"
	"oskel/core/rulebook"
	"oskel/core/words"
)

// choices takes the first choice whose conditions hold. A comparison with what
// is missing does not hold; a subject of whom nothing that is compared is there
// has no data.
var choices = &Method{judge: judgeChoices, sentence: choiceSentence, axis: func(*rulebook.Book, *rulebook.Rule) Axis { return Axis{Unit: rulebook.Count} }}

// chosen is a choice at work.
type chosen struct {
	everyone
	*Work
}

// judgeChoices judges by conditions: the first choice of which enough hold, or none, gives the
// grade. Who has none of the measures they name has no data; one that is missing beside others does
// not hold.
func judgeChoices(w *Work) Found {
	r, e, t := chosen{Work: w}, w.Engine, w.Rule.Threshold
	var named []*measure.Column
	seen := map[string]bool{}
	for _, c := range t.Choices {
		for _, condition := range c.Of {
			for _, leaf := range rulebook.Comparisons(condition.Tree) {
				for _, name := range leaf.Names() {
					if !rulebook.Attributed(leaf) && !seen[name] && e.Book.Measure(name) != nil {
						seen[name] = true
						named = append(named, e.Column(name, r.Slot))
					}
				}
			}
		}
	}
	r.base()
	missing := r.noData(r.Rule.NoData)
	holding := make([][]func(code int) bool, len(t.Choices))
	for i, c := range t.Choices {
		for _, condition := range c.Of {
			holding[i] = append(holding[i], e.Holds(condition.Tree, r.Slot))
		}
	}
	for code := range r.Open() {
		some, why := len(named) == 0, measure.Present
		for _, c := range named {
			if c.Why[code] == measure.Present {
				some = true
			} else if why == measure.Present {
				why = c.Why[code]
			}
		}
		if !some {
			r.Put(code, missing(why))
			continue
		}
		for i, c := range t.Choices {
			n := 0
			for _, holds := range holding[i] {
				if holds(code) {
					n++
				}
			}
			if c.None && n == 0 || !c.None && n >= c.Least {
				r.Set(code, Verdict{Outcome: Breach, Grade: c.Grade})
				break
			}
		}
	}
	return r
}

// Cuts implements Found: conditions have none.
func (r chosen) Cuts(int) []float64 { return nil }

// Evidence lists the conditions that hold of the choice that was taken, and the
// figures they compare.
func (r chosen) Evidence(ev *Evidence, code uint32) {
	e := r.Engine
	seen := map[string]bool{}
	for _, c := range r.Rule.Threshold.Choices {
		for _, condition := range c.Of {
			if r.Verdict(code).Given() == c.Grade && !c.None && e.Holds(condition.Tree, r.Slot)(int(code)) && !slices.Contains(ev.Holding, condition.Text) {
				ev.Holding = append(ev.Holding, condition.Text)
			}
			for _, name := range condition.Tree.Names() {
				if m := e.Book.Measure(name); m != nil && !seen[name] {
					seen[name] = true
					v, why := e.Exact(name, code, r.Slot)
					ev.Inputs = append(ev.Inputs, Input{name, m.Unit, v, why.String()})
				}
			}
		}
	}
}

// choiceSentence names the conditions that decided.
func choiceSentence(book *rulebook.Book, _ *rulebook.Rule, v Verdict, ev *Evidence) string {
	var figures []string
	for _, in := range ev.Inputs {
		text := "missing"
		if m := book.Measure(in.Measure); in.Value != nil {
			text = rulebook.Format(in.Value, in.Unit, m.Places)
		}
		figures = append(figures, words.LowerFirst(Title(book, in.Measure))+" "+text)
	}
	with := strings.Join(figures, ", ")
	if with != "" { // conditions on attributes alone compare no figures
		with = ": " + with
	}
	switch {
	case v.Given() == "":
		return "No condition met" + with + "."
	case len(ev.Holding) == 0:
		return "No condition met" + with + "."
	case len(ev.Holding) == 1:
		return "Condition met: " + ev.Holding[0] + with + "."
	}
	return "Conditions met: " + strings.Join(ev.Holding, "; ") + with + "."
}
