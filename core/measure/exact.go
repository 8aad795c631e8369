package measure

import (
	"math/big"

	"oskel/core/lang"
	"oskel/core/rulebook"
)

// Exact is the true value of a measure for one code, or why it is missing.
func (e *Engine) Exact(measure string, code uint32, s Slot) (*big.Rat, Why) {
	if a, told := e.given[measure]; told {
		if a == nil || !e.tells(s) {
			return nil, NoLines
		}
		return a, Present
	}
	def := e.Book.Measure(measure)
	if e.absent(code, s) {
		return nil, NotThere
	}
	if a, told := e.hypothetical[supposedKeyOf(measure, s, code)]; told {
		if a == nil {
			return nil, NoLines
		}
		return a, Present
	}
	if plain, gathers := def.Groups.Of(s.Level); gathers {
		return e.exactGathered(def, plain, code, s)
	}
	if def.Formula != nil {
		return e.exactMeasure(def, code, s)
	}
	if def.Days != "" {
		return e.days(def, s).Rat(), Present
	}
	t := e.baseTotals(def, s)
	if t.Beyond {
		return nil, BeyondRange
	}
	n, a := t.At(code)
	switch {
	case n == 0:
		return nil, NoLines
	case def.Aggregate == "average":
		return new(big.Rat).Quo(a.Rat(), big.NewRat(int64(n), 1)), Present
	}
	return a.Rat(), Present
}

// exactMeasure is the true value of a measure's formula, remembered where it takes many
// steps.
func (e *Engine) exactMeasure(def *rulebook.Measure, code uint32, s Slot) (*big.Rat, Why) {
	steps, known := e.steps[def.Name]
	if !known {
		steps = e.Book.Steps(def.Name)
		e.steps[def.Name] = steps
	}
	if steps <= manySteps {
		return e.ExactFormula(def.Formula.Tree, code, s)
	}
	k := exactKey{e.measureKey(def.Name, s), code}
	if v, ok := e.exacts[k]; ok {
		return v.value, v.why
	}
	v, why := e.ExactFormula(def.Formula.Tree, code, s)
	if len(e.exacts) >= mostExacts {
		clear(e.exacts)
	}
	e.exacts[k] = exactValue{v, why}
	return v, why
}

// ExactFormula is the true value of a formula for one code.
func (e *Engine) ExactFormula(n *lang.Node, code uint32, s Slot) (*big.Rat, Why) {
	if e.absent(code, s) {
		return nil, NotThere
	}
	v, why := e.exactNode(n, code, s)
	if why == Present && tooLarge(v) {
		return nil, TooLarge
	}
	return v, why
}

// exactNode is the value of a formula as a fraction, for the single subjects that lie so near a cut
// that a float cannot tell on which side.
func (e *Engine) exactNode(n *lang.Node, code uint32, s Slot) (*big.Rat, Why) {
	switch n.Op {
	case lang.Number:
		return n.Number.Rat(), Present
	case lang.Name:
		if d := e.Book.Dial(n.Text); d != nil {
			return d.Value.Rat(), Present
		}
		return e.Exact(n.Text, code, s)
	case lang.Call:
		return functions[n.Text].exact(e, n, code, s)
	case lang.Choose:
		switch {
		case e.Tester(n.Parts[0], s)(int(code)):
			return e.ExactFormula(n.Parts[1], code, s)
		case len(n.Parts) == 2:
			return nil, Otherwise
		}
		return e.ExactFormula(n.Parts[2], code, s)
	case lang.Negate:
		r, why := e.ExactFormula(n.Parts[0], code, s)
		if why != Present {
			return nil, why
		}
		return new(big.Rat).Neg(r), Present
	}
	a, why := e.ExactFormula(n.Parts[0], code, s)
	if why != Present {
		return nil, why
	}
	b, why := e.ExactFormula(n.Parts[1], code, s)
	if why != Present {
		return nil, why
	}
	out := new(big.Rat)
	switch n.Op {
	case lang.Plus:
		out.Add(a, b)
	case lang.Minus:
		out.Sub(a, b)
	case lang.Times:
		out.Mul(a, b)
	default:
		if b.Sign() == 0 {
			return nil, ZeroBase
		}
		out.Quo(a, b)
	}
	return out, Present
}
