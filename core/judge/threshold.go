package judge

import (
	"math"
	"math/big"

	"oskel/core/lang"
	"oskel/core/measure"
	"oskel/core/rulebook"
)

// judgeThreshold puts each value, held against its yardstick, in its band. A
// subject without a yardstick is not judged, and neither is a ratio to one, or
// a change from one, that is not above zero.
func judgeThreshold(e *measure.Engine, r *Result) {
	t := r.Rule.Threshold
	column := r.prepare(e, t.Of)
	intervals, _ := e.Book.Partition(t.Bands)
	if t.Against != nil {
		r.yard = e.Formula(t.Against.Tree, r.slot)
	}
	found := make([]mark, len(intervals))
	for i, in := range intervals {
		found[i] = mark{outcome: Clear}
		if grade := t.Bands[in.Band].Grade; grade != "" {
			found[i] = r.mark(Verdict{Outcome: Breach, Grade: grade})
		}
	}
	for code := range r.marks {
		if r.marks[code].outcome != Clear {
			continue
		}
		value, bound := column.Value[code], column.Error[code]
		if t.Against != nil {
			if why := noYardstick(e, r, uint32(code)); why != "" {
				r.set(code, Verdict{Outcome: NotJudged, Why: why})
				continue
			}
			value, bound = hold(t.As, value, bound, r.yard.Value[code], r.yard.Error[code])
		}
		r.held[code] = value
		r.marks[code] = found[locate(intervals, value, bound, func() *big.Rat {
			x, _ := e.Exact(t.Of, uint32(code), r.slot)
			return heldExactly(e, r, uint32(code), x)
		})]
	}
}

// hold holds a value against a yardstick, with a bound on the error of what
// comes out.
func hold(as string, v, ev, y, ey float64) (held, bound float64) {
	if as != "difference" && y <= ey { // above zero, but nearer than floating point can say
		return v / y, math.Inf(1)
	}
	switch as {
	case "ratio":
		q := v / y
		return q, (ev+math.Abs(q)*ey)/(y-ey) + math.Abs(q)*0x1p-52
	case "change":
		d := v - y
		q := d / y
		return q, (ev+ey+math.Abs(d)*0x1p-52+math.Abs(q)*ey)/(y-ey) + math.Abs(q)*0x1p-52
	}
	d := v - y
	return d, ev + ey + math.Abs(d)*0x1p-52
}

// noYardstick says why a subject has nothing to be held against, or "".
func noYardstick(e *measure.Engine, r *Result, code uint32) string {
	t := r.Rule.Threshold
	switch why := r.yard.Why[code]; {
	case why == measure.NoTarget:
		return NoTarget
	case why != measure.Present:
		return "nothing to hold it against: " + why.String()
	}
	if !t.Relative() {
		return ""
	}
	y, ey := r.yard.Value[code], r.yard.Error[code]
	if y > 2*ey {
		return ""
	}
	if exact, _ := e.ExactFormula(t.Against.Tree, code, r.slot); exact.Sign() <= 0 {
		return NoYardstick
	}
	return ""
}

func heldExactly(e *measure.Engine, r *Result, code uint32, value *big.Rat) *big.Rat {
	t := r.Rule.Threshold
	if t.Against == nil {
		return value
	}
	y, _ := e.ExactFormula(t.Against.Tree, code, r.slot)
	switch t.As {
	case "ratio":
		return new(big.Rat).Quo(value, y)
	case "change":
		d := new(big.Rat).Sub(value, y)
		return d.Quo(d, y)
	}
	return new(big.Rat).Sub(value, y)
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

// judgeChoices takes the first choice whose conditions hold. A comparison
// with what is missing does not hold; a subject of whom nothing that is
// compared is there has no data.
func judgeChoices(e *measure.Engine, r *Result) {
	t := r.Rule.Threshold
	var named []*measure.Column
	seen := map[string]bool{}
	for _, c := range t.Choices {
		for _, condition := range c.Of {
			for _, leaf := range rulebook.Comparisons(condition.Tree) {
				for _, name := range leaf.Names() {
					if !rulebook.Attributed(leaf) && !seen[name] && e.Book.Measure(name) != nil {
						seen[name] = true
						named = append(named, e.Column(name, r.slot))
					}
				}
			}
		}
	}
	r.base(e)
	missing := r.noData(r.Rule.NoData)
	for code := range r.marks {
		if r.marks[code].outcome != Clear {
			continue
		}
		some, why := len(named) == 0, measure.Present
		for _, c := range named {
			if c.Why[code] == measure.Present {
				some = true
			} else if why == measure.Present {
				why = c.Why[code]
			}
		}
		if !some {
			r.marks[code] = missing(why)
			continue
		}
		for _, c := range t.Choices {
			n := 0
			for _, condition := range c.Of {
				if holds(e, condition.Tree, uint32(code), r.slot) {
					n++
				}
			}
			if c.None && n == 0 || !c.None && n >= c.Least {
				r.set(code, Verdict{Outcome: Breach, Grade: c.Grade})
				break
			}
		}
	}
}

// holds answers a condition over measures and attributes for one code.
func holds(e *measure.Engine, n *lang.Node, code uint32, s measure.Slot) bool {
	switch n.Op {
	case lang.And:
		return holds(e, n.Parts[0], code, s) && holds(e, n.Parts[1], code, s)
	case lang.Or:
		return holds(e, n.Parts[0], code, s) || holds(e, n.Parts[1], code, s)
	case lang.Not:
		return !holds(e, n.Parts[0], code, s)
	}
	if rulebook.Attributed(n) {
		return lang.Test(n, e.Lookup(s, code))
	}
	return e.Test(n, code, s)
}
