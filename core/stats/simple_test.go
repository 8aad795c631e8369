package stats

import (
	"math/big"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

// A wide number that stands for a rational is told as that one, however it was come by: as
// a quotient, as a root of its square, as a long sum; one digit in the last hundred beside
// it is not taken for it, nor is a root that is none.
func TestSimpleRationalsAreFound(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		over, under := rapid.Int64Range(-1_000_000_000_000, 1_000_000_000_000).Draw(t, "over"), rapid.Int64Range(1, 1_000_000_000).Draw(t, "under")
		r, w := big.NewRat(over, under), Wide{}
		assert.Zero(t, w.Simple(w.Quo(w.Number(new(big.Rat).SetInt64(over)), w.Number(new(big.Rat).SetInt64(under)))).Cmp(r))
		assert.Zero(t, w.Simple(w.Sqrt(w.Number(new(big.Rat).Mul(r, r)))).Cmp(new(big.Rat).Abs(r)))
		sum := w.Int(0)
		for range 7 {
			sum = w.Add(sum, w.Quo(w.Number(r), w.Int(7)))
		}
		assert.Zero(t, w.Simple(sum).Cmp(r))

		beside := w.Add(w.Number(r), w.Number(new(big.Rat).SetFrac(big.NewInt(1), new(big.Int).Lsh(big.NewInt(1), 300))))
		assert.NotZero(t, w.Simple(beside).Cmp(r), "300 digits away")
	})
	two := Wide{}.Sqrt(Wide{}.Int(2))
	exact, _ := two.Rat(nil)
	assert.Zero(t, Wide{}.Simple(two).Cmp(exact), "a root that is no rational stays as it is")
	for _, whole := range []int{-3, 0, 1, 1 << 30} {
		assert.Zero(t, Wide{}.Simple(Wide{}.Int(whole)).Cmp(big.NewRat(int64(whole), 1)))
	}
}

// Logarithms that cannot be told apart are equal, others in their order; of values that are
// exact one step of any smallness tells them apart.
func TestLogarithmsThatAreAlikeAreEqual(t *testing.T) {
	logs := Near{Values: []float64{4, 8, 9}, Exact: func(i int) *big.Rat { return big.NewRat([]int64{4, 8, 9}[i], 1) }}.Log()
	third := new(big.Rat).Quo(logs.Exact(1), big.NewRat(3, 1))
	half := new(big.Rat).Quo(logs.Exact(0), big.NewRat(2, 1))
	assert.Zero(t, logs.Cmp(third, half), "ln 8 / 3 is ln 4 / 2")
	assert.Positive(t, logs.Cmp(logs.Exact(2), logs.Exact(1)))
	assert.Negative(t, logs.Cmp(logs.Exact(1), logs.Exact(2)))
	tiny := new(big.Rat).Add(half, new(big.Rat).SetFrac(big.NewInt(1), new(big.Int).Lsh(big.NewInt(1), 500)))
	assert.Zero(t, logs.Cmp(tiny, half))
	assert.Positive(t, Near{}.Cmp(tiny, half), "of values that are exact")
}
