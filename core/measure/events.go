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
	From   calendar.Day        // no line before this day is needed; 0 is all days
	Number string              // the column whose amounts are wanted, or ""
	Keys   []string            // the label and subject columns whose codes are wanted
	Which  bool                // whether it is wanted which line each is
}

// Events are lines by code of a level, each code's in order of days, those of
// one day as they came: of code c they are numbers Starts[c] to Starts[c+1]-1.
// Nothing of it is to be written to.
type Events struct {
	Starts  []uint32
	Days    []calendar.Day
	Lines   []uint32        // which line of the feed each is; nil unless asked
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

// after is how many of some lines lie on a day or before it: all of them often.
func (v *Events) after(from, to int, day calendar.Day) int {
	if from == to || v.Days[to-1] <= day {
		return to - from
	}
	low, high := from, to-1 // the first behind the day is among these
	for low < high {
		if middle := int(uint(low+high) / 2); v.Days[middle] > day {
			high = middle
		} else {
			low = middle + 1
		}
	}
	return low - from
}

// eventsKey names what is kept.
type eventsKey struct {
	feed, where, number, keys string
	level                     Level
	from                      int // the first chunk
	which                     bool
}

// Events finds the lines asked for, by code of a level: grouped where a line's
// subject belonged on its day. It is linear in the lines of the months that are
// asked for, and kept.
func (e *Engine) Events(l Lines, level Level) *Events {
	k := eventsKey{feed: l.Feed, number: l.Number, level: level, which: l.Which}
	if l.Where != nil {
		k.where = l.Where.Text
	}
	for _, name := range l.Keys {
		k.keys += name + "\x00"
	}
	f := e.Snapshot.Feeds[l.Feed]
	if f != nil && l.From != 0 {
		k.from = sort.Search(len(f.Chunks), func(i int) bool { return f.Chunks[i].Month.Last() >= l.From })
	}
	if v := e.events[k]; v != nil {
		return v
	}
	if !e.lasting(l, level) {
		v := e.findEvents(l, level, k.from)
		e.events[k] = v
		return v
	}
	// It hangs on the lines alone, so that the snapshot keeps it for all engines.
	v := e.Snapshot.Keep(k, func() (any, int, bool) {
		v := e.findEvents(l, level, k.from)
		return v, v.bytes(), !e.Stopped()
	}).(*Events)
	e.events[k] = v
	return v
}

// FirstDays is the day of the first line of those asked for, by code of a level; 0 where
// there is none. From is not looked at.
func (e *Engine) FirstDays(l Lines, level Level) []calendar.Day {
	size := e.Size(level)
	out := make([]calendar.Day, size)
	f, def, column, ok := e.joinedFeed(l.Feed, level)
	if !ok {
		return out
	}
	for _, p := range e.eventParts(f, level, 0, e.some(l, f, def, column, size)) {
		days := p.chunk.Days.ByLine()
		for k, code := range p.order.Codes {
			if out[code] == 0 {
				out[code] = p.chunk.Month.First() - 1 + calendar.Day(days[p.order.Lines[p.order.Starts[k]]])
			}
		}
	}
	return out
}

// findEvents gathers the lines of a feed's chunks, from one on, out of each one's
// order by code.
func (e *Engine) findEvents(l Lines, level Level, from int) *Events {
	size := e.Size(level)
	out := &Events{Starts: make([]uint32, size+1)}
	f, def, column, ok := e.joinedFeed(l.Feed, level)
	if !ok || from == len(f.Chunks) {
		return out
	}
	number := ledger.Column(f.Numbers, l.Number)
	keys := e.keyColumns(f, l.Keys)
	parts := e.eventParts(f, level, from, e.some(l, f, def, column, size))
	for _, p := range parts {
		for k, code := range p.order.Codes {
			out.Starts[code+1] += p.order.Starts[k+1] - p.order.Starts[k]
		}
	}
	for code := range size {
		out.Starts[code+1] += out.Starts[code]
	}
	total := out.Starts[size]
	out.Days = make([]calendar.Day, total)
	if l.Which {
		out.Lines = make([]uint32, total)
	}
	if number >= 0 {
		out.Amounts = make([]amount.Amount, total)
	}
	for range keys {
		out.Keys = append(out.Keys, make([]uint32, total))
	}
	next := slices.Clone(out.Starts[:size])
	for _, p := range parts {
		first, days := p.chunk.Month.First()-1, p.chunk.Days.ByLine()
		for k, code := range p.order.Codes {
			at := next[code]
			for _, i := range p.order.Lines[p.order.Starts[k]:p.order.Starts[k+1]] {
				out.Days[at] = first + calendar.Day(days[i])
				if l.Which {
					out.Lines[at] = p.ordinal + i
				}
				if number >= 0 {
					out.Amounts[at] = p.chunk.Numbers[number][i]
				}
				for k, of := range keys {
					out.Keys[k][at] = of(p.chunk, int(i))
				}
				at++
			}
			next[code] = at
		}
	}
	return out
}

// eventPart is lines of a chunk by code.
type eventPart struct {
	chunk   *ledger.Chunk
	ordinal uint32 // of the chunk's first line
	order   *ledger.Order
}

// someLines are lines of each chunk; kept says that they hang on the lines alone.
type someLines struct {
	ledger.Some
	kept bool
}

func (e *Engine) some(l Lines, f *ledger.Feed, def *rulebook.Feed, column, size int) someLines {
	pick, lasting := e.picker(l.Where, f, def)
	some := ledger.Some{Subject: column, Size: size, Pick: pick}
	if l.Where != nil {
		some.Where = l.Where.Text
	}
	return someLines{some, lasting}
}

// eventParts orders the lines of each chunk from one on. Those by subject the chunk
// keeps; groups and pairs hang on where each belonged.
func (e *Engine) eventParts(f *ledger.Feed, level Level, from int, some someLines) (parts []eventPart) {
	if level.Plain() && some.kept && from < len(f.Chunks) {
		e.chunksAhead(f.Chunks[from:], func(c *ledger.Chunk) { c.Order(some.Some) })
	}
	ordinal := uint32(0)
	for at, c := range f.Chunks {
		if e.Stopped() {
			return nil
		}
		if at >= from {
			p := eventPart{chunk: c, ordinal: ordinal}
			if level.Plain() && some.kept {
				p.order = c.Order(some.Some)
			} else {
				p.order = c.OrderBy(e.codesOf(c, level, some.Some), some.Pick, some.Size)
			}
			parts = append(parts, p)
		}
		ordinal += uint32(c.Days.Len())
	}
	return parts
}

// codesOf is the code of each line of a chunk at a level.
func (e *Engine) codesOf(c *ledger.Chunk, level Level, some ledger.Some) []uint32 {
	if level.Plain() {
		return c.Subjects[some.Subject]
	}
	scan := ledger.Scan{Subject: some.Subject, Size: some.Size}
	codes := make([]uint32, c.Days.Len())
	s := Slot{Level: level, First: c.Month.First(), Last: c.Month.Last()}
	Memory{e}.stretches(&ledger.Feed{Chunks: []*ledger.Chunk{c}}, s, scan, func(c *ledger.Chunk, part ledger.Scan) {
		for i := part.From; i < part.To; i++ {
			codes[i] = part.Code(c, i)
		}
	})
	return codes
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
	_, lasting := e.picker(l.Where, f, def)
	return lasting
}

func (v *Events) bytes() int {
	return 4*(len(v.Starts)+len(v.Days)+len(v.Lines)+len(v.Keys)*len(v.Days)) + 8*len(v.Amounts)
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
