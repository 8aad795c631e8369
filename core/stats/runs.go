package stats

// RunRules are the rules by which a chart of individuals is read, in order: a
// value beyond three sigma; so many in a row on one side of the mean; six in a
// row rising or falling; fourteen alternating; two of three beyond two sigma on
// one side; four of five beyond one sigma on one side; fifteen within one sigma;
// eight beyond one sigma on either side. Source: Nelson, The Shewhart Control
// Chart: Tests for Special Causes (1984).
var RunRules = []string{"beyond 3 sigma", "one side", "trend", "alternating", "2 of 3", "4 of 5", "within 1 sigma", "beyond 1 sigma"}

// Run is a chart read at its last value: the values there are without a gap up
// to it, the last one first.
type Run[T any, F Field[T]] struct {
	f           F
	last        []T // the newest first
	mean, sigma T
}

// NewRun is the chart of values by period, the oldest first, the last of them
// there; a missing one ends a run.
func NewRun[T any, F Field[T]](f F, ys []T, there []bool, mean, sigma T) *Run[T, F] {
	r := &Run[T, F]{f: f, mean: mean, sigma: sigma}
	for i := len(ys) - 1; i >= 0 && there[i]; i-- {
		r.last = append(r.last, ys[i])
	}
	return r
}

// Breaks says how many of the last values break a rule at the last one, 0 where
// it is kept. side is how many in a row on one side are too many.
func (r *Run[T, F]) Breaks(rule string, side int) int {
	switch rule {
	case "beyond 3 sigma":
		return r.all(1, func(y T) int { return r.beyond(y, 3) })
	case "one side":
		return r.all(side, func(y T) int { return r.f.Cmp(y, r.mean) })
	case "trend":
		return r.steps(6, false)
	case "alternating":
		return r.steps(14, true)
	case "2 of 3":
		return r.most(2, 3, 2)
	case "4 of 5":
		return r.most(4, 5, 1)
	case "within 1 sigma":
		return r.all(15, func(y T) int { return 1 - abs1(r.beyond(y, 1)) })
	case "beyond 1 sigma":
		return r.all(8, func(y T) int { return abs1(r.beyond(y, 1)) })
	}
	return 0
}

func abs1(n int) int { return max(n, -n) }

// beyond is on which side a value lies beyond so many sigma, 0 where it does not;
// exactly on it is within.
func (r *Run[T, F]) beyond(y T, times int) int {
	far := r.f.Mul(r.f.Int(times), r.sigma)
	switch {
	case r.f.Cmp(y, r.f.Add(r.mean, far)) > 0:
		return 1
	case r.f.Cmp(y, r.f.Sub(r.mean, far)) < 0:
		return -1
	}
	return 0
}

// all says whether the last n share a side that is not zero.
func (r *Run[T, F]) all(n int, side func(y T) int) int {
	if len(r.last) < n {
		return 0
	}
	first := side(r.last[0])
	for _, y := range r.last[:n] {
		if s := side(y); s == 0 || s != first {
			return 0
		}
	}
	return n
}

// most says whether least of the last of are beyond so many sigma on the side
// on which the last one is.
func (r *Run[T, F]) most(least, of, times int) int {
	if len(r.last) < least {
		return 0
	}
	first, found := r.beyond(r.last[0], times), 0
	if first == 0 {
		return 0
	}
	n := min(of, len(r.last))
	for _, y := range r.last[:n] {
		if r.beyond(y, times) == first {
			found++
		}
	}
	if found < least {
		return 0
	}
	return n
}

// steps says whether the last n rise or fall strictly all along, or turn at each.
func (r *Run[T, F]) steps(n int, turning bool) int {
	if len(r.last) < n {
		return 0
	}
	before := 0
	for i := 1; i < n; i++ {
		s := r.f.Cmp(r.last[i-1], r.last[i])
		if s == 0 || before != 0 && (s == before) == turning {
			return 0
		}
		before = s
	}
	return n
}
