package measure

import (
	"math"
	"math/big"

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

func (e *Engine) exactShare(n *lang.Node, code uint32, s Slot) (*big.Rat, Why) {
	own, why := e.ExactFormula(n.Parts[0], code, s)
	if why != Present {
		return nil, why
	}
	total, why := e.exactOverall(n, code, s)
	if why != Present {
		return nil, why
	}
	return positiveQuotient(own, total)
}

// places ranks the values there are, densely: equal values share a place, and
// the next one follows on. What is missing has no place.
func (e *Engine) places(n *lang.Node, s Slot) *Column {
	kind, by := n.Group()
	_, groups := e.group(s, kind, by)
	lowest := n.Argument(func(p *lang.Node) bool { return p.Text == "lowest" }) != nil
	c := e.Formula(n.Parts[0], s)
	out := newColumn(len(c.Value))
	out.Decimal = true
	copy(out.Why, c.Why)
	for _, codes := range c.members(groups) {
		places := c.Rank(codes, e.exactly(n.Parts[0], s))
		most := places[len(places)-1]
		for k, code := range codes {
			if lowest {
				out.Value[code] = float64(places[k] + 1)
			} else {
				out.Value[code] = float64(most - places[k] + 1)
			}
		}
	}
	return out
}

func (e *Engine) exactPlace(n *lang.Node, code uint32, s Slot) (*big.Rat, Why) {
	c := e.Formula(n, s)
	if c.Why[code] != Present {
		return nil, c.Why[code]
	}
	return big.NewRat(int64(c.Value[code]), 1), Present
}

// peers is the same figure for all members of a group, whether they have a
// value of their own or not.
func (e *Engine) peers(n *lang.Node, s Slot) *Column {
	kind, by := n.Group()
	_, groups := e.group(s, kind, by)
	c := e.Formula(n.Parts[0], s)
	group := newColumn(0) // by group
	at := map[uint32]int{}
	for g, codes := range c.members(groups) {
		near := c.Near(codes, nil) // exact ones are not asked for here
		i := len(at)
		at[g] = i
		group.Value, group.Error, group.Why = append(group.Value, 0), append(group.Error, 0), append(group.Why, Present)
		switch p := n.Parts[1]; p.Text {
		case "average":
			group.set(i, mean(near.Values), near.Error+summing(near.Values), 1)
		case "median":
			group.set(i, stats.Median(near.Values), near.Error, 1)
		default:
			v, bound := stats.Percentile(near.Values, percentile(p))
			group.set(i, v, near.Error+bound, 0)
		}
	}
	out := e.missing(s, NoBase)
	for i := range out.Value {
		if k, ok := at[codeOf(groups, i)]; ok {
			out.Value[i], out.Error[i], out.Why[i] = group.Value[k], group.Error[k], Present
		}
	}
	return out
}

// percentile is the share that 'percentile 75' asks for.
func percentile(p *lang.Node) *big.Rat {
	return new(big.Rat).Quo(p.Number.Rat(), big.NewRat(100, 1))
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
	k := peerKey{e.formulaKey(n, s), 0}
	if groups != nil {
		k.group = groups[code]
	}
	if v := e.peerFigures[k]; v != nil {
		return v, Present
	}
	c := e.Formula(n.Parts[0], s)
	codes := c.members(groups)[k.group]
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
		v = c.Near(codes, exact).Percentile(percentile(p))
	}
	e.peerFigures[k] = v
	return v, Present
}

// mostExact is up to how many ratios are added up as ratios: the denominator
// of their sum grows with each.
const mostExact = 400

// meanOf is the exact mean, see sumOf.
func meanOf(codes []int, exact func(int) *big.Rat) *big.Rat {
	sum := sumOf(codes, exact)
	return new(big.Rat).Quo(sum, big.NewRat(int64(len(codes)), 1))
}

// sumOf is the exact sum. Of more different ratios than can be added up as such it is the
// simple rational that the sum to 512 binary digits cannot be told from, or where there is
// none that sum.
func sumOf(codes []int, exact func(int) *big.Rat) *big.Rat {
	values := make([]*big.Rat, len(codes))
	decimals := true
	for i, code := range codes {
		values[i] = exact(code)
		decimals = decimals && values[i].Denom().IsInt64() && amount.Scale%values[i].Denom().Int64() == 0
	}
	if decimals || len(values) <= mostExact {
		return sumRat(values)
	}
	w := stats.Wide{}
	sum := w.Int(0)
	for _, v := range values {
		sum.Add(sum, w.Number(v))
	}
	return w.Simple(sum)
}
