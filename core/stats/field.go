package stats

import (
	"cmp"
	"math"
	"math/big"
	"slices"
)

// Field is arithmetic with one kind of number. A statistic is written once over
// it and read twice: with Floats, which bound their own rounding, and, where
// those leave a comparison open, with Wide.
type Field[T any] interface {
	Int(n int) T
	Add(a, b T) T
	Sub(a, b T) T
	Mul(a, b T) T
	Quo(a, b T) T // by what is not zero
	Sqrt(a T) T   // of what is not negative
	Cmp(a, b T) int
	Order(a, b T) int // about: of what lies too near to tell, either way
	Middle(xs []T) T  // the median: of an even count the mean of the middle two
}

// Interval holds a number: it is at least Low and at most High.
type Interval struct{ Low, High float64 }

// Mid is about the number.
func (i Interval) Mid() float64 {
	if math.IsInf(i.Low, 0) || math.IsInf(i.High, 0) {
		return i.Low + i.High
	}
	return i.Low + (i.High-i.Low)/2
}

// Around is an interval about a value whose error is bounded.
func Around(v, bound float64) Interval { return out(v-bound, v+bound) }

// out widens by more than one rounding.
func out(low, high float64) Interval {
	return Interval{low - math.Abs(low)*0x1p-52 - math.SmallestNonzeroFloat64, high + math.Abs(high)*0x1p-52 + math.SmallestNonzeroFloat64}
}

// Floats are intervals of floating-point numbers. Doubt is set once a comparison
// could not be decided; whatever hung on it is void.
type Floats struct {
	Doubt bool

	lows, highs []float64 // room to find the middle in
}

// Int is a whole number of at most 2^53.
func (*Floats) Int(n int) Interval { return Interval{float64(n), float64(n)} }

// Add implements Field.
func (*Floats) Add(a, b Interval) Interval { return out(a.Low+b.Low, a.High+b.High) }

// Sub implements Field.
func (*Floats) Sub(a, b Interval) Interval { return out(a.Low-b.High, a.High-b.Low) }

// Mul implements Field.
func (*Floats) Mul(a, b Interval) Interval {
	p, q, r, s := a.Low*b.Low, a.Low*b.High, a.High*b.Low, a.High*b.High
	return out(min(p, q, r, s), max(p, q, r, s))
}

// Quo implements Field.
func (*Floats) Quo(a, b Interval) Interval {
	switch {
	case b.Low <= 0 && b.High >= 0:
		return Interval{math.Inf(-1), math.Inf(1)}
	case b.Low == b.High && b.Low > 0: // as by a whole number
		return out(a.Low/b.Low, a.High/b.Low)
	}
	p, q, r, s := a.Low/b.Low, a.Low/b.High, a.High/b.Low, a.High/b.High
	return out(min(p, q, r, s), max(p, q, r, s))
}

// Sqrt implements Field.
func (*Floats) Sqrt(a Interval) Interval {
	return out(math.Sqrt(max(a.Low, 0)), math.Sqrt(max(a.High, 0)))
}

// Cmp implements Field.
func (f *Floats) Cmp(a, b Interval) int {
	switch {
	case a.High < b.Low:
		return -1
	case a.Low > b.High:
		return 1
	case a.Low == a.High && a == b:
		return 0
	}
	f.Doubt = true
	return 0
}

// Middle implements Field: the middle of the lows and that of the highs.
func (f *Floats) Middle(xs []Interval) Interval {
	f.lows, f.highs = f.lows[:0], f.highs[:0]
	for _, x := range xs {
		f.lows, f.highs = append(f.lows, x.Low), append(f.highs, x.High)
	}
	low, other := Middles(f.lows)
	high, another := Middles(f.highs)
	if len(xs)%2 == 1 {
		return Interval{low, high}
	}
	return out((low+other)/2, (high+another)/2)
}

// Order implements Field.
func (*Floats) Order(a, b Interval) int { return cmp.Compare(a.Mid(), b.Mid()) }

// Order implements Field.
func (w Wide) Order(a, b *big.Float) int { return a.Cmp(b) }

// Wide are numbers of 512 binary digits. Two that agree in 380 of them are
// equal: figures are made of decimals of four places, and differences of what
// is made of so few of them are not that small.
type Wide struct{}

const wideDigits, wideSame = 512, 380

func wide() *big.Float { return new(big.Float).SetPrec(wideDigits) }

// Number is a rational as a wide number.
func (Wide) Number(r *big.Rat) *big.Float { return wide().SetRat(r) }

// Int implements Field.
func (Wide) Int(n int) *big.Float { return wide().SetInt64(int64(n)) }

// Add implements Field.
func (Wide) Add(a, b *big.Float) *big.Float { return wide().Add(a, b) }

// Sub implements Field: what is left of two equal numbers is zero.
func (w Wide) Sub(a, b *big.Float) *big.Float {
	d := wide().Sub(a, b)
	if d.Sign() != 0 && d.MantExp(nil) < max(a.MantExp(nil), b.MantExp(nil))-wideSame {
		return wide()
	}
	return d
}

// Mul implements Field.
func (Wide) Mul(a, b *big.Float) *big.Float { return wide().Mul(a, b) }

// Quo implements Field.
func (Wide) Quo(a, b *big.Float) *big.Float { return wide().Quo(a, b) }

// Sqrt implements Field.
func (Wide) Sqrt(a *big.Float) *big.Float { return wide().Sqrt(a) }

// Cmp implements Field.
func (w Wide) Cmp(a, b *big.Float) int { return w.Sub(a, b).Sign() }

// Middle implements Field.
func (w Wide) Middle(xs []*big.Float) *big.Float {
	work := slices.Clone(xs)
	slices.SortFunc(work, (*big.Float).Cmp)
	n := len(work)
	if n%2 == 1 {
		return work[n/2]
	}
	return w.Quo(w.Add(work[n/2-1], work[n/2]), w.Int(2))
}

// simpleDigits is how many binary digits the denominator of a rational may have for a wide
// number to be taken for it: one that agrees with so simple a one in wideSame digits by
// chance there is not.
const simpleDigits = 128

// Simple is the rational that a wide number stands for, where there is a simple one that it
// cannot be told from; else the number as it is. Roots, quotients of logarithms and long
// sums that are rational are found so. Source: the convergents of its continued fraction.
func (Wide) Simple(f *big.Float) *big.Rat {
	exact, _ := f.Rat(nil)
	if exact == nil || exact.IsInt() {
		return exact
	}
	tolerance := new(big.Rat).SetFrac(big.NewInt(1), new(big.Int).Lsh(big.NewInt(1), wideSame))
	if f.MantExp(nil) > 0 {
		tolerance.Mul(tolerance, new(big.Rat).Abs(exact))
	}
	// h/k are the convergents; rest is what is left to expand.
	h0, k0, h1, k1 := big.NewInt(0), big.NewInt(1), big.NewInt(1), big.NewInt(0)
	num, den := new(big.Int).Set(exact.Num()), new(big.Int).Set(exact.Denom())
	for den.Sign() != 0 {
		a, rest := new(big.Int).DivMod(num, den, new(big.Int))
		h0, h1 = h1, new(big.Int).Add(new(big.Int).Mul(a, h1), h0)
		k0, k1 = k1, new(big.Int).Add(new(big.Int).Mul(a, k1), k0)
		if k1.BitLen() > simpleDigits {
			break
		}
		near := new(big.Rat).SetFrac(h1, k1)
		if d := new(big.Rat).Sub(near, exact); d.Abs(d).Cmp(tolerance) <= 0 {
			return near
		}
		num, den = den, rest
	}
	return exact
}

// Rational is a wide number rounded to so many decimal places, halves to even.
func Rational(f *big.Float, places int) *big.Rat {
	exact, _ := f.Rat(nil)
	unit := new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(places)), nil)
	whole, rest := new(big.Int).QuoRem(new(big.Int).Mul(exact.Num(), unit), exact.Denom(), new(big.Int))
	half := rest.Lsh(rest, 1).CmpAbs(exact.Denom())
	if half > 0 || half == 0 && whole.Bit(0) == 1 {
		whole.Add(whole, big.NewInt(int64(exact.Sign())))
	}
	return new(big.Rat).SetFrac(whole, unit)
}

func abs[T any, F Field[T]](f F, a T) T {
	zero := f.Int(0)
	if f.Cmp(a, zero) < 0 {
		return f.Sub(zero, a)
	}
	return a
}

// Rationals are exact, and have no roots.
type Rationals struct{}

// Int implements Field.
func (Rationals) Int(n int) *big.Rat { return big.NewRat(int64(n), 1) }

// Add implements Field.
func (Rationals) Add(a, b *big.Rat) *big.Rat { return new(big.Rat).Add(a, b) }

// Sub implements Field.
func (Rationals) Sub(a, b *big.Rat) *big.Rat { return new(big.Rat).Sub(a, b) }

// Mul implements Field.
func (Rationals) Mul(a, b *big.Rat) *big.Rat { return new(big.Rat).Mul(a, b) }

// Quo implements Field.
func (Rationals) Quo(a, b *big.Rat) *big.Rat { return new(big.Rat).Quo(a, b) }

// Sqrt implements Field; it is not to be called.
func (Rationals) Sqrt(*big.Rat) *big.Rat { panic("the root of a rational is none") }

// Order implements Field.
func (Rationals) Order(a, b *big.Rat) int { return a.Cmp(b) }

// Cmp implements Field.
func (Rationals) Cmp(a, b *big.Rat) int { return a.Cmp(b) }

// Middle implements Field.
func (Rationals) Middle(xs []*big.Rat) *big.Rat { return middleRat(slices.Clone(xs)) }
