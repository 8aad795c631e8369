package stats

import (
	"math"
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
