package ledger

import (
	"fmt"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"

	"oskel/core/amount"
)

// What a chunk remembers stays below its bound, however much it is asked, and
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
