package cores_test

import (
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"

	"oskel/core/cores"
)

func TestAllIsDone(t *testing.T) {
	for _, n := range []int{0, 1, 2, 100} {
		var done atomic.Int32
		work := make([]func(), n)
		for i := range work {
			work[i] = func() { done.Add(1) }
		}
		cores.Do(work...)
		assert.EqualValues(t, n, done.Load())
	}
}

func TestAPanicIsOneOfWhoAsked(t *testing.T) {
	var others atomic.Int32
	other := func() { others.Add(1) }
	assert.PanicsWithValue(t, "broken", func() { cores.Do(other, func() { panic("broken") }) })
	assert.EqualValues(t, 1, others.Load())
}
