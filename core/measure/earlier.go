package measure

import (
	"math"
	"math/big"

	"oskel/core/calendar"
	"oskel/core/lang"
)

// earlierSlot is the slot a comparing function looks back to.
func (e *Engine) earlierSlot(n *lang.Node, s Slot) (Slot, bool) {
	if len(n.Parts) == 1 {
		return e.before(s, 1, false)
	}
	return e.before(s, n.Parts[1].Int(), n.Parts[1].Text == "year")
}

// compared is earlier, change or growth: a value beside that of an earlier slot. Growth over zero
// or less is missing, not infinite.
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
		case now.Why[i] != Present && s.Ended && old.Why[i] == Present:
			e.settle(out, i, n, s)
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
	if err != nil || !s.IsPeriod() {
		return s, false
	}
	first, _ := e.Book.Calendar.Whole(e.Book.Calendar.Of(unit, s.Last))
	return Slot{Level: s.Level, First: min(first, s.First), Last: s.Last, Ended: s.Ended}, true
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
	case why != Present && s.Ended && oldWhy == Present && old.Sign() > 0:
		now = new(big.Rat) // it ended, which counts as zero
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
