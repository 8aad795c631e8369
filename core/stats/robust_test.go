package stats

import (
	"math/big"
	"slices"
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

// However wrong the floating-point figures are within their bound, what Near
// answers is what the rationals say; far from the middle it asks for none.
func TestNearIsExact(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		ints := rapid.SliceOfN(rapid.Int64Range(-60, 60), 1, 60).Draw(t, "xs")
		within := float64(rapid.IntRange(0, 4).Draw(t, "error"))
		n := Near{Values: make([]float64, len(ints)), Error: within}
		rats := make([]*big.Rat, len(ints))
		for i, v := range ints {
			rats[i] = big.NewRat(v, 3)
			x, _ := rats[i].Float64()
			n.Values[i] = x + within*rapid.Float64Range(-1, 1).Draw(t, "off")
			n.Error = max(n.Error, within+1e-12)
		}
		n.Exact = func(i int) *big.Rat { return rats[i] }
		median, mad := n.MedianMAD()
		wantMedian, wantMAD := MedianMADRat(rats)
		assert.Zero(t, wantMedian.Cmp(median))
		assert.Zero(t, wantMAD.Cmp(mad))
		top := slices.MaxFunc(rats, (*big.Rat).Cmp)
		assert.Zero(t, top.Cmp(n.Percentile(big.NewRat(1, 1))))
	})
	asked := 0
	n := Near{Values: make([]float64, 1001), Error: 0.1, Exact: func(i int) *big.Rat { asked++; return big.NewRat(int64(i), 1) }}
	for i := range n.Values {
		n.Values[i] = float64(i)
	}
	median, mad := n.MedianMAD()
	assert.Equal(t, "500 250", median.RatString()+" "+mad.RatString())
	assert.LessOrEqual(t, asked, 3)
}
