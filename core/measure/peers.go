package measure

import (
	"math"
	"math/big"
	"sort"

	"oskel/core/amount"
	"oskel/core/lang"
	"oskel/core/stats"
)

func (e *Engine) shares(n *lang.Node, s Slot) *Column {
	kind, by := n.Group()
	level, groups := e.group(s, kind, by)
	own := e.Formula(n.Parts[0], s)
	whole := s
	whole.Level = level
	total := e.Formula(n.Parts[0], whole)
	out := newColumn(len(own.Value))
	for i := range out.Value {
		g := 0
		if groups != nil {
			g = int(groups[i])
		}
		y, ey := total.Value[g], total.Error[g]
		switch {
		case own.Why[i] != Present:
			out.Why[i] = own.Why[i]
		case total.Why[g] != Present:
			out.Why[i] = total.Why[g]
		case math.Abs(y) <= ey:
			e.settle(out, i, n, s)
		case y < 0:
			out.Why[i] = BaseNotPositive
		default:
			q := own.Value[i] / y
			out.set(i, q, (own.Error[i]+math.Abs(q)*ey)/(y-ey), 1)
		}
	}
	return out
}

// members lists the codes that have a value, by the group they are placed in.
func members(c *Column, groups []uint32) map[uint32][]int {
	out := map[uint32][]int{}
	for i, why := range c.Why {
		if why == Present {
			g := uint32(0)
			if groups != nil {
				g = groups[i]
			}
			out[g] = append(out[g], i)
		}
	}
	return out
}

// places ranks the values there are, densely: equal values share a place, and
// the next one follows on. What is missing has no place.
func (e *Engine) places(n *lang.Node, s Slot) *Column {
	kind, by := n.Group()
	_, groups := e.group(s, kind, by)
	lowest := n.Argument(func(p *lang.Node) bool { return p.Text == "lowest" }) != nil
	c := e.Formula(n.Parts[0], s)
	out := newColumn(len(c.Value))
	copy(out.Why, c.Why)
	for _, codes := range members(c, groups) {
		order := func(a, b int) int {
			r := c.Compare(a, b, e.exactly(n.Parts[0], s))
			if lowest {
				return r
			}
			return -r
		}
		sort.SliceStable(codes, func(i, j int) bool { return order(codes[i], codes[j]) < 0 })
		place := 0
		for k, code := range codes {
			if k == 0 || order(codes[k-1], code) != 0 {
				place++
			}
			out.Value[code] = float64(place)
		}
	}
	return out
}

// peers is the same figure for all members of a group, whether they have a
// value of their own or not.
func (e *Engine) peers(n *lang.Node, s Slot) *Column {
	kind, by := n.Group()
	_, groups := e.group(s, kind, by)
	c := e.Formula(n.Parts[0], s)
	out := e.missing(s, NoBase)
	lists := members(c, groups)
	for i := range out.Value {
		g := uint32(0)
		if groups != nil {
			g = groups[i]
		}
		codes := lists[g]
		if len(codes) == 0 {
			continue
		}
		if first := codes[0]; first < i && out.Why[first] == Present {
			out.Value[i], out.Error[i], out.Why[i] = out.Value[first], out.Error[first], Present
			continue
		}
		near := c.Near(codes, nil) // exact ones are not asked for here
		values, widest := near.Values, near.Error
		v := 0.0
		switch p := n.Parts[1]; p.Text {
		case "average":
			v = mean(values)
			widest += summing(values)
		case "median":
			v, _ = stats.MedianMAD(values)
		default:
			v = stats.Percentile(values, p.Number.Float()/100)
			widest += summing(values)
		}
		out.Why[i] = Present
		out.set(i, v, widest, 3)
	}
	return out
}

func positiveQuotient(a, b *big.Rat) (*big.Rat, Why) {
	switch b.Sign() {
	case 0:
		return nil, ZeroBase
	case -1:
		return nil, BaseNotPositive
	}
	return new(big.Rat).Quo(a, b), Present
}

func (e *Engine) exactPeers(n *lang.Node, code uint32, s Slot) (*big.Rat, Why) {
	kind, by := n.Group()
	_, groups := e.group(s, kind, by)
	k := peerKey{formulaKey{n, s}, 0}
	if groups != nil {
		k.group = groups[code]
	}
	if v := e.peerages[k]; v != nil {
		return v, Present
	}
	c := e.Formula(n.Parts[0], s)
	codes := members(c, groups)[k.group]
	if len(codes) == 0 {
		return nil, NoBase
	}
	exact := e.exactly(n.Parts[0], s)
	var v *big.Rat
	switch p := n.Parts[1]; p.Text {
	case "average":
		v = meanOf(codes, exact)
	case "median":
		v = c.Near(codes, exact).Percentile(big.NewRat(1, 2))
	default:
		v = c.Near(codes, exact).Percentile(new(big.Rat).Quo(p.Number.Rat(), big.NewRat(100, 1)))
	}
	e.peerages[k] = v
	return v, Present
}

// mostExact is up to how many ratios are added up as ratios: the denominator
// of their sum grows with each.
const mostExact = 400

// meanOf is the exact mean. Of more ratios than can be added up as such it is
// the mean to 512 binary digits, which no cut of four decimal places can fail to
// be told from but by being equal.
func meanOf(codes []int, exact func(int) *big.Rat) *big.Rat {
	var values []*big.Rat
	decimals := true
	for _, code := range codes {
		v := exact(code)
		decimals = decimals && v.Denom().IsInt64() && amount.Scale%v.Denom().Int64() == 0
		values = append(values, v)
	}
	if decimals || len(values) <= mostExact {
		return meanRat(values)
	}
	sum := new(big.Float).SetPrec(512)
	for _, v := range values {
		sum.Add(sum, new(big.Float).SetPrec(512).SetRat(v))
	}
	out, _ := sum.Rat(nil)
	return out.Quo(out, big.NewRat(int64(len(values)), 1))
}
