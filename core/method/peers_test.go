package method_test

import (
	"fmt"
	"math"
	"math/big"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/gonum/stat/distuv"
	"pgregory.net/rapid"
)

// judged says the verdicts of values among peers in October.
func judged(t *testing.T, rule string, values ...string) string {
	return said(found(world(t, read(t, rule), len(values), all(values...)...), october))
}

// Small examples, each for paper.
func TestOutliersAmongPeersByHand(t *testing.T) {
	for _, c := range []struct{ rule, values, want string }{
		// 2 4 4 4 5 5 7 9: mean 5, squares 32, s = sqrt(32/7); 9 lies sqrt(3.5) = 1.87 from it.
		{"outlier: {of: net, by: standard score, beyond: 1.8, peers: 2, grade: act}", "2 4 4 4 5 5 7 9", "clear; clear; clear; clear; clear; clear; clear; act"},
		{"outlier: {of: net, by: standard score, beyond: 1.9, peers: 2, grade: act}", "2 4 4 4 5 5 7 9", "clear; clear; clear; clear; clear; clear; clear; clear"},
		// 0 0 0 4: mean 1, squares 12, s = 2: 4 scores exactly 1.5, and is on the cut.
		{"outlier: {of: net, by: standard score, beyond: 1.5, peers: 2, grade: act}", "0 0 0 4", "clear; clear; clear; clear"},
		{"outlier: {of: net, by: standard score, beyond: 1.4999, peers: 2, grade: act}", "0 0 0 4", "clear; clear; clear; act"},
		{"outlier: {of: net, by: standard score, beyond: 1.4999, side: low, peers: 2, grade: act}", "0 0 0 4", "clear; clear; clear; clear"},
		// The same far from zero, where floating point sees no difference.
		{"outlier: {of: net, by: standard score, beyond: 1.4999, peers: 2, grade: act}",
			"100000000000000.0001 100000000000000.0001 100000000000000.0001 100000000000000.0005", "clear; clear; clear; act"},
		{"outlier: {of: net, by: standard score, beyond: 1, peers: 2, grade: act}", "0.3 0.3 0.3",
			"not judged (no spread among the peers); not judged (no spread among the peers); not judged (no spread among the peers)"},
		// 1 to 5: quartiles 2 and 4, fences at -1 and 7 (k 1.5), 0 and 6 (k 1).
		{"outlier: {of: net, by: quartile fences, beyond: 1.5, peers: 2, grade: act}", "1 2 3 4 5", "clear; clear; clear; clear; clear"},
		// 0.1 0.2 0.3 0.4 0.6: quartiles 0.2 and 0.4, the upper fence (k 1) exactly 0.6.
		{"outlier: {of: net, by: quartile fences, beyond: 1, peers: 2, grade: act}", "0.1 0.2 0.3 0.4 0.6", "clear; clear; clear; clear; clear"},
		{"outlier: {of: net, by: quartile fences, beyond: 0.9999, peers: 2, grade: act}", "0.1 0.2 0.3 0.4 0.6", "clear; clear; clear; clear; act"},
		{"outlier: {of: net, by: quartile fences, peers: 2, grade: act}", "5 5 5 5 6", "clear; clear; clear; clear; act"},
		// Shares of the others below: 0, 1/3, 1/3, 1.
		{"outlier: {of: net, by: percentile, beyond: 90%, side: high, peers: 2, grade: act}", "1 2 2 3", "clear; clear; clear; act"},
		{"outlier: {of: net, by: percentile, beyond: 75%, side: both, peers: 2, grade: act}", "1 2 2 3", "act; clear; clear; act"},
		{"outlier: {of: net, by: percentile, beyond: 75%, side: high, peers: 2, grade: act}", "1 2 3 4 5", "clear; clear; clear; clear; act"},
		{"outlier: {of: net, by: top or bottom, first: 2, peers: 2, grade: act}", "9 9 8 7", "act; act; act; clear"},
		{"outlier: {of: net, by: top or bottom, first: 2, places: competition, peers: 2, grade: act}", "9 9 8 7", "act; act; clear; clear"},
		{"outlier: {of: net, by: top or bottom, first: 2, side: low, places: competition, peers: 2, grade: act}", "9 7 7 8", "clear; act; act; clear"},
		// From 0 to 10: 9 is at 90 % of the range, and on the cut.
		{"outlier: {of: net, by: position in range, beyond: 90%, peers: 2, grade: act}", "0 1 5 9 10", "act; clear; clear; clear; act"},
		{"outlier: {of: net, by: position in range, beyond: 90%, peers: 2, grade: act}", "4 4 4",
			"not judged (no spread among the peers); not judged (no spread among the peers); not judged (no spread among the peers)"},
		// On a log scale 1 2 4 8 512 stand at 0 1 2 3 9: median 2, MAD 1.
		{"outlier: {of: net, by: robust score, beyond: 4.7, scale: log, peers: 2, grade: act}", "1 2 4 8 512", "clear; clear; clear; clear; act"},
		{"outlier: {of: net, by: robust score, beyond: 4.8, scale: log, peers: 2, grade: act}", "1 2 4 8 512", "clear; clear; clear; clear; clear"},
		{"outlier: {of: net, by: robust score, beyond: 3, scale: log, peers: 2, grade: act}", "1 2 4 8 0 -1",
			"clear; clear; clear; clear; not judged (not above zero, so it has no logarithm); not judged (not above zero, so it has no logarithm)"},
		{"outlier: {of: net, by: standard score, beyond: 1.7, peers: 3, grade: act}", "0 0 4",
			"not judged (too few peers); not judged (too few peers); not judged (too few peers)"},
		{"outlier: {of: net, among: shop.town, by: top or bottom, first: 1, peers: 1, grade: act}", "", ""},
	} {
		if c.values == "" {
			assert.NotEmpty(t, problems(c.rule), "one other is no peer group")
			continue
		}
		assert.Equal(t, c.want, judged(t, c.rule, strings.Fields(c.values)...), "%s: %s", c.rule, c.values)
	}
}

// The 54 values of the test's own paper: three outliers, the largest i above its
// critical value, though the first two steps are not.
func TestGeneralisedESDAsPublished(t *testing.T) {
	values := strings.Fields("-0.25 0.68 0.94 1.15 1.20 1.26 1.26 1.34 1.38 1.43 1.49 1.49 1.55 1.56 1.58 1.65 1.69 1.70 1.76 1.77 1.81 1.91 1.94 1.96 " +
		"1.99 2.06 2.09 2.10 2.14 2.15 2.23 2.24 2.26 2.35 2.37 2.40 2.47 2.54 2.62 2.64 2.90 2.92 2.92 2.93 3.21 3.26 3.30 3.59 3.68 4.30 4.64 5.34 5.42 6.01")
	e := world(t, read(t, "outlier: {of: net, by: generalised ESD, grade: act}"), len(values), all(values...)...)
	r := found(e, october)
	assert.Equal(t, []uint32{51, 52, 53}, r.Flagged())
	assert.Equal(t, "Net is 6, step 1 of the generalised ESD test among 54 shops: deviate 3.12, the critical value is 3.16.", sentence(e, r, 53))
	assert.Equal(t, "Net is 5, step 3 of the generalised ESD test among 54 shops: deviate 3.18, the critical value is 3.14.", sentence(e, r, 51))
	assert.Contains(t, sentence(e, r, 20), "none of the 10 farthest of 54 shops")
	// Of equally far values the first goes first; twins on either side.
	twins := append(slices.Repeat([]string{"5", "6", "7"}, 10), "-94", "106")
	e = world(t, read(t, "outlier: {of: net, by: generalised ESD, most: 1, grade: act}"), len(twins), all(twins...)...)
	assert.Equal(t, []uint32{30}, found(e, october).Flagged())
	e = world(t, read(t, "outlier: {of: net, by: generalised ESD, most: 3, side: high, grade: act}"), len(twins), all(twins...)...)
	assert.Equal(t, []uint32{31}, found(e, october).Flagged())
}

// One extreme must not hide another: two records leave the standard score of the
// lesser one small, and the robust score, the fences and the ESD test find both.
func TestOneExtremeDoesNotHideAnother(t *testing.T) {
	values := append(slices.Repeat([]string{"10", "11", "12", "9", "10.5", "11.5"}, 5), "40", "4000")
	last := func(rule string) string {
		all := strings.Split(judged(t, rule, values...), "; ")
		return all[30] + " " + all[31]
	}
	assert.Equal(t, "clear act", last("outlier: {of: net, by: standard score, beyond: 3, grade: act}"))
	for _, rule := range []string{
		"outlier: {of: net, by: robust score, beyond: 3.5, grade: act}", "outlier: {of: net, by: quartile fences, beyond: 3, grade: act}",
		"outlier: {of: net, by: generalised ESD, grade: act}",
		"outlier: {of: net, by: false discovery rate, grade: act}",
	} {
		assert.Equal(t, "act act", last(rule), rule)
	}
}

// A chance finding is held to its share: of figures that scatter evenly none is
// flagged, and true strangers are.
func TestFalseDiscoveries(t *testing.T) {
	var values []string
	for i := range 400 {
		values = append(values, fmt.Sprint(1000+(i*37)%101-50))
	}
	values[7], values[8] = "1400", "600"
	e := world(t, read(t, "outlier: {of: net, by: false discovery rate, share: 1%, grade: act}"), len(values), all(values...)...)
	r := found(e, october)
	assert.Equal(t, []uint32{7, 8}, r.Flagged())
	assert.Regexp(t, `^Net is 1,400, \d+\.\d from the centre of 400 shops on the scale of their scatter: adjusted p 0\.0\d*%, flagged at most at `+
		`1\.0\d*%\.$`, sentence(e, r, 7))
	e = world(t, read(t, "outlier: {of: net, by: false discovery rate, model: t, side: low, grade: act}"), len(values), all(values...)...)
	assert.Equal(t, []uint32{8}, found(e, october).Flagged())
}

// What methods say of one subject.
func TestOutliersSayThemselves(t *testing.T) {
	for rule, want := range map[string]string{
		"outlier: {of: net, by: standard score, beyond: 1.8, peers: 2, grade: act}": "Net is 9, far above the average of 5 among 8 shops: " +
			"standard score 1.9; flagged beyond 1.8.",
		"outlier: {of: net, by: quartile fences, beyond: 1, peers: 2, grade: act}":          "Net is 9, above the fence at 7 among 8 shops.",
		"outlier: {of: net, by: percentile, beyond: 90%, side: high, peers: 2, grade: act}": "Net is 9, above 100.0% of the other 7 shops; the cut is 90%.",
		"outlier: {of: net, by: top or bottom, first: 1, peers: 2, grade: act}": "Net is 9, place 1 from the highest among 8 shops; " +
			"the first place is flagged.",
		"outlier: {of: net, by: position in range, beyond: 90%, side: high, peers: 2, grade: act}": "Net is 9, above the 90% of the range at 8 among 8 shops.",
		"outlier: {of: net, among: shop.town, by: robust score, beyond: 1, peers: 2, grade: act}": "Net is 9, far above the median of 5 among 4 shops in " +
			"West: robust score 6.1; flagged beyond 1.0.",
	} {
		e := world(t, read(t, rule), 8, all("2", "4", "4", "4", "5", "5", "7", "9")...)
		assert.Equal(t, want, sentence(e, found(e, october), 7), rule)
	}
}

// Whatever the values, with ties, missing ones and values on the cut, the marks
// are those of plain rational arithmetic.
func TestOutliersAgreeWithRationals(t *testing.T) {
	type exact func(xs []*big.Rat, i int, cut *big.Rat) int // -1, 0, 1: beyond on which side
	score := func(num *big.Rat, cut, scale *big.Rat) int {
		far := new(big.Rat).Mul(cut, scale)
		switch {
		case num.Cmp(far) > 0:
			return 1
		case num.Cmp(far.Neg(far)) < 0:
			return -1
		}
		return 0
	}
	quantile := func(xs []*big.Rat, p int64) *big.Rat { // in quarters
		s := slices.Clone(xs)
		slices.SortFunc(s, (*big.Rat).Cmp)
		at := int64(len(s)-1) * p
		low := s[at/4]
		if at%4 == 0 {
			return low
		}
		d := new(big.Rat).Sub(s[at/4+1], low)
		return d.Add(low, d.Mul(d, big.NewRat(at%4, 4)))
	}
	methods := map[string]exact{
		"standard score": func(xs []*big.Rat, i int, cut *big.Rat) int { // by squares: s^2 (n-1)
			n := big.NewRat(int64(len(xs)), 1)
			mean := new(big.Rat)
			for _, x := range xs {
				mean.Add(mean, x)
			}
			mean.Quo(mean, n)
			squares := new(big.Rat)
			for _, x := range xs {
				d := new(big.Rat).Sub(x, mean)
				squares.Add(squares, d.Mul(d, d))
			}
			d := new(big.Rat).Sub(xs[i], mean)
			left := new(big.Rat).Mul(d, d)
			left.Mul(left, big.NewRat(int64(len(xs)-1), 1))
			if left.Cmp(new(big.Rat).Mul(new(big.Rat).Mul(cut, cut), squares)) > 0 {
				return d.Sign()
			}
			return 0
		},
		"quartile fences": func(xs []*big.Rat, i int, cut *big.Rat) int {
			q1, q3 := quantile(xs, 1), quantile(xs, 3)
			range3 := new(big.Rat).Sub(q3, q1)
			switch {
			case new(big.Rat).Sub(xs[i], q3).Cmp(new(big.Rat).Mul(cut, range3)) > 0:
				return 1
			case new(big.Rat).Sub(q1, xs[i]).Cmp(new(big.Rat).Mul(cut, range3)) > 0:
				return -1
			}
			return 0
		},
		"robust score": func(xs []*big.Rat, i int, cut *big.Rat) int {
			median := quantile(xs, 2)
			var off []*big.Rat
			for _, x := range xs {
				d := new(big.Rat).Sub(x, median)
				off = append(off, d.Abs(d))
			}
			d := new(big.Rat).Sub(xs[i], median)
			return score(d.Mul(d, big.NewRat(6745, 10000)), cut, quantile(off, 2))
		},
	}
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(3, 14).Draw(t, "n")
		cut := rapid.SampledFrom([]string{"0.5", "1", "1.5", "2", "0.6745", "1.349"}).Draw(t, "cut")
		side := rapid.SampledFrom([]string{"high", "low", "both"}).Draw(t, "side")
		var values []string
		var xs []*big.Rat
		place := map[int]int{}
		for i := range n {
			v := rapid.SampledFrom([]string{"", "0", "0.1", "0.2", "0.3", "0.6", "-0.3", "7", "7", "1000000"}).Draw(t, "v")
			values = append(values, v)
			if v != "" {
				place[i] = len(xs)
				x, _ := new(big.Rat).SetString(v)
				xs = append(xs, x)
			}
		}
		if len(xs) == 0 {
			t.Skip("without a line it is no period of the rule")
		}
		least, _ := new(big.Rat).SetString(cut)
		for name, exact := range methods {
			e := world(t, read(t, fmt.Sprintf("outlier: {of: net, by: %s, beyond: %s, side: %s, peers: 2, grade: act}", name, cut, side)), n, all(values...)...)
			r := found(e, october)
			for code, v := range r.All() {
				i, there := place[int(code)]
				switch {
				case !there:
					assert.Equal(t, "no data", v.Outcome.String())
				case len(xs) < 3:
					assert.Equal(t, "too few peers", v.Why)
				case v.Why != "":
					assert.Equal(t, "no spread among the peers", v.Why)
				default:
					far := exact(xs, i, least)
					want := far != 0 && (side == "both" || (far > 0) == (side == "high"))
					assert.Equal(t, want, v.Flagged(), "%s of %v: %s", name, values, values[code])
				}
			}
		}
	})
}

// p-values by Student's t are those of a value against all the others, by their own mean
// and spread: (x - m) / (s sqrt(1 + 1/k)) with k - 1 degrees of freedom, k the others.
func TestDiscoveriesByStudent(t *testing.T) {
	values := []float64{10, 12, 9, 11, 10, 13, 8, 11, 12, 18}
	var texts []string
	for _, v := range values {
		texts = append(texts, fmt.Sprint(v))
	}
	others := values[:9]
	mean, s := stat.MeanStdDev(others, nil)
	k := float64(len(others))
	at := (values[9] - mean) / (s * math.Sqrt(1+1/k))
	adjusted := 2 * distuv.StudentsT{Mu: 0, Sigma: 1, Nu: k - 1}.Survival(at) * float64(len(values)) // the least p of ten
	share := math.Floor(adjusted * 1e4)
	require.Positive(t, share)
	rule := "outlier: {of: net, by: false discovery rate, model: t, side: high, peers: 2, share: %v%%, grade: act}"
	flagged := func(share float64) bool {
		return strings.HasSuffix(judged(t, fmt.Sprintf(rule, share/100), texts...), "act")
	}
	assert.False(t, flagged(share))
	assert.True(t, flagged(share+1))
}
