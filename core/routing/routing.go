// Package routing decides which desk an exception goes to, and by when.
package routing

import (
	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/rulebook"
)

// Item is what a route may ask about.
type Item struct {
	Kind, Rule, Grade string      // Kind is the level, such as rep or rep.territory
	Attributes        lang.Lookup // of the subject, as of the period's last day
}

// Desk is the desk of the first route that matches. A book whose routes were
// checked always has one; without routes it is "".
func Desk(book *rulebook.Book, item Item) string {
	text := func(s string) lang.Value { return lang.Value{Type: lang.TextType, Text: s} }
	lookup := func(name string) lang.Value {
		switch name {
		case "kind":
			return text(item.Kind)
		case "rule":
			return text(item.Rule)
		case "grade":
			return text(item.Grade)
		}
		return item.Attributes(name)
	}
	for _, r := range book.Routes {
		if r.When == nil || lang.Test(r.When.Tree, lookup) {
			return r.To
		}
	}
	return ""
}

// defaultDue is how many working days a desk has for a grade of which it
// states nothing.
const defaultDue = 5

// Due is the day by which an item of the grade is due on the desk, counted in
// working days from the day after it arrived.
func Due(c calendar.Calendar, desk *rulebook.Desk, grade string, arrived calendar.Day) calendar.Day {
	if desk != nil {
		if n, ok := desk.Due[grade]; ok {
			return c.AddWorking(arrived, n)
		}
	}
	return c.AddWorking(arrived, defaultDue)
}
