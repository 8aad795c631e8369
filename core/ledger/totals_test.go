package ledger

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"oskel/core/amount"
	"oskel/core/calendar"
)

// Totals that list the codes they have say the same as dense ones, of every
// aggregate, and leave the working room clean for the next.
func TestTotalsDoNotDependOnHowTheyLie(t *testing.T) {
	const many = 3000
	rapid.Check(t, func(t *rapid.T) {
		c := &Chunk{Month: calendar.MonthOf(2026, 10), Subjects: [][]uint32{{}}, Numbers: [][]amount.Amount{{}}}
		missing := rapid.Bool().Draw(t, "some values are missing")
		n := rapid.IntRange(0, 40).Draw(t, "lines")
		for i := range n {
			c.Days.Add(1 + i*28/n)
			c.Subjects[0] = append(c.Subjects[0], rapid.Uint32Range(many-4, many-1).Draw(t, "code"))
			v := amount.Amount(rapid.Int64Range(-50, 50).Draw(t, "value"))
			if missing && v > 40 {
				v = amount.Missing
			}
			c.Numbers[0] = append(c.Numbers[0], v)
		}
		assert.True(t, sparse(many, n))
		scan := Scan{Subject: 0, Size: many, To: n}
		// The same lines by codes from 0: few enough to lie dense.
		low := &Chunk{Month: c.Month, Days: c.Days, Subjects: [][]uint32{make([]uint32, n)}, Numbers: c.Numbers}
		for i, code := range c.Subjects[0] {
			low.Subjects[0][i] = code - (many - 4)
		}
		few := Scan{Subject: 0, Size: 4, To: n}
		less := func(a, b amount.Amount) bool { return a < b }
		for name, both := range map[string][2]*Totals{
			"sum":     {c.Sum(scan), low.Sum(few)},
			"count":   {c.Count(scan), low.Count(few)},
			"minimum": {c.Pick(scan, less, false), low.Pick(few, less, false)},
			"last":    {c.Pick(scan, nil, false), low.Pick(few, nil, false)},
			"dense":   {c.Sum(scan).Dense(), low.Sum(few)},
		} {
			for code := range uint32(4) {
				n, a := both[0].At(code + many - 4)
				wantN, want := both[1].At(code)
				assert.Equal(t, wantN, n, "%s of %d", name, code)
				if n > 0 {
					assert.Equal(t, want, a, "%s of %d", name, code)
				}
			}
			n, _ := both[0].At(7)
			assert.Zero(t, n, "a code without a line")
			seen := 0
			for code, of := range both[0].All() {
				n, a := both[0].At(code)
				assert.Equal(t, of, Total{n, a})
				seen++
			}
			assert.LessOrEqual(t, seen, 4)
		}
	})
}
