package explain

import (
	"math/big"

	"oskel/core/rulebook"
)

// Axis says in which unit a rule's values lie when they are held against its
// cuts, with how many decimal places they are shown, and what to call them.
func Axis(book *rulebook.Book, rule *rulebook.Rule) (unit rulebook.Unit, places int, title string) {
	t := rule.Threshold
	switch {
	case t != nil && t.Choices != nil:
		return rulebook.Count, 0, ""
	case t != nil:
		m := book.Measure(t.Of)
		switch t.As {
		case "ratio":
			return rulebook.Percent, 1, m.Title + " as a share of " + book.YardstickWords(t)
		case "change":
			return rulebook.Percent, 1, m.Title + " as a change from " + book.YardstickWords(t)
		case "difference":
			return m.Unit, m.Places, m.Title + " less " + book.YardstickWords(t)
		}
		return m.Unit, m.Places, m.Title
	case rule.Outlier != nil:
		m := book.Measure(rule.Outlier.Of)
		return m.Unit, m.Places, m.Title
	}
	return rulebook.Days, 0, "Days since the last of the " + book.Feed(rule.Window.Feed).Title
}

// Held writes a value that was held against the cuts.
func Held(held float64, unit rulebook.Unit, places int) string {
	r := new(big.Rat)
	if r.SetFloat64(held) == nil {
		return ""
	}
	return rulebook.Format(r, unit, places)
}
