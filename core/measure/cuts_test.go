package measure_test

import (
	"fmt"
	"math/big"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"oskel/core/calendar"
	"oskel/core/ledger"
	"oskel/core/measure"
)

// many is a world of so many reps without a territory, one line of each in October.
func many(t require.TestingT, measures string, n int, of func(i int) (net, cost string)) *measure.Engine {
	var keys []string
	var lines []line
	for i := range n {
		net, cost := of(i)
		keys = append(keys, fmt.Sprintf("R%03d", i))
		lines = append(lines, line{i, 0, "2026-10-05", net, cost, 0})
	}
	e := world(t, measures, nil)
	e.Snapshot.Registers["rep"] = ledger.NewRegister("rep", keys, keys)
	e.Snapshot.Feeds = world(t, "", lines).Snapshot.Feeds
	return e
}

func inOctober(e *measure.Engine) measure.Slot {
	p, _ := e.Book.Calendar.Parse("2026-10")
	return e.Slot(reps, p)
}

// A figure into which a root or a long sum has gone is the rational it lies on: n values of
// which one stands out by d score (n - 1) / sqrt n, which is rational of square n.
func TestFiguresThatLieOnANumberAreOnIt(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		root := rapid.IntRange(2, 9).Draw(t, "root")
		n := root * root
		base, out := rapid.IntRange(-900, 900).Draw(t, "base"), rapid.IntRange(1, 9999).Draw(t, "out")
		e := many(t, "  far: {formula: \"score(revenue, standard)\", unit: count, groups: own figures}\n", n, func(i int) (string, string) {
			v := base
			if i == 0 {
				v += out
			}
			return strconv.FormatFloat(float64(v)/100, 'f', 2, 64), "1"
		})
		v, why := e.Exact("far", 0, inOctober(e))
		require.Equal(t, measure.Present, why)
		assert.Equal(t, big.NewRat(int64(n-1), int64(root)), v)
		other, _ := e.Exact("far", 1, inOctober(e))
		assert.Equal(t, big.NewRat(-1, int64(root)), other)
	})
}

// Ratios that all are the same are their mean, however many, and what each is drawn in to.
func TestTheMeanOfEqualRatiosIsTheRatio(t *testing.T) {
	for _, c := range []struct{ n, over, under int }{{3, 1, 5}, {401, 1, 3}, {700, 22, 7}} {
		e := many(t, `  rate: {formula: "cost / revenue", unit: percent, groups: own figures}
  off: {formula: "rate - peers(rate, average)", unit: percent, groups: own figures}
  drawn: {formula: "credibility(cost / revenue, 2)", unit: percent, groups: own figures}
`, c.n, func(i int) (string, string) {
			return fmt.Sprint(c.under * (1 + i%7)), fmt.Sprint(c.over * (1 + i%7))
		})
		// A second month, so that there is something within each.
		s := inOctober(e)
		of := e.Snapshot.Feeds["sales"].Chunks[0]
		sept := &ledger.Chunk{Month: of.Month - 1, Days: of.Days, Subjects: of.Subjects, Numbers: of.Numbers, Labels: of.Labels}
		e.Snapshot.Feeds["sales"].Chunks = []*ledger.Chunk{sept, of}
		off, why := e.Exact("off", 0, s)
		require.Equal(t, measure.Present, why)
		assert.Zero(t, off.Sign(), "%d ratios: %s", c.n, off.FloatString(170))
		drawn, why := e.Exact("drawn", uint32(c.n-1), s)
		require.Equal(t, measure.Present, why)
		assert.Equal(t, big.NewRat(int64(c.over), int64(c.under)), drawn)
	}
}

// A decimal is within its stated error, where its ten-thousandths are no float64 too.
func TestDecimalsOfAnySizeAreWithinTheirError(t *testing.T) {
	sizes := []int64{1 << 40, 900_719_925_474, 14_411_518_807_585, 14_419_296_584_777, 99_999_999_999_999}
	e := many(t, "", 40*len(sizes), func(i int) (string, string) {
		return fmt.Sprint(sizes[i/40] + int64(i%40)*777_777_777), "1"
	})
	s := inOctober(e)
	c := e.Column("revenue", s)
	for code := range c.Value {
		exact, _ := e.Exact("revenue", uint32(code), s)
		off := new(big.Rat).Sub(new(big.Rat).SetFloat64(c.Value[code]), exact)
		assert.LessOrEqual(t, off.Abs(off).Cmp(new(big.Rat).SetFloat64(c.Error[code])), 0, "%s is held as %v", exact, c.Value[code])
	}
}

// No comparison with what is missing holds in 'when', 'is not' included.
func TestWhatIsMissingIsNotAnotherNumber(t *testing.T) {
	e := world(t, `  other: {formula: "when cost is not 5 then 1 otherwise 2", unit: count, groups: own figures}
  turned: {formula: "when not (cost is 5) then 1 otherwise 2", unit: count, groups: own figures}
`, []line{{0, 0, "2026-10-05", "10", "", 0}, {1, 0, "2026-10-05", "10", "4", 0}})
	assert.Equal(t, "2; 1; 2", say(e, "other", reps, "2026-10"))
	assert.Equal(t, "1; 1; 1", say(e, "turned", reps, "2026-10"))
}

// A history of a period that runs is of as many days of each period before.
func TestAHistoryOfAPeriodThatRuns(t *testing.T) {
	e := world(t, "  past: {formula: \"history(revenue, 2)\", unit: money}\n  rate: {formula: \"history(cost / revenue, 2)\", unit: percent}\n", []line{
		{0, 0, "2026-08-05", "4", "1", 0}, {0, 0, "2026-08-25", "100", "9", 0}, {0, 0, "2026-09-05", "12", "3", 0}, {0, 0, "2026-09-25", "1000", "9", 0},
		{0, 0, "2026-10-05", "3", "1", 0},
	})
	cut := measure.New(e.Book.ToDateTo(calendar.Date(2026, 10, 20)), e.Snapshot)
	for name, want := range map[string]string{"past": "16", "rate": "1/4"} {
		v, why := cut.Exact(name, 0, inOctober(cut))
		require.Equal(t, measure.Present, why)
		assert.Equal(t, want, v.RatString(), name)
		c := cut.Column(name, inOctober(cut))
		f, _ := v.Float64()
		assert.InDelta(t, f, c.Value[0], 1e-12)
	}
}

// Months before the first line are none of the past, whatever a formula fills in.
func TestThePastBeginsWithTheFirstLine(t *testing.T) {
	e := world(t, `  sold: {formula: "coalesce(revenue, 0)", unit: money}
  past: {formula: "history(sold, 6, average, at least 1)", unit: money}
  inside: {formula: "history(coalesce(revenue, 0), 6, average, at least 1)", unit: money}
`, []line{{0, 0, "2026-08-05", "4", "1", 0}, {1, 0, "2026-09-05", "10", "1", 0}, {1, 0, "2026-10-05", "10", "1", 0}})
	for _, name := range []string{"past", "inside"} {
		for code, want := range []string{"2", "5", "0"} { // of August and September
			v, why := e.Exact(name, uint32(code), inOctober(e))
			require.Equal(t, measure.Present, why)
			assert.Equal(t, want, v.RatString(), "%s of %d", name, code)
		}
	}
	series := e.Series("sold", inOctober(e), 4)
	assert.Equal(t, []bool{false, true, true, true}, []bool{series.Has(0, 2), series.Has(1, 2), series.Has(2, 2), series.Has(3, 2)})
}

// What grows beyond all floats is too large, in every column and said as such, and so is
// what is made of it; what is large and has room is itself.
func TestFiguresThatAreTooLarge(t *testing.T) {
	power := func(n int) string { return strings.TrimSuffix(strings.Repeat("revenue * ", n), " * ") }
	e := world(t, "  large: {formula: \""+power(18)+"\", unit: count, groups: own figures}\n  larger: {formula: \""+power(22)+
		"\", unit: count, groups: own figures}\n  more: {formula: \"larger - larger\", unit: count, groups: own figures}\n  back: {formula: \"1 / "+
		"larger\", unit: count, groups: own figures}\n",
		[]line{{0, 0, "2026-10-05", "500000000000000", "1", 0}, {1, 0, "2026-10-05", "2", "1", 0}})
	s := inOctober(e)
	for _, name := range []string{"larger", "more", "back"} {
		c := e.Column(name, s)
		assert.Equal(t, measure.TooLarge, c.Why[0], name)
		_, why := e.Exact(name, 0, s)
		assert.Equal(t, measure.TooLarge, why, name)
		assert.Equal(t, measure.Present, c.Why[1], name)
	}
	assert.Equal(t, "too large; 4194304", strings.TrimSuffix(say(e, "larger", reps, "2026-10"), "; no lines in the period"))
	v, why := e.Exact("large", 0, s)
	require.Equal(t, measure.Present, why)
	assert.Equal(t, 0, v.Cmp(new(big.Rat).SetInt(new(big.Int).Exp(big.NewInt(500_000_000_000_000), big.NewInt(18), nil))))
	c := e.Column("large", s)
	f, _ := v.Float64()
	assert.InEpsilon(t, f, c.Value[0], 1e-12)
}
