package measure

import (
	"cmp"
	"math"
	"math/big"

	"oskel/core/amount"
	"oskel/core/lang"
	"oskel/core/ledger"
	"oskel/core/rulebook"
	"oskel/core/stats"
)

// Column is a measure for every code of a slot. Value[c] is within Error[c] of
// the true value where Why[c] is Present, and void otherwise.
type Column struct {
	Value []float64
	Error []float64
	Why   []Why

	// Decimal says that each value is the float64 nearest to a decimal so small
	// that no two share one: floats then compare as the true values do.
	Decimal bool
}

// rounding bounds the relative error of one operation; twice the unit
// roundoff, so that products of bounds need no second thought.
const rounding = 0x1p-52

// baseColumn is shared by all who ask for figures of the same totals.
func (e *Engine) baseColumn(def *rulebook.Measure, s Slot) *Column {
	t := e.baseTotals(def, s)
	return t.Made(func() any { return columnOf(t, def.Aggregate == "average") }).(*Column)
}

func columnOf(t *ledger.Totals, average bool) *Column {
	c := newColumn(t.Size)
	void := NoLines
	if t.Beyond {
		void = BeyondRange
	}
	for i := range c.Why {
		c.Why[i] = void
	}
	if t.Beyond {
		return c
	}
	c.Decimal = !average
	for code, of := range t.All() {
		c.Why[code] = Present
		if average {
			c.set(int(code), of.Amount.Float()/float64(of.Count), 0, 2)
		} else {
			c.decimal(int(code), of.Amount)
		}
	}
	return c
}

func newColumn(n int) *Column {
	return &Column{Value: make([]float64, n), Error: make([]float64, n), Why: make([]Why, n)}
}

// set stores a value whose error is bound plus that of so many roundings, and a
// little for the roundings of the bound itself.
func (c *Column) set(i int, v, bound, roundings float64) {
	c.Value[i], c.Error[i] = v, (bound+roundings*math.Abs(v)*rounding)*(1+0x1p-45)
}

// decimal stores a decimal. Whole numbers have no error where their ten-thousandths
// are a float64 too: beyond that two roundings come together.
func (c *Column) decimal(i int, a amount.Amount) {
	c.Value[i] = a.Float()
	if a%amount.Scale != 0 || a > 1<<53 || a < -1<<53 {
		c.Error[i] = math.Abs(c.Value[i]) * rounding
	}
	c.Decimal = c.Decimal && a < mostDecimal && a > -mostDecimal
}

// mostDecimal bounds the decimals that floats tell apart: to the left of it
// floats lie nearer together than ten-thousandths do.
const mostDecimal = 1 << 51

// settle computes one value exactly, where floating point cannot tell which
// way it falls.
func (e *Engine) settle(out *Column, i int, n *lang.Node, s Slot) {
	if e.asked++; e.asked%64 == 0 && e.Stopped() {
		out.Why[i] = NoLines // it is void from now on
		return
	}
	r, why := e.ExactFormula(n, uint32(i), s)
	if out.Why[i] = why; why == Present {
		v, _ := r.Float64()
		out.set(i, v, 0, 1)
	}
}

func constant(a amount.Amount, n int) *Column {
	c := newColumn(n)
	c.Decimal = true
	for i := range c.Value {
		c.decimal(i, a)
	}
	return c
}

// compare holds two values against one another: in floating point where their
// errors allow, else exactly.
func compare(x, ex, y, ey float64, exact func() int) int {
	if d := x - y; math.Abs(d) > ex+ey+(math.Abs(x)+math.Abs(y))*rounding {
		if d < 0 {
			return -1
		}
		return 1
	}
	return exact()
}

// Compare holds the values of two codes against one another, exactly where
// floating point cannot tell them apart.
func (c *Column) Compare(a, b int, exact func(code int) *big.Rat) int {
	if c.Decimal {
		return cmp.Compare(c.Value[a], c.Value[b])
	}
	return compare(c.Value[a], c.Error[a], c.Value[b], c.Error[b], func() int { return exact(a).Cmp(exact(b)) })
}

// exactly answers for the exact values that an expression is known to have.
func (e *Engine) exactly(n *lang.Node, s Slot) func(code int) *big.Rat {
	return func(code int) *big.Rat {
		v, _ := e.ExactFormula(n, uint32(code), s)
		return v
	}
}

// Near is the values of some codes, with the exact ones for when they are
// needed.
func (c *Column) Near(codes []int, exact func(code int) *big.Rat) stats.Near {
	n := stats.Near{Values: make([]float64, len(codes)), Exact: func(i int) *big.Rat { return exact(codes[i]) }}
	for i, code := range codes {
		n.Values[i] = c.Value[code]
		n.Error = max(n.Error, c.Error[code])
	}
	return n
}
