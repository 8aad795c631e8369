package ledger

import (
	"fmt"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"

	"oskel/core/amount"
)

// What a chunk remembers stays below its bound, at any size it is asked, and
// what was remembered first by several is one.
func TestWhatIsRememberedIsBounded(t *testing.T) {
	const most = 4096
	var m memo[*Totals]
	one := func() *Totals { return &Totals{Amounts: make([]amount.Amount, 32)} } // 384 bytes
	for i := range 1000 {
		kept := m.put(i, one(), most)
		there, _ := m.get(i)
		assert.Same(t, kept, there, "what came last is there")
		size := 0
		for _, of := range m.all {
			size += of.bytes()
		}
		assert.Equal(t, size, m.size)
		assert.LessOrEqual(t, size, most)
	}
	first, _ := m.get(999)
	assert.Same(t, first, m.put(999, one(), most), "who comes second takes what is there")
	// One that is larger than all that may be remembered is answered all the same.
	large := &Totals{Amounts: make([]amount.Amount, most)}
	assert.Same(t, large, m.put("large", large, most))
}

func TestRememberingAtOnce(t *testing.T) {
	var m memo[*Totals]
	var wait sync.WaitGroup
	got := make([][]*Totals, 8)
	for w := range got {
		wait.Go(func() {
			for i := range 50 {
				got[w] = append(got[w], m.put(fmt.Sprint(i), &Totals{}, 1<<20))
			}
		})
	}
	wait.Wait()
	for w := range got {
		assert.Equal(t, len(got[0]), len(got[w]))
		for i := range got[w] {
			assert.Same(t, got[0][i], got[w][i])
		}
	}
}

// A figure for each code is kept with totals of which a good part of the codes have a line,
// and counted; of a few among many it is made each time, so that a chunk of few lines
// does not forget all it knows for one such.
func TestWhatIsMadeOfTotals(t *testing.T) {
	made := func(of *Totals) (times int) {
		for range 3 {
			assert.Equal(t, "made", of.Made(func() any { times++; return "made" }))
		}
		return times
	}
	of := func(size, some int) *Totals {
		return &Totals{Size: size, Codes: make([]uint32, some), Counts: make([]uint32, some)}
	}
	dense := NewTotals(1000, true)
	assert.Equal(t, 1, made(dense))
	assert.Equal(t, 128+12*1000+17*1000, dense.bytes())
	quarter := of(1000, 250)
	assert.Equal(t, 1, made(quarter))
	assert.Equal(t, 128+8*250+17*1000, quarter.bytes())
	few := of(1000, 249)
	assert.Equal(t, 3, made(few))
	assert.Equal(t, 128+8*249, few.bytes())
}

// Of 200,000 registered customers few buy in a month: what a chunk of 1,000 lines is asked
// of them it still knows afterwards.
func TestAChunkOfFewLinesRemembers(t *testing.T) {
	const lines, customers = 1000, 200_000
	c := &Chunk{Subjects: [][]uint32{make([]uint32, lines)}, Numbers: make([][]amount.Amount, 3)}
	for i := range lines {
		c.Days.Add(1)
		c.Subjects[0][i] = uint32(i * 7)
	}
	for k := range c.Numbers {
		c.Numbers[k] = make([]amount.Amount, lines)
		c.Memo(k, func() *Totals { return c.Sum(Scan{Size: customers, Number: k, To: lines}) })
	}
	for k := range c.Numbers {
		assert.True(t, c.Remembers(k))
	}
}
