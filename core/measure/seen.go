package measure

import (
	"math/bits"
	"slices"

	"oskel/core/calendar"
	"oskel/core/ledger"
)

// Seen is on which days the lines asked for lie, by code of a level, up to a day.
type Seen struct {
	Last []calendar.Day // ledger.Never where there is none
	Days []uint32       // how many there are

	parts []seenPart // by rising month
}

// seenPart is the days of a chunk by code.
type seenPart struct {
	chunk *ledger.Chunk
	codes []uint32         // of its lines
	holds func(i int) bool // for those that count; nil is all
	until uint32           // the days that count
	days  *ledger.DaySets
}

// Seen reads the lines asked for, all up to a day, it included.
func (e *Engine) Seen(l Lines, level Level, until calendar.Day) *Seen {
	size := e.Size(level)
	s := &Seen{Last: make([]calendar.Day, size), Days: make([]uint32, size)}
	for code := range s.Last {
		s.Last[code] = ledger.Never
	}
	f, def, column, ok := e.feedOf(l.Feed, level)
	if level.Paired() && ok {
		_, second := level.Sides()
		_, _, _, ok = e.feedOf(l.Feed, second)
	}
	if !ok {
		return s
	}
	some := e.some(l, f, def, column, size)
	var test func(*ledger.Chunk) func(i int) bool
	if lasting := true; l.Where != nil {
		test = e.lineTest(l.Where.Tree, f, def, &lasting)
	}
	chunks := f.Chunks
	for len(chunks) > 0 && chunks[len(chunks)-1].Month.First() > until {
		chunks = chunks[:len(chunks)-1]
	}
	if level.Plain() && some.kept {
		e.chunksAhead(chunks, func(c *ledger.Chunk) { c.DaySets(some.Some) })
	}
	for _, c := range chunks {
		if e.Stopped() {
			return s
		}
		p := seenPart{chunk: c, until: 1<<(min(until, c.Month.Last())-c.Month.First()+2) - 1}
		p.codes = e.codesOf(c, level, some.Some)
		if l.Where != nil {
			p.holds = test(c)
		}
		if level.Plain() && some.kept {
			p.days = c.DaySets(some.Some)
		} else {
			p.days = c.DaySetsBy(p.codes, some.Mask(c), size)
		}
		s.parts = append(s.parts, p)
		first := c.Month.First() - 1
		for k, code := range p.days.Codes {
			if set := p.days.Sets[k] & p.until; set != 0 {
				s.Last[code] = first + calendar.Day(bits.Len32(set)-1)
				s.Days[code] += uint32(bits.OnesCount32(set))
			}
		}
	}
	return s
}

// Gaps are the days between neighbouring days with a line, the oldest first, of
// those codes that are asked for; nil of the others.
func (s *Seen) Gaps(asked []bool) [][]int {
	out := make([][]int, len(asked))
	last := make([]calendar.Day, len(asked))
	n := 0
	for code, is := range asked {
		if is && s.Days[code] > 0 {
			n += int(s.Days[code]) - 1
		}
	}
	all := make([]int, n)
	for _, p := range s.parts {
		first := p.chunk.Month.First() - 1
		for k, code := range p.days.Codes {
			if !asked[code] {
				continue
			}
			for set := p.days.Sets[k] & p.until; set != 0; set &= set - 1 {
				day := first + calendar.Day(bits.TrailingZeros32(set))
				if out[code] == nil {
					most := s.Days[code] - 1
					out[code], all = all[:0:most], all[most:]
				} else {
					out[code] = append(out[code], int(day-last[code]))
				}
				last[code] = day
			}
		}
	}
	return out
}

// Of are the days of one code's lines, one for each, in order.
func (s *Seen) Of(code uint32) (days []calendar.Day) {
	for _, p := range s.parts {
		k, found := slices.BinarySearch(p.days.Codes, code)
		if !found {
			continue
		}
		first := p.chunk.Month.First() - 1
		for set := p.days.Sets[k] & p.until; set != 0; set &= set - 1 {
			day := first + calendar.Day(bits.TrailingZeros32(set))
			from, to := p.chunk.Between(day, day)
			for i := from; i < to; i++ {
				if p.codes[i] == code && (p.holds == nil || p.holds(i)) {
					days = append(days, day)
				}
			}
		}
	}
	return days
}
