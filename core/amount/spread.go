package amount

import (
	"math/big"
	"sort"
)

// Spread divides a total among parts by weights, in whole steps, so that the
// parts add up to the total: each part is rounded down, and what is left goes
// to the largest remainders, the earlier first (Hamilton's method). Weights
// are not negative and not all zero; a total that is no whole number of steps
// keeps its rest in the part with the largest remainder.
func Spread(total Amount, weights []Amount, step Amount) []Amount {
	sum := new(big.Int)
	for _, w := range weights {
		sum.Add(sum, big.NewInt(int64(w)))
	}
	sign := Amount(1)
	if total < 0 {
		sign, total = -1, -total
	}
	steps, rest := total/step, total%step
	parts := make([]Amount, len(weights))
	remainders := make([]*big.Int, len(weights))
	order := make([]int, len(weights))
	left := steps
	for i, w := range weights {
		q, r := new(big.Int).QuoRem(new(big.Int).Mul(big.NewInt(int64(steps)), big.NewInt(int64(w))), sum, new(big.Int))
		parts[i], remainders[i], order[i] = Amount(q.Int64()), r, i
		left -= parts[i]
	}
	sort.SliceStable(order, func(i, j int) bool { return remainders[order[i]].Cmp(remainders[order[j]]) > 0 })
	for _, i := range order[:left] {
		parts[i]++
	}
	for i := range parts {
		parts[i] *= step
	}
	parts[order[0]] += rest
	for i := range parts {
		parts[i] *= sign
	}
	return parts
}
