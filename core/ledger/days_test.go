package ledger_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"oskel/core/ledger"
)

// What is kept of lines' days says of each line, and of each day, what the list of
// days itself says.
func TestDaysSayWhatTheirListSays(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		list := rapid.SliceOfN(rapid.IntRange(1, 31), 0, 60).Draw(t, "days")
		slices.Sort(list)
		var d ledger.Days
		for _, day := range list {
			d.Add(day)
		}
		assert.Equal(t, len(list), d.Len())
		for i, day := range d.All() {
			assert.Equal(t, list[i], day)
			assert.Equal(t, day, d.Of(i))
			assert.EqualValues(t, day, d.ByLine()[i])
		}
		for day := -2; day < 40; day++ {
			first, _ := slices.BinarySearch(list, day)
			assert.Equal(t, first, d.From(day), "day %d", day)
		}
	})
	var d ledger.Days
	d.Add(5)
	assert.Panics(t, func() { d.Add(4) })
	d.Add(5)
	for range d.All() {
		break
	}
}
