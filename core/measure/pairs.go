package measure

import (
	"oskel/core/calendar"
	"oskel/core/ledger"
)

// pairs numbers the pairs of a level that any feed has lines of.
func (e *Engine) pairs(l Level) *ledger.Pairs {
	if p := e.paired[l]; p != nil {
		return p
	}
	p := e.Snapshot.Pairs(l, func() *ledger.Pairs {
		first, second := l.Sides()
		var all []ledger.Sides
		for i := range e.Book.Feeds {
			f, _, column, ok := e.feedOf(e.Book.Feeds[i].Name, first)
			_, _, other, also := e.feedOf(e.Book.Feeds[i].Name, second)
			if !ok || !also {
				continue
			}
			for _, c := range f.Chunks {
				all = append(all, e.sidesOf(c, first, second, column, other)...)
			}
		}
		return ledger.NewPairs(all, e.Size(first))
	})
	e.paired[l] = p
	return p
}

// sidesOf parts a chunk wherever a subject of either side changes its group.
func (e *Engine) sidesOf(c *ledger.Chunk, first, second Level, column, other int) []ledger.Sides {
	turns := map[calendar.Day]bool{c.Month.First(): true}
	for _, l := range []Level{first, second} {
		if a := e.attribute(l); a != nil {
			for _, d := range a.Turns(c.Month.First(), c.Month.Last()) {
				turns[d] = true
			}
		}
	}
	var out []ledger.Sides
	for d := c.Month.First(); d <= c.Month.Last(); d++ {
		if !turns[d] {
			continue
		}
		to := d
		for to < c.Month.Last() && !turns[to+1] {
			to++
		}
		s := ledger.Sides{Chunk: c, First: e.sideOf(c, first, column, d), Second: e.sideOf(c, second, other, d)}
		s.From, s.To = c.Between(d, to)
		out = append(out, s)
	}
	return out
}

func (e *Engine) attribute(l Level) *ledger.Attribute {
	if r := e.Snapshot.Registers[l.Kind]; r != nil && l.By != "" {
		return r.Attributes[l.By]
	}
	return nil
}

func (e *Engine) sideOf(c *ledger.Chunk, l Level, column int, day calendar.Day) func(int) uint32 {
	codes := c.Subjects[column]
	switch a := e.attribute(l); {
	case a != nil:
		groups := a.At(day)
		return func(i int) uint32 {
			if codes[i] == ledger.Nobody {
				return ledger.Nobody
			}
			return groups[codes[i]]
		}
	case l.By != "":
		return func(i int) uint32 {
			if codes[i] == ledger.Nobody {
				return ledger.Nobody
			}
			return 0
		}
	}
	return func(i int) uint32 { return codes[i] }
}
