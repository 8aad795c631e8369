package measure

import (
	"cmp"
	"math"
	"math/big"
	"slices"

	"oskel/core/stats"
)

// Rank sorts some codes by their value, the lowest first, equal ones by code,
// and gives the dense place of each, from 0: equal values share one. Floating
// point decides as far as its errors allow; those that lie too near one another
// to tell are settled exactly, each value once.
func (c *Column) Rank(codes []int, exact func(code int) *big.Rat) (places []int) {
	placed := make([]stats.Placed, len(codes))
	for k, code := range codes {
		placed[k] = stats.Placed{Value: c.Value[code], Place: code}
	}
	stats.SortPlaced(placed)
	for k, p := range placed {
		codes[k] = p.Place
	}
	places = make([]int, len(codes))
	if c.Decimal {
		for k := 1; k < len(codes); k++ {
			places[k] = places[k-1]
			if c.Value[codes[k]] != c.Value[codes[k-1]] {
				places[k]++
			}
		}
		return places
	}
	// least[k] is the least that any code from k on may truly be.
	least := make([]float64, len(codes)+1)
	least[len(codes)] = math.Inf(1)
	for k := len(codes) - 1; k >= 0; k-- {
		least[k] = min(least[k+1], c.Value[codes[k]]-c.bound(codes[k]))
	}
	place, from, most := 0, 0, math.Inf(-1)
	for k, code := range codes {
		most = max(most, c.Value[code]+c.bound(code))
		if most >= least[k+1] {
			continue // the next may be the lower one, or equal
		}
		place = c.settleRank(codes[from:k+1], places[from:k+1], place, exact)
		from, most = k+1, math.Inf(-1)
	}
	return places
}

// bound is the error of a value with that of adding it to the value.
func (c *Column) bound(code int) float64 {
	return c.Error[code] + (math.Abs(c.Value[code])+c.Error[code])*rounding
}

// settleRank ranks codes that floating point cannot tell apart, from a place
// on, and returns the next place.
func (c *Column) settleRank(codes, places []int, place int, exact func(code int) *big.Rat) int {
	if len(codes) == 1 {
		places[0] = place
		return place + 1
	}
	known := make(map[int]*big.Rat, len(codes))
	for _, code := range codes {
		known[code] = exact(code)
	}
	slices.SortFunc(codes, func(a, b int) int { return cmp.Or(known[a].Cmp(known[b]), cmp.Compare(a, b)) })
	for k := range codes {
		if k > 0 && known[codes[k]].Cmp(known[codes[k-1]]) != 0 {
			place++
		}
		places[k] = place
	}
	return place + 1
}
