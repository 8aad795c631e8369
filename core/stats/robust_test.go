package stats

import (
	"math/big"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

func TestMedianMADByHand(t *testing.T) {
	// 1 1 2 2 4 6 9: median 2, deviations 0 0 1 1 2 4 7, their median 1.
	m, mad := MedianMAD([]float64{6, 1, 2, 9, 1, 4, 2})
	assert.Equal(t, 2.0, m)
	assert.Equal(t, 1.0, mad)
	// 1 2 3 10: median 2.5, deviations 0.5 0.5 1.5 7.5, their median 1.
	m, mad = MedianMAD([]float64{10, 1, 3, 2})
	assert.Equal(t, 2.5, m)
	assert.Equal(t, 1.0, mad)
}

// Floats and rationals agree, moving all values moves the median with them,
// and one extreme value does not move the scale.
func TestMedianMADProperties(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		ints := rapid.SliceOfN(rapid.Int64Range(-1000, 1000), 3, 40).Draw(t, "xs")
		xs, rats := make([]float64, len(ints)), make([]*big.Rat, len(ints))
		for i, v := range ints {
			xs[i], rats[i] = float64(v), big.NewRat(v, 1)
		}
		m, mad := MedianMAD(xs)
		rm, rmad := MedianMADRat(rats)
		fm, _ := rm.Float64()
		fmad, _ := rmad.Float64()
		assert.Equal(t, fm, m)
		assert.Equal(t, fmad, mad)
		for i := range xs {
			xs[i] += 7
		}
		moved, same := MedianMAD(xs)
		assert.Equal(t, m+7, moved)
		assert.Equal(t, mad, same)
		_, wide := MedianMAD(append(xs, 1e12, -1e12))
		assert.LessOrEqual(t, wide, 2000.0)
	})
}
