package stats

import (
	"math"

	"gonum.org/v1/gonum/stat/distuv"
)

// quantileError bounds the relative error of the quantiles and probabilities of
// package distuv as they are used here.
const quantileError = 1e-9

// StudentT is the value that Student's distribution with so many degrees of
// freedom exceeds with probability q, below a half.
func StudentT(q float64, degrees int) Interval {
	t := studentT(q, float64(degrees))
	return Interval{t - math.Abs(t)*quantileError, t + math.Abs(t)*quantileError}
}

// studentT is a first value, of the two at hand the one whose tail is nearer, led on by the
// tail, which gonum knows to 3e-10 of itself up to a million degrees; its own quantiles go
// astray above some hundreds.
func studentT(q, n float64) float64 {
	d := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: n}
	off := func(t float64) float64 { return math.Log(d.CDF(-t) / q) }
	z := math.Sqrt2 * math.Erfcinv(2*q)
	for range 2 {
		z += (math.Erfc(z/math.Sqrt2)/2 - q) * math.Sqrt(2*math.Pi) * math.Exp(z*z/2)
	}
	// Source: Cornish and Fisher, in Abramowitz and Stegun, 26.7.5.
	t := z + (z*z*z+z)/(4*n) + (5*math.Pow(z, 5)+16*z*z*z+3*z)/(96*n*n)
	if n > 1e6 {
		return t
	}
	if n <= 10_000 {
		if other := -d.Quantile(q); math.Abs(off(other)) < math.Abs(off(t)) {
			t = other
		}
	}
	for range 4 {
		if step := off(t) * d.CDF(-t) / d.Prob(t); !math.IsNaN(step) {
			t += step
		}
	}
	return t
}

// TwoSidedT is how likely a value of Student's distribution lies as far from
// zero as t, on either side.
func TwoSidedT(t float64, degrees int) float64 {
	return 2 * distuv.StudentsT{Mu: 0, Sigma: 1, Nu: float64(degrees)}.CDF(-math.Abs(t))
}

// TwoSidedNormal is the same of the standard normal distribution.
func TwoSidedNormal(z float64) float64 { return math.Erfc(math.Abs(z) / math.Sqrt2) }

// Lambda is the critical value of the i-th step, from 1, of the generalised
// extreme studentized deviate test of n values at a level alpha, two-sided.
// Source: Rosner, Percentage Points for a Generalized ESD Many-Outlier Procedure
// (1983).
func Lambda(n, i int, alpha float64) Interval {
	t := StudentT(alpha/(2*float64(n-i+1)), n-i-1)
	f := &Floats{}
	below := f.Sqrt(f.Mul(f.Add(f.Int(n-i-1), f.Mul(t, t)), f.Int(n-i+1)))
	return f.Quo(f.Mul(f.Int(n-i), t), below)
}

// Adjusted are the step-up adjusted p-values, in the order of the given ones;
// NaN is missing and not counted. Source: Benjamini and Hochberg, Controlling
// the False Discovery Rate (1995).
func Adjusted(ps []float64) []float64 {
	order := make([]Placed, 0, len(ps))
	for i, p := range ps {
		if !math.IsNaN(p) {
			order = append(order, Placed{p, i})
		}
	}
	SortPlaced(order)
	out := make([]float64, len(ps))
	for i := range out {
		out[i] = math.NaN()
	}
	least := 1.0
	for k := len(order) - 1; k >= 0; k-- {
		least = min(least, order[k].Value*float64(len(order))/float64(k+1))
		out[order[k].Place] = least
	}
	return out
}
