package stats

import "slices"

// The statistics of one subject's own past. Values are by period, the oldest
// first; there tells which of them are there, since a missing one is no value.

// Known lists the values that are there, with their places.
func Known[T any](ys []T, there []bool) (values []T, places []int) {
	values, places = make([]T, 0, len(ys)), make([]int, 0, len(ys))
	for i, y := range ys {
		if there[i] {
			values, places = append(values, y), append(places, i)
		}
	}
	return values, places
}

// Deviation is the median of some values and the unscaled median of their
// absolute deviations from it.
func Deviation[T any, F Field[T]](f F, xs []T) (median, mad T) {
	median = f.Middle(xs)
	off := make([]T, len(xs))
	for i, x := range xs {
		off[i] = Distance(f, x, median)
	}
	return median, f.Middle(off)
}

// Distance is |a - b|.
func Distance[T any, F Field[T]](f F, a, b T) T {
	if i, ok := any(f).(*Floats); ok { // which side it is on does not matter
		d := any(i.Sub(any(a).(Interval), any(b).(Interval))).(Interval)
		switch {
		case d.Low >= 0:
		case d.High <= 0:
			d = Interval{-d.High, -d.Low}
		default:
			d = Interval{0, max(-d.Low, d.High)}
		}
		return any(d).(T)
	}
	return abs(f, f.Sub(a, b))
}

// Trend is the Theil-Sen line through values at places: the median of the slopes
// of all pairs, and median(y) - slope x median(t). Source: Sen, Estimates of the
// Regression Coefficient Based on Kendall's Tau (1968). There must be two values
// at least.
func Trend[T any, F Field[T]](f F, ys []T, places []int) Line[T] {
	n := len(ys)
	slopes, ts := make([]T, 0, n*(n-1)/2), make([]T, 0, n)
	for i := range ys {
		ts = append(ts, f.Int(places[i]))
		for j := range i {
			slopes = append(slopes, f.Quo(f.Sub(ys[i], ys[j]), f.Int(places[i]-places[j])))
		}
	}
	slope := f.Middle(slopes)
	return Line[T]{f.Sub(f.Middle(ys), f.Mul(slope, f.Middle(ts))), slope}
}

// Line is a value for each place.
type Line[T any] struct{ Intercept, Slope T }

// At is the value of a line at a place.
func At[T any, F Field[T]](f F, l Line[T], place int) T {
	return f.Add(l.Intercept, f.Mul(l.Slope, f.Int(place)))
}

// OffTrend is how far a value at a place lies from the trend of others, moved so that the
// median of their residuals is zero, and the unscaled median of the absolute deviations of
// these.
func OffTrend[T any, F Field[T]](f F, ys []T, places []int, y T, place int) (residual, mad T, trend Line[T]) {
	trend = Trend(f, ys, places)
	residuals := make([]T, len(ys))
	for i := range ys {
		residuals[i] = f.Sub(ys[i], At(f, trend, places[i]))
	}
	var centre T
	centre, mad = Deviation(f, residuals)
	trend.Intercept = f.Add(trend.Intercept, centre)
	return f.Sub(y, At(f, trend, place)), mad, trend
}

// MovingSigma is the mean of the values that are there and the mean moving range
// between neighbouring periods by 1.128, both of them there: the individuals
// chart. ok is false where no two neighbours are there. Source: Shewhart charts
// for individuals, as in Wheeler and Chambers, Understanding Statistical Process
// Control (1992).
func MovingSigma[T any, F Field[T]](f F, ys []T, there []bool) (mean, sigma T, ok bool) {
	values, _ := Known(ys, there)
	var ranges []T
	for i := 1; i < len(ys); i++ {
		if there[i] && there[i-1] {
			ranges = append(ranges, Distance(f, ys[i], ys[i-1]))
		}
	}
	if len(ranges) == 0 {
		return mean, sigma, false
	}
	return Mean(f, values), f.Quo(f.Mul(Mean(f, ranges), f.Int(1000)), f.Int(1128)), true
}

// Smoothed is the exponentially weighted average of the values that are there,
// from a start on, and by what its variance is less than sigma squared: after n
// values weight / (2 - weight) x (1 - (1 - weight)^2n). Source: Roberts, Control
// Chart Tests Based on Geometric Moving Averages (1959).
//
// visit, unless it is nil, is told the average after each period.
func Smoothed[T any, F Field[T]](f F, start, weight T, ys []T, there []bool, visit func(z T)) (z, share T) {
	one, rest := f.Int(1), f.Sub(f.Int(1), weight)
	z = start
	left := one
	for i, y := range ys {
		if there[i] {
			z = f.Add(f.Mul(weight, y), f.Mul(rest, z))
			left = f.Mul(left, f.Mul(rest, rest))
		}
		if visit != nil {
			visit(z)
		}
	}
	return z, f.Mul(f.Quo(weight, f.Sub(f.Int(2), weight)), f.Sub(one, left))
}

// Sums are the two one-sided cumulative sums of deviations from a target beyond
// an allowance, neither below zero, without reset. Source: Page, Continuous
// Inspection Schemes (1954).
func Sums[T any, F Field[T]](f F, target, allowance T, ys []T, there []bool) (high, low T) {
	zero := f.Int(0)
	high, low = zero, zero
	for i, y := range ys {
		if there[i] {
			d := f.Sub(y, target)
			high = atLeast(f, f.Add(high, f.Sub(d, allowance)))
			low = atLeast(f, f.Sub(f.Sub(low, d), allowance))
		}
	}
	return high, low
}

// atLeast is a number, or zero where it is below.
func atLeast[T any, F Field[T]](f F, a T) T {
	if _, ok := any(f).(*Floats); ok {
		i := any(a).(Interval)
		return any(Interval{max(i.Low, 0), max(i.High, 0)}).(T)
	}
	if f.Cmp(a, f.Int(0)) <= 0 {
		return f.Int(0)
	}
	return a
}

// Split is the split of values, with at least three on each side, that has the
// least sum of absolute deviations from the two medians; the earliest of equal
// ones. from is the number of the first value after it, 0 where there are fewer
// than six.
func Split[T any, F Field[T]](f F, xs []T) (from int) {
	order := make([]int, len(xs))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return f.Order(xs[a], xs[b]) })
	var least T
	signs, best := make([]int8, len(xs)), make([]int8, len(xs))
	for k := 3; k <= len(xs)-3; k++ {
		halfSigns(signs, order, k)
		if from > 0 && slices.Equal(signs, best) { // equal, whatever the values are
			continue
		}
		sum := f.Int(0)
		for i, x := range xs {
			switch signs[i] {
			case 1:
				sum = f.Add(sum, x)
			case -1:
				sum = f.Sub(sum, x)
			}
		}
		if from == 0 || f.Cmp(sum, least) < 0 {
			from, least = k, sum
			signs, best = best, signs
		}
	}
	return from
}

// halfSigns says how each value counts in the sum of absolute deviations from the medians of
// the first k and of the others: the upper half of a side for it, the lower half against it,
// the middle one not at all.
func halfSigns(signs []int8, order []int, k int) {
	left, right := 0, 0 // how many of each side were seen, the least first
	for _, i := range order {
		seen, n := &left, k
		if i >= k {
			seen, n = &right, len(order)-k
		}
		switch at := *seen; {
		case at < n/2:
			signs[i] = -1
		case at >= n-n/2:
			signs[i] = 1
		default:
			signs[i] = 0
		}
		*seen++
	}
}

// SplitWhole is Split of whole numbers below 2^48, exactly: equal sums are common,
// since a value may count alike on either side.
func SplitWhole(xs []int64) (from int) {
	least := int64(0)
	left, right := make([]int64, 0, len(xs)), make([]int64, 0, len(xs))
	for k := 3; k <= len(xs)-3; k++ {
		left, right = append(left[:0], xs[:k]...), append(right[:0], xs[k:]...)
		if sum := halves(left) + halves(right); from == 0 || sum < least {
			from, least = k, sum
		}
	}
	return from
}

// halves is the sum of absolute deviations from the median: the upper half less the
// lower one. It sorts.
func halves(xs []int64) (sum int64) {
	slices.Sort(xs)
	n := len(xs)
	for i := range n / 2 {
		sum += xs[n-1-i] - xs[i]
	}
	return sum
}

// Levels are the medians on the two sides of a split, and the median of the
// absolute residuals.
func Levels[T any, F Field[T]](f F, xs []T, from int) (before, after, spread T) {
	before, after = f.Middle(xs[:from]), f.Middle(xs[from:])
	residuals := make([]T, len(xs))
	for i, x := range xs {
		residuals[i] = Distance(f, x, pick(i < from, before, after))
	}
	return before, after, f.Middle(residuals)
}

func pick[T any](first bool, a, b T) T {
	if first {
		return a
	}
	return b
}
