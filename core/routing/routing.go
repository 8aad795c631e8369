// Package routing decides which desk an exception goes to, and by when.
package routing

import (
	"strings"

	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/ledger"
	"oskel/core/rulebook"
)

// Item is what a route may ask about.
type Item struct {
	Kind, Rule, Grade string
	Code              uint32
	Day               calendar.Day // as of which attributes are asked
}

// Desk is the desk of the first route that matches. A book whose routes were
// checked always has one; without routes it is "".
func Desk(book *rulebook.Book, registers map[string]*ledger.Register, item Item) string {
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
		kind, attribute, _ := strings.Cut(name, ".")
		if kind != item.Kind || registers[kind] == nil {
			return lang.Value{}
		}
		return registers[kind].Value(attribute, item.Code, item.Day)
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
