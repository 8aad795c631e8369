package ledger

import (
	"fmt"
	"iter"
	"sort"
)

// Days are the days of a month's lines, which lie in date order: how many lines there
// are through each day of the month, so that a line costs nothing. The zero value is no
// lines.
type Days struct{ through [32]uint32 }

// Add is one more line on a day of the month, 1 to 31. It panics where the day is before
// that of a line that is there: lines come in date order.
func (d *Days) Add(day int) {
	if d.through[day] != d.through[31] {
		panic(fmt.Sprintf("a line of day %d after lines of later days", day))
	}
	for k := day; k < len(d.through); k++ {
		d.through[k]++
	}
}

// Len is how many lines there are.
func (d *Days) Len() int { return int(d.through[31]) }

// From is the first line on a day of the month or later; the number of lines where
// there is none.
func (d *Days) From(day int) int { return int(d.through[min(max(day, 1), 32)-1]) }

// Of is the day of the month of one line.
func (d *Days) Of(line int) int {
	return sort.Search(31, func(day int) bool { return int(d.through[day]) > line })
}

// All are the lines in order, each with its day of the month.
func (d *Days) All() iter.Seq2[int, int] {
	return func(yield func(line, day int) bool) {
		for day := 1; day < len(d.through); day++ {
			for i := int(d.through[day-1]); i < int(d.through[day]); i++ {
				if !yield(i, day) {
					return
				}
			}
		}
	}
}

// ByLine is the day of the month of each line, for readers that go through lines in
// another order than that of the days.
func (d *Days) ByLine() []uint8 {
	out := make([]uint8, 0, d.Len())
	for _, day := range d.All() {
		out = append(out, uint8(day))
	}
	return out
}
