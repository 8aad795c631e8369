package explain

import (
	"math/big"

	"oskel/core/method"
	"oskel/core/rulebook"
)

// Axis says in which unit a rule's values lie when they are held against its
// cuts, with how many decimal places they are shown, and what to call them.
func Axis(book *rulebook.Book, rule *rulebook.Rule) (unit rulebook.Unit, places int, title string) {
	a := method.AxisOf(book, rule)
	return a.Unit, a.Places, a.Title
}

// Held writes a value that was held against the cuts.
func Held(held float64, unit rulebook.Unit, places int) string {
	r := new(big.Rat)
	if r.SetFloat64(held) == nil {
		return ""
	}
	return rulebook.Format(r, unit, places)
}
