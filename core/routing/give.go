package routing

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"oskel/core/rulebook"
)

// Staff is somebody whose account is open, as far as it bears on who gets what.
type Staff struct {
	Lead    bool
	Reviews bool     // of Desks
	Desks   []string // that a reviewer is a member of
	Load    int      // unsettled cases that they hold
	Away    bool
	StandIn string // who works in their place then, "" is nobody
}

// Works says whether they work the cases of a desk.
func (s Staff) Works(desk string) bool { return s.Lead || s.member(desk) }

func (s Staff) member(desk string) bool { return s.Reviews && slices.Contains(s.Desks, desk) }

// Case is one that is given to somebody.
type Case struct {
	Desk string
	For  string // whom its route says; "" is nobody by name
	Self string // whom it is about
	Bars func(name string) bool
}

// Given is who gets a case, and what its trail says of that; a text without a name says
// why whom the route names does not.
type Given struct{ Name, Text string }

// Bars says whether somebody does not review what is about self: that one, and those below,
// with spaces between, who report to them alone.
func Bars(self, below, name string) bool {
	return name != "" && (name == self || slices.Contains(strings.Fields(below), name))
}

// Giver gives cases out, one after the other. Who gets one has more to do for the next.
type Giver struct {
	Book  *rulebook.Book
	Staff map[string]Staff               // by name; it changes
	Had   func(desk string) (int, error) // how many cases a desk has had before; asked once for each

	had map[string]int
}

// Give says who gets a case: whom its route names, if they work its desk and are here, or
// who stands in for them; else as the desk shares its cases out.
func (g *Giver) Give(c Case) (Given, error) {
	to := g.wanted(c)
	desk := g.Book.Desk(c.Desk)
	if to.Name == "" && desk != nil && desk.Shares != "" {
		n, known := g.had[c.Desk]
		if !known {
			var err error
			if n, err = g.Had(c.Desk); err != nil {
				return Given{}, err
			}
			if g.had == nil {
				g.had = map[string]int{}
			}
		}
		if name := Share(desk.Shares, g.members(c.Desk), c.Bars, n); name != "" {
			if to.Name = name; to.Text != "" {
				to.Text += "; "
			}
			to.Text = fmt.Sprintf("to %s: %s%s", name, to.Text, desk.Shares)
		}
		g.had[c.Desk] = n + 1
	}
	if to.Name != "" {
		s := g.Staff[to.Name]
		s.Load++
		g.Staff[to.Name] = s
	}
	return to, nil
}

// members are those of a desk, by name.
func (g *Giver) members(desk string) (out []Member) {
	for _, name := range slices.Sorted(maps.Keys(g.Staff)) {
		if s := g.Staff[name]; s.member(desk) {
			out = append(out, Member{Name: name, Load: s.Load, Away: s.Away, StandIn: s.StandIn})
		}
	}
	return out
}

// wanted is who gets a case by its route; the text says why not where that cannot be.
func (g *Giver) wanted(c Case) Given {
	name := c.For
	if name == "" {
		return Given{}
	}
	s, there := g.Staff[name]
	text := ""
	if there && s.Away {
		text = fmt.Sprintf("%s is away", name)
		if s.StandIn == "" {
			return Given{"", text}
		}
		name = s.StandIn
		s, there = g.Staff[name]
	}
	switch {
	case !there:
		return Given{"", joined(text, fmt.Sprintf("there is no account %q", name))}
	case name == c.Self:
		return Given{"", joined(text, fmt.Sprintf("%s cannot review their own case", name))}
	case c.Bars(name):
		return Given{"", joined(text, fmt.Sprintf("%s cannot review a case about %s, to whom they report", name, c.Self))}
	case s.Away:
		return Given{"", joined(text, name+" is away too")}
	case !s.Works(c.Desk):
		return Given{"", joined(text, fmt.Sprintf("%s does not work the cases of %s", name, c.Desk))}
	}
	return Given{name, joined("to "+name, text)}
}

func joined(a, b string) string {
	if a == "" || b == "" {
		return a + b
	}
	return a + ": " + b
}
