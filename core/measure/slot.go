package measure

import (
	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/ledger"
	"oskel/core/rulebook"
)

// Level says of whom figures are: each subject of a Kind, each group of them
// By an attribute, or with an empty Kind the whole.
type Level struct{ Kind, By string }

// Slot is a level in a period. A range of days that is no period of the
// calendar, such as a year to date, has a zero Period.
type Slot struct {
	Level
	Period      calendar.Period
	First, Last calendar.Day // both belong to it
}

// Month is the slot of each subject of a kind in a month.
func Month(kind string, m calendar.Month) Slot {
	return Slot{Level{Kind: kind}, calendar.MonthPeriod(m), m.First(), m.Last()}
}

// Slot is the slot of a level in a period of the book's calendar.
func (e *Engine) Slot(level Level, p calendar.Period) Slot {
	first, last := e.Book.Calendar.Span(p)
	return Slot{level, p, first, last}
}

// at is the slot of the same level in another period.
func (e *Engine) at(s Slot, p calendar.Period) Slot { return e.Slot(s.Level, p) }

// before is the slot n periods before, or with year a year before; false
// where the calendar has none.
func (e *Engine) before(s Slot, n int, year bool) (Slot, bool) {
	if s.Period.Unit == 0 {
		return s, false
	}
	if !year {
		return e.at(s, e.Book.Calendar.Before(s.Period, n)), true
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
func span(from, to Slot) Slot { return Slot{Level: to.Level, First: from.First, Last: to.Last} }

// Size is how many codes a level has.
func (e *Engine) Size(l Level) int {
	switch r := e.Snapshot.Registers[l.Kind]; {
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
// attribute's value; the group without one is "".
func (e *Engine) Names(l Level) (keys, names []string) {
	switch r := e.Snapshot.Registers[l.Kind]; {
	case l.Kind == "":
		return []string{"all"}, []string{"The whole"}
	case r == nil:
		return nil, nil
	case l.By == "":
		return r.Keys, r.Names
	case r.Attributes[l.By] == nil:
		return []string{""}, []string{""}
	default:
		for _, v := range r.Attributes[l.By].Values {
			keys = append(keys, valueKey(v))
		}
		return keys, keys
	}
}

func valueKey(v lang.Value) string {
	switch v.Type {
	case lang.NumberType:
		return v.Number.String()
	case lang.DateType:
		return v.Day.String()
	}
	return v.Text
}

// group maps the codes of a slot's level to those of the same kind by an
// attribute, as of the slot's last day; nil maps all to the whole. Groups of groups are the whole or themselves.
func (e *Engine) group(s Slot, by string) (Level, []uint32) {
	l := s.Level
	r := e.Snapshot.Registers[l.Kind]
	if by == "" || r == nil || r.Attributes[by] == nil {
		return Level{}, nil
	}
	if l.By == by {
		own := make([]uint32, e.Size(l))
		for i := range own {
			own[i] = uint32(i)
		}
		return l, own
	}
	if l.By != "" {
		return Level{}, nil
	}
	return Level{l.Kind, by}, r.Attributes[by].At(s.Last)
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

// Members lists the subjects that a code of a slot's level stands for on any
// day of the slot.
func (e *Engine) Members(s Slot, code uint32) []int32 {
	if s.By == "" {
		return []int32{int32(code)}
	}
	out := []int32{}
	a := e.Snapshot.Registers[s.Kind].Attributes[s.By]
	if a == nil {
		return out
	}
	seen := map[int32]bool{}
	for _, day := range append([]calendar.Day{s.First}, a.Turns(s.First, s.Last)...) {
		for i, c := range a.At(day) {
			if c == code && !seen[int32(i)] {
				seen[int32(i)] = true
				out = append(out, int32(i))
			}
		}
	}
	return out
}
