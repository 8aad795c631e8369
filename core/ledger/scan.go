package ledger

import (
	"oskel/core/amount"
	"oskel/core/calendar"
)

// Sums adds a column of numbers per subject over the lines of one month.
// sums[c] is the exact sum for subject c and counts[c] how many lines had a
// value. subjects is how many codes the kind has. A sum that leaves the range
// of Amounts is ErrRange.
func (c *Chunk) Sums(subjectColumn, numberColumn, subjects int) (sums []amount.Amount, counts []uint32, err error) {
	sums = make([]amount.Amount, subjects)
	counts = make([]uint32, subjects)
	numbers := c.Numbers[numberColumn]
	for i, code := range c.Subjects[subjectColumn] {
		n := numbers[i]
		if n == amount.Missing {
			continue
		}
		sum, bad := amount.Add(sums[code], n)
		if bad != nil {
			err = bad
			continue
		}
		sums[code] = sum
		counts[code]++
	}
	return sums, counts, err
}

// Counts counts the lines per subject of one month.
func (c *Chunk) Counts(subjectColumn, subjects int) []uint32 {
	counts := make([]uint32, subjects)
	for _, code := range c.Subjects[subjectColumn] {
		counts[code]++
	}
	return counts
}

// LastDays is the last day up to asOf, it included, on which each subject has
// a line; Never where there is none.
func (f *Feed) LastDays(subjectColumn, subjects int, asOf calendar.Day) []calendar.Day {
	last := make([]calendar.Day, subjects)
	for i := range last {
		last[i] = Never
	}
	for _, c := range f.Chunks {
		first := c.Month.First()
		for i, code := range c.Subjects[subjectColumn] {
			if day := first + calendar.Day(c.Days[i]) - 1; day <= asOf && day > last[code] {
				last[code] = day
			}
		}
	}
	return last
}
