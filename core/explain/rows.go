package explain

import (
	"fmt"
	"math/big"

	"oskel/core/judge"
	"oskel/core/method"
	"oskel/core/rulebook"
	"oskel/core/words"
)

// Rows lists everything that led to a verdict, for people.
func Rows(book *rulebook.Book, rule *rulebook.Rule, ev judge.Evidence) []method.Row {
	t := &method.Table{Book: book, Rule: rule, Of: &ev}
	if ev.Measure != "" {
		measured(t, ev.Measure, ev.Value, ev.Why, ev.Unit, max(ev.Places, 2))
	}
	switch ev.Against {
	case "":
	case "target":
		t.Number("Target", ev.Comparison, ev.Unit, 2)
	case "number":
		t.Number("Compared with", ev.Comparison, ev.Unit, 2)
	default:
		t.Number("Compared with "+ev.Against, ev.Comparison, ev.Unit, 2)
	}
	switch ev.As {
	case "ratio":
		t.Number("Share of it", ev.Held, rulebook.Percent, 2)
	case "change":
		t.Number("Change from it", ev.Held, rulebook.Percent, 2)
	case "difference":
		t.Number("Difference", ev.Held, ev.Unit, 2)
	}
	for _, part := range ev.Parts() {
		part.Rows(t)
	}
	for _, f := range ev.Figures {
		places := max(f.Places, 2)
		switch {
		case f.Text != "":
			t.Add(f.Label, f.Text)
			continue
		case f.Value != nil && f.Value.IsInt() && f.Unit == rulebook.Count:
			places = f.Places
		}
		t.Number(f.Label, f.Value, f.Unit, places)
	}
	for _, in := range ev.Inputs {
		measured(t, in.Measure, in.Value, in.Why, in.Unit, 2)
	}
	for _, h := range ev.Holding {
		t.Add("Condition met", h)
	}
	for _, in := range ev.Shown {
		measured(t, in.Measure, in.Value, in.Why, in.Unit, book.Measure(in.Measure).Places)
	}
	if p := ev.Persisted; p != nil {
		t.Add("Breached", fmt.Sprintf("in %d of the last %d %s; flagged from %d on", p.Breaches, p.Of, words.Plural(rule.Each), p.Least))
	}
	if ev.Stake != nil {
		t.Number("At stake", ev.Stake, book.StakeUnit(rule), 2)
	}
	return t.Rows
}

// measured adds the value of a measure, or why it has none.
func measured(t *method.Table, name string, v *big.Rat, why string, unit rulebook.Unit, places int) {
	text := "none: " + why
	if v != nil {
		text = rulebook.Format(v, unit, places)
	}
	t.Add(method.Title(t.Book, name), text)
}
