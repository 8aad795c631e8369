package judge

import (
	"math"
	"math/big"

	"oskel/core/amount"
	"oskel/core/measure"
	"oskel/core/rulebook"
)

// judgeThreshold puts each value, held against its yardstick, in its band. A
// subject without a target is not judged, and neither is a ratio to a
// yardstick that is not above zero.
func judgeThreshold(e *measure.Engine, r *Result) {
	t := r.Rule.Threshold
	column := r.prepare(e, t.Of)
	intervals, _ := e.Book.Partition(t.Bands)
	for code := range r.Verdicts {
		v := &r.Verdicts[code]
		if v.Outcome != Clear {
			continue
		}
		value, bound := column.Value[code], column.Error[code]
		if t.Against != nil {
			yardstick, why := yardstickOf(e, r, uint32(code))
			if why != "" {
				*v = Verdict{Outcome: NotJudged, Why: why}
				continue
			}
			y := yardstick.Float()
			ey := math.Abs(y) * 0x1p-52
			if t.As == "ratio" {
				q := value / y
				value, bound = q, (bound+math.Abs(q)*ey)/(y-ey)+math.Abs(q)*0x1p-52
			} else {
				d := value - y
				value, bound = d, bound+ey+math.Abs(d)*0x1p-52
			}
		}
		r.Held[code] = value
		i := locate(intervals, value, bound, func() *big.Rat {
			x, _ := e.Exact(t.Of, uint32(code), r.slot)
			return heldExactly(e, r, uint32(code), x)
		})
		if grade := t.Bands[intervals[i].Band].Grade; grade != "" {
			*v = Verdict{Outcome: Breach, Grade: grade}
		}
	}
}

// yardstickOf is the number a threshold holds a subject against, or why there
// is none.
func yardstickOf(e *measure.Engine, r *Result, code uint32) (amount.Amount, string) {
	t := r.Rule.Threshold
	y, ok := amount.Amount(0), true
	if t.Against.Target {
		y, ok = e.Target(t.Of, code, r.slot)
	} else {
		y = e.Book.Value(t.Against.Bound)
	}
	switch {
	case !ok:
		return 0, NoTarget
	case t.As == "ratio" && y <= 0:
		return 0, NoYardstick
	}
	return y, ""
}

func heldExactly(e *measure.Engine, r *Result, code uint32, value *big.Rat) *big.Rat {
	t := r.Rule.Threshold
	if t.Against == nil {
		return value
	}
	y, _ := yardstickOf(e, r, code)
	if t.As == "ratio" {
		return new(big.Rat).Quo(value, y.Rat())
	}
	return new(big.Rat).Sub(value, y.Rat())
}

// locate finds the interval a value lies in; the intervals take the whole
// number line in rising order.
func locate(intervals []rulebook.Interval, value, bound float64, exact func() *big.Rat) int {
	for i, in := range intervals {
		if in.High.Inf > 0 {
			return i
		}
		if c := compare(value, bound, in.High.At, exact); c < 0 || c == 0 && in.High.After {
			return i
		}
	}
	return len(intervals) - 1
}
