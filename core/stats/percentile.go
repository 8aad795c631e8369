package stats

import (
	"math/big"
	"slices"
)

// Percentile is the quantile p (0 to 1) of xs by linear interpolation at
// (n - 1) p: type 7 of Hyndman and Fan, Sample Quantiles in Statistical
// Packages (1996), with a bound on its rounding error. xs must not be empty and
// is left as it is.
func Percentile(xs []float64, p *big.Rat) (v, bound float64) {
	work := slices.Clone(xs)
	at, rest := place(p, len(work))
	low := Nth(work, at)
	if rest.Sign() == 0 {
		return low, 0
	}
	r, _ := rest.Float64()
	next := slices.Min(work[at+1:])
	// The gap, its share and the sum are each rounded; the gap is at most twice
	// the widest.
	return low + r*(next-low), 8 * max(next, -next, low, -low) * 0x1p-52
}

// place is where the quantile p lies among n values in order: between number
// low, from 0, and the next, a rest of the way on.
func place(p *big.Rat, n int) (low int, rest *big.Rat) {
	at := new(big.Rat).Mul(p, big.NewRat(int64(n-1), 1))
	low = int(new(big.Int).Quo(at.Num(), at.Denom()).Int64())
	return low, at.Sub(at, big.NewRat(int64(low), 1))
}
