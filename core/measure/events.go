package measure

import (
	"slices"
	"sort"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/ledger"
	"oskel/core/rulebook"
)

// Lines says which lines of a feed are asked for.
type Lines struct {
	Feed   string
	Where  *rulebook.Condition // nil is all
	Number string              // the column whose amounts are wanted, or ""
	Keys   []string            // the label and subject columns whose codes are wanted
}

// Events are lines by code of a level, each code's in order of days, those of
// one day as they came: of code c they are numbers Starts[c] to Starts[c+1]-1.
// Nothing of it is to be written to.
type Events struct {
	Starts  []uint32
	Days    []calendar.Day
	Lines   []uint32        // which line of the feed each is
	Amounts []amount.Amount // amount.Missing where a line has none; nil unless asked
	Keys    [][]uint32      // by column asked for; 0 is nobody or no word
}

// Of is the range of a code's lines up to a day, it included.
func (v *Events) Of(code uint32, last calendar.Day) (from, to int) {
	from, to = int(v.Starts[code]), int(v.Starts[code+1])
	return from, from + v.after(from, to, last)
}

// Between is the range of a code's lines from one day to another, both included.
func (v *Events) Between(code uint32, first, last calendar.Day) (from, to int) {
	from, to = int(v.Starts[code]), int(v.Starts[code+1])
	return from + v.after(from, to, first-1), from + v.after(from, to, last)
}

// after is how many of some lines lie on a day or before it.
func (v *Events) after(from, to int, day calendar.Day) int {
	return sort.Search(to-from, func(i int) bool { return v.Days[from+i] > day })
}

// eventsKey names what is kept.
type eventsKey struct {
	feed, where, number, keys string
	level                     Level
}

// Events finds all lines asked for, by code of a level: grouped where a line's
// subject belonged on its day. It is linear in the lines, and kept.
func (e *Engine) Events(l Lines, level Level) *Events {
	k := eventsKey{feed: l.Feed, number: l.Number, level: level}
	if l.Where != nil {
		k.where = l.Where.Text
	}
	for _, name := range l.Keys {
		k.keys += name + "\x00"
	}
	if v := e.events[k]; v != nil {
		return v
	}
	s := Slot{Level: level}
	if f := e.Snapshot.Feeds[l.Feed]; f != nil && len(f.Chunks) > 0 {
		s.First, s.Last = f.Chunks[0].Month.First(), f.Chunks[len(f.Chunks)-1].Month.Last()
	}
	v := e.findEvents(l, s)
	e.events[k] = v
	return v
}

func (e *Engine) findEvents(l Lines, s Slot) *Events {
	size := e.Size(s.Level)
	out := &Events{Starts: make([]uint32, size+1)}
	f, def, column, ok := e.feedOf(l.Feed, s.Level)
	if s.Paired() && ok {
		_, second := s.Sides()
		_, _, _, ok = e.feedOf(l.Feed, second)
	}
	if !ok {
		return out
	}
	number := ledger.Column(f.Numbers, l.Number)
	mask, _ := e.masker(&rulebook.Measure{Of: rulebook.Column{Feed: l.Feed}, Where: l.Where}, f, def)
	masks := map[*ledger.Chunk][]bool{}
	each := func(visit func(c *ledger.Chunk, i int, code uint32)) {
		Memory{e}.stretches(f, s, ledger.Scan{Subject: column, Size: size}, func(c *ledger.Chunk, part ledger.Scan) {
			counts, known := masks[c]
			if !known {
				counts = mask(c)
				masks[c] = counts
			}
			for i := part.From; i < part.To; i++ {
				if counts != nil && !counts[i] {
					continue
				}
				if code := part.Code(c, i); code != ledger.Nobody {
					visit(c, i, code)
				}
			}
		})
	}
	each(func(_ *ledger.Chunk, _ int, code uint32) { out.Starts[code+1]++ })
	for code := range size {
		out.Starts[code+1] += out.Starts[code]
	}
	total := out.Starts[size]
	out.Days, out.Lines = make([]calendar.Day, total), make([]uint32, total)
	ordinal := map[*ledger.Chunk]uint32{}
	for k, n := 0, uint32(0); k < len(f.Chunks); k++ {
		ordinal[f.Chunks[k]] = n
		n += uint32(len(f.Chunks[k].Days))
	}
	if number >= 0 {
		out.Amounts = make([]amount.Amount, total)
	}
	keys := e.keyColumns(f, l.Keys)
	for range keys {
		out.Keys = append(out.Keys, make([]uint32, total))
	}
	next := slices.Clone(out.Starts[:size])
	each(func(c *ledger.Chunk, i int, code uint32) {
		at := next[code]
		if at >= total {
			return // the engine has given up in between
		}
		next[code]++
		out.Lines[at] = ordinal[c] + uint32(i)
		out.Days[at] = c.Month.First() + calendar.Day(c.Days[i]) - 1
		if number >= 0 {
			out.Amounts[at] = c.Numbers[number][i]
		}
		for k, of := range keys {
			out.Keys[k][at] = of(c, i)
		}
	})
	return out
}

// keyColumns answer for the codes of columns: of labels those of their words, of
// subjects one more than theirs, so that 0 is nothing.
func (e *Engine) keyColumns(f *ledger.Feed, names []string) (out []func(c *ledger.Chunk, i int) uint32) {
	for _, name := range names {
		if k := labelColumn(f, name); k >= 0 {
			out = append(out, func(c *ledger.Chunk, i int) uint32 { return c.Labels[k][i] })
			continue
		}
		k := ledger.Column(f.Subjects, name)
		out = append(out, func(c *ledger.Chunk, i int) uint32 {
			if k < 0 || c.Subjects[k][i] == ledger.Nobody {
				return 0
			}
			return c.Subjects[k][i] + 1
		})
	}
	return out
}

// Words are the words of a feed's label column by code, nil where it is none.
func (e *Engine) Words(feed, column string) []string {
	f := e.Snapshot.Feeds[feed]
	if f == nil {
		return nil
	}
	if k := labelColumn(f, column); k >= 0 {
		return f.Labels[k].Words
	}
	return nil
}

// LastSeen is the last day up to the end of a slot on which each subject of its
// kind has a line of a feed, ledger.Never where there is none; nil where the
// feed has no lines or names no such subjects.
func (e *Engine) LastSeen(feed string, s Slot) []calendar.Day {
	f, _, column, ok := e.feedOf(feed, s.Level)
	if !ok || column < 0 {
		return nil
	}
	return e.LastDays(f, column, e.Size(s.Level), s.Last)
}

// Days is the slot of a level from one day to another.
func (e *Engine) Days(l Level, first, last calendar.Day) Slot {
	return Slot{Level: l, First: first, Last: last}
}
