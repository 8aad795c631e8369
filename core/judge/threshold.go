package judge

import (
	"math"
	"math/big"
	"slices"

	"oskel/core/lang"
	"oskel/core/measure"
	"oskel/core/rulebook"
)

// judgeThreshold puts each value, held against its yardstick, in its band. A
// subject without a yardstick is not judged, and neither is a ratio to one, or
// a change from one, that is not above zero.
func judgeThreshold(e *measure.Engine, r *Result) {
	t := r.Rule.Threshold
	if t.Against != nil {
		r.yard = e.Formula(t.Against.Tree, r.slot)
	}
	column := r.prepare(e, r.values(e))
	intervals, _ := e.Book.Partition(t.Bands)
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
			return heldExactly(e, r, uint32(code), r.exactValue(e, uint32(code)))
		})]
	}
}

// values are what a threshold holds against its yardstick: its measure, and
// zero for what ended where the rule counts it so.
func (r *Result) values(e *measure.Engine) *measure.Column {
	column := e.Column(r.Rule.Threshold.Of, r.slot)
	if r.Rule.Ended != "zero" || r.yard == nil {
		return column
	}
	out := &measure.Column{Value: slices.Clone(column.Value), Error: slices.Clone(column.Error), Why: slices.Clone(column.Why)}
	for code := range out.Why {
		if r.ended(e, column, uint32(code)) {
			out.Value[code], out.Error[code], out.Why[code] = 0, 0, measure.Present
		}
	}
	return out
}

// ended says whether a subject has no value now and a yardstick above zero.
func (r *Result) ended(e *measure.Engine, column *measure.Column, code uint32) bool {
	if r.yard == nil || r.Rule.Ended != "zero" || column.Why[code] == measure.Present || r.yard.Why[code] != measure.Present {
		return false
	}
	if y, ey := r.yard.Value[code], r.yard.Error[code]; math.Abs(y) > 2*ey {
		return y > 0
	}
	exact, _ := e.ExactFormula(r.Rule.Threshold.Against.Tree, code, r.slot)
	return exact.Sign() > 0
}

// exactValue is the true value of what a threshold holds against its
// yardstick, nil where there is none.
func (r *Result) exactValue(e *measure.Engine, code uint32) *big.Rat {
	of := r.Rule.Threshold.Of
	if v, why := e.Exact(of, code, r.slot); why == measure.Present {
		return v
	}
	if r.ended(e, e.Column(of, r.slot), code) {
		return new(big.Rat)
	}
	return nil
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
	holding := make([][]func(code int) bool, len(t.Choices))
	for i, c := range t.Choices {
		for _, condition := range c.Of {
			holding[i] = append(holding[i], holds(e, condition.Tree, r.slot))
		}
	}
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
		for i, c := range t.Choices {
			n := 0
			for _, holds := range holding[i] {
				if holds(code) {
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

// holds answers a condition over measures and attributes, code by code.
func holds(e *measure.Engine, n *lang.Node, s measure.Slot) func(code int) bool {
	switch n.Op {
	case lang.And:
		left, right := holds(e, n.Parts[0], s), holds(e, n.Parts[1], s)
		return func(code int) bool { return left(code) && right(code) }
	case lang.Or:
		left, right := holds(e, n.Parts[0], s), holds(e, n.Parts[1], s)
		return func(code int) bool { return left(code) || right(code) }
	case lang.Not:
		inner := holds(e, n.Parts[0], s)
		return func(code int) bool { return !inner(code) }
	}
	if rulebook.Attributed(n) {
		return func(code int) bool { return lang.Test(n, e.Lookup(s, uint32(code))) }
	}
	return e.Tester(n, s)
}
