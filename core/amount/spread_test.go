package amount

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

const cent = Scale / 100

func TestSpreadByHand(t *testing.T) {
	assert.Equal(t, []Amount{333400, 333300, 333300}, Spread(FromInt(100), []Amount{1, 1, 1}, cent))
	assert.Equal(t, []Amount{FromInt(25), FromInt(75), 0}, Spread(FromInt(100), []Amount{FromInt(1), FromInt(3), 0}, cent))
	assert.Equal(t, []Amount{-333400, -333300, -333300}, Spread(-FromInt(100), []Amount{1, 1, 1}, cent))
}

// The parts add up to the total, to the last ten-thousandth, and none is a
// whole step off its true share.
func TestSpreadAddsUp(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		total := Amount(rapid.Int64Range(-1e15, 1e15).Draw(t, "total"))
		var weights []Amount
		var sum Amount
		for range rapid.IntRange(1, 12).Draw(t, "parts") {
			w := Amount(rapid.Int64Range(0, 1e7).Draw(t, "weight"))
			weights, sum = append(weights, w), sum+w
		}
		if sum == 0 {
			weights[0], sum = 1, 1
		}
		var added Amount
		for i, p := range Spread(total, weights, cent) {
			added += p
			share := total.Float() * float64(weights[i]) / float64(sum)
			assert.InDelta(t, share, p.Float(), 0.02+1e-9*max(share, -share))
		}
		assert.Equal(t, total, added)
	})
}
