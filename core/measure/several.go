package measure

import (
	"math/big"
	"slices"

	"oskel/core/lang"
	"oskel/core/stats"
)

// window is the periods that trailing and history look at, the oldest first,
// and how many of them must be there.
func (e *Engine) window(n *lang.Node, s Slot) (slots []Slot, least int, summary string) {
	count := n.Parts[1].Int()
	least, summary = count, "sum"
	before := n.Text != "trailing" // the periods before the judged one
	if before {
		least = (2*count + 2) / 3
	}
	for _, p := range n.Parts[2:] {
		if p.Text == "at least" {
			least = p.Int()
		} else {
			summary = p.Text
		}
	}
	if !s.IsPeriod() {
		return nil, least, summary
	}
	from := 0
	if before {
		from = 1
	}
	for i := from + count - 1; i >= from; i-- {
		p, ok := e.Book.Calendar.Before(s.Period, i)
		if !ok {
			return nil, least, summary
		}
		slots = append(slots, e.at(s, p))
	}
	return slots, least, summary
}

// past is a formula in one of several periods: of one in which nothing that it reads had
// begun nothing is known.
func (e *Engine) past(n *lang.Node, s Slot) *Column {
	if !e.begun(n, s) {
		return e.missing(s, NoPeriod)
	}
	return e.Formula(n, s)
}

func (e *Engine) exactPast(n *lang.Node, code uint32, s Slot) (*big.Rat, Why) {
	if !e.begun(n, s) {
		return nil, NoPeriod
	}
	return e.ExactFormula(n, code, s)
}

// goodDown says whether less of an expression is better: where it is the name
// of a measure declared so.
func (e *Engine) goodDown(n *lang.Node) bool {
	if n.Op == lang.Name {
		if m := e.Book.Measure(n.Text); m != nil {
			return m.GoodDown
		}
	}
	return false
}

// several is a summary over slots (the lowest of six months, an average of a year). A subject needs
// as many of them as are asked for, or it has no value.
func (e *Engine) several(n *lang.Node, s Slot) *Column {
	slots, least, summary := e.window(n, s)
	if slots == nil {
		return e.missing(s, NoPeriod)
	}
	e.Ahead(n.Parts[0].Names(), slots)
	var columns []*Column
	for _, slot := range slots {
		columns = append(columns, e.past(n.Parts[0], slot))
	}
	// A sum over periods is the value over all their days, so that a ratio
	// is the ratio of the sums.
	var all *Column
	if summary == "sum" {
		all = e.Formula(n.Parts[0], over(slots))
	}
	out := newColumn(e.Size(s.Level))
	values := make([]float64, 0, len(slots))
	for i := range out.Value {
		values = values[:0]
		widest := 0.0
		for _, c := range columns {
			if c.Why[i] == Present {
				values = append(values, c.Value[i])
				widest = max(widest, c.Error[i])
			}
		}
		switch {
		case len(values) < least || len(values) == 0:
			out.Why[i] = LittleHistory
		case summary == "sum":
			out.Value[i], out.Error[i], out.Why[i] = all.Value[i], all.Error[i], all.Why[i]
		case summary == "average":
			out.set(i, mean(values), widest+summing(values), 1)
		case summary == "median":
			out.set(i, stats.Median(values), widest, 1)
		case (summary == "best") != e.goodDown(n.Parts[0]):
			out.set(i, slices.Max(values), widest, 0)
		default:
			out.set(i, slices.Min(values), widest, 0)
		}
	}
	return out
}

// summing bounds the error of adding values up and dividing by their count.
func summing(xs []float64) float64 {
	return max(slices.Max(xs), -slices.Min(xs)) * rounding * float64(len(xs)+1)
}

func mean(xs []float64) float64 { return sum(xs) / float64(len(xs)) }

func (e *Engine) exactSeveral(n *lang.Node, code uint32, s Slot) (*big.Rat, Why) {
	slots, least, summary := e.window(n, s)
	if slots == nil {
		return nil, NoPeriod
	}
	var values []*big.Rat
	for _, slot := range slots {
		if v, why := e.exactPast(n.Parts[0], code, slot); why == Present {
			values = append(values, v)
		}
	}
	if len(values) < least || len(values) == 0 {
		return nil, LittleHistory
	}
	switch summary {
	case "sum":
		return e.ExactFormula(n.Parts[0], code, over(slots))
	case "average":
		return meanRat(values), Present
	case "median":
		return stats.MedianRat(values), Present
	}
	if (summary == "best") != e.goodDown(n.Parts[0]) {
		return slices.MaxFunc(values, (*big.Rat).Cmp), Present
	}
	return slices.MinFunc(values, (*big.Rat).Cmp), Present
}

func sumRat(xs []*big.Rat) *big.Rat {
	sum := new(big.Rat)
	for _, x := range xs {
		sum.Add(sum, x)
	}
	return sum
}

func meanRat(xs []*big.Rat) *big.Rat {
	return new(big.Rat).Quo(sumRat(xs), big.NewRat(int64(len(xs)), 1))
}
