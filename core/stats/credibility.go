package stats

// Weighed is one subject's ratios with their weights, by period.
type Weighed[T any] struct {
	Code     int
	Ratios   []T
	Weights  []T
	Negative bool // one of its weights is below zero
}

// Add takes in the ratio of one period.
func (w *Weighed[T]) Add(_ any, ratio, weight T) {
	w.Ratios, w.Weights = append(w.Ratios, ratio), append(w.Weights, weight)
}

// DrawnIn draws the mean ratio of each subject in towards that of all, the more
// the smaller its weight: Buehlmann-Straub credibility. The variance within is s2 =
// sum w_ij (X_ij - X_i)^2 / sum (n_i - 1), that between a = max(0, (sum w_i (X_i -
// X)^2 - (I - 1) s2) / c) with c = w - sum w_i^2 / w; Z_i = w_i / (w_i + s2 / a), 0
// where a is; the value is Z_i X_i + (1 - Z_i) M, where M is the Z-weighted mean, X
// itself where a is 0. With one subject a is 0. ok is false where no subject has two
// periods.
func DrawnIn[T any, F Field[T]](f F, all []Weighed[T]) (values []T, ok bool) {
	zero, one := f.Int(0), f.Int(1)
	total, weighted, within, squares := zero, zero, zero, zero
	freedom := 0
	means, weights := make([]T, len(all)), make([]T, len(all))
	for i, s := range all {
		w, sum := zero, zero
		for k, x := range s.Ratios {
			w, sum = f.Add(w, s.Weights[k]), f.Add(sum, f.Mul(s.Weights[k], x))
		}
		means[i], weights[i] = f.Quo(sum, w), w
		for k, x := range s.Ratios {
			d := f.Sub(x, means[i])
			within = f.Add(within, f.Mul(s.Weights[k], square(f, d)))
		}
		freedom += len(s.Ratios) - 1
		total, weighted, squares = f.Add(total, w), f.Add(weighted, sum), f.Add(squares, f.Mul(w, w))
	}
	if freedom == 0 {
		return nil, false
	}
	s2, overall := f.Quo(within, f.Int(freedom)), f.Quo(weighted, total)
	a := zero
	if len(all) > 1 {
		between := zero
		for i, x := range means {
			between = f.Add(between, f.Mul(weights[i], square(f, f.Sub(x, overall))))
		}
		c := f.Sub(total, f.Quo(squares, total))
		a = atLeast(f, f.Quo(f.Sub(between, f.Mul(f.Int(len(all)-1), s2)), c))
	}
	if f.Cmp(a, zero) == 0 && !doubtful(f) {
		values = make([]T, len(all))
		for i := range values {
			values[i] = overall
		}
		return values, true
	}
	// Z = w a / (w a + s2), which needs no quotient by a.
	zs := make([]T, len(all))
	sum, mean := zero, zero
	for i, w := range weights {
		wa := f.Mul(w, a)
		zs[i] = f.Quo(wa, f.Add(wa, s2))
		sum, mean = f.Add(sum, zs[i]), f.Add(mean, f.Mul(zs[i], means[i]))
	}
	mean = f.Quo(mean, sum)
	for i, z := range zs {
		values = append(values, f.Add(f.Mul(z, means[i]), f.Mul(f.Sub(one, z), mean)))
	}
	return values, true
}

// square is a number by itself, which is never below zero.
func square[T any, F Field[T]](f F, a T) T { return atLeast(f, f.Mul(a, a)) }

// doubtful says whether a comparison of floats was left open just now; what
// follows must then not hang on it.
func doubtful(f any) bool {
	if floats, ok := f.(*Floats); ok && floats.Doubt {
		floats.Doubt = false
		return true
	}
	return false
}
