package stats

import (
	"math"
	"math/big"
	"slices"
)

// Near is a list of numbers known in floating point, each to within Error, and
// exactly when asked for. What it answers is exact, and asks only for those
// values that floating point cannot tell from the one that is wanted: of many
// values a few. It must not be empty and hold no NaN.
type Near struct {
	Values []float64
	Error  float64 // at least the distance of any value from its exact one
	Exact  func(i int) *big.Rat

	logs bool // what is exact is so to as many digits as Wide has
}

// Cmp compares numbers that are made of the exact values, by no more than a few steps of
// arithmetic: of logarithms those that cannot be told apart are equal.
func (n Near) Cmp(a, b *big.Rat) int {
	if !n.logs {
		return a.Cmp(b)
	}
	d := new(big.Rat).Sub(a, b)
	widest := max(bitsOf(a), bitsOf(b), 0) // what it is made of may be larger than it
	if d.Sign() != 0 && bitsOf(d) < widest-wideSame {
		return 0
	}
	return d.Sign()
}

// bitsOf is about how many binary digits a rational has before the point.
func bitsOf(r *big.Rat) int { return r.Num().BitLen() - r.Denom().BitLen() }

// Interval is where a value lies.
func (n Near) Interval(i int) Interval { return Around(n.Values[i], n.Error) }

// Wide is a value exactly.
func (n Near) Wide(i int) *big.Float { return Wide{}.Number(n.Exact(i)) }

// slack bounds the relative rounding error of a difference.
const slack = 0x1p-51

// Percentile is the exact quantile p (0 to 1) by the convention of the function
// Percentile.
func (n Near) Percentile(p *big.Rat) *big.Rat {
	below, rest := place(p, len(n.Values))
	room := make([]float64, len(n.Values))
	low := n.at(below, room)
	if rest.Sign() == 0 {
		return low
	}
	d := new(big.Rat).Sub(n.at(below+1, room), low)
	return d.Add(low, d.Mul(d, rest))
}

// MedianMAD is the exact median and the exact unscaled median of the absolute
// deviations from it.
func (n Near) MedianMAD() (median, mad *big.Rat) {
	half := big.NewRat(1, 2)
	median = n.Percentile(half)
	m, _ := median.Float64()
	deviations := Near{logs: n.logs, Values: make([]float64, len(n.Values)), Exact: func(i int) *big.Rat {
		d := new(big.Rat).Sub(n.Exact(i), median)
		return d.Abs(d)
	}}
	widest := math.Abs(m)
	for i, x := range n.Values {
		deviations.Values[i] = math.Abs(x - m)
		widest = max(widest, math.Abs(x))
	}
	deviations.Error = n.Error + widest*slack
	return median, deviations.Percentile(half)
}

// at is the exact k-th lowest value, from 0. It lies within Error of the k-th
// lowest in floating point, so all that are further than twice that from it
// are surely lower or surely higher. room is for as many values, and is written to.
func (n Near) at(k int, room []float64) *big.Rat {
	copy(room, n.Values)
	v := Nth(room, k)
	near := 2*n.Error + math.Abs(v)*slack
	lower := 0 // surely
	var values []*big.Rat
	for i, x := range n.Values {
		switch {
		case v-x > near:
			lower++
		case x-v <= near:
			values = append(values, n.Exact(i))
		}
	}
	slices.SortFunc(values, (*big.Rat).Cmp)
	return values[k-lower]
}
