package measure

import (
	"slices"

	"oskel/core/calendar"
	"oskel/core/ledger"
	"oskel/core/rulebook"
)

// Level says of whom figures are.
type Level = rulebook.Level

// Slot is a level in a period. A range of days that is no period of the
// calendar, such as a year to date, has a zero Period.
type Slot struct {
	Level
	Period      calendar.Period
	First, Last calendar.Day // both belong to it
	Joined      int          // how many periods up to Period it is made of, which lie apart; 0 is a stretch of days
	Ended       bool         // growth and change count a value that ended as zero
}

// IsPeriod says whether the slot is one period of the calendar.
func (s Slot) IsPeriod() bool { return s.Period.Unit != 0 && s.Joined == 0 }

// stretch is some days, both ends included.
type stretch struct{ first, last calendar.Day }

// spans are the days of a slot in rising order: one stretch, or those of
// periods that lie apart. Days in several windows are in it once.
func (e *Engine) spans(s Slot) []stretch {
	if s.Joined == 0 {
		return []stretch{{s.First, s.Last}}
	}
	var out []stretch
	for n := s.Joined - 1; n >= 0; n-- {
		p, ok := e.Book.Calendar.Before(s.Period, n)
		if !ok {
			continue
		}
		first, last := e.Book.Calendar.Span(p)
		if k := len(out) - 1; k >= 0 && first <= out[k].last+1 {
			out[k].last = max(out[k].last, last)
			continue
		}
		out = append(out, stretch{first, last})
	}
	return out
}

// Slot is the slot of a level in a period of the book's calendar.
func (e *Engine) Slot(level Level, p calendar.Period) Slot {
	first, last := e.Book.Calendar.Span(p)
	return Slot{Level: level, Period: p, First: first, Last: last}
}

// at is the slot of the same level in another period.
func (e *Engine) at(s Slot, p calendar.Period) Slot {
	out := e.Slot(s.Level, p)
	out.Ended = s.Ended
	return out
}

// before is the slot n periods before, or with year a year before; false
// where the calendar has none.
func (e *Engine) before(s Slot, n int, year bool) (Slot, bool) {
	if !s.IsPeriod() {
		return s, false
	}
	if !year {
		p, ok := e.Book.Calendar.Before(s.Period, n)
		return e.at(s, p), ok
	}
	p, ok := s.Period, true
	for range n {
		if p, ok = e.Book.Calendar.YearBefore(p); !ok {
			return s, false
		}
	}
	return e.at(s, p), true
}

// span is the slot from the first day of one slot to the last of another.
func span(from, to Slot) Slot {
	return Slot{Level: to.Level, First: from.First, Last: to.Last, Ended: to.Ended}
}

// over is the slot of all days of some periods in a row, the oldest first. Named
// windows lie apart, as do periods that are cut at the day up to which one runs: the
// days between them are none of theirs.
func over(slots []Slot) Slot {
	last := slots[len(slots)-1]
	out := span(slots[0], last)
	apart := last.Period.Unit == calendar.Named
	for k := 1; k < len(slots); k++ {
		apart = apart || slots[k].First != slots[k-1].Last+1
	}
	if apart {
		out.Period, out.Joined = last.Period, len(slots)
		for _, s := range slots {
			out.First, out.Last = min(out.First, s.First), max(out.Last, s.Last)
		}
	}
	return out
}

// Size is how many codes a level has.
func (e *Engine) Size(l Level) int {
	switch r := e.Snapshot.Registers[l.Kind]; {
	case l.Paired():
		return len(e.pairs(l).First)
	case l.Kind == "":
		return 1
	case r == nil:
		return 0
	case l.By == "":
		return len(r.Keys)
	case r.Attributes[l.By] == nil:
		return 1
	default:
		return len(r.Attributes[l.By].Values)
	}
}

// Names are key and name of each code of a level: of a group both are the
// attribute's value; the group of those who have none is called so.
func (e *Engine) Names(l Level) (keys, names []string) {
	switch r := e.Snapshot.Registers[l.Kind]; {
	case l.Paired():
		return e.pairNames(l)
	case l.Kind == "":
		return []string{"all"}, []string{"Total"}
	case r == nil:
		return nil, nil
	case l.By == "":
		return r.Keys, r.Names
	case r.Attributes[l.By] == nil:
		keys = []string{rulebook.Without(l.By)}
		return keys, keys
	default:
		for _, v := range r.Attributes[l.By].Values {
			keys = append(keys, v.String())
		}
		keys[0] = rulebook.Without(l.By)
		return keys, keys
	}
}

func (e *Engine) pairNames(l Level) (keys, names []string) {
	first, second := l.Sides()
	firstKeys, firstNames := e.Names(first)
	secondKeys, secondNames := e.Names(second)
	p := e.pairs(l)
	keys, names = make([]string, len(p.First)), make([]string, len(p.First))
	for i := range keys {
		keys[i] = rulebook.PairKey(firstKeys[p.First[i]], secondKeys[p.Second[i]])
		names[i] = firstNames[p.First[i]] + rulebook.PairSign + secondNames[p.Second[i]]
	}
	return keys, names
}

// group maps the codes of a slot's level to the groups of a kind by an
// attribute, as of the slot's last day; nil maps all to the whole. A pair is
// grouped by the side of that kind. Groups of groups are themselves, or what
// they lie within; others the whole.
func (e *Engine) group(s Slot, kind, by string) (Level, []uint32) {
	l := s.Level
	if by == "" || l.Kind == "" {
		return Level{}, nil
	}
	if l.Paired() {
		first, second := l.Sides()
		p := e.pairs(l)
		side, codes := first, p.First
		if kind == second.Kind {
			side, codes = second, p.Second
		}
		s.Level = side
		level, groups := e.group(s, kind, by)
		if groups == nil {
			return level, nil
		}
		out := make([]uint32, len(codes))
		for i, c := range codes {
			out[i] = groups[c]
		}
		return level, out
	}
	r := e.Snapshot.Registers[l.Kind]
	if r == nil || r.Attributes[by] == nil {
		return Level{}, nil
	}
	outer := Level{Kind: l.Kind, By: by}
	switch {
	case l.By == "":
		return outer, r.Attributes[by].At(s.Last)
	case l.By == by:
		own := make([]uint32, e.Size(l))
		for i := range own {
			own[i] = uint32(i)
		}
		return outer, own
	case r.Attributes[l.By] != nil && slices.Contains(e.Book.Kind(l.Kind).Above(l.By), by):
		out := make([]uint32, e.Size(l))
		within := r.Attributes[by].At(s.Last)
		for subject, c := range r.Attributes[l.By].At(s.Last) {
			out[c] = within[subject]
		}
		return outer, out
	}
	return Level{}, nil
}

// Groups maps the codes of a slot's level to the groups of a kind by an
// attribute, as of the slot's last day; 0 is the group of those without one. It
// is nil where there are no such groups.
func (e *Engine) Groups(s Slot, kind, by string) []uint32 {
	_, groups := e.group(s, kind, by)
	return groups
}

// feedOf finds the ledger's feed of a definition, and the column that names
// subjects of a level's kind: -1 for the whole.
func (e *Engine) feedOf(name string, l Level) (f *ledger.Feed, def *rulebook.Feed, column int, ok bool) {
	f, def = e.Snapshot.Feeds[name], e.Book.Feed(name)
	if f == nil || def == nil {
		return nil, def, -1, false
	}
	if l.Kind == "" {
		return f, def, -1, true
	}
	column = ledger.Column(f.Subjects, def.SubjectColumn(l.Kind))
	return f, def, column, column >= 0
}

// joinedFeed is feedOf where, of a pair, the feed's lines must name both sides; the column is
// that of the first.
func (e *Engine) joinedFeed(name string, l Level) (f *ledger.Feed, def *rulebook.Feed, column int, ok bool) {
	f, def, column, ok = e.feedOf(name, l)
	if l.Paired() && ok {
		_, second := l.Sides()
		_, _, _, ok = e.feedOf(name, second)
	}
	return f, def, column, ok
}

// Sides gives the two codes of a pair, with the slots of either side.
func (e *Engine) Sides(s Slot, code uint32) (first, second Slot, a, b uint32) {
	p := e.pairs(s.Level)
	first, second = s, s
	first.Level, second.Level = s.Level.Sides()
	return first, second, p.First[code], p.Second[code]
}

// Members lists the subjects that a code of a slot's level stands for on any
// day of the slot, in rising order.
func (e *Engine) Members(s Slot, code uint32) []int32 {
	if s.By == "" || s.Kind == "" {
		return []int32{int32(code)}
	}
	out := []int32{}
	if e.Snapshot.Registers[s.Kind] == nil {
		return out
	}
	seen := make([]bool, e.Size(Level{Kind: s.Kind}))
	e.memberships(s, func(_, _ calendar.Day, codes []uint32) {
		for i := range seen {
			seen[i] = seen[i] || codeOf(codes, i) == code
		}
	})
	for i, is := range seen {
		if is {
			out = append(out, int32(i))
		}
	}
	return out
}
