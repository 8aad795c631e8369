package stats

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Whatever the values and however many are equal, the k-th smallest stands in its
// place, with none that is greater before it and none that is less behind.
func TestNth(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		most := rapid.SampledFrom([]int{1, 5, 1000}).Draw(t, "most")
		n := rapid.SampledFrom([]int{1, 2, 16, 17, 18, 40, 41, 300}).Draw(t, "n")
		xs := rapid.SliceOfN(rapid.IntRange(0, most), n, n).Draw(t, "xs")
		sorted := slices.Sorted(slices.Values(xs))
		tries := rapid.SampledFrom([]int{0, 1, 3, 50}).Draw(t, "tries") // before it sorts what is left
		for k := range xs {
			work := slices.Clone(xs)
			require.Equal(t, sorted[k], nth(work, k, tries))
			require.LessOrEqual(t, slices.Max(work[:k+1]), sorted[k])
			require.GreaterOrEqual(t, slices.Min(work[k:]), sorted[k])
		}
		low, high := Middles(xs)
		assert.Equal(t, []int{sorted[(len(xs)-1)/2], sorted[len(xs)/2]}, []int{low, high})
		slices.Sort(xs)
		assert.Equal(t, sorted, xs, "the same values are left")
	})
}
