package measure

import (
	"math"
	"slices"

	"oskel/core/calendar"
	"oskel/core/lang"
)

// There says which groups and pairs there are in a slot; nil is that all codes of the
// level are. A pair is there from its first line on, so that nothing of a period hangs
// on lines after it. A group is there while some subject that is active, or that has a
// line, belongs to it on a day of the slot; so is the group of those without
// the attribute. What is not there has no figure, whatever a formula makes of
// what is missing.
func (e *Engine) There(s Slot) []bool {
	if s.By == "" && !s.Paired() {
		return nil
	}
	s.Ended = false
	if known, ok := e.exists[s]; ok {
		return known
	}
	e.exists[s] = e.findThere(s)
	return e.exists[s]
}

// findThere finds what There says, anew.
func (e *Engine) findThere(s Slot) []bool {
	there := make([]bool, e.Size(s.Level))
	if s.Paired() {
		all := true
		for code, since := range e.pairs(s.Level).Since {
			there[code] = since <= s.Last
			all = all && there[code]
		}
		if all {
			return nil
		}
		return there
	}
	r := e.Snapshot.Registers[s.Kind]
	if r == nil {
		return there
	}
	left := len(there)
	mark := func(counts func(subject uint32, first, last calendar.Day) bool) {
		e.memberships(s, func(first, last calendar.Day, codes []uint32) {
			for i := range r.Keys {
				if c := codeOf(codes, i); !there[c] && counts(uint32(i), first, last) {
					there[c] = true
					left--
				}
				if left == 0 {
					return
				}
			}
		})
	}
	mark(r.Active)
	if left > 0 {
		mark(func(subject uint32, first, last calendar.Day) bool {
			return !r.Active(subject, s.First, s.Last) && e.hasLine(s.Kind, subject, first, last)
		})
	}
	if left == 0 {
		return nil
	}
	return there
}

func codeOf(codes []uint32, subject int) uint32 {
	if codes == nil {
		return 0
	}
	return codes[subject]
}

// memberships visits the stretches of a slot's days in which nobody changes
// the group, each with the group of every subject; nil where nobody has one.
func (e *Engine) memberships(s Slot, visit func(first, last calendar.Day, codes []uint32)) {
	a := e.attribute(s.Level)
	for _, days := range e.spans(s) {
		if a == nil {
			visit(days.first, days.last, nil)
			continue
		}
		starts := append([]calendar.Day{days.first}, a.Turns(days.first, days.last)...)
		for i, from := range starts {
			to := days.last
			if i+1 < len(starts) {
				to = starts[i+1] - 1
			}
			visit(from, to, a.At(from))
		}
	}
}

// hasLine says whether any feed has a line of a subject from first to last.
func (e *Engine) hasLine(kind string, subject uint32, first, last calendar.Day) bool {
	for i := range e.Book.Feeds {
		f, _, column, ok := e.feedOf(e.Book.Feeds[i].Name, Level{Kind: kind})
		if ok && e.LastDays(f, column, e.Size(Level{Kind: kind}), last)[subject] >= first {
			return true
		}
	}
	return false
}

// masked is a column without figures of groups that are not there.
func (e *Engine) masked(c *Column, s Slot) *Column {
	there := e.There(s)
	if there == nil {
		return c
	}
	out := &Column{slices.Clone(c.Value), slices.Clone(c.Error), slices.Clone(c.Why), c.Decimal}
	for i, is := range there {
		if !is {
			out.Why[i] = NotThere
		}
	}
	return out
}

// absent says whether a code is a group that is not there.
func (e *Engine) absent(code uint32, s Slot) bool {
	there := e.There(s)
	return there != nil && !there[code]
}

// HasLines says whether any of some feeds has a line in a slot.
func (e *Engine) HasLines(feeds []string, s Slot) bool {
	for _, name := range feeds {
		f := e.Snapshot.Feeds[name]
		if f == nil {
			continue
		}
		for _, days := range e.spans(s) {
			if f.HasLines(days.first, days.last) {
				return true
			}
		}
	}
	return false
}

// FirstLine is the first day on which any of some feeds has a line; false where none has.
func (e *Engine) FirstLine(feeds []string) (first calendar.Day, any bool) {
	for _, name := range feeds {
		f := e.Snapshot.Feeds[name]
		if f == nil {
			continue
		}
		if day, _, some := f.Days(); some && (!any || day < first) {
			first, any = day, true
		}
	}
	return first, any
}

// begun says whether any feed that an expression reads has a line up to the end of a slot:
// periods before that are none, whatever a formula fills in. One that reads no feed always
// has begun.
func (e *Engine) begun(n *lang.Node, s Slot) bool {
	first, ok := e.begins[n]
	if !ok {
		var feeds []string
		for _, name := range n.Names() {
			feeds = append(feeds, e.Book.FeedsUnder(name)...)
		}
		day, any := e.FirstLine(feeds)
		if first = day; len(feeds) == 0 || e.Given() {
			first = math.MinInt32
		} else if !any {
			first = math.MaxInt32
		}
		e.begins[n] = first
	}
	return s.Last >= first
}
