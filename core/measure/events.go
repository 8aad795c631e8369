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
	if !e.lasting(l, level) {
		v := e.findEvents(l, s)
		e.events[k] = v
		return v
	}
	// It hangs on the lines alone, so that the snapshot keeps it for all engines.
	v := e.Snapshot.Keep(k, func() (any, int, bool) {
		v := e.findEvents(l, s)
		return v, v.bytes(), !e.Stopped()
	}).(*Events)
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
	keys := e.keyColumns(f, l.Keys)
	mask, _ := e.masker(&rulebook.Measure{Of: rulebook.Column{Feed: l.Feed}, Where: l.Where}, f, def)
	parts := e.eventParts(f, s, ledger.Scan{Subject: column, Size: size}, mask)
	for _, p := range parts {
		for _, i := range p.lines {
			out.Starts[p.codes[i]+1]++
		}
	}
	for code := range size {
		out.Starts[code+1] += out.Starts[code]
	}
	total := out.Starts[size]
	out.Days, out.Lines = make([]calendar.Day, total), make([]uint32, total)
	if number >= 0 {
		out.Amounts = make([]amount.Amount, total)
	}
	for range keys {
		out.Keys = append(out.Keys, make([]uint32, total))
	}
	next := slices.Clone(out.Starts[:size])
	for _, p := range parts {
		first := p.chunk.Month.First() - 1
		for _, i := range p.lines {
			code := p.codes[i]
			at := next[code]
			next[code]++
			out.Lines[at] = p.ordinal + i
			out.Days[at] = first + calendar.Day(p.chunk.Days[i])
			if number >= 0 {
				out.Amounts[at] = p.chunk.Numbers[number][i]
			}
			for k, of := range keys {
				out.Keys[k][at] = of(p.chunk, int(i))
			}
		}
	}
	return out
}

// eventPart is some lines of a chunk, by their place, with the code of each line
// of the chunk that is among them.
type eventPart struct {
	chunk   *ledger.Chunk
	ordinal uint32
	codes   []uint32
	lines   []uint32
}

// eventParts are the lines that count and name a code, chunk by chunk.
func (e *Engine) eventParts(f *ledger.Feed, s Slot, scan ledger.Scan, mask func(*ledger.Chunk) []bool) (parts []eventPart) {
	ordinal := map[*ledger.Chunk]uint32{}
	n := uint32(0)
	for _, c := range f.Chunks {
		ordinal[c] = n
		n += uint32(len(c.Days))
	}
	masks := map[*ledger.Chunk][]bool{}
	Memory{e}.stretches(f, s, scan, func(c *ledger.Chunk, part ledger.Scan) {
		counts, known := masks[c]
		if !known {
			counts = mask(c)
			masks[c] = counts
		}
		p := eventPart{chunk: c, ordinal: ordinal[c], lines: make([]uint32, 0, part.To-part.From)}
		switch {
		case part.Codes != nil:
			p.codes = part.Codes
		case part.Subject >= 0 && part.Groups == nil:
			p.codes = c.Subjects[part.Subject]
		default:
			p.codes = make([]uint32, len(c.Days))
			for i := part.From; i < part.To; i++ {
				p.codes[i] = part.Code(c, i)
			}
		}
		for i := part.From; i < part.To; i++ {
			if (counts == nil || counts[i]) && p.codes[i] != ledger.Nobody {
				p.lines = append(p.lines, uint32(i))
			}
		}
		parts = append(parts, p)
	})
	return parts
}

// lasting says whether lines hang on the feed alone, not on a register.
func (e *Engine) lasting(l Lines, level Level) bool {
	if level.By != "" || level.Paired() {
		return false
	}
	f, def, _, ok := e.feedOf(l.Feed, level)
	if !ok {
		return false
	}
	_, lasting := e.masker(&rulebook.Measure{Of: rulebook.Column{Feed: l.Feed}, Where: l.Where}, f, def)
	return lasting
}

func (v *Events) bytes() int {
	return 4*len(v.Starts) + (8+4*len(v.Keys))*len(v.Days) + 8*len(v.Amounts)
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
