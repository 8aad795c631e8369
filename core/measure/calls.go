package measure

import (
	"cmp"
	"math"
	"math/big"
	"slices"
	"sort"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/stats"
)

// call computes a function for every code of a slot.
func (e *Engine) call(n *lang.Node, s Slot) *Column {
	x := n.Parts[0]
	switch n.Text {
	case "earlier", "change", "growth":
		return e.compared(n, s)
	case "to_date":
		from, ok := e.dateSlot(n, s)
		if !ok {
			return e.missing(s, NoPeriod)
		}
		return e.Formula(x, span(from, s))
	case "trailing", "history":
		return e.several(n, s)
	case "share":
		return e.shares(n, s)
	case "place":
		return e.places(n, s)
	case "peers":
		return e.peers(n, s)
	case "overall":
		return e.overall(n, s)
	case "in_range", "percent_place":
		return e.standing(n, s)
	case "filled":
		a, b := e.Formula(x, s), e.Formula(n.Parts[1], s)
		out := newColumn(len(a.Value))
		for i := range out.Value {
			from := a
			if a.Why[i] != Present {
				from = b
			}
			out.Value[i], out.Error[i], out.Why[i] = from.Value[i], from.Error[i], from.Why[i]
		}
		return out
	}
	return e.targeted(n, s)
}

func (e *Engine) missing(s Slot, why Why) *Column {
	c := newColumn(e.Size(s.Level))
	for i := range c.Why {
		c.Why[i] = why
	}
	return c
}

// earlierSlot is the slot a comparing function looks back to.
func (e *Engine) earlierSlot(n *lang.Node, s Slot) (Slot, bool) {
	if len(n.Parts) == 1 {
		return e.before(s, 1, false)
	}
	return e.before(s, n.Parts[1].Int(), n.Parts[1].Text == "year")
}

func (e *Engine) compared(n *lang.Node, s Slot) *Column {
	before, ok := e.earlierSlot(n, s)
	if !ok {
		return e.missing(s, NoPeriod)
	}
	old := e.Formula(n.Parts[0], before)
	if n.Text == "earlier" {
		return old
	}
	now := e.Formula(n.Parts[0], s)
	out := newColumn(len(now.Value))
	for i := range out.Value {
		switch {
		case now.Why[i] != Present:
			out.Why[i] = now.Why[i]
		case old.Why[i] != Present:
			out.Why[i] = NoBase
		case n.Text == "change":
			out.set(i, now.Value[i]-old.Value[i], now.Error[i]+old.Error[i], 1)
		case math.Abs(old.Value[i]) <= old.Error[i]:
			e.settle(out, i, n, s)
		case old.Value[i] < 0:
			out.Why[i] = BaseNotPositive
		default:
			d, y, ey := now.Value[i]-old.Value[i], old.Value[i], old.Error[i]
			q := d / y
			out.set(i, q, (now.Error[i]+old.Error[i]+math.Abs(d)*rounding+math.Abs(q)*ey)/(y-ey), 1)
		}
	}
	return out
}

// dateSlot is the first period of the slot's unit in the month, quarter, half
// or year that holds the slot's last day.
func (e *Engine) dateSlot(n *lang.Node, s Slot) (Slot, bool) {
	unit, err := calendar.ParseUnit(n.Parts[1].Text)
	if err != nil || s.Period.Unit == 0 {
		return s, false
	}
	first, _ := e.Book.Calendar.Span(e.Book.Calendar.Of(unit, s.Last))
	return Slot{Level: s.Level, First: min(first, s.First), Last: s.Last}, true
}

// window is the periods that trailing and history look at, the oldest first,
// and how many of them must be there.
func (e *Engine) window(n *lang.Node, s Slot) (slots []Slot, least int, summary string) {
	count := n.Parts[1].Int()
	least, summary = count, "sum"
	if n.Text == "history" {
		least = (2*count + 2) / 3
	}
	for _, p := range n.Parts[2:] {
		if p.Text == "at least" {
			least = p.Int()
		} else {
			summary = p.Text
		}
	}
	if s.Period.Unit == 0 {
		return nil, least, summary
	}
	from := 0
	if n.Text == "history" {
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

func (e *Engine) several(n *lang.Node, s Slot) *Column {
	slots, least, summary := e.window(n, s)
	if slots == nil {
		return e.missing(s, NoPeriod)
	}
	e.Ahead(n.Parts[0].Names(), slots)
	var columns []*Column
	for _, slot := range slots {
		columns = append(columns, e.Formula(n.Parts[0], slot))
	}
	// A sum over periods is the value over all their days, so that a ratio
	// is the ratio of the sums.
	var all *Column
	if summary == "sum" {
		all = e.Formula(n.Parts[0], span(slots[0], slots[len(slots)-1]))
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
			m, _ := stats.MedianMAD(values)
			out.set(i, m, widest, 1)
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

func mean(xs []float64) float64 {
	sum := 0.0
	for _, x := range xs {
		sum += x
	}
	return sum / float64(len(xs))
}

func (e *Engine) shares(n *lang.Node, s Slot) *Column {
	kind, by := n.Group()
	level, groups := e.group(s, kind, by)
	own := e.Formula(n.Parts[0], s)
	whole := s
	whole.Level = level
	total := e.Formula(n.Parts[0], whole)
	out := newColumn(len(own.Value))
	for i := range out.Value {
		g := 0
		if groups != nil {
			g = int(groups[i])
		}
		y, ey := total.Value[g], total.Error[g]
		switch {
		case own.Why[i] != Present:
			out.Why[i] = own.Why[i]
		case total.Why[g] != Present:
			out.Why[i] = total.Why[g]
		case math.Abs(y) <= ey:
			e.settle(out, i, n, s)
		case y < 0:
			out.Why[i] = BaseNotPositive
		default:
			q := own.Value[i] / y
			out.set(i, q, (own.Error[i]+math.Abs(q)*ey)/(y-ey), 1)
		}
	}
	return out
}

// members lists the codes that have a value, by the group they are placed in.
func members(c *Column, groups []uint32) map[uint32][]int {
	out := map[uint32][]int{}
	for i, why := range c.Why {
		if why == Present {
			g := uint32(0)
			if groups != nil {
				g = groups[i]
			}
			out[g] = append(out[g], i)
		}
	}
	return out
}

// places ranks the values there are, densely: equal values share a place, and
// the next one follows on. What is missing has no place.
func (e *Engine) places(n *lang.Node, s Slot) *Column {
	kind, by := n.Group()
	_, groups := e.group(s, kind, by)
	lowest := n.Argument(func(p *lang.Node) bool { return p.Text == "lowest" }) != nil
	c := e.Formula(n.Parts[0], s)
	out := newColumn(len(c.Value))
	copy(out.Why, c.Why)
	for _, codes := range members(c, groups) {
		order := func(a, b int) int {
			r := compare(c.Value[a], c.Error[a], c.Value[b], c.Error[b], func() int {
				x, _ := e.ExactFormula(n.Parts[0], uint32(a), s)
				y, _ := e.ExactFormula(n.Parts[0], uint32(b), s)
				return x.Cmp(y)
			})
			if lowest {
				return r
			}
			return -r
		}
		sort.SliceStable(codes, func(i, j int) bool { return order(codes[i], codes[j]) < 0 })
		place := 0
		for k, code := range codes {
			if k == 0 || order(codes[k-1], code) != 0 {
				place++
			}
			out.Value[code] = float64(place)
		}
	}
	return out
}

// peers is the same figure for all members of a group, whether they have a
// value of their own or not.
func (e *Engine) peers(n *lang.Node, s Slot) *Column {
	kind, by := n.Group()
	_, groups := e.group(s, kind, by)
	c := e.Formula(n.Parts[0], s)
	out := e.missing(s, NoBase)
	lists := members(c, groups)
	for i := range out.Value {
		g := uint32(0)
		if groups != nil {
			g = groups[i]
		}
		codes := lists[g]
		if len(codes) == 0 {
			continue
		}
		if first := codes[0]; first < i && out.Why[first] == Present {
			out.Value[i], out.Error[i], out.Why[i] = out.Value[first], out.Error[first], Present
			continue
		}
		values := make([]float64, len(codes))
		widest := 0.0
		for k, code := range codes {
			values[k] = c.Value[code]
			widest = max(widest, c.Error[code])
		}
		v := 0.0
		switch p := n.Parts[1]; p.Text {
		case "average":
			v = mean(values)
			widest += summing(values)
		case "median":
			v, _ = stats.MedianMAD(values)
		default:
			v = stats.Percentile(values, p.Number.Float()/100)
			widest += summing(values)
		}
		out.Why[i] = Present
		out.set(i, v, widest, 3)
	}
	return out
}

func (e *Engine) targeted(n *lang.Node, s Slot) *Column {
	targets := e.targetsOf(n.Parts[0].Text, s)
	own := e.Formula(n.Parts[0], s)
	out := newColumn(len(targets))
	for i, t := range targets {
		y := t.Float()
		switch {
		case t == amount.Missing:
			out.Why[i] = NoTarget
		case n.Text == "target":
			out.set(i, y, 0, 1)
		case own.Why[i] != Present:
			out.Why[i] = own.Why[i]
		case n.Text == "gap":
			out.set(i, own.Value[i]-y, own.Error[i]+math.Abs(y)*rounding, 1)
		case t == 0:
			out.Why[i] = ZeroBase
		case t < 0:
			out.Why[i] = BaseNotPositive
		default:
			q := own.Value[i] / y
			out.set(i, q, (own.Error[i]+math.Abs(q)*y*rounding)/(y-y*rounding), 1)
		}
	}
	return out
}

// Target is a code's target for a measure over a slot, if there is one.
func (e *Engine) Target(measure string, code uint32, s Slot) (amount.Amount, bool) {
	a := e.targetsOf(measure, s)[code]
	return a, a != amount.Missing
}

func (e *Engine) targetsOf(measure string, s Slot) []amount.Amount {
	k := key{measure, s}
	if e.held[k] == nil && e.given != nil {
		e.held[k] = slices.Repeat([]amount.Amount{e.givenTarget}, e.Size(s.Level))
	}
	if e.held[k] == nil {
		e.held[k] = e.targets(measure, s)
	}
	return e.held[k]
}

// exactCall is the true value of a function for one code.
func (e *Engine) exactCall(n *lang.Node, code uint32, s Slot) (*big.Rat, Why) {
	x := n.Parts[0]
	switch n.Text {
	case "earlier", "change", "growth":
		return e.exactCompared(n, code, s)
	case "to_date":
		from, ok := e.dateSlot(n, s)
		if !ok {
			return nil, NoPeriod
		}
		return e.ExactFormula(x, code, span(from, s))
	case "trailing", "history":
		return e.exactSeveral(n, code, s)
	case "share":
		kind, by := n.Group()
		level, groups := e.group(s, kind, by)
		whole, g := s, uint32(0)
		whole.Level = level
		if groups != nil {
			g = groups[code]
		}
		own, why := e.ExactFormula(x, code, s)
		if why != Present {
			return nil, why
		}
		total, why := e.ExactFormula(x, g, whole)
		if why != Present {
			return nil, why
		}
		return positiveQuotient(own, total)
	case "place":
		c := e.Formula(n, s)
		if c.Why[code] != Present {
			return nil, c.Why[code]
		}
		return big.NewRat(int64(c.Value[code]), 1), Present
	case "peers":
		return e.exactPeers(n, code, s)
	case "overall":
		kind, by := n.Group()
		level, groups := e.group(s, kind, by)
		whole := s
		whole.Level = level
		g := uint32(0)
		if groups != nil {
			g = groups[code]
		}
		return e.ExactFormula(x, g, whole)
	case "in_range", "percent_place":
		return e.exactStanding(n, code, s)
	case "filled":
		if v, why := e.ExactFormula(x, code, s); why == Present {
			return v, why
		}
		return e.ExactFormula(n.Parts[1], code, s)
	}
	t, ok := e.Target(x.Text, code, s)
	if !ok {
		return nil, NoTarget
	}
	if n.Text == "target" {
		return t.Rat(), Present
	}
	own, why := e.ExactFormula(x, code, s)
	switch {
	case why != Present:
		return nil, why
	case n.Text == "gap":
		return new(big.Rat).Sub(own, t.Rat()), Present
	}
	return positiveQuotient(own, t.Rat())
}

func positiveQuotient(a, b *big.Rat) (*big.Rat, Why) {
	switch b.Sign() {
	case 0:
		return nil, ZeroBase
	case -1:
		return nil, BaseNotPositive
	}
	return new(big.Rat).Quo(a, b), Present
}

func (e *Engine) exactCompared(n *lang.Node, code uint32, s Slot) (*big.Rat, Why) {
	before, ok := e.earlierSlot(n, s)
	if !ok {
		return nil, NoPeriod
	}
	old, oldWhy := e.ExactFormula(n.Parts[0], code, before)
	if n.Text == "earlier" {
		return old, oldWhy
	}
	now, why := e.ExactFormula(n.Parts[0], code, s)
	switch {
	case why != Present:
		return nil, why
	case oldWhy != Present:
		return nil, NoBase
	}
	d := new(big.Rat).Sub(now, old)
	if n.Text == "change" {
		return d, Present
	}
	return positiveQuotient(d, old)
}

func (e *Engine) exactSeveral(n *lang.Node, code uint32, s Slot) (*big.Rat, Why) {
	slots, least, summary := e.window(n, s)
	if slots == nil {
		return nil, NoPeriod
	}
	var values []*big.Rat
	for _, slot := range slots {
		if v, why := e.ExactFormula(n.Parts[0], code, slot); why == Present {
			values = append(values, v)
		}
	}
	if len(values) < least || len(values) == 0 {
		return nil, LittleHistory
	}
	switch summary {
	case "sum":
		return e.ExactFormula(n.Parts[0], code, span(slots[0], slots[len(slots)-1]))
	case "average":
		return meanRat(values), Present
	case "median":
		m, _ := stats.MedianMADRat(values)
		return m, Present
	}
	if (summary == "best") != e.goodDown(n.Parts[0]) {
		return slices.MaxFunc(values, (*big.Rat).Cmp), Present
	}
	return slices.MinFunc(values, (*big.Rat).Cmp), Present
}

func meanRat(xs []*big.Rat) *big.Rat {
	sum := new(big.Rat)
	for _, x := range xs {
		sum.Add(sum, x)
	}
	return sum.Quo(sum, big.NewRat(int64(len(xs)), 1))
}

func (e *Engine) exactPeers(n *lang.Node, code uint32, s Slot) (*big.Rat, Why) {
	kind, by := n.Group()
	_, groups := e.group(s, kind, by)
	k := peerKey{formulaKey{n, s}, 0}
	if groups != nil {
		k.group = groups[code]
	}
	if v := e.peerages[k]; v != nil {
		return v, Present
	}
	c := e.Formula(n.Parts[0], s)
	codes := members(c, groups)[k.group]
	if len(codes) == 0 {
		return nil, NoBase
	}
	exact := func(code int) *big.Rat {
		v, _ := e.ExactFormula(n.Parts[0], uint32(code), s)
		return v
	}
	var v *big.Rat
	switch p := n.Parts[1]; p.Text {
	case "average":
		v = meanOf(codes, exact)
	case "median":
		v = percentileOf(c, codes, big.NewRat(1, 2), exact)
	default:
		v = percentileOf(c, codes, new(big.Rat).Quo(p.Number.Rat(), big.NewRat(100, 1)), exact)
	}
	e.peerages[k] = v
	return v, Present
}

// percentileOf is the exact percentile of some codes, type 7: the two values
// it lies between are found in floating point, and among those too near one
// another to tell apart exactly.
func percentileOf(c *Column, codes []int, p *big.Rat, exact func(int) *big.Rat) *big.Rat {
	codes = slices.Clone(codes)
	widest := 0.0
	for _, code := range codes {
		widest = max(widest, c.Error[code])
	}
	slices.SortStableFunc(codes, func(a, b int) int { return cmp.Compare(c.Value[a], c.Value[b]) })
	at := func(k int) *big.Rat {
		v := c.Value[codes[k]]
		near := 2*widest + math.Abs(v)*rounding
		from, to := k, k+1
		for from > 0 && v-c.Value[codes[from-1]] <= near {
			from--
		}
		for to < len(codes) && c.Value[codes[to]]-v <= near {
			to++
		}
		var values []*big.Rat
		for _, code := range codes[from:to] {
			values = append(values, exact(code))
		}
		slices.SortFunc(values, (*big.Rat).Cmp)
		return values[k-from]
	}
	place := new(big.Rat).Mul(p, big.NewRat(int64(len(codes)-1), 1))
	below := int(new(big.Int).Quo(place.Num(), place.Denom()).Int64())
	low := at(below)
	rest := new(big.Rat).Sub(place, big.NewRat(int64(below), 1))
	if rest.Sign() == 0 {
		return low
	}
	d := new(big.Rat).Sub(at(below+1), low)
	return d.Add(low, d.Mul(d, rest))
}

// mostExact is up to how many ratios are added up as ratios: the denominator
// of their sum grows with each.
const mostExact = 400

// meanOf is the exact mean. Of more ratios than can be added up as such it is
// the mean to 512 binary digits, which no cut of four decimal places can fail to
// be told from but by being equal.
func meanOf(codes []int, exact func(int) *big.Rat) *big.Rat {
	var values []*big.Rat
	decimals := true
	for _, code := range codes {
		v := exact(code)
		decimals = decimals && v.Denom().IsInt64() && amount.Scale%v.Denom().Int64() == 0
		values = append(values, v)
	}
	if decimals || len(values) <= mostExact {
		return meanRat(values)
	}
	sum := new(big.Float).SetPrec(512)
	for _, v := range values {
		sum.Add(sum, new(big.Float).SetPrec(512).SetRat(v))
	}
	out, _ := sum.Rat(nil)
	return out.Quo(out, big.NewRat(int64(len(values)), 1))
}
