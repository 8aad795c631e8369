package measure

import (
	"math"
	"math/big"
	"slices"

	"oskel/core/lang"
	"oskel/core/ledger"
	"oskel/core/rulebook"
)

// gather makes a measure's values of groups from those of their subjects, or of
// pairs of them, as the measure states. A subject counts in the group it is in
// on the slot's last day; one without a value does not count.
func (e *Engine) gather(def *rulebook.Measure, plain Level, s Slot) *Column {
	own, groups := e.ofSubjects(def, plain, s)
	out := e.missing(s, NoLines)
	for g, codes := range own.members(groups) {
		values := make([]float64, len(codes))
		errors, size := 0.0, 0.0
		for k, code := range codes {
			values[k] = own.Value[code]
			errors += own.Error[code]
			size += math.Abs(own.Value[code])
		}
		sumError := errors + size*rounding*float64(len(codes)+1)
		i, n := int(g), float64(len(codes))
		out.Why[i] = Present
		switch def.Groups.How {
		case "sum":
			out.set(i, sum(values), sumError, 1)
		case "average":
			out.set(i, sum(values)/n, sumError/n, 2)
		case "count":
			out.set(i, n, 0, 0)
		case "minimum":
			out.set(i, slices.Min(values), widest(own, codes), 0)
		default:
			out.set(i, slices.Max(values), widest(own, codes), 0)
		}
	}
	return out
}

func sum(xs []float64) float64 {
	sum := 0.0
	for _, x := range xs {
		sum += x
	}
	return sum
}

func widest(c *Column, codes []int) float64 {
	most := 0.0
	for _, code := range codes {
		most = max(most, c.Error[code])
	}
	return most
}

// ofSubjects is a measure's column of the subjects that a slot's level is made
// of, and the code each of them counts under; nil is all under one.
func (e *Engine) ofSubjects(def *rulebook.Measure, plain Level, s Slot) (*Column, []uint32) {
	of := s
	of.Level = plain
	own := e.Column(def.Name, of)
	switch {
	case s.Kind == "":
		return own, nil
	case !s.Paired():
		_, groups := e.group(of, s.Kind, s.By)
		return own, groups
	}
	pairs, grouped := e.pairs(plain), e.pairs(s.Level)
	first, second := s.Level.Sides()
	side := func(l Level, codes []uint32) []uint32 {
		if l.By == "" {
			return codes
		}
		of.Level = Level{Kind: l.Kind}
		_, groups := e.group(of, l.Kind, l.By)
		out := make([]uint32, len(codes))
		for i, c := range codes {
			out[i] = codeOf(groups, int(c))
		}
		return out
	}
	a, b := side(first, pairs.First), side(second, pairs.Second)
	groups := make([]uint32, len(a))
	for i := range groups {
		code, ok := grouped.Code(a[i], b[i])
		if groups[i] = code; !ok {
			groups[i] = ledger.Nobody // it has lines in other groups alone
		}
	}
	return own, groups
}

// members lists the codes that have a value, by the group they are placed in.
func (c *Column) members(groups []uint32) map[uint32][]int {
	out := map[uint32][]int{}
	for i, why := range c.Why {
		if why != Present {
			continue
		}
		g := uint32(0)
		if groups != nil {
			g = groups[i]
		}
		if g != ledger.Nobody {
			out[g] = append(out[g], i)
		}
	}
	return out
}

func (e *Engine) exactGathered(def *rulebook.Measure, plain Level, code uint32, s Slot) (*big.Rat, Why) {
	k := e.measureKey(def.Name, s)
	all := e.gathered[k]
	if all == nil {
		all = make([]*big.Rat, e.Size(s.Level))
		own, groups := e.ofSubjects(def, plain, s)
		of := s
		of.Level = plain
		exact := e.exactly(&lang.Node{Op: lang.Name, Text: def.Name}, of)
		for g, codes := range own.members(groups) {
			all[g] = gathered(def.Groups.How, own, codes, exact)
		}
		e.gathered[k] = all
	}
	if all[code] == nil {
		return nil, NoLines
	}
	return all[code], Present
}

func gathered(how string, c *Column, codes []int, exact func(int) *big.Rat) *big.Rat {
	switch how {
	case "count":
		return big.NewRat(int64(len(codes)), 1)
	case "sum":
		return sumOf(codes, exact)
	case "average":
		return meanOf(codes, exact)
	case "minimum":
		return c.Near(codes, exact).Percentile(new(big.Rat))
	}
	return c.Near(codes, exact).Percentile(big.NewRat(1, 1))
}
