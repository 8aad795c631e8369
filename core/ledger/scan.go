package ledger

import (
	"math"
	"slices"
	"sync"

	"oskel/core/amount"
	"oskel/core/calendar"
)

// Scan says what to aggregate over lines From to To-1 of a chunk.
type Scan struct {
	Subject  int      // the subject column that codes come from; -1 is one code, 0, for all
	Groups   []uint32 // the code that each subject counts under; nil is its own
	Codes    []uint32 // the code of each line; nil is that of its Subject
	Size     int      // how many codes there are
	Number   int      // the number column
	Mask     []bool   // the lines that count; nil is all
	From, To int
}

// Code is the code that a line counts under, or Nobody.
func (s Scan) Code(c *Chunk, i int) uint32 {
	if s.Codes != nil {
		return s.Codes[i]
	}
	if s.Subject < 0 {
		return 0
	}
	code := c.Subjects[s.Subject][i]
	if s.Groups != nil && code != Nobody {
		return s.Groups[code]
	}
	return code
}

// own is the column that holds the lines' codes as they are counted, none of
// them Nobody, or nil where there is no such column.
func (s Scan) own(c *Chunk) []uint32 {
	switch {
	case s.Codes != nil && !slices.Contains(s.Codes[s.From:s.To], Nobody):
		return s.Codes
	case s.Codes == nil && s.Subject >= 0 && s.Groups == nil && c.names(s.Subject):
		return c.Subjects[s.Subject]
	}
	return nil
}

// countKey names the line counts that sums over a chunk share.
type countKey struct{ subject, size int }

// Sum adds a number per code.
func (c *Chunk) Sum(s Scan) *Totals {
	if own := s.own(c); own != nil && s.Mask == nil && c.safe(s.Number) {
		// The hot loops: nothing can overflow, nothing is left out.
		codes, values := own[s.From:s.To], c.Numbers[s.Number][s.From:s.To]
		values = values[:len(codes)]
		if c.complete(s.Number) && s.Codes == nil && s.From == 0 && s.To == c.Days.Len() {
			// Every line has a value, so the counts are those of the lines.
			return c.Count(s).with(func(sums []amount.Amount) {
				for i, code := range codes {
					sums[code] += values[i]
				}
			})
		}
		return c.total(s, true, func(t *Totals) {
			for i, code := range codes {
				if v := values[i]; v != amount.Missing {
					t.Amounts[code] += v
					t.Counts[code]++
				}
			}
		})
	}
	numbers := c.Numbers[s.Number]
	return c.total(s, true, func(t *Totals) {
		for i := s.From; i < s.To; i++ {
			if numbers[i] == amount.Missing || s.Mask != nil && !s.Mask[i] {
				continue
			}
			code := s.Code(c, i)
			if code == Nobody {
				continue
			}
			sum, err := amount.Add(t.Amounts[code], numbers[i])
			if err != nil {
				t.Beyond = true
				return
			}
			t.Amounts[code] = sum
			t.Counts[code]++
		}
	})
}

// Count counts lines per code; those of a whole chunk are counted once, since
// sums share them.
func (c *Chunk) Count(s Scan) *Totals {
	if s.Mask == nil && s.Groups == nil && s.Codes == nil && s.From == 0 && s.To == c.Days.Len() {
		return c.Memo(countKey{s.Subject, s.Size}, func() *Totals { return c.count(s) })
	}
	return c.count(s)
}

func (c *Chunk) count(s Scan) *Totals {
	return c.total(s, false, func(t *Totals) {
		if own := s.own(c); own != nil && s.Mask == nil {
			for _, code := range own[s.From:s.To] {
				t.Counts[code]++
			}
			return
		}
		for i := s.From; i < s.To; i++ {
			if code := s.Code(c, i); code != Nobody && (s.Mask == nil || s.Mask[i]) {
				t.Counts[code]++
			}
		}
	})
}

// Pick keeps one value per code: with better, the one that is better than all
// others; without, the first or last in date order.
func (c *Chunk) Pick(s Scan, better func(a, b amount.Amount) bool, first bool) *Totals {
	numbers := c.Numbers[s.Number]
	return c.total(s, true, func(t *Totals) {
		for i := s.From; i < s.To; i++ {
			if numbers[i] == amount.Missing || s.Mask != nil && !s.Mask[i] {
				continue
			}
			code := s.Code(c, i)
			switch {
			case code == Nobody:
				continue
			case t.Counts[code] == 0, better != nil && better(numbers[i], t.Amounts[code]), better == nil && !first:
				t.Amounts[code] = numbers[i]
			}
			t.Counts[code]++
		}
	})
}

// safe says whether no sum over the chunk can leave the range of Amounts.
func (c *Chunk) safe(number int) bool {
	peak := c.facts(number).peak
	return peak == 0 || uint64(c.Days.Len()) < math.MaxInt64/2/uint64(peak)
}

func (c *Chunk) complete(number int) bool { return c.facts(number).complete }

// facts are what is known of a number column once and for all.
type facts struct {
	once     sync.Once
	peak     amount.Amount // the largest absolute value
	complete bool          // no value is missing
}

func (c *Chunk) facts(number int) *facts {
	c.learn()
	f := &c.known[number]
	f.once.Do(func() {
		low, high, present := amount.Amount(0), amount.Amount(0), 0
		for _, v := range c.Numbers[number] {
			if v != amount.Missing {
				present++
				low, high = min(low, v), max(high, v)
			}
		}
		f.complete, f.peak = present == len(c.Numbers[number]), max(-low, high)
	})
	return f
}

// Distinct counts, per code, the different codes of another subject column
// over several chunks' lines. Lines are sorted by code first, by counting, so
// that one stamp a subject tells what was seen.
func Distinct(chunks []*Chunk, scans []Scan, other, others int) *Totals {
	t := NewTotals(scans[0].Size, true)
	starts := make([]uint32, scans[0].Size+1)
	total := 0
	each := func(visit func(code, other uint32)) {
		for k, c := range chunks {
			s := scans[k]
			column := c.Subjects[other]
			for i := s.From; i < s.To; i++ {
				if code := s.Code(c, i); code != Nobody && column[i] != Nobody && (s.Mask == nil || s.Mask[i]) {
					visit(code, column[i])
				}
			}
		}
	}
	each(func(code, _ uint32) { starts[code+1]++; total++ })
	for i := 1; i < len(starts); i++ {
		starts[i] += starts[i-1]
	}
	sorted := make([]uint32, total)
	next := append([]uint32(nil), starts[:len(starts)-1]...)
	each(func(code, o uint32) { sorted[next[code]] = o; next[code]++ })
	stamp := make([]uint32, others)
	for code := range t.Counts {
		n := int64(0)
		for _, o := range sorted[starts[code]:starts[code+1]] {
			if stamp[o] != uint32(code)+1 {
				stamp[o] = uint32(code) + 1
				n++
			}
		}
		t.Counts[code] = starts[code+1] - starts[code]
		t.Amounts[code] = amount.FromInt(n)
	}
	return t
}

// Between is the range of lines of the days first to last, both included.
func (c *Chunk) Between(first, last calendar.Day) (from, to int) {
	begin := c.Month.First()
	if first <= begin && last >= c.Month.Last() {
		return 0, c.Days.Len()
	}
	return c.Days.From(int(first - begin + 1)), c.Days.From(int(last-begin) + 2)
}

// LastDays is the last day up to asOf, it included, on which each subject has
// a line; Never where there is none.
func (f *Feed) LastDays(subjectColumn, subjects int, asOf calendar.Day) []calendar.Day {
	last := make([]calendar.Day, subjects)
	for i := range last {
		last[i] = Never
	}
	left := subjects
	// The newest chunks first: a subject seen needs no older line.
	for k := len(f.Chunks) - 1; k >= 0 && left > 0; k-- {
		c := f.Chunks[k]
		first := c.Month.First()
		if first > asOf {
			continue
		}
		_, to := c.Between(first, asOf)
		codes := c.Subjects[subjectColumn]
		for i := to - 1; i >= 0; i-- {
			if code := codes[i]; code != Nobody && last[code] == Never {
				last[code] = first + calendar.Day(c.Days.Of(i)) - 1
				left--
			}
		}
	}
	return last
}
