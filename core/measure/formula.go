package measure

import (
	"math"
	"math/big"

	"oskel/core/lang"
	"oskel/core/rulebook"
)

// Formula computes a formula for every code of a slot. Arithmetic with a
// missing value is missing, with the reason of the first missing part.
func (e *Engine) Formula(n *lang.Node, s Slot) *Column {
	if n.Op == lang.Name && e.Book.Dial(n.Text) == nil {
		return e.Column(n.Text, s)
	}
	k := e.formulaKey(n, s)
	c := e.formulas[k]
	if c == nil {
		switch n.Op {
		case lang.Number:
			c = constant(n.Number, e.Size(s.Level))
		case lang.Name:
			c = constant(e.Book.Dial(n.Text).Value, e.Size(s.Level))
		default:
			c = e.compute(n, s)
			e.bounded(c, n, s)
		}
		c = e.masked(c, s)
		e.formulas[k] = c
	}
	return c
}

// mostDigits is how many binary digits before the point a figure may have: floats have no
// room for many more.
const mostDigits = 1000

// bounded settles exactly what is so large that floats may have no room for it.
func (e *Engine) bounded(c *Column, n *lang.Node, s Slot) {
	for i, v := range c.Value {
		if c.Why[i] == Present && !(math.Abs(v) < 0x1p998) {
			c.Value[i], c.Error[i] = 0, 0
			e.settle(c, i, n, s)
		}
	}
}

func tooLarge(r *big.Rat) bool { return r.Num().BitLen()-r.Denom().BitLen() > mostDigits }

func (e *Engine) compute(n *lang.Node, s Slot) *Column {
	switch n.Op {
	case lang.Call:
		return functions[n.Text].column(e, n, s)
	case lang.Choose:
		return e.choose(n, s)
	case lang.Negate:
		in := e.Formula(n.Parts[0], s)
		out := newColumn(len(in.Value))
		out.Decimal = in.Decimal
		for i, v := range in.Value {
			out.Value[i], out.Error[i], out.Why[i] = -v, in.Error[i], in.Why[i]
		}
		return out
	}
	return e.arithmetic(n, s, e.Formula(n.Parts[0], s), e.Formula(n.Parts[1], s))
}

// arithmetic combines two columns by a node's operation.
func (e *Engine) arithmetic(n *lang.Node, s Slot, a, b *Column) *Column {
	out := newColumn(len(a.Value))
	for i := range out.Value {
		if out.Why[i] = a.Why[i]; out.Why[i] == Present {
			out.Why[i] = b.Why[i]
		}
		if out.Why[i] != Present {
			continue
		}
		x, y, ex, ey := a.Value[i], b.Value[i], a.Error[i], b.Error[i]
		switch n.Op {
		case lang.Plus:
			out.set(i, x+y, ex+ey, 1)
		case lang.Minus:
			out.set(i, x-y, ex+ey, 1)
		case lang.Times:
			out.set(i, x*y, math.Abs(x)*ey+math.Abs(y)*ex+ex*ey, 1)
		default:
			if math.Abs(y) <= ey {
				e.settle(out, i, n, s)
				continue
			}
			q := x / y
			out.set(i, q, (ex+math.Abs(q)*ey)/(math.Abs(y)-ey), 1)
		}
	}
	return out
}

// Holds answers a condition over measures and attributes, code by code.
func (e *Engine) Holds(n *lang.Node, s Slot) func(code int) bool {
	switch n.Op {
	case lang.And:
		left, right := e.Holds(n.Parts[0], s), e.Holds(n.Parts[1], s)
		return func(code int) bool { return left(code) && right(code) }
	case lang.Or:
		left, right := e.Holds(n.Parts[0], s), e.Holds(n.Parts[1], s)
		return func(code int) bool { return left(code) || right(code) }
	case lang.Not:
		inner := e.Holds(n.Parts[0], s)
		return func(code int) bool { return !inner(code) }
	}
	if rulebook.Attributed(n) {
		return func(code int) bool { return lang.Test(n, e.Lookup(s, uint32(code))) }
	}
	return e.Tester(n, s)
}

// Tester answers a condition over measures, code by code: no comparison with a
// missing value holds, 'is not' included; 'is missing' asks for it.
func (e *Engine) Tester(n *lang.Node, s Slot) func(code int) bool {
	switch n.Op {
	case lang.And:
		left, right := e.Tester(n.Parts[0], s), e.Tester(n.Parts[1], s)
		return func(code int) bool { return left(code) && right(code) }
	case lang.Or:
		left, right := e.Tester(n.Parts[0], s), e.Tester(n.Parts[1], s)
		return func(code int) bool { return left(code) || right(code) }
	case lang.Not:
		inner := e.Tester(n.Parts[0], s)
		return func(code int) bool { return !inner(code) }
	}
	a := e.Formula(n.Parts[0], s)
	switch n.Op {
	case lang.IsMissing:
		return func(code int) bool { return a.Why[code] != Present }
	case lang.NotMissing:
		return func(code int) bool { return a.Why[code] == Present }
	}
	against := func(part int) func(code int) (c int, ok bool) {
		b := e.Formula(n.Parts[part], s)
		return func(code int) (c int, ok bool) {
			if a.Why[code] != Present || b.Why[code] != Present {
				return 0, false
			}
			return compare(a.Value[code], a.Error[code], b.Value[code], b.Error[code], func() int {
				x, _ := e.ExactFormula(n.Parts[0], uint32(code), s)
				y, _ := e.ExactFormula(n.Parts[part], uint32(code), s)
				return x.Cmp(y)
			}), true
		}
	}
	first := against(1)
	if n.Op == lang.Between {
		second := against(2)
		return func(code int) bool {
			c, ok := first(code)
			high, also := second(code)
			return ok && also && c >= 0 && high <= 0
		}
	}
	holds := map[lang.Op]func(c int) bool{
		lang.Is: func(c int) bool { return c == 0 }, lang.IsNot: func(c int) bool { return c != 0 },
		lang.Below: func(c int) bool { return c < 0 }, lang.AtMost: func(c int) bool { return c <= 0 },
		lang.Above: func(c int) bool { return c > 0 }, lang.AtLeast: func(c int) bool { return c >= 0 },
	}[n.Op]
	return func(code int) bool {
		c, ok := first(code)
		return ok && holds(c)
	}
}

func (e *Engine) choose(n *lang.Node, s Slot) *Column {
	size := e.Size(s.Level)
	out := newColumn(size)
	test, yes := e.Tester(n.Parts[0], s), e.Formula(n.Parts[1], s)
	var no *Column
	if len(n.Parts) > 2 {
		no = e.Formula(n.Parts[2], s)
	}
	for i := range size {
		from := no
		if test(i) {
			from = yes
		}
		if from == nil {
			out.Why[i] = Otherwise
			continue
		}
		out.Value[i], out.Error[i], out.Why[i] = from.Value[i], from.Error[i], from.Why[i]
	}
	return out
}
