package measure

import (
	"math"
	"math/big"

	"oskel/core/lang"
	"oskel/core/stats"
)

// between stores a value that lies in an interval; false where floating point
// knows nothing of it.
func (c *Column) between(i int, v stats.Interval) bool {
	if math.IsInf(v.Low, 0) || math.IsInf(v.High, 0) || math.IsNaN(v.Low) || math.IsNaN(v.High) {
		return false
	}
	m := v.Mid()
	c.set(i, m, max(v.High-m, m-v.Low), 1)
	return true
}

func (c *Column) interval(i int) stats.Interval { return stats.Around(c.Value[i], c.Error[i]) }

var robustFactor = stats.Around(stats.RobustFactor, 0x1p-54)

// apart is how far a value lies from its peers: 0.6745 (x - median) / MAD, or (x
// - mean) / s, the own value included. Where all are alike there is no score.
func (e *Engine) apart(n *lang.Node, s Slot) *Column {
	kind, by := n.Group()
	_, groups := e.group(s, kind, by)
	c := e.Formula(n.Parts[0], s)
	out := newColumn(len(c.Value))
	copy(out.Why, c.Why)
	f := &stats.Floats{}
	for _, codes := range c.members(groups) {
		near := c.Near(codes, e.exactly(n.Parts[0], s))
		var centre, scale stats.Interval
		if n.Parts[1].Text == "robust" {
			median, mad := near.MedianMAD()
			centre, scale = around(median), f.Quo(around(mad), robustFactor)
			if mad.Sign() == 0 {
				scale = stats.Interval{}
			}
		} else {
			xs := make([]stats.Interval, len(codes))
			for i := range codes {
				xs[i] = near.Interval(i)
			}
			mean, squares := stats.Squares(f, xs)
			centre = mean
			if near.Percentile(new(big.Rat)).Cmp(near.Percentile(big.NewRat(1, 1))) != 0 {
				scale = f.Sqrt(f.Quo(squares, f.Int(len(codes)-1)))
			}
		}
		for i, code := range codes {
			if scale == (stats.Interval{}) {
				out.Why[code] = NoSpread
			} else if !out.between(code, f.Quo(f.Sub(near.Interval(i), centre), scale)) {
				e.settle(out, code, n, s)
			}
		}
	}
	return out
}

// around is where a rational lies.
func around(r *big.Rat) stats.Interval {
	v, exact := r.Float64()
	if exact {
		return stats.Interval{Low: v, High: v}
	}
	return stats.Around(v, math.Abs(v)*rounding)
}

// exactApart is a score against peers as a fraction, or why there is none. What a root has gone
// into is the simple rational that it cannot be told from. Centre and spread are found once a
// group.
func (e *Engine) exactApart(n *lang.Node, code uint32, s Slot) (*big.Rat, Why) {
	x, why := e.ExactFormula(n.Parts[0], code, s)
	if why != Present {
		return nil, why
	}
	kind, by := n.Group()
	_, groups := e.group(s, kind, by)
	k := peerKey{e.formulaKey(n, s), 0}
	if groups != nil {
		k.group = groups[code]
	}
	scaleKey := k
	scaleKey.dials += "\x00scale"
	centre, scale := e.peerFigures[k], e.peerFigures[scaleKey]
	if centre == nil {
		c := e.Formula(n.Parts[0], s)
		codes := c.members(groups)[k.group]
		near := c.Near(codes, e.exactly(n.Parts[0], s))
		if n.Parts[1].Text == "robust" {
			centre, scale = near.MedianMAD()
			scale = new(big.Rat).Quo(scale, stats.RobustFactorRat)
		} else {
			xs := make([]*big.Float, len(codes))
			for i := range codes {
				xs[i] = near.Wide(i)
			}
			w := stats.Wide{}
			mean, squares := stats.Squares(w, xs)
			centre, scale = w.Simple(mean), new(big.Rat)
			if len(codes) > 1 {
				scale = w.Simple(w.Sqrt(w.Quo(squares, w.Int(len(codes)-1))))
			}
		}
		e.peerFigures[k], e.peerFigures[scaleKey] = centre, scale
	}
	if scale.Sign() == 0 {
		return nil, NoSpread
	}
	d := new(big.Rat).Sub(x, centre)
	return simple(d.Quo(d, scale)), Present
}

// simple is a figure that a root may have gone into: the simple rational that it cannot be
// told from, where there is one.
func simple(r *big.Rat) *big.Rat {
	if r.Denom().BitLen() < 256 {
		return r
	}
	return stats.Wide{}.Simple(stats.Wide{}.Number(r))
}

// off is how far a value lies from the subject's own past, as a robust score: from
// the median of the periods before, or from what their trend expects.
func (e *Engine) off(n *lang.Node, s Slot) *Column {
	slots, least, _ := e.window(n, s)
	if slots == nil {
		return e.missing(s, NoPeriod)
	}
	e.Ahead(n.Parts[0].Names(), slots)
	now := e.Formula(n.Parts[0], s)
	var columns []*Column
	for _, slot := range slots {
		columns = append(columns, e.past(n.Parts[0], slot))
	}
	out := newColumn(len(now.Value))
	f := &stats.Floats{}
	var ys []stats.Interval
	var places []int
	for i := range out.Value {
		ys, places = ys[:0], places[:0]
		for k, c := range columns {
			if c.Why[i] == Present {
				ys, places = append(ys, c.interval(i)), append(places, k)
			}
		}
		switch {
		case now.Why[i] != Present:
			out.Why[i] = now.Why[i]
		case len(ys) < max(least, 2):
			out.Why[i] = LittleHistory
		default:
			residual, mad := offOf(f, n.Text, ys, places, now.interval(i), len(slots))
			if mad.Low <= 0 || !out.between(i, f.Quo(f.Mul(robustFactor, residual), mad)) {
				e.settle(out, i, n, s)
			}
		}
	}
	return out
}

// offOf is the residual of a value at a place, and the MAD it is scored by.
func offOf[T any, F stats.Field[T]](f F, function string, ys []T, places []int, y T, place int) (residual, mad T) {
	if function == "trend_score" {
		residual, mad, _ = stats.OffTrend(f, ys, places, y, place)
		return residual, mad
	}
	median, mad := stats.Deviation(f, ys)
	return f.Sub(y, median), mad
}

func (e *Engine) exactOff(n *lang.Node, code uint32, s Slot) (*big.Rat, Why) {
	slots, least, _ := e.window(n, s)
	if slots == nil {
		return nil, NoPeriod
	}
	now, why := e.ExactFormula(n.Parts[0], code, s)
	if why != Present {
		return nil, why
	}
	var ys []*big.Rat
	var places []int
	for k, slot := range slots {
		if v, why := e.exactPast(n.Parts[0], code, slot); why == Present {
			ys, places = append(ys, v), append(places, k)
		}
	}
	if len(ys) < max(least, 2) {
		return nil, LittleHistory
	}
	residual, mad := offOf(stats.Rationals{}, n.Text, ys, places, now, len(slots))
	if mad.Sign() == 0 {
		return nil, NoSpread
	}
	residual = new(big.Rat).Mul(stats.RobustFactorRat, residual)
	return residual.Quo(residual, mad), Present
}

// drawnKey names the drawn-in values of all codes.
type drawnKey struct{ formulaKey }

// ratioOf is a formula that is a quotient, or the one that a measure is; nil
// where it is none.
func (e *Engine) ratioOf(n *lang.Node) *lang.Node {
	if n.Op == lang.Name {
		if m := e.Book.Measure(n.Text); m != nil && m.Formula != nil {
			n = m.Formula.Tree
		}
	}
	if n.Op != lang.Divide {
		return nil
	}
	return n
}

// drawnIn draws ratios with small denominators in towards those of the others:
// Buehlmann-Straub credibility over the last n periods, this one among them, the
// denominators being the weights. Source: Buehlmann and Straub, Glaubwuerdigkeit
// fuer Schadensaetze (1970).
func (e *Engine) drawnIn(n *lang.Node, s Slot) *Column {
	ratio, slots := e.ratioOf(n.Parts[0]), e.run(s, n.Parts[1].Int())
	if ratio == nil || slots == nil {
		return e.missing(s, NoPeriod)
	}
	var over, under []*Column
	for _, slot := range slots {
		over, under = append(over, e.Formula(ratio.Parts[0], slot)), append(under, e.Formula(ratio.Parts[1], slot))
	}
	out := newColumn(e.Size(s.Level))
	f := &stats.Floats{}
	var all []stats.Weighed[stats.Interval]
	for i := range out.Value {
		w := stats.Weighed[stats.Interval]{Code: i}
		for k := range slots {
			if over[k].Why[i] != Present || under[k].Why[i] != Present {
				continue
			}
			switch v := under[k].interval(i); {
			case v.High < 0 || v.Low < 0 && e.negative(ratio, i, slots[k]):
				w.Negative = true
			case v.Low <= 0: // none, or too near to it to be one
				if d, _ := e.ExactFormula(ratio.Parts[1], uint32(i), slots[k]); d.Sign() == 0 {
					continue
				}
				fallthrough
			default:
				w.Add(f, f.Quo(over[k].interval(i), v), v)
			}
		}
		switch {
		case w.Negative:
			out.Why[i] = NegativeWeight
		case len(w.Weights) == 0:
			out.Why[i] = NoLines
		default:
			all = append(all, w)
		}
	}
	values, ok := stats.DrawnIn(f, all)
	for k, w := range all {
		if !ok {
			out.Why[w.Code] = LittleHistory
		} else if !out.between(w.Code, values[k]) {
			e.settle(out, w.Code, n, s)
		}
	}
	return out
}

func (e *Engine) negative(ratio *lang.Node, code int, s Slot) bool {
	d, why := e.ExactFormula(ratio.Parts[1], uint32(code), s)
	return why == Present && d.Sign() < 0
}

// run are the n slots up to one; nil where the calendar has not so many.
func (e *Engine) run(s Slot, n int) (out []Slot) {
	for k := n - 1; k >= 0; k-- {
		before, ok := e.before(s, k, false)
		if !ok {
			return nil
		}
		out = append(out, before)
	}
	return out
}

func (e *Engine) exactDrawnIn(n *lang.Node, code uint32, s Slot) (*big.Rat, Why) {
	ratio, slots := e.ratioOf(n.Parts[0]), e.run(s, n.Parts[1].Int())
	if ratio == nil || slots == nil {
		return nil, NoPeriod
	}
	key := drawnKey{e.formulaKey(n, s)}
	known := e.shrunk[key]
	if known == nil {
		known = e.findDrawn(ratio, slots, e.Size(s.Level))
		e.shrunk[key] = known
	}
	return known[code].value, known[code].why
}

// drawnValue is the drawn-in ratio of one code.
type drawnValue struct {
	value *big.Rat
	why   Why
}

// findDrawn draws each subject's ratio towards the ratio of all, the more the less it has sold;
// size is the number of subjects. Rows are by code.
func (e *Engine) findDrawn(ratio *lang.Node, slots []Slot, size int) []drawnValue {
	out := make([]drawnValue, size)
	wide := stats.Wide{}
	var all []stats.Weighed[*big.Float]
	for i := range size {
		w := stats.Weighed[*big.Float]{Code: i}
		for _, slot := range slots {
			a, whyA := e.ExactFormula(ratio.Parts[0], uint32(i), slot)
			b, whyB := e.ExactFormula(ratio.Parts[1], uint32(i), slot)
			switch {
			case whyA != Present || whyB != Present || b.Sign() == 0:
			case b.Sign() < 0:
				w.Negative = true
			default:
				w.Add(wide, wide.Number(new(big.Rat).Quo(a, b)), wide.Number(b))
			}
		}
		switch {
		case w.Negative:
			out[i].why = NegativeWeight
		case len(w.Weights) == 0:
			out[i].why = NoLines
		default:
			all = append(all, w)
		}
	}
	values, ok := stats.DrawnIn(wide, all)
	for k, w := range all {
		if !ok {
			out[w.Code].why = LittleHistory
			continue
		}
		out[w.Code].value = wide.Simple(values[k])
	}
	return out
}
