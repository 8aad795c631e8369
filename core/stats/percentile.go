package stats

import (
	"math"
	"math/big"
	"slices"
)

// Percentile is the quantile p (0 to 1) of xs by linear interpolation at
// (n - 1) p: type 7 of Hyndman and Fan, Sample Quantiles in Statistical
// Packages (1996). xs must not be empty and is left as it is.
func Percentile(xs []float64, p float64) float64 {
	work := slices.Clone(xs)
	slices.Sort(work)
	at := p * float64(len(work)-1)
	low := int(math.Floor(at))
	if low >= len(work)-1 {
		return work[len(work)-1]
	}
	return work[low] + (at-float64(low))*(work[low+1]-work[low])
}

// PercentileRat is Percentile in rationals.
func PercentileRat(xs []*big.Rat, p *big.Rat) *big.Rat {
	work := slices.Clone(xs)
	slices.SortFunc(work, (*big.Rat).Cmp)
	at := new(big.Rat).Mul(p, big.NewRat(int64(len(work)-1), 1))
	low := new(big.Int).Quo(at.Num(), at.Denom()).Int64()
	if low >= int64(len(work)-1) {
		return work[len(work)-1]
	}
	rest := at.Sub(at, big.NewRat(low, 1))
	step := new(big.Rat).Sub(work[low+1], work[low])
	return step.Mul(step, rest).Add(step, work[low])
}
