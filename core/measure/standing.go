package measure

import (
	"math/big"
	"slices"

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
	for i := range out.Value {
		g := uint32(0)
		if groups != nil {
			g = groups[i]
		}
		out.Value[i], out.Error[i], out.Why[i] = from.Value[g], from.Error[g], from.Why[g]
	}
	return out
}

// standing is where values lie among all, or among their group: for in_range
// (x - min) / (max - min), for percent_place (competition place from below - 1)
// / (n - 1). Own value included; a lone value, or one among equals, has no
// range. Values too near one another to tell apart are settled exactly.
func (e *Engine) standing(n *lang.Node, s Slot) *Column {
	kind, by := n.Group()
	_, groups := e.group(s, kind, by)
	c := e.Formula(n.Parts[0], s)
	out := newColumn(len(c.Value))
	copy(out.Why, c.Why)
	for _, codes := range members(c, groups) {
		order := func(a, b int) int {
			return compare(c.Value[a], c.Error[a], c.Value[b], c.Error[b], func() int {
				x, _ := e.ExactFormula(n.Parts[0], uint32(a), s)
				y, _ := e.ExactFormula(n.Parts[0], uint32(b), s)
				return x.Cmp(y)
			})
		}
		slices.SortStableFunc(codes, order)
		low, high := codes[0], codes[len(codes)-1]
		if len(codes) == 1 || n.Text == "in_range" && order(low, high) == 0 {
			for _, code := range codes {
				out.Why[code] = ZeroBase
			}
			continue
		}
		below := 0
		for k, code := range codes {
			if k > 0 && order(codes[k-1], code) != 0 {
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

func (e *Engine) exactStanding(n *lang.Node, code uint32, s Slot) (*big.Rat, Why) {
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
	own, _ := e.ExactFormula(n.Parts[0], code, s)
	low, high := own, own
	below, others := int64(0), int64(-1)
	for _, other := range members(c, groups)[g] {
		v, _ := e.ExactFormula(n.Parts[0], uint32(other), s)
		others++
		if v.Cmp(own) < 0 {
			below++
		}
		if v.Cmp(low) < 0 {
			low = v
		}
		if v.Cmp(high) > 0 {
			high = v
		}
	}
	if others == 0 || n.Text == "in_range" && low.Cmp(high) == 0 {
		return nil, ZeroBase
	}
	if n.Text == "percent_place" {
		return big.NewRat(below, others), Present
	}
	return new(big.Rat).Quo(new(big.Rat).Sub(own, low), new(big.Rat).Sub(high, low)), Present
}
