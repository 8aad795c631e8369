package lang

import (
	"cmp"
	"slices"
	"strings"

	"oskel/core/amount"
	"oskel/core/calendar"
)

// Type is what an attribute holds.
type Type string

// The types of attributes.
const (
	TextType   Type = "text"
	NumberType Type = "number"
	DateType   Type = "date"
)

// Value is an attribute's value in a condition. The zero Value is missing.
type Value struct {
	Type   Type // "" is missing
	Text   string
	Number amount.Amount
	Day    calendar.Day
}

// String is the value as text; a missing one is "".
func (v Value) String() string {
	switch v.Type {
	case NumberType:
		return v.Number.String()
	case DateType:
		return v.Day.String()
	}
	return v.Text
}

// Lookup gives the value of a name; a missing one is the zero Value.
type Lookup func(name string) Value

// CheckCondition finds names that are unknown and comparisons that cannot
// hold: a text compared by size, a date with what is not a day. typeOf gives
// the type of a name, or false and the complaint to make.
func CheckCondition(n *Node, typeOf func(name string) (Type, string)) []*Error {
	var out []*Error
	var visit func(n *Node)
	visit = func(n *Node) {
		switch n.Op {
		case And, Or, Not:
			for _, p := range n.Parts {
				visit(p)
			}
			return
		}
		subject := n.Parts[0]
		if subject.Op != Name {
			out = append(out, errorAt(subject.At, "the left side of a comparison must be a name, such as rep.territory"))
			return
		}
		kind, complaint := typeOf(subject.Text)
		if complaint != "" {
			out = append(out, errorAt(subject.At, "%s", complaint))
			return
		}
		for _, p := range n.Parts[1:] {
			if e := fits(n.Op, kind, p); e != nil {
				out = append(out, e)
			}
		}
	}
	visit(n)
	return out
}

func fits(op Op, kind Type, p *Node) *Error {
	if (op == Contains || op == StartsWith) && kind != TextType {
		return errorAt(p.At, "'%s' is for texts; this is a %s", op, kind)
	}
	switch kind {
	case TextType:
		switch op {
		case Below, AtMost, Above, AtLeast, Between:
			return errorAt(p.At, "'%s' is for numbers and dates; this is a text", op)
		}
		if p.Op != Text {
			return errorAt(p.At, "expected a text in quotation marks")
		}
	case NumberType:
		if p.Op != Number && !(p.Op == Negate && p.Parts[0].Op == Number) {
			return errorAt(p.At, "expected a number")
		}
	case DateType:
		if p.Op != Text {
			return errorAt(p.At, "expected a day in quotation marks, such as \"2026-10-31\"")
		}
		if _, err := calendar.ParseDay(p.Text); err != nil {
			return errorAt(p.At, "%s", err)
		}
	}
	return nil
}

// Test answers a checked condition. No comparison with a missing value holds, 'is not'
// and 'not in' included; 'not' turns the answer to a whole condition round, and 'is
// missing' asks for what is missing.
func Test(n *Node, lookup Lookup) bool {
	switch n.Op {
	case And:
		return Test(n.Parts[0], lookup) && Test(n.Parts[1], lookup)
	case Or:
		return Test(n.Parts[0], lookup) || Test(n.Parts[1], lookup)
	case Not:
		return !Test(n.Parts[0], lookup)
	}
	v := lookup(n.Parts[0].Text)
	switch n.Op {
	case IsMissing:
		return v.Type == ""
	case NotMissing:
		return v.Type != ""
	}
	if v.Type == "" {
		return false
	}
	switch n.Op {
	case In, NotIn:
		found := slices.ContainsFunc(n.Parts[1:], func(p *Node) bool { return compare(v, p) == 0 })
		return found == (n.Op == In)
	case Contains:
		return strings.Contains(v.Text, n.Parts[1].Text)
	case StartsWith:
		return strings.HasPrefix(v.Text, n.Parts[1].Text)
	case Between:
		return compare(v, n.Parts[1]) >= 0 && compare(v, n.Parts[2]) <= 0
	}
	c := compare(v, n.Parts[1])
	switch n.Op {
	case Is:
		return c == 0
	case IsNot:
		return c != 0
	case Below:
		return c < 0
	case AtMost:
		return c <= 0
	case Above:
		return c > 0
	default: // AtLeast
		return c >= 0
	}
}

func compare(v Value, p *Node) int {
	switch v.Type {
	case NumberType:
		want := p.Number
		if p.Op == Negate {
			want = -p.Parts[0].Number
		}
		return cmp.Compare(v.Number, want)
	case DateType:
		day, err := calendar.ParseDay(p.Text)
		if err != nil {
			return -1
		}
		return cmp.Compare(v.Day, day)
	default:
		return strings.Compare(v.Text, p.Text)
	}
}
