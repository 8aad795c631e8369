package measure

import (
	"math/bits"
	"slices"
	"sync"
	"sync/atomic"

	"oskel/core/calendar"
	"oskel/core/ledger"
	"oskel/core/stats"
)

// Seen is on which days the lines asked for lie, by code of a level, up to a day.
type Seen struct {
	Last []calendar.Day // ledger.Never where there is none
	Days []uint32       // how many there are

	parts []seenPart // by rising month
	size  int
	asked atomic.Int32 // for how many codes Of was asked
}

// seenPart is the days of a chunk by code.
type seenPart struct {
	chunk *ledger.Chunk
	codes []uint32         // of its lines
	holds func(i int) bool // for those that count; nil is all
	until uint32           // the days that count
	days  *ledger.DaySets
	order func() *ledger.Order // of its lines by code
}

// Seen reads the lines asked for, all up to a day, it included.
func (e *Engine) Seen(l Lines, level Level, until calendar.Day) *Seen {
	size := e.Size(level)
	s := &Seen{Last: make([]calendar.Day, size), Days: make([]uint32, size), size: size}
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
			p.order = func() *ledger.Order { return c.Order(some.Some) }
		} else {
			p.days = c.DaySetsBy(p.codes, some.Pick, size)
			p.order = sync.OnceValue(func() *ledger.Order { return c.OrderBy(p.codes, some.Pick, size) })
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

// TwiceUsualGaps are twice the median of the days between neighbouring days with a
// line, of those codes that are asked for and have two such days; 0 of the others.
func (s *Seen) TwiceUsualGaps(asked []bool) []uint32 {
	ends := make([]uint32, len(asked)) // of the gaps of each code so far
	last := make([]calendar.Day, len(asked))
	n := uint32(0)
	for code, is := range asked {
		if ends[code], last[code] = n, ledger.Never; is && s.Days[code] > 0 {
			n += s.Days[code] - 1
		}
	}
	starts, gaps := slices.Clone(ends), make([]uint32, n)
	for _, p := range s.parts {
		first := p.chunk.Month.First() - 1
		for k, code := range p.days.Codes {
			if !asked[code] {
				continue
			}
			for set := p.days.Sets[k] & p.until; set != 0; set &= set - 1 {
				day := first + calendar.Day(bits.TrailingZeros32(set))
				if last[code] != ledger.Never {
					gaps[ends[code]] = uint32(day - last[code])
					ends[code]++
				}
				last[code] = day
			}
		}
	}
	for code, start := range starts {
		end := ends[code]
		if ends[code] = 0; end > start {
			low, high := stats.Middles(gaps[start:end])
			ends[code] = low + high
		}
	}
	return ends
}

// fewAsked is for how many codes the lines of their days are looked through; for
// more than that it is cheaper to put all lines in order once.
const fewAsked = 16

// Of are the days of one code's lines, one for each, in order.
func (s *Seen) Of(code uint32) (days []calendar.Day) {
	many := s.asked.Add(1) > fewAsked
	for _, p := range s.parts {
		k, found := slices.BinarySearch(p.days.Codes, code)
		if !found {
			continue
		}
		if many {
			days = p.ordered(days, code)
		} else {
			days = p.lookedThrough(days, code, p.days.Sets[k]&p.until)
		}
	}
	return days
}

// lookedThrough adds the days of a code's lines, out of all lines of the days on which
// it has one.
func (p *seenPart) lookedThrough(days []calendar.Day, code, set uint32) []calendar.Day {
	first := p.chunk.Month.First() - 1
	for ; set != 0; set &= set - 1 {
		day := first + calendar.Day(bits.TrailingZeros32(set))
		from, to := p.chunk.Between(day, day)
		for i := from; i < to; i++ {
			if p.codes[i] == code && (p.holds == nil || p.holds(i)) {
				days = append(days, day)
			}
		}
	}
	return days
}

// ordered adds the same out of the chunk's lines by code.
func (p *seenPart) ordered(days []calendar.Day, code uint32) []calendar.Day {
	o, first := p.order(), p.chunk.Month.First()-1
	k, _ := slices.BinarySearch(o.Codes, code)
	for _, i := range o.Lines[o.Starts[k]:o.Starts[k+1]] {
		if day := p.chunk.Days.Of(int(i)); p.until>>day&1 == 1 {
			days = append(days, first+calendar.Day(day))
		}
	}
	return days
}

// GapsOf are the days between neighbouring days on which one code has a line, the
// oldest first.
func (s *Seen) GapsOf(code uint32) (gaps []int) {
	last := ledger.Never
	for _, p := range s.parts {
		k, found := slices.BinarySearch(p.days.Codes, code)
		if !found {
			continue
		}
		first := p.chunk.Month.First() - 1
		for set := p.days.Sets[k] & p.until; set != 0; set &= set - 1 {
			day := first + calendar.Day(bits.TrailingZeros32(set))
			if last != ledger.Never {
				gaps = append(gaps, int(day-last))
			}
			last = day
		}
	}
	return gaps
}
