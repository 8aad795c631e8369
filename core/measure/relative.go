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

// relative is where values lie among all, or among their group: for in_range
// (x - min) / (max - min), for percent_place (competition place from below - 1)
// / (n - 1). Own value included; a lone value, or one among equals, has no
// range. Values too near one another to tell apart are settled exactly.
func (e *Engine) relative(n *lang.Node, s Slot) *Column {
	kind, by := n.Group()
	_, groups := e.group(s, kind, by)
	c := e.Formula(n.Parts[0], s)
	out := newColumn(len(c.Value))
	copy(out.Why, c.Why)
	for _, codes := range c.members(groups) {
		places := c.Rank(codes, e.exactly(n.Parts[0], s))
		low, high := codes[0], codes[len(codes)-1]
		if len(codes) == 1 || n.Text == "in_range" && places[len(places)-1] == 0 {
			for _, code := range codes {
				out.Why[code] = ZeroBase
			}
			continue
		}
		below := 0
		for k, code := range codes {
			if k > 0 && places[k] != places[k-1] {
				below = k
			}
			if n.Text == "percent_place" {
				out.set(code, float64(below)/float64(len(codes)-1), 0, 1)
				continue
			}
			wide := c.Value[high] - c.Value[low]
			bound := c.Error[high] + c.Error[low] + c.Error[code]
			if wide <= 4*bound {
				e.settle(out, code, n, s)
				continue
			}
			q := (c.Value[code] - c.Value[low]) / wide
			out.set(code, q, 2*bound/(wide-bound), 4)
		}
	}
	return out
}

func (e *Engine) exactRelative(n *lang.Node, code uint32, s Slot) (*big.Rat, Why) {
	kind, by := n.Group()
	_, groups := e.group(s, kind, by)
	c := e.Formula(n.Parts[0], s)
	if c.Why[code] != Present {
		return nil, c.Why[code]
	}
	g := uint32(0)
	if groups != nil {
		g = groups[code]
	}
	exact := e.exactly(n.Parts[0], s)
	own := int(code)
	low, high := own, own
	below, others := int64(0), int64(-1)
	for other, why := range c.Why {
		if why != Present || groups != nil && groups[other] != g {
			continue
		}
		others++
		if c.Compare(other, own, exact) < 0 {
			below++
		}
		if c.Compare(other, low, exact) < 0 {
			low = other
		}
		if c.Compare(other, high, exact) > 0 {
			high = other
		}
	}
	if others == 0 || n.Text == "in_range" && c.Compare(low, high, exact) == 0 {
		return nil, ZeroBase
	}
	if n.Text == "percent_place" {
		return big.NewRat(below, others), Present
	}
	least, value, most := exact(low), exact(own), exact(high)
	return new(big.Rat).Quo(new(big.Rat).Sub(value, least), new(big.Rat).Sub(most, least)), Present
}
