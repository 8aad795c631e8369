package method

import (
	"math/big"
	"strings"

	"oskel/core/amount"
	"oskel/core/rulebook"
)

// Title is what people call a measure.
func Title(book *rulebook.Book, measure string) string {
	if m := book.Measure(measure); m != nil {
		return m.Title
	}
	return measure
}

// WithBand writes a value and the nearest ends of its band so that they
// differ wherever they do.
func WithBand(v *big.Rat, unit rulebook.Unit, places int, band *BandFound) (string, string) {
	value := rulebook.Format(v, unit, places)
	var parts []string
	end := func(e *BandEnd, closed, open string) {
		if e == nil {
			return
		}
		cut := CutWords(e)
		if c := e.At.Rat(); v.Cmp(c) != 0 && rulebook.Format(c, unit, places) == rulebook.Format(v, unit, places) {
			value, _ = rulebook.FormatApart(v, c, unit, places)
		}
		if e.Included {
			parts = append(parts, closed+" "+cut)
		} else {
			parts = append(parts, open+" "+cut)
		}
	}
	end(band.Low, "at least", "above")
	end(band.High, "at most", "below")
	return value, strings.Join(parts, " and ")
}

// CutWords says one end of a band.
func CutWords(e *BandEnd) string {
	s := rulebook.FormatNumber(e.At)
	if e.Percent {
		s = rulebook.FormatPercent(e.At)
	}
	if e.Dial != "" {
		s += " (" + e.Dial + ")"
	}
	return s
}

// rounded cuts an irrational figure, or one of many digits, for keeping.
func rounded(r *big.Rat) *big.Rat {
	if r == nil || r.Denom().BitLen() < 128 {
		return r
	}
	out, _ := new(big.Rat).SetString(r.FloatString(12))
	return out
}

// DaysWords says a number of days.
func DaysWords(n int) string {
	return rulebook.Format(amount.FromInt(int64(n)).Rat(), rulebook.Days, 0)
}
