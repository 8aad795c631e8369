package measure

import (
	"math/big"

	"oskel/core/lang"
)

// overall is the figure of each code's group as such, or of the whole: of a
// ratio, the ratio of the sums there.
func (e *Engine) overall(n *lang.Node, s Slot) *Column {
	kind, by := n.Group()
	level, groups := e.group(s, kind, by)
	whole := s
	whole.Level = level
	from := e.Formula(n.Parts[0], whole)
	out := newColumn(e.Size(s.Level))
	out.Decimal = from.Decimal
	for i := range out.Value {
		g := codeOf(groups, i)
		out.Value[i], out.Error[i], out.Why[i] = from.Value[g], from.Error[g], from.Why[g]
	}
	return out
}

func (e *Engine) exactOverall(n *lang.Node, code uint32, s Slot) (*big.Rat, Why) {
	kind, by := n.Group()
	level, groups := e.group(s, kind, by)
	whole := s
	whole.Level = level
	return e.ExactFormula(n.Parts[0], codeOf(groups, int(code)), whole)
}

// standing is how the values of one group lie among themselves.
type standing struct {
	below     map[uint32]int // how many are strictly below a code's
	low, high int            // codes of the lowest and the highest value
	flat      bool           // all are alike
}

// standings are those of all groups, by group, computed once.
func (e *Engine) standings(n *lang.Node, s Slot) map[uint32]*standing {
	k := e.formulaKey(n, s)
	if known := e.stood[k]; known != nil {
		return known
	}
	kind, by := n.Group()
	_, groups := e.group(s, kind, by)
	c := e.Formula(n.Parts[0], s)
	out := map[uint32]*standing{}
	for g, codes := range c.members(groups) {
		places := c.Rank(codes, e.exactly(n.Parts[0], s))
		of := &standing{below: make(map[uint32]int, len(codes)), low: codes[0], high: codes[len(codes)-1], flat: places[len(places)-1] == 0}
		below := 0
		for k, code := range codes {
			if k > 0 && places[k] != places[k-1] {
				below = k
			}
			of.below[uint32(code)] = below
		}
		out[g] = of
	}
	e.stood[k] = out
	return out
}

// relative is where values lie among all, or among their group: for in_range
// (x - min) / (max - min), for percent_place (competition place from below - 1)
// / (n - 1). Own value included; a lone value, or one among equals, has no
// range. Values too near one another to tell apart are settled exactly.
func (e *Engine) relative(n *lang.Node, s Slot) *Column {
	c := e.Formula(n.Parts[0], s)
	out := newColumn(len(c.Value))
	copy(out.Why, c.Why)
	for _, of := range e.standings(n, s) {
		for at, below := range of.below {
			code := int(at)
			switch {
			case len(of.below) == 1 || n.Text == "range_position" && of.flat:
				out.Why[code] = ZeroBase
			case n.Text == "percentile_rank":
				out.set(code, float64(below)/float64(len(of.below)-1), 0, 1)
			default:
				wide := c.Value[of.high] - c.Value[of.low]
				bound := c.Error[of.high] + c.Error[of.low] + c.Error[code]
				if wide <= 4*bound {
					e.settle(out, code, n, s)
					continue
				}
				q := (c.Value[code] - c.Value[of.low]) / wide
				out.set(code, q, 2*bound/(wide-bound), 4)
			}
		}
	}
	return out
}

func (e *Engine) exactRelative(n *lang.Node, code uint32, s Slot) (*big.Rat, Why) {
	c := e.Formula(n.Parts[0], s)
	if c.Why[code] != Present {
		return nil, c.Why[code]
	}
	kind, by := n.Group()
	_, groups := e.group(s, kind, by)
	of := e.standings(n, s)[codeOf(groups, int(code))]
	if of == nil || len(of.below) == 1 || n.Text == "range_position" && of.flat {
		return nil, ZeroBase
	}
	if n.Text == "percentile_rank" {
		return big.NewRat(int64(of.below[code]), int64(len(of.below)-1)), Present
	}
	exact := e.exactly(n.Parts[0], s)
	least, value, most := exact(of.low), exact(int(code)), exact(of.high)
	return new(big.Rat).Quo(new(big.Rat).Sub(value, least), new(big.Rat).Sub(most, least)), Present
}
