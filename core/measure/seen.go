package measure

import (
	"math"
	"math/bits"
	"slices"
	"sync"
	"sync/atomic"

	"oskel/core/calendar"
	"oskel/core/ledger"
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
	f, def, column, ok := e.joinedFeed(l.Feed, level)
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

// UsualGapAtMost says, of each code that is asked for, whether twice the median of the
// days between its neighbouring days with a line is at most so much; of others 0 stands.
// Gaps are passed once and never laid side by side: how many are short tells it, unless
// just half of an even number are.
func (s *Seen) UsualGapAtMost(twice []uint32) []bool {
	type gaps struct {
		last    calendar.Day
		short   uint32 // how many are at most half of it
		longest uint32 // of these
		next    uint32 // the shortest of the others
	}
	all := make([]gaps, len(twice))
	for i := range all {
		all[i] = gaps{last: ledger.Never, next: math.MaxUint32}
	}
	for _, p := range s.parts {
		first := p.chunk.Month.First() - 1
		for k, code := range p.days.Codes {
			most := twice[code]
			if most == 0 {
				continue
			}
			g := &all[code]
			for set := p.days.Sets[k] & p.until; set != 0; set &= set - 1 {
				day := first + calendar.Day(bits.TrailingZeros32(set))
				switch gap := uint32(day - g.last); {
				case g.last == ledger.Never:
				case 2*gap <= most:
					g.short++
					g.longest = max(g.longest, gap)
				default:
					g.next = min(g.next, gap)
				}
				g.last = day
			}
		}
	}
	out := make([]bool, len(twice))
	for code, most := range twice {
		if most == 0 || s.Days[code] < 2 {
			continue
		}
		g, n := all[code], s.Days[code]-1
		out[code] = 2*g.short > n || 2*g.short == n && uint64(g.longest)+uint64(g.next) <= uint64(most)
	}
	return out
}

// fewAsked is for how many codes the lines of their days are looked through; for
// more than that it is cheaper to put all lines in order once.
const fewAsked = 4

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
