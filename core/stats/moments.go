package stats

// Mean is the arithmetic mean of at least one number.
func Mean[T any, F Field[T]](f F, xs []T) T {
	sum := f.Int(0)
	for _, x := range xs {
		sum = f.Add(sum, x)
	}
	return f.Quo(sum, f.Int(len(xs)))
}

// Squares is the mean of at least one number, and the sum of the squared
// deviations from it.
func Squares[T any, F Field[T]](f F, xs []T) (mean, squares T) {
	mean, squares = Mean(f, xs), f.Int(0)
	for _, x := range xs {
		d := f.Sub(x, mean)
		squares = f.Add(squares, f.Mul(d, d))
	}
	return mean, squares
}
