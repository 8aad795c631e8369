package ledger

import (
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/lang"
)

var october = calendar.Date(2026, 10, 1).Month()

// drawChunk draws a month of lines of five reps and four customers.
func drawChunk(t *rapid.T, m calendar.Month) *Chunk {
	c := &Chunk{Month: m, Subjects: make([][]uint32, 2), Numbers: make([][]amount.Amount, 1)}
	day := 1
	for range rapid.IntRange(0, 40).Draw(t, "lines") {
		day = min(int(m.Last()-m.First())+1, day+rapid.IntRange(0, 3).Draw(t, "later"))
		c.Days.Add(day)
		c.Subjects[0] = append(c.Subjects[0], rapid.Uint32Range(0, 4).Draw(t, "rep"))
		c.Subjects[1] = append(c.Subjects[1], rapid.Uint32Range(0, 3).Draw(t, "customer"))
		n := amount.Missing
		if rapid.IntRange(0, 4).Draw(t, "there") > 0 {
			n = amount.Amount(rapid.Int64Range(-1e6, 1e6).Draw(t, "number"))
		}
		c.Numbers[0] = append(c.Numbers[0], n)
	}
	return c
}

// Every way of aggregating gives what a plain loop gives: with and without a
// mask, groups, a range of days, and values missing.
func TestScansAreWhatAPlainLoopGives(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		c := drawChunk(t, october)
		s := Scan{Subject: rapid.IntRange(-1, 0).Draw(t, "subject"), Size: 5}
		if s.Subject == 0 && rapid.Bool().Draw(t, "grouped") {
			s.Groups = []uint32{0, 1, 1, 2, 0}
		}
		if rapid.Bool().Draw(t, "masked") {
			for range c.Days.All() {
				s.Mask = append(s.Mask, rapid.Bool().Draw(t, "counts"))
			}
		}
		first := october.First() + calendar.Day(rapid.IntRange(0, 30).Draw(t, "first"))
		last := first + calendar.Day(rapid.IntRange(0, 40).Draw(t, "days"))
		s.From, s.To = c.Between(first, last)
		sums, lines := map[uint32]amount.Amount{}, map[uint32]uint32{}
		values := map[uint32]uint32{}
		lows, lasts := map[uint32]amount.Amount{}, map[uint32]amount.Amount{}
		others := map[uint32]map[uint32]bool{}
		for i, d := range c.Days.All() {
			day := october.First() + calendar.Day(d) - 1
			if day < first || day > last || s.Mask != nil && !s.Mask[i] {
				continue
			}
			code := uint32(0)
			if s.Subject == 0 {
				if code = c.Subjects[0][i]; s.Groups != nil {
					code = s.Groups[code]
				}
			}
			lines[code]++
			if others[code] == nil {
				others[code] = map[uint32]bool{}
			}
			others[code][c.Subjects[1][i]] = true
			n := c.Numbers[0][i]
			if n == amount.Missing {
				continue
			}
			if values[code] == 0 || n < lows[code] {
				lows[code] = n
			}
			values[code]++
			sums[code] += n
			lasts[code] = n
		}
		sum, count := c.Sum(s), c.Count(s)
		low := c.Pick(s, func(a, b amount.Amount) bool { return a < b }, false)
		final := c.Pick(s, nil, false)
		distinct := Distinct([]*Chunk{c}, []Scan{s}, 1, 4)
		for code := range uint32(5) {
			assert.Equal(t, sums[code], sum.Amounts[code])
			assert.Equal(t, values[code], sum.Counts[code])
			assert.Equal(t, lines[code], count.Counts[code])
			assert.Equal(t, amount.FromInt(int64(len(others[code]))), distinct.Amounts[code])
			if values[code] > 0 {
				assert.Equal(t, lows[code], low.Amounts[code])
				assert.Equal(t, lasts[code], final.Amounts[code])
			}
		}
	})
}

func TestLastDaysAreWhatAPlainLoopGives(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		f := &Feed{Chunks: []*Chunk{drawChunk(t, october-2), drawChunk(t, october)}}
		asOf := (october - 2).First() + calendar.Day(rapid.IntRange(0, 95).Draw(t, "as of"))
		want := []calendar.Day{Never, Never, Never, Never, Never}
		for _, c := range f.Chunks {
			for i, d := range c.Days.All() {
				day := c.Month.First() + calendar.Day(d) - 1
				if day <= asOf {
					want[c.Subjects[0][i]] = max(want[c.Subjects[0][i]], day)
				}
			}
		}
		assert.Equal(t, want, f.LastDays(0, 5, asOf))
	})
}

// A column whose sum could overflow is added with care; the overflow is said.
func TestSumsThatLeaveTheRange(t *testing.T) {
	huge := amount.Amount(math.MaxInt64 / 3)
	c := &Chunk{Month: october, Subjects: [][]uint32{{0, 0, 1, 0}}, Numbers: [][]amount.Amount{{huge, huge, 5, huge}}}
	for day := range 4 {
		c.Days.Add(day + 1)
	}
	assert.True(t, c.Sum(Scan{Subject: 0, Size: 2, To: 4}).Beyond)
	part := c.Sum(Scan{Subject: 0, Size: 2, To: 3})
	assert.False(t, part.Beyond)
	assert.Equal(t, []amount.Amount{2 * huge, 5}, part.Amounts)
}

func TestAttributesChangeFromADayOn(t *testing.T) {
	text := func(s string) lang.Value { return lang.Value{Type: lang.TextType, Text: s} }
	r := NewRegister("rep", []string{"R0", "R1"}, []string{"A", "B"})
	day := october.First()
	r.SetAttribute("territory", []lang.Value{text("North"), {}}, Dated{day + 9, 0, text("West")}, Dated{day + 4, 0, text("South")},
		Dated{day + 9, 1, text("North")})
	at := func(d calendar.Day, code uint32) string { return r.Value("territory", code, d).Text }
	assert.Equal(t, []string{"North", "South", "South", "West"}, []string{at(day+3, 0), at(day+4, 0), at(day+8, 0), at(day+9, 0)})
	assert.Equal(t, []string{"", "North"}, []string{at(day+8, 1), at(day+9, 1)})
	assert.Equal(t, []calendar.Day{day + 4, day + 9}, r.Attributes["territory"].Turns(day, day+30))
	assert.Empty(t, r.Attributes["territory"].Turns(day+4, day+8))
	assert.Equal(t, lang.Value{}, r.Value("manager", 0, day))
}

func TestActiveDaysTouchTheMonth(t *testing.T) {
	r := NewRegister("rep", []string{"R0"}, []string{"A"})
	assert.True(t, r.Active(0, october.First(), october.Last()))
	r.SetActive(0, Spell{october.Last(), october.Last()})
	assert.True(t, r.Active(0, october.First(), october.Last()))
	assert.False(t, r.Active(0, (october-1).First(), (october-1).Last()))
	assert.False(t, r.Active(0, (october+1).First(), (october+1).Last()))
}

func TestTargetsAreKeptByMonth(t *testing.T) {
	s := &Sheet{Months: map[calendar.Month][]amount.Amount{}}
	s.Set(october, 2, 7)
	got, ok := s.Target(october, 2)
	assert.True(t, ok)
	assert.Equal(t, amount.Amount(7), got)
	for _, code := range []uint32{0, 1, 3} {
		_, ok := s.Target(october, code)
		assert.False(t, ok, "no target is none, not zero")
	}
	_, ok = s.Target(october+1, 2)
	assert.False(t, ok)
	_, ok = (*Sheet)(nil).Target(october, 0)
	assert.False(t, ok)
}

// One chunk holds all lines of some days where no other does, and none of its own
// lies outside them.
func TestTheOnlyChunkWithinSomeDays(t *testing.T) {
	month := func(m int) *Chunk { return &Chunk{Month: calendar.MonthOf(2026, time.Month(m))} }
	september, october := month(9), month(10)
	f := &Feed{Chunks: []*Chunk{september, october}}
	day := func(m, d int) calendar.Day { return calendar.Date(2026, time.Month(m), d) }
	assert.Same(t, october, f.Within(day(10, 1), day(10, 31)))
	assert.Same(t, october, f.Within(day(10, 1), day(12, 31)))
	assert.Same(t, september, f.Within(day(1, 1), day(9, 30)))
	assert.Nil(t, f.Within(day(9, 30), day(10, 31)), "a day of September")
	assert.Nil(t, f.Within(day(9, 1), day(10, 1)), "a day of October")
	assert.Nil(t, f.Within(day(10, 2), day(10, 31)))
	assert.Nil(t, f.Within(day(10, 1), day(10, 30)))
	assert.Nil(t, f.Within(day(11, 1), day(11, 30)))
}

// Whoever is active throughout some days is active on each of them, by whatever rows.
func TestActiveThroughout(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		r := NewRegister("rep", []string{"R0", "R1"}, []string{"A", "B"})
		begin := october.First()
		day := func(name string) calendar.Day {
			if rapid.IntRange(0, 3).Draw(t, name+" open") == 0 {
				return Never
			}
			return begin + calendar.Day(rapid.IntRange(0, 20).Draw(t, name))
		}
		var rows []ActiveRow
		from := begin - 5
		for range rapid.IntRange(1, 4).Draw(t, "rows") {
			rows = append(rows, ActiveRow{From: from, Active: Spell{day("first"), day("last")}})
			from += calendar.Day(rapid.IntRange(1, 9).Draw(t, "later"))
		}
		r.SetRows(0, rows)
		for first := begin - 2; first < begin+22; first++ {
			all := true
			for last := first; last < begin+24; last++ {
				all = all && r.Active(0, last, last)
				assert.Equal(t, all, r.Throughout(0, first, last), "%d to %d of %v", first-begin, last-begin, rows)
			}
		}
		assert.True(t, r.Throughout(1, begin, begin+1000), "nobody said otherwise")
	})
}
