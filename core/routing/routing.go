// Package routing decides which desk an exception goes to, who gets it there, and by
// when.
package routing

import (
	"cmp"
	"slices"
	"strings"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/rulebook"
)

// Item is what a route may ask about.
type Item struct {
	Kind, Rule, Family, Grade string // Kind is the level, such as rep or rep.territory
	State                     string // raised or standing; "" where it is not known, as in a rehearsal
	Stake                     *amount.Amount
	Streak                    int         // 0 where it is not known
	Attributes                lang.Lookup // of the subject, as of the period's last day
}

// lookup answers what a condition asks for.
func (i Item) lookup(name string) lang.Value {
	text := func(s string) lang.Value {
		if s == "" {
			return lang.Value{}
		}
		return lang.Value{Type: lang.TextType, Text: s}
	}
	switch name {
	case "kind":
		return text(i.Kind)
	case "rule":
		return text(i.Rule)
	case "family":
		return text(i.Family)
	case "grade":
		return text(i.Grade)
	case "state":
		return text(i.State)
	case "stake":
		if i.Stake != nil {
			return lang.Value{Type: lang.NumberType, Number: *i.Stake}
		}
		return lang.Value{}
	case "streak":
		if i.Streak > 0 {
			return lang.Value{Type: lang.NumberType, Number: amount.FromInt(int64(i.Streak))}
		}
		return lang.Value{}
	}
	return i.Attributes(name)
}

// Destination is where an item goes.
type Destination struct {
	Desk string
	For  string   // the account that gets it there; "" is whoever takes it
	Copy []string // desks and accounts that are told
}

// To is what the first route that matches says. A book whose routes were checked always
// has one; without routes it is empty.
func To(book *rulebook.Book, item Item) Destination {
	for _, r := range book.Routes {
		if r.When == nil || lang.Test(r.When.Tree, item.lookup) {
			d := Destination{Desk: r.To, For: r.For, Copy: r.Copy}
			if strings.Contains(r.For, ".") {
				d.For = item.Attributes(r.For).Text
			}
			return d
		}
	}
	return Destination{}
}

// Desk is the desk of the first route that matches.
func Desk(book *rulebook.Book, item Item) string { return To(book, item).Desk }

// Member is one who can be given cases of a desk.
type Member struct {
	Name    string
	Load    int    // unsettled cases that they hold, of whatever desk
	Away    bool   // not here today
	StandIn string // who works in their place then, "" is nobody
}

// Share is who of a desk gets the next case: its members in turn, by how many cases the
// desk has had before, or the one with the least to do, by name where several have. One
// who is away is stood in for by whom they name, if that one is a member and here; who
// is barred, as whom a case is about, does not get it. "" is nobody.
func Share(how string, members []Member, barred func(name string) bool, before int) string {
	here := func(name string) bool {
		return !barred(name) && slices.ContainsFunc(members, func(m Member) bool { return m.Name == name && !m.Away })
	}
	var able []Member
	for _, m := range members {
		if m.Away {
			if m.Name = m.StandIn; !here(m.Name) {
				continue
			}
			m.Load = members[slices.IndexFunc(members, func(o Member) bool { return o.Name == m.StandIn })].Load
		}
		if !barred(m.Name) {
			able = append(able, m)
		}
	}
	switch {
	case len(able) == 0:
		return ""
	case how == rulebook.ByTurn:
		return able[before%len(able)].Name
	case how == rulebook.ByLoad:
		return slices.MinFunc(able, func(a, b Member) int { return cmp.Or(a.Load-b.Load, strings.Compare(a.Name, b.Name)) }).Name
	}
	return ""
}

// defaultDue is how many working days a desk has for a grade of which it
// states nothing.
const defaultDue = 5

// Due is the day by which an item of the grade is due on the desk, counted in the working
// days of the desk from the day after it arrived.
func Due(book *rulebook.Book, desk *rulebook.Desk, grade string, arrived calendar.Day) calendar.Day {
	c := book.CalendarOf(desk)
	if desk != nil {
		if n, ok := desk.Due[grade]; ok {
			return c.AddWorking(arrived, n)
		}
	}
	return c.AddWorking(arrived, defaultDue)
}
