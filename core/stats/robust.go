// Package stats holds the statistics of the outlier rules over plain slices.
//
// Everything comes twice: in floating point for speed, and in rationals for
// the few values that lie too near a cut to be decided otherwise.
package stats

import (
	"math/big"
	"slices"
)

// RobustFactor makes the scaled median absolute deviation of a normal
// population agree with its standard deviation: 0.6745 is its upper quartile.
// Source: Iglewicz and Hoaglin, How to Detect and Handle Outliers (1993).
const RobustFactor = 0.6745

// RobustFactorRat is RobustFactor exactly.
var RobustFactorRat = big.NewRat(6745, 10000)

// MedianMAD is the median of xs and the unscaled median of the absolute
// deviations from it. The median of an even count is the mean of the middle
// two. xs must not be empty, hold no NaN, and is left as it is.
func MedianMAD(xs []float64) (median, mad float64) {
	work := slices.Clone(xs)
	median = middle(work)
	for i, x := range xs {
		work[i] = max(x-median, median-x)
	}
	return median, middle(work)
}

// Median is that of MedianMAD alone.
func Median(xs []float64) float64 { return middle(slices.Clone(xs)) }

// MedianRat is Median in rationals.
func MedianRat(xs []*big.Rat) *big.Rat { return middleRat(slices.Clone(xs)) }

func middle(xs []float64) float64 {
	low, high := Middles(xs)
	return (low + high) / 2
}

// MedianMADRat is MedianMAD in rationals.
func MedianMADRat(xs []*big.Rat) (median, mad *big.Rat) {
	work := slices.Clone(xs)
	median = middleRat(work)
	for i, x := range xs {
		d := new(big.Rat).Sub(x, median)
		work[i] = d.Abs(d)
	}
	return median, middleRat(work)
}

func middleRat(xs []*big.Rat) *big.Rat {
	slices.SortFunc(xs, (*big.Rat).Cmp)
	n := len(xs)
	if n%2 == 1 {
		return xs[n/2]
	}
	sum := new(big.Rat).Add(xs[n/2-1], xs[n/2])
	return sum.Quo(sum, big.NewRat(2, 1))
}
