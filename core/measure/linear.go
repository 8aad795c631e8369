package measure

import (
	"math/big"

	"oskel/core/lang"
)

// Term is a measure of lines, times a number.
type Term struct {
	Measure string
	Times   *big.Rat
}

// Linear takes a formula apart into sums and counts of lines, each times a number; ok
// is false where it is not made so: then the values of parts do not add up to that of
// the whole. What is filled with 0 where it is missing counts as what it is.
func (e *Engine) Linear(n *lang.Node) (terms []Term, ok bool) {
	return e.linearOf(n, map[string][]Term{})
}

// linearOf takes a formula apart; each measure that it names is taken apart once.
func (e *Engine) linearOf(n *lang.Node, known map[string][]Term) (terms []Term, ok bool) {
	ok = e.linear(n, big.NewRat(1, 1), known, func(measure string, times *big.Rat) {
		for i := range terms {
			if terms[i].Measure == measure {
				terms[i].Times.Add(terms[i].Times, times)
				return
			}
		}
		terms = append(terms, Term{measure, new(big.Rat).Set(times)})
	})
	return terms, ok
}

// linear writes a formula as a sum of base measures with factors, or says that it is none: only of
// such sums do parts add up to the whole.
func (e *Engine) linear(n *lang.Node, times *big.Rat, known map[string][]Term, add func(string, *big.Rat)) bool {
	switch n.Op {
	case lang.Name:
		m := e.Book.Measure(n.Text)
		switch {
		case m == nil || m.Groups.How != "":
			return false
		case m.Formula != nil:
			terms, seen := known[m.Name]
			if !seen {
				var ok bool
				if terms, ok = e.linearOf(m.Formula.Tree, known); !ok {
					return false
				}
				known[m.Name] = terms
			}
			for _, t := range terms {
				add(t.Measure, new(big.Rat).Mul(times, t.Times))
			}
			return true
		case m.Aggregate == "sum" || m.Aggregate == "count":
			add(m.Name, times)
			return true
		}
	case lang.Negate:
		return e.linear(n.Parts[0], new(big.Rat).Neg(times), known, add)
	case lang.Plus:
		return e.linear(n.Parts[0], times, known, add) && e.linear(n.Parts[1], times, known, add)
	case lang.Minus:
		return e.linear(n.Parts[0], times, known, add) && e.linear(n.Parts[1], new(big.Rat).Neg(times), known, add)
	case lang.Times:
		for i := range 2 {
			if c, is := e.constant(n.Parts[i]); is {
				return e.linear(n.Parts[1-i], new(big.Rat).Mul(times, c), known, add)
			}
		}
	case lang.Divide:
		if c, is := e.constant(n.Parts[1]); is && c.Sign() != 0 {
			return e.linear(n.Parts[0], new(big.Rat).Quo(times, c), known, add)
		}
	case lang.Call:
		if n.Text == "coalesce" {
			c, is := e.constant(n.Parts[1])
			return is && c.Sign() == 0 && e.linear(n.Parts[0], times, known, add)
		}
	}
	return false
}

// constant is the value of a formula of numbers and dials alone.
func (e *Engine) constant(n *lang.Node) (*big.Rat, bool) {
	switch n.Op {
	case lang.Number:
		return n.Number.Rat(), true
	case lang.Name:
		if d := e.Book.Dial(n.Text); d != nil {
			return d.Value.Rat(), true
		}
		return nil, false
	case lang.Negate:
		c, ok := e.constant(n.Parts[0])
		if !ok {
			return nil, false
		}
		return new(big.Rat).Neg(c), true
	case lang.Plus, lang.Minus, lang.Times, lang.Divide:
		a, ok := e.constant(n.Parts[0])
		b, also := e.constant(n.Parts[1])
		if !ok || !also || n.Op == lang.Divide && b.Sign() == 0 {
			return nil, false
		}
		return map[lang.Op]func(a, b *big.Rat) *big.Rat{lang.Plus: new(big.Rat).Add, lang.Minus: new(big.Rat).Sub, lang.Times: new(big.Rat).Mul,
			lang.Divide: new(big.Rat).Quo}[n.Op](a, b), true
	}
	return nil, false
}
