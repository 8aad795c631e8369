// Package amount holds decimals exactly, as whole ten-thousandths in an int64.
//
// Money, counts and percentages (as fractions: 18 % is 0.18) are all Amounts,
// so that a comparison on a boundary is decided as on paper. The range is
// about plus or minus 922 trillion; every sum that could leave it says so.
package amount

import (
	"errors"
	"fmt"
	"math"
	"math/big"
	"strconv"
	"strings"
)

// Amount is a decimal number in ten-thousandths: Amount(12345) is 1.2345.
type Amount int64

// Scale is how many Amount steps make one unit.
const Scale = 10000

// Missing stands in a column of Amounts where there is no value. It is not a
// number: arithmetic on it is the caller's error, and Parse never returns it.
const Missing Amount = math.MinInt64

// Errors of Parse and of checked arithmetic.
var (
	ErrNotDecimal = errors.New("not a decimal number")
	ErrTooFine    = errors.New("more than four decimal places")
	ErrRange      = errors.New("beyond 900 trillion")
)

const limit = 900_000_000_000_000 * Scale

// Parse reads a plain decimal such as "-1234.5": an optional sign, digits, and
// at most four decimal places that are not zero. No thousands separators, no
// exponent, no currency: a file that has them is refused, never guessed at.
func Parse(s string) (Amount, error) {
	rest, negative := s, false
	if rest != "" && (rest[0] == '-' || rest[0] == '+') {
		negative = rest[0] == '-'
		rest = rest[1:]
	}
	whole, frac, dotted := strings.Cut(rest, ".")
	if whole == "" && frac == "" || dotted && frac == "" {
		return 0, ErrNotDecimal
	}
	var n uint64
	for i := 0; i < len(whole); i++ {
		d := whole[i] - '0'
		if d > 9 {
			return 0, ErrNotDecimal
		}
		if n = n*10 + uint64(d); n > limit/Scale {
			return 0, outOfRange(whole[i:] + frac)
		}
	}
	n *= Scale
	for i, unit := 0, uint64(Scale/10); i < len(frac); i, unit = i+1, unit/10 {
		d := frac[i] - '0'
		if d > 9 {
			return 0, ErrNotDecimal
		}
		if unit == 0 && d != 0 {
			if strings.Trim(frac[i:], "0123456789") != "" {
				return 0, ErrNotDecimal
			}
			return 0, ErrTooFine
		}
		n += unit * uint64(d)
	}
	if n > limit {
		return 0, ErrRange
	}
	if negative {
		return -Amount(n), nil
	}
	return Amount(n), nil
}

// outOfRange prefers the plainer complaint: a long run with a letter in it is
// not a number at all.
func outOfRange(rest string) error {
	if strings.Trim(rest, "0123456789") != "" {
		return ErrNotDecimal
	}
	return ErrRange
}

// FromInt is n whole units.
func FromInt(n int64) Amount { return Amount(n * Scale) }

// Add is a + b, or ErrRange where the sum leaves the range.
func Add(a, b Amount) (Amount, error) {
	sum := a + b
	if sum > limit || sum < -limit || (a > 0 && b > 0 && sum < 0) || (a < 0 && b < 0 && sum >= 0) {
		return 0, ErrRange
	}
	return sum, nil
}

// String writes the shortest exact form: "12", "0.5", "-3.1415".
func (a Amount) String() string {
	if a == Missing {
		return ""
	}
	sign, n := "", uint64(a)
	if a < 0 {
		sign, n = "-", uint64(-a)
	}
	whole := strconv.FormatUint(n/Scale, 10)
	if n%Scale == 0 {
		return sign + whole
	}
	return sign + whole + "." + strings.TrimRight(fmt.Sprintf("%04d", n%Scale), "0")
}

// Float is the nearest float64, but for amounts of more than 2^53 ten-thousandths: those are
// off by at most 2^-52 of themselves.
func (a Amount) Float() float64 { return float64(a) / Scale }

// Rat is the exact rational.
func (a Amount) Rat() *big.Rat { return big.NewRat(int64(a), Scale) }

// RoundRat writes r with the given number of decimal places, half away from
// zero. Rounding is for display alone; nothing is compared after it.
func RoundRat(r *big.Rat, places int) string {
	scale := new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(places)), nil)
	num := new(big.Int).Mul(new(big.Int).Abs(r.Num()), scale)
	num.Mul(num, big.NewInt(2)).Add(num, r.Denom())
	q := num.Quo(num, new(big.Int).Mul(r.Denom(), big.NewInt(2)))
	s := q.String()
	if places > 0 {
		for len(s) <= places {
			s = "0" + s
		}
		s = s[:len(s)-places] + "." + s[len(s)-places:]
	}
	if r.Sign() < 0 && q.Sign() != 0 {
		s = "-" + s
	}
	return s
}
