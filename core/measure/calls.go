package measure

import (
	"math/big"

	"oskel/core/lang"
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
