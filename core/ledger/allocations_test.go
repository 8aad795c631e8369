package ledger

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"oskel/core/amount"
	"oskel/core/calendar"
)

// The loops over lines allocate nothing per line: ten times the lines cost the
// same number of allocations.
func TestNothingIsAllocatedPerLine(t *testing.T) {
	chunk := func(lines int) *Chunk {
		c := &Chunk{Month: calendar.MonthOf(2026, 10), Subjects: [][]uint32{{}, {}}, Numbers: [][]amount.Amount{{}}}
		for i := range lines {
			c.Days.Add(1 + i*28/lines)
			c.Subjects[0] = append(c.Subjects[0], uint32(i%50))
			c.Subjects[1] = append(c.Subjects[1], uint32(i%7))
			c.Numbers[0] = append(c.Numbers[0], amount.Amount(i))
		}
		return c
	}
	small, large := chunk(1000), chunk(10_000)
	groups := make([]uint32, 50)
	for name, scan := range map[string]func(c *Chunk){
		"sum":      func(c *Chunk) { c.Sum(Scan{Subject: 0, Size: 50, To: c.Days.Len()}) },
		"grouped":  func(c *Chunk) { c.Sum(Scan{Subject: 0, Groups: groups, Size: 1, To: c.Days.Len()}) },
		"count":    func(c *Chunk) { c.Count(Scan{Subject: 0, Size: 50, To: c.Days.Len()}) },
		"pick":     func(c *Chunk) { c.Pick(Scan{Subject: 0, Size: 50, To: c.Days.Len()}, nil, true) },
		"distinct": func(c *Chunk) { Distinct([]*Chunk{c}, []Scan{{Subject: 0, Size: 50, To: c.Days.Len()}}, 1, 7) },
	} {
		few := testing.AllocsPerRun(5, func() { scan(small) })
		many := testing.AllocsPerRun(5, func() { scan(large) })
		assert.LessOrEqual(t, many, few+1, name)
	}
}
