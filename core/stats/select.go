package stats

import (
	"cmp"
	"math/bits"
	"slices"
)

// Nth is the k-th smallest of some values, counted from 0, put in its place: none
// before it is greater, none behind it less. It takes as long as there are values,
// where sorting them all would take longer. Source: Hoare, Algorithm 65: Find (1961),
// with a sort where the pivots stay bad.
func Nth[T cmp.Ordered](xs []T, k int) T { return nth(xs, k, 2*bits.Len(uint(len(xs)))) }

// nth is the k-th smallest of xs (k from 0), in linear time; it reorders xs. After so many bad
// pivots it sorts, so that no input makes it quadratic.
func nth[T cmp.Ordered](xs []T, k, tries int) T {
	low, high := 0, len(xs)-1
	for ; high-low > few; tries-- {
		if tries == 0 {
			slices.Sort(xs[low : high+1])
			return xs[k]
		}
		pivot := between(xs[low], xs[low+(high-low)/2], xs[high])
		i, j := low, high
		for i <= j {
			for xs[i] < pivot {
				i++
			}
			for pivot < xs[j] {
				j--
			}
			if i <= j {
				xs[i], xs[j] = xs[j], xs[i]
				i++
				j--
			}
		}
		switch {
		case k <= j:
			high = j
		case k >= i:
			low = i
		default:
			return xs[k] // between the two all are the pivot
		}
	}
	// So few are in order soonest by putting each where it belongs.
	for i := low + 1; i <= high; i++ {
		for j, x := i, xs[i]; j > low && x < xs[j-1]; j-- {
			xs[j], xs[j-1] = xs[j-1], x
		}
	}
	return xs[k]
}

// few is how many values are put in order one by one.
const few = 16

func between[T cmp.Ordered](a, b, c T) T {
	return max(min(a, b), min(max(a, b), c))
}

// Middles are the middle two of some values, twice the middle one of an odd count.
// It changes their order.
func Middles[T cmp.Ordered](xs []T) (low, high T) {
	n := len(xs)
	high = Nth(xs, n/2)
	if n%2 == 1 {
		return high, high
	}
	return slices.Max(xs[:n/2]), high
}

// Placed is a number with the place it stands at among others.
type Placed struct {
	Value float64
	Place int
}

// SortPlaced sorts numbers with their places, the lowest first and equal ones by place.
// They lie side by side, so that a comparison looks nowhere else.
func SortPlaced(all []Placed) {
	slices.SortFunc(all, func(a, b Placed) int {
		switch {
		case a.Value < b.Value:
			return -1
		case a.Value > b.Value:
			return 1
		}
		return a.Place - b.Place
	})
}
