package measure

import (
	"math/big"

	"oskel/core/lang"
)

// function is how a function of the language is computed: for every code of a
// slot in floating point, each value within its stated error, and for one code
// exactly. What is known of it beside is in lang.Functions.
type function struct {
	column func(e *Engine, n *lang.Node, s Slot) *Column
	exact  func(e *Engine, n *lang.Node, code uint32, s Slot) (*big.Rat, Why)
}

// functions has every function of lang.Functions.
var functions map[string]function

func init() {
	comparing := function{(*Engine).compared, (*Engine).exactCompared}
	summing := function{(*Engine).several, (*Engine).exactSeveral}
	target := function{(*Engine).targeted, (*Engine).exactTargeted}
	relative := function{(*Engine).relative, (*Engine).exactRelative}
	functions = map[string]function{
		"earlier": comparing, "change": comparing, "growth": comparing,
		"to_date":  {(*Engine).toDate, (*Engine).exactToDate},
		"trailing": summing, "history": summing,
		"share":  {(*Engine).shares, (*Engine).exactShare},
		"rank":   {(*Engine).places, (*Engine).exactPlace},
		"target": target, "attainment": target, "gap": target,
		"group_value":    {(*Engine).overall, (*Engine).exactOverall},
		"range_position": relative, "percentile_rank": relative,
		"peers": {(*Engine).peers, (*Engine).exactPeers},
		"score": {(*Engine).apart, (*Engine).exactApart}, "history_score": {(*Engine).off, (*Engine).exactOff}, "trend_score": {(*Engine).off, (*Engine).exactOff},
		"credibility": {(*Engine).drawnIn, (*Engine).exactDrawnIn},
		"coalesce":    {(*Engine).filled, (*Engine).exactFilled},
	}
}

func (e *Engine) missing(s Slot, why Why) *Column {
	c := newColumn(e.Size(s.Level))
	for i := range c.Why {
		c.Why[i] = why
	}
	return c
}

func (e *Engine) toDate(n *lang.Node, s Slot) *Column {
	from, ok := e.dateSlot(n, s)
	if !ok {
		return e.missing(s, NoPeriod)
	}
	return e.Formula(n.Parts[0], span(from, s))
}

func (e *Engine) exactToDate(n *lang.Node, code uint32, s Slot) (*big.Rat, Why) {
	from, ok := e.dateSlot(n, s)
	if !ok {
		return nil, NoPeriod
	}
	return e.ExactFormula(n.Parts[0], code, span(from, s))
}

func (e *Engine) filled(n *lang.Node, s Slot) *Column {
	a, b := e.Formula(n.Parts[0], s), e.Formula(n.Parts[1], s)
	out := newColumn(len(a.Value))
	out.Decimal = a.Decimal && b.Decimal
	for i := range out.Value {
		from := a
		if a.Why[i] != Present {
			from = b
		}
		out.Value[i], out.Error[i], out.Why[i] = from.Value[i], from.Error[i], from.Why[i]
	}
	return out
}

func (e *Engine) exactFilled(n *lang.Node, code uint32, s Slot) (*big.Rat, Why) {
	if v, why := e.ExactFormula(n.Parts[0], code, s); why == Present {
		return v, why
	}
	return e.ExactFormula(n.Parts[1], code, s)
}
