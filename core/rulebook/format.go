package rulebook

import (
	"math/big"
	"strings"

	"oskel/core/amount"
)

// FormatNumber writes a decimal exactly, in groups of three: "1,234.5".
func FormatNumber(a amount.Amount) string { return grouped(a.String()) }

// FormatPercent writes a fraction as a percentage, exactly: 0.185 is "18.5%".
func FormatPercent(a amount.Amount) string {
	return grouped(trimZeros(amount.RoundRat(new(big.Rat).Mul(a.Rat(), big.NewRat(100, 1)), 2))) + "%"
}

// Format writes a value in a unit with the given number of decimal places,
// rounded half away from zero. Percents are fractions underneath and shown
// times a hundred.
func Format(v *big.Rat, unit Unit, places int) string {
	switch unit {
	case Percent:
		return grouped(amount.RoundRat(new(big.Rat).Mul(v, big.NewRat(100, 1)), places)) + "%"
	case Days:
		s := grouped(amount.RoundRat(v, places))
		if s == "1" {
			return "1 day"
		}
		return s + " days"
	}
	if currency := unit.Currency(); currency != "" {
		return currency + " " + grouped(amount.RoundRat(v, places))
	}
	return grouped(amount.RoundRat(v, places))
}

// Currency is the currency of money, by its three letters, or "".
func (u Unit) Currency() string {
	_, currency, _ := strings.Cut(string(u), " ")
	return currency
}

// FormatApart writes two values with as many places as it takes to tell them
// apart: 47,999.80 against 48,000.00 is never "48,000 against 48,000".
func FormatApart(a, b *big.Rat, unit Unit, places int) (string, string) {
	for ; ; places++ {
		x, y := Format(a, unit, places), Format(b, unit, places)
		if x != y || places >= 8 || a.Cmp(b) == 0 {
			return x, y
		}
	}
}

func trimZeros(s string) string {
	if !strings.Contains(s, ".") {
		return s
	}
	return strings.TrimRight(strings.TrimRight(s, "0"), ".")
}

func grouped(s string) string {
	whole, frac, dotted := strings.Cut(s, ".")
	sign := ""
	if strings.HasPrefix(whole, "-") {
		sign, whole = "-", whole[1:]
	}
	var b strings.Builder
	for i, c := range whole {
		if i > 0 && (len(whole)-i)%3 == 0 {
			b.WriteByte(',')
		}
		b.WriteRune(c)
	}
	if dotted {
		return sign + b.String() + "." + frac
	}
	return sign + b.String()
}

// Number writes a bound for people: "18%", "5,000", "margin_floor (22%)".
func (b *Book) Number(x Bound) string {
	s := cutText(b.Value(x), x.Percent)
	if x.Dial != "" {
		return x.Dial + " (" + s + ")"
	}
	return s
}

// Show writes a value of a measure for a table, as the measure says: zero in
// a word of its own, negatives in brackets, the currency left to the heading. What is only
// rounded to zero is no zero.
func Show(m *Measure, v *big.Rat) string {
	unit := m.Unit
	if unit.Currency() != "" {
		unit = Money
	}
	switch {
	case m.Zero != "" && v.Sign() == 0:
		return m.Zero
	case m.Brackets && v.Sign() < 0:
		return "(" + strings.TrimPrefix(Format(v, unit, m.Places), "-") + ")"
	}
	return Format(v, unit, m.Places)
}
