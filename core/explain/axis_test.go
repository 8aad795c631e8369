package explain_test

import (
	"math"
	"math/big"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/explain"
	"oskel/core/judge"
	"oskel/core/method"
	"oskel/core/rulebook"
)

// The axis of a rule is in the unit in which its cuts lie.
func TestAxes(t *testing.T) {
	book, problems := rulebook.Read([]byte(text), method.All())
	require.Empty(t, problems)
	for name, want := range map[string]string{
		"held": "money 0 Revenue less goal (5,000)", "far": "money 0 Revenue", "quiet": "days 0 Days since the last of the Order lines", "plain": "percent 1 Rate",
	} {
		unit, places, title := explain.Axis(book, book.Rule(name))
		assert.Equal(t, want, string(unit)+" "+string(rune('0'+places))+" "+title, name)
	}
	for as, want := range map[string]string{"ratio": "percent 1 Revenue as a share of goal (5,000)", "change": "percent 1 Revenue as a change from goal (5,000)"} {
		book, problems := rulebook.Read([]byte(strings.Replace(text, "as: difference, bands: [{grade: act, at_most: -100}",
			"as: "+as+", bands: [{grade: act, at_most: 10%}", 1)), method.All())
		require.Empty(t, problems)
		unit, places, title := explain.Axis(book, book.Rule("held"))
		assert.Equal(t, want, string(unit)+" "+string(rune('0'+places))+" "+title)
	}
	assert.Equal(t, "96.0%", explain.Held(0.96, rulebook.Percent, 1))
	assert.Equal(t, "-1,234", explain.Held(-1234, rulebook.Money, 0))
	assert.Equal(t, "61 days", explain.Held(61, rulebook.Days, 0))
	assert.Equal(t, "", explain.Held(math.NaN(), rulebook.Money, 0))
	assert.Equal(t, "", explain.Held(math.Inf(1), rulebook.Money, 0))
}

// What a program is given is the value and what it was held against: a
// comparison, the median of the peers, the end of its band, or the limit.
func TestNumbersForPrograms(t *testing.T) {
	rat := big.NewRat
	for name, c := range map[string]struct {
		ev        judge.Evidence
		value, to *big.Rat
		unit      rulebook.Unit
	}{
		"a silence": {judge.Evidence{Silence: &method.Silence{Days: 31, Limit: 30}}, rat(31, 1), rat(30, 1), rulebook.Days},
		"a yardstick": {judge.Evidence{Unit: rulebook.Money, Value: rat(5, 1), Comparison: rat(6, 1), Band: &judge.BandFound{High: end(1, true, true)}},
			rat(5, 1), rat(6, 1), rulebook.Money},
		"peers": {judge.Evidence{Unit: rulebook.Money, Value: rat(5, 1), Peers: &method.Peers{Median: rat(2, 1)}}, rat(5, 1), rat(2, 1), rulebook.Money},
		"below": {judge.Evidence{Unit: rulebook.Percent, Value: rat(1, 10), Band: &judge.BandFound{High: end(1800, true, true)}}, rat(1, 10),
			rat(18, 100), rulebook.Percent},
		"above": {judge.Evidence{Unit: rulebook.Percent, Value: rat(9, 10), Band: &judge.BandFound{Low: end(5000, true, true)}}, rat(9, 10),
			rat(1, 2), rulebook.Percent},
		"between": {judge.Evidence{Unit: rulebook.Percent, Value: rat(2, 10),
			Band: &judge.BandFound{Low: end(1800, true, true), High: end(2200, true, true)}}, rat(2, 10), rat(22, 100), rulebook.Percent},
		"the rest": {judge.Evidence{Unit: rulebook.Count, Value: rat(3, 1), Band: &judge.BandFound{}}, rat(3, 1), nil, rulebook.Count},
		"nothing":  {judge.Evidence{Unit: rulebook.Count}, nil, nil, rulebook.Count},
	} {
		found := c.ev.Compared()
		value, to, unit := found.Value, found.Against, found.Unit
		same := func(want, got *big.Rat) {
			if want == nil {
				assert.Nil(t, got, name)
				return
			}
			require.NotNil(t, got, name)
			assert.Zero(t, want.Cmp(got), "%s: %s", name, got)
		}
		same(c.value, value)
		same(c.to, to)
		assert.Equal(t, c.unit, unit, name)
	}
}
