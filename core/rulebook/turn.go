package rulebook

import (
	"fmt"
	"slices"
	"strings"

	"oskel/core/amount"
)

// WithDial is the book with a dial turned to a value; the book itself stays as
// it is.
func (b *Book) WithDial(name string, value amount.Amount) *Book {
	out := *b
	out.Dials = slices.Clone(b.Dials)
	for i := range out.Dials {
		if out.Dials[i].Name == name {
			out.Dials[i].Value = value
		}
	}
	return &out
}

// WithRule is the book with one rule put in the place of the one of its name,
// or last; the book itself stays as it is.
func (b *Book) WithRule(r Rule) *Book {
	out := *b
	out.Rules = slices.Clone(b.Rules)
	for i := range out.Rules {
		if out.Rules[i].Name == r.Name {
			out.Rules[i] = r
			return &out
		}
	}
	out.Rules = append(out.Rules, r)
	return &out
}

// CutMove moves one stated end of a band of a threshold rule: bands count from 0.
type CutMove struct {
	Band int
	High bool
	At   amount.Amount
}

// WithCuts is the book with stated ends of a rule's bands moved, together, so
// that where one band ends and the next begins the two can go along. What
// stands there must be a number, not a dial.
func (b *Book) WithCuts(rule string, moves ...CutMove) (*Book, error) {
	r := b.Rule(rule)
	if r == nil || r.Threshold == nil {
		return nil, fmt.Errorf("there is no threshold rule %q", rule)
	}
	moved, t := *r, *r.Threshold
	t.Bands = slices.Clone(t.Bands)
	for _, m := range moves {
		if m.Band < 0 || m.Band >= len(t.Bands) {
			return nil, fmt.Errorf("the rule %q has no band %d", rule, m.Band+1)
		}
		end := &t.Bands[m.Band].Low
		if m.High {
			end = &t.Bands[m.Band].High
		}
		switch {
		case *end == nil:
			return nil, fmt.Errorf("band %d of the rule %q has no such end", m.Band+1, rule)
		case (*end).Bound.Dial != "":
			return nil, fmt.Errorf("band %d of the rule %q ends at the dial %s; turn that", m.Band+1, rule, (*end).Bound.Dial)
		}
		e := **end
		e.Bound.Number = m.At
		*end = &e
	}
	moved.Threshold = &t
	out := b.WithRule(moved)
	if _, faults := out.Partition(t.Bands); len(faults) > 0 {
		return nil, fmt.Errorf("with that cut, %s", faults[0].Text)
	}
	return out, nil
}

// ChangeDial writes another value of a dial into the text of a book, and leaves
// everything else as it stands, comments too.
func ChangeDial(text, name, value string, methods Methods) (string, error) {
	book, problems := Read([]byte(text), methods)
	if len(problems) > 0 {
		return "", fmt.Errorf("the rulebook has problems of its own: %s", problems[0])
	}
	d := book.Dial(name)
	if d == nil {
		return "", fmt.Errorf("there is no dial %q%s", name, suggest(name, dialNames(book)))
	}
	lines := strings.SplitAfter(text, "\n")
	line := []rune(lines[d.ValueAt.Line-1])
	from := d.ValueAt.Column - 1
	to := from
	for to < len(line) && !strings.ContainsRune(" ,}#\r\n", line[to]) {
		to++
	}
	lines[d.ValueAt.Line-1] = string(line[:from]) + amount.Plain(value) + string(line[to:])
	out := strings.Join(lines, "")
	after, problems := Read([]byte(out), methods)
	if len(problems) > 0 {
		return "", fmt.Errorf("%s", problems[0].Text)
	}
	if after.Dial(name) == nil || len(Difference(book, after)) > 1 {
		return "", fmt.Errorf("the value of the dial %q could not be written in its place", name)
	}
	return out, nil
}
