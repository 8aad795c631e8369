package method

import (
	"fmt"
	"math"
	"math/big"
	"slices"

	"oskel/core/lang"
	"oskel/core/measure"
	"oskel/core/rulebook"
)

// bands puts each value, held against its comparison, in its band. A subject
// without a comparison is not judged, and neither is a ratio to one, or a change
// from one, that is not above zero.
var bands = &Method{judge: judgeBands, sentence: bandSentence, axis: bandAxis}

// banded is a threshold at work.
type banded struct {
	everyone
	*Work
	yard *measure.Column
}

// judgeBands judges a measure by bands. Floats decide where they are sure; what lies within their
// error of a cut is decided as a fraction.
func judgeBands(w *Work) Found {
	r, e, t := &banded{Work: w}, w.Engine, w.Rule.Threshold
	if t.Against != nil {
		r.yard = e.Formula(t.Against.Tree, w.Slot)
	}
	column := r.prepare(r.values())
	intervals, _ := e.Book.Partition(t.Bands)
	found := make([]Mark, len(intervals))
	for i, in := range intervals {
		found[i] = Mark{outcome: Clear}
		if grade := t.Bands[in.Band].Grade; grade != "" {
			found[i] = r.Mark(Verdict{Outcome: Breach, Grade: grade})
		}
	}
	for code := range r.Open() {
		value, bound := column.Value[code], column.Error[code]
		if t.Against != nil {
			if why := r.noComparison(uint32(code)); why != "" {
				r.Set(code, Verdict{Outcome: NotJudged, Why: why})
				continue
			}
			value, bound = hold(t.As, value, bound, r.yard.Value[code], r.yard.Error[code])
		}
		if math.IsInf(bound, 0) || math.IsNaN(value) || math.IsInf(value, 0) { // by next to nothing
			value, _ = r.heldExactly(uint32(code), r.exactValue(uint32(code))).Float64()
			value = max(min(value, math.MaxFloat64), -math.MaxFloat64)
		}
		r.Hold(code, value)
		r.Put(code, found[locate(intervals, value, bound, func() *big.Rat {
			return r.heldExactly(uint32(code), r.exactValue(uint32(code)))
		})])
	}
	return r
}

// values are what a threshold holds against its comparison: its measure, and
// zero for what ended where the rule counts it so.
func (r *banded) values() *measure.Column {
	column := r.Engine.Column(r.Rule.Threshold.Of, r.Slot)
	if r.Rule.Ended != "zero" || r.yard == nil {
		return column
	}
	out := &measure.Column{Value: slices.Clone(column.Value), Error: slices.Clone(column.Error), Why: slices.Clone(column.Why)}
	for code := range out.Why {
		if r.ended(column, uint32(code)) {
			out.Value[code], out.Error[code], out.Why[code] = 0, 0, measure.Present
		}
	}
	return out
}

// ended says whether a subject has no value now and a comparison above zero.
func (r *banded) ended(column *measure.Column, code uint32) bool {
	if r.yard == nil || r.Rule.Ended != "zero" || column.Why[code] == measure.Present || r.yard.Why[code] != measure.Present {
		return false
	}
	if y, ey := r.yard.Value[code], r.yard.Error[code]; math.Abs(y) > 2*ey {
		return y > 0
	}
	exact, _ := r.Engine.ExactFormula(r.Rule.Threshold.Against.Tree, code, r.Slot)
	return exact.Sign() > 0
}

// exactValue is the true value of what a threshold holds against its
// comparison, nil where there is none.
func (r *banded) exactValue(code uint32) *big.Rat {
	e, of := r.Engine, r.Rule.Threshold.Of
	if v, why := e.Exact(of, code, r.Slot); why == measure.Present {
		return v
	}
	if r.ended(e.Column(of, r.Slot), code) {
		return new(big.Rat)
	}
	return nil
}

// hold holds a value against a comparison, with a bound on the error of what
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

// noComparison says why a subject has nothing to be held against, or "".
func (r *banded) noComparison(code uint32) string {
	t := r.Rule.Threshold
	switch why := r.yard.Why[code]; {
	case why == measure.NoTarget:
		return NoTarget
	case why != measure.Present:
		return "no comparison value: " + why.String()
	}
	if !t.Relative() {
		return ""
	}
	y, ey := r.yard.Value[code], r.yard.Error[code]
	if y > 2*ey {
		return ""
	}
	if exact, _ := r.Engine.ExactFormula(t.Against.Tree, code, r.Slot); exact.Sign() <= 0 {
		return NoComparison
	}
	return ""
}

func (r *banded) heldExactly(code uint32, value *big.Rat) *big.Rat {
	t := r.Rule.Threshold
	if t.Against == nil {
		return value
	}
	y, _ := r.Engine.ExactFormula(t.Against.Tree, code, r.Slot)
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

// Cuts are where bands meet.
func (r *banded) Cuts(int) (out []float64) {
	intervals, _ := r.Engine.Book.Partition(r.Rule.Threshold.Bands)
	for _, in := range intervals[1:] {
		out = append(out, in.Low.At.Float())
	}
	return out
}

// Broken implements Breaking: the nearer end of its band beyond which the grade is less
// serious.
func (r *banded) Broken(code uint32) (cut float64, ok bool) {
	value := r.exactValue(code)
	if value == nil {
		return 0, false
	}
	book, bands := r.Engine.Book, r.Rule.Threshold.Bands
	intervals, _ := book.Partition(bands)
	severity := func(i int) int {
		if grade := bands[intervals[i].Band].Grade; grade != "" {
			return book.Severity(grade)
		}
		return len(book.Grades)
	}
	held := r.heldExactly(code, value)
	at, _ := held.Float64()
	own := locate(intervals, at, math.Inf(1), func() *big.Rat { return held })
	try := func(i int, c rulebook.Cut) {
		if end := c.At.Float(); severity(i) > severity(own) && (!ok || math.Abs(at-end) < math.Abs(at-cut)) {
			cut, ok = end, true
		}
	}
	if own > 0 {
		try(own-1, intervals[own].Low)
	}
	if own < len(intervals)-1 {
		try(own+1, intervals[own].High)
	}
	return cut, ok
}

// Evidence implements Found.
func (r *banded) Evidence(ev *Evidence, code uint32) {
	e, t := r.Engine, r.Rule.Threshold
	ev.describe(r.Work, t.Of, code)
	if t.Against != nil {
		ev.As = t.As
		ev.Against = againstWords(e.Book, t)
		if r.yard != nil && r.yard.Why[code] == measure.Present && r.noComparison(code) == "" {
			ev.Comparison, _ = e.ExactFormula(t.Against.Tree, code, r.Slot)
		}
	}
	if ev.Value == nil {
		ev.Value = r.exactValue(code)
	}
	if ev.Value != nil && (t.Against == nil || ev.Comparison != nil) {
		ev.Held = r.heldExactly(code, ev.Value)
		ev.Band = bandFound(e.Book, t.Bands, ev.Held)
	}
}

func againstWords(book *rulebook.Book, t *rulebook.Threshold) string {
	tree := t.Against.Tree
	switch {
	case t.Against.Target:
		return "target"
	case tree.Op == lang.Number:
		return "number"
	case tree.Op == lang.Name && book.Dial(tree.Text) != nil:
		return tree.Text
	}
	return book.ComparisonWords(t)
}

func bandFound(book *rulebook.Book, bands []rulebook.Band, held *big.Rat) *BandFound {
	intervals, _ := book.Partition(bands)
	f, _ := held.Float64()
	in := intervals[locate(intervals, f, 1e300, func() *big.Rat { return held })]
	end := func(c rulebook.Cut, included bool) *BandEnd {
		if c.Inf != 0 {
			return nil
		}
		out := &BandEnd{At: c.At, Included: included}
		for _, b := range bands {
			for _, stated := range []*rulebook.End{b.Low, b.High} {
				if stated != nil && book.Value(stated.Bound) == c.At {
					out.Percent, out.Dial = stated.Bound.Percent, stated.Bound.Dial
				}
			}
		}
		return out
	}
	return &BandFound{end(in.Low, !in.Low.After), end(in.High, in.High.After)}
}

func bandSentence(book *rulebook.Book, _ *rulebook.Rule, _ Verdict, ev *Evidence) string {
	name := Title(book, ev.Measure)
	if ev.As == "" {
		value, band := WithBand(ev.Held, ev.Unit, ev.Places, ev.Band)
		return fmt.Sprintf("%s is %s, %s.", name, value, band)
	}
	unit, places := ev.Unit, ev.Places
	if ev.As == "ratio" || ev.As == "change" {
		unit, places = rulebook.Percent, 1
	}
	held, band := WithBand(ev.Held, unit, places, ev.Band)
	value, comparison := rulebook.FormatApart(ev.Value, ev.Comparison, ev.Unit, ev.Places)
	against := map[string]string{"target": "its target of ", "number": ""}
	word, ok := against[ev.Against]
	if !ok {
		word = ev.Against + ", "
	}
	switch ev.As {
	case "change":
		return fmt.Sprintf("%s is %s, a change of %s from %s%s: %s.", name, value, held, word, comparison, band)
	case "ratio":
		return fmt.Sprintf("%s is %s, %s of %s%s: %s.", name, value, held, word, comparison, band)
	}
	return fmt.Sprintf("%s is %s against %s%s, a difference of %s: %s.", name, value, word, comparison, held, band)
}

func bandAxis(book *rulebook.Book, rule *rulebook.Rule) Axis {
	t := rule.Threshold
	m := book.Measure(t.Of)
	switch t.As {
	case "ratio":
		return Axis{rulebook.Percent, 1, m.Title + " as a share of " + book.ComparisonWords(t)}
	case "change":
		return Axis{rulebook.Percent, 1, m.Title + " as a change from " + book.ComparisonWords(t)}
	case "difference":
		return Axis{m.Unit, m.Places, m.Title + " less " + book.ComparisonWords(t)}
	}
	return Axis{m.Unit, m.Places, m.Title}
}
