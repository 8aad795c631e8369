package stats

import (
	"math"
	"math/big"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// given reads numbers written as decimals in both fields.
func given(numbers ...string) (near []Interval, far []*big.Float, there []bool) {
	for _, s := range numbers {
		r, ok := new(big.Rat).SetString(s)
		there = append(there, ok)
		if !ok {
			near, far = append(near, Interval{}), append(far, wide())
			continue
		}
		f, _ := r.Float64()
		near, far = append(near, Around(f, 0)), append(far, Wide{}.Number(r))
	}
	return near, far, there
}

func plain(f *big.Float) float64 { v, _ := f.Float64(); return v }

// The flow rates of ten batches of an individuals chart: mean 50.81, mean moving
// range 1.8778, limits 45.8159 and 55.8041.
func TestIndividualsChartAsPublished(t *testing.T) {
	near, far, there := given("49.6", "47.6", "49.9", "51.3", "47.8", "51.2", "52.6", "52.4", "53.6", "52.1")
	mean, sigma, ok := MovingSigma(&Floats{}, near, there)
	assert.True(t, ok)
	assert.InDelta(t, 50.81, mean.Mid(), 1e-9)
	assert.InDelta(t, 55.8041, mean.Mid()+3*sigma.Mid(), 1e-4)
	assert.InDelta(t, 45.8159, mean.Mid()-3*sigma.Mid(), 1e-4)
	wideMean, wideSigma, _ := MovingSigma(Wide{}, far, there)
	assert.Equal(t, "50.81 1.664697", Rational(wideMean, 6).FloatString(2)+" "+Rational(wideSigma, 12).FloatString(6))
	// A missing value parts its neighbours: 1 and 3 are none, so 3 to 7 is all.
	near, _, there = given("1", "", "3", "7")
	_, sigma, ok = MovingSigma(&Floats{}, near, there)
	assert.True(t, ok)
	assert.InDelta(t, 4/1.128, sigma.Mid(), 1e-12)
	near, _, there = given("1", "", "3")
	_, _, ok = MovingSigma(&Floats{}, near, there)
	assert.False(t, ok)
}

// Twenty values smoothed with weight 0.3 from 50, to two decimal places.
func TestSmoothedAverageAsPublished(t *testing.T) {
	near, _, there := given("52.0", "47.0", "53.0", "49.3", "50.1", "47.0", "51.0", "50.1", "51.2", "50.5", "49.6", "47.6", "49.9", "51.3", "47.8",
		"51.2", "52.6", "52.4", "53.6", "52.1")
	f := &Floats{}
	for n, want := range []float64{50.60, 49.52, 50.56, 50.18, 50.16, 49.21, 49.75, 49.85, 50.26, 50.33, 50.11, 49.36, 49.52, 50.05, 49.38, 49.92, 50.73,
		51.23, 51.94, 51.99} {
		z, share := Smoothed(f, f.Int(50), Around(0.3, 0), near[:n+1], there[:n+1], nil)
		assert.InDelta(t, want, z.Mid(), 0.0051, "value %d", n+1)
		assert.InDelta(t, 0.3/1.7*(1-math.Pow(0.7, 2*float64(n+1))), share.Mid(), 1e-12)
	}
	skipped, share := Smoothed(f, f.Int(0), Around(0.5, 0), []Interval{f.Int(8), f.Int(99), f.Int(8)}, []bool{true, false, true}, nil)
	assert.InDelta(t, 6, skipped.Mid(), 1e-12)
	assert.InDelta(t, 0.5/1.5*(1-math.Pow(0.5, 4)), share.Mid(), 1e-12)
}

// Thirty values about a target of 10 whose mean moves up after the twentieth:
// the upper sum with an allowance of 0.5 first exceeds 5 at the twenty-ninth.
func TestCumulativeSumsAsPublished(t *testing.T) {
	near, far, there := given("9.45", "7.99", "9.29", "11.66", "12.16", "10.18", "8.04", "11.46", "9.20", "10.34", "9.03", "11.47", "10.51", "9.40",
		"10.08", "9.37", "10.62", "10.31", "8.52", "10.84",
		"10.90", "9.33", "12.29", "11.50", "10.60", "11.08", "10.38", "11.62", "11.31", "10.52")
	f := &Floats{}
	for n, want := range map[int]float64{5: 2.82, 20: 0.34, 28: 4.47, 29: 5.28, 30: 5.30} {
		high, _ := Sums(f, f.Int(10), Around(0.5, 0), near[:n], there[:n])
		assert.InDelta(t, want, high.Mid(), 1e-9, "value %d", n)
		exact, _ := Sums(Wide{}, Wide{}.Int(10), Wide{}.Quo(Wide{}.Int(1), Wide{}.Int(2)), far[:n], there[:n])
		assert.InDelta(t, want, plain(exact), 1e-12)
	}
	_, low := Sums(f, f.Int(10), Around(0.5, 0), near[:2], there[:2])
	assert.InDelta(t, 1.56, low.Mid(), 1e-9)
}

// The critical values for 54 values at 5 %, as printed.
func TestCriticalValuesAsPublished(t *testing.T) {
	for i, want := range []float64{3.158, 3.151, 3.143, 3.136, 3.128, 3.120, 3.111, 3.103, 3.094, 3.085} {
		lambda := Lambda(54, i+1, 0.05)
		assert.InDelta(t, want, lambda.Mid(), 0.001, "step %d, printed without rounding", i+1)
		assert.Less(t, lambda.High-lambda.Low, 1e-7)
	}
}

// Fifteen p-values of which four are found at 5 %.
func TestStepUpAsPublished(t *testing.T) {
	ps := []float64{.0001, .0004, .0019, .0095, .0201, .0278, .0298, .0344, .0459, .3240, .4262, .5719, .6528, .7590, 1.0}
	found := 0
	for _, p := range Adjusted(ps) {
		if p <= 0.05 {
			found++
		}
	}
	assert.Equal(t, 4, found)
	mixed := Adjusted([]float64{0.04, math.NaN(), 0.01, 0.03})
	assert.InDeltaSlice(t, []float64{0.04, 0.03, 0.04}, []float64{mixed[0], mixed[2], mixed[3]}, 1e-12)
	assert.True(t, math.IsNaN(mixed[1]), "what is missing is not counted")
}

// Probabilities and quantiles as printed in tables.
func TestDistributions(t *testing.T) {
	assert.InDelta(t, 0.05, TwoSidedNormal(1.959963985), 1e-9)
	assert.InDelta(t, 0.05, TwoSidedT(2.228138852, 10), 1e-9)
	assert.InDelta(t, 0.05, TwoSidedT(-2.228138852, 10), 1e-9)
	assert.InDelta(t, 2.228138852, StudentT(0.025, 10).Mid(), 1e-8)
	for _, degrees := range []int{3, 10, 50, 1000, 100000} {
		for _, q := range []float64{0.1, 0.001, 1e-6, 1e-8} {
			assert.InDelta(t, 1, TwoSidedT(StudentT(q, degrees).Mid(), degrees)/2/q, 1e-6, "%d %g", degrees, q)
		}
	}
}

// A line by hand: values 1, 3, 4, 9 at 0, 1, 2, 4 have slopes 2, 1.5, 1, 2, 2, 2.5.
func TestTrendByHand(t *testing.T) {
	near, far, _ := given("1", "3", "4", "9")
	f := &Floats{}
	line := Trend(f, near, []int{0, 1, 2, 4})
	assert.InDelta(t, 2, line.Slope.Mid(), 1e-12)
	assert.InDelta(t, 0.5, line.Intercept.Mid(), 1e-12) // median 3.5 less 2 x 1.5
	residual, mad, trend := OffTrend(Wide{}, far, []int{0, 1, 2, 4}, Wide{}.Int(20), 5)
	assert.Equal(t, []float64{9, 0, 11}, []float64{plain(residual), plain(mad), plain(At(Wide{}, trend, 5))})
}

// A step by hand: 5 5 6 5 | 9 9 8 9, found at the fifth value.
func TestShiftByHand(t *testing.T) {
	near, far, _ := given("5", "5", "6", "5", "9", "9", "8", "9")
	from := Split(&Floats{}, near)
	assert.Equal(t, 4, from)
	before, after, spread := Levels(&Floats{}, near, from)
	assert.Equal(t, []float64{5, 9}, []float64{before.Mid(), after.Mid()})
	assert.InDelta(t, 0, spread.Mid(), 1e-12)
	assert.Equal(t, 4, Split(Wide{}, far))
	assert.Equal(t, 4, SplitWhole([]int64{5, 5, 6, 5, 9, 9, 8, 9}))
	assert.Equal(t, 3, Split(Wide{}, []*big.Float{wide(), wide(), wide(), wide(), wide(), wide(), wide()}), "of equal splits the earliest")
	assert.Equal(t, 3, SplitWhole(make([]int64, 7)))
	assert.Zero(t, Split(&Floats{}, near[:5]))
	assert.Zero(t, SplitWhole(make([]int64, 5)))
}

// Each run rule at its edge: one value less breaks nothing, nor does a gap.
func TestRunRules(t *testing.T) {
	rows := map[string][]string{
		"beyond 3 sigma": {"3.1"},
		"one side":       {"0.1", "1", "0.1", "1", "0.1", "1", "0.1", "1"},
		"trend":          {"-1", "-0.5", "0", "0.5", "0.9", "1"},
		"alternating":    {"1", "-1", "1", "-1", "1", "-1", "1", "-1", "1", "-1", "1", "-1", "1", "-1"},
		"2 of 3":         {"2.1", "0", "2.2"},
		"4 of 5":         {"1.1", "1.2", "0", "1.1", "1.3"},
		"within 1 sigma": {"1", "0", "0.5", "-1", "0", "1", "0", "0.5", "-0.5", "0", "1", "0", "0.5", "-0.5", "-1"},
		"beyond 1 sigma": {"1.1", "-1.1", "1.1", "-1.1", "1.1", "1.2", "-1.1", "1.1"},
	}
	for rule, row := range rows {
		_, far, there := given(row...)
		read := func(far []*big.Float, there []bool) int {
			return NewRun(Wide{}, far, there, Wide{}.Int(0), Wide{}.Int(1)).Breaks(rule, 8)
		}
		assert.Equal(t, len(row), read(far, there), rule)
		if len(row) > 1 && rule != "2 of 3" && rule != "4 of 5" {
			assert.Zero(t, read(far[1:], there[1:]), rule)
			gap := append([]bool(nil), there...)
			gap[0] = false
			assert.Zero(t, read(far, gap), rule)
		}
	}
	at := func(side int, rule string, row ...string) int {
		_, far, there := given(row...)
		return NewRun(Wide{}, far, there, Wide{}.Int(0), Wide{}.Int(1)).Breaks(rule, side)
	}
	assert.Zero(t, at(8, "beyond 3 sigma", "3"), "on the limit is within")
	assert.Equal(t, 1, at(8, "beyond 3 sigma", "-3.1"))
	assert.Zero(t, at(9, "one side", rows["one side"]...))
	assert.Zero(t, at(8, "2 of 3", "2.1", "2.2", "0"), "the last one is itself beyond")
	assert.Zero(t, at(8, "2 of 3", "-2.1", "0", "2.2"), "on one side")
	assert.Equal(t, 2, at(8, "2 of 3", "2.1", "2.2"), "two are enough")
	assert.Zero(t, at(8, "trend", "-1", "-0.5", "0", "0.5", "0.5", "1"), "strictly")
	assert.Equal(t, 6, at(8, "trend", "1", "0.9", "0.5", "0", "-0.5", "-1"))
	assert.Zero(t, at(8, "beyond 1 sigma", "1.1", "-1.1", "1.1", "-1", "1.1", "1.2", "-1.1", "1.1"), "exactly one sigma is within")
}

// Whatever the numbers, an interval holds what wide numbers say, and where it
// decides it decides the same.
func TestIntervalsHoldTheExact(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(4, 24).Draw(t, "n")
		var text []string
		for range n {
			text = append(text, rapid.SampledFrom([]string{"", "0", "0.1", "0.2", "0.3", "7", "-7", "1000000.0001", "0.0001"}).Draw(t, "y"))
		}
		near, far, there := given(text...)
		values, places := Known(near, there)
		wideValues, _ := Known(far, there)
		if len(values) < 3 {
			return
		}
		holds := func(i Interval, f *big.Float, what string) {
			assert.True(t, f.Cmp(new(big.Float).SetFloat64(i.Low)) >= 0 && f.Cmp(new(big.Float).SetFloat64(i.High)) <= 0, "%s: %v not in %v", what, f, i)
		}
		f := &Floats{}
		m, s := Squares(f, values)
		wm, ws := Squares(Wide{}, wideValues)
		holds(m, wm, "mean")
		holds(s, ws, "squares")
		median, mad := Deviation(f, values)
		wmedian, wmad := Deviation(Wide{}, wideValues)
		holds(median, wmedian, "median")
		holds(mad, wmad, "mad")
		r, spread, trend := OffTrend(f, values, places, near[n-1], n-1)
		wr, wspread, wtrend := OffTrend(Wide{}, wideValues, places, far[n-1], n-1)
		holds(r, wr, "residual")
		holds(spread, wspread, "residuals' mad")
		holds(At(f, trend, n-1), At(Wide{}, wtrend, n-1), "expected")
		if mean, sigma, ok := MovingSigma(f, near, there); ok {
			wmean, wsigma, _ := MovingSigma(Wide{}, far, there)
			holds(mean, wmean, "chart's mean")
			holds(sigma, wsigma, "sigma")
			high, low := Sums(f, mean, sigma, near, there)
			whigh, wlow := Sums(Wide{}, wmean, wsigma, far, there)
			holds(high, whigh, "high sum")
			holds(low, wlow, "low sum")
			z, share := Smoothed(f, mean, Around(0.25, 0), near, there, nil)
			wz, wshare := Smoothed(Wide{}, wmean, Wide{}.Quo(Wide{}.Int(1), Wide{}.Int(4)), far, there, nil)
			holds(z, wz, "smoothed")
			holds(f.Sqrt(share), Wide{}.Sqrt(wshare), "root")
		}
		f = &Floats{}
		from, exact := Split(f, values), Split(Wide{}, wideValues)
		if !f.Doubt {
			assert.Equal(t, exact, from)
		}
		var whole []int64
		for _, v := range wideValues {
			scaled := new(big.Rat).Mul(Rational(v, 4), big.NewRat(10000, 1))
			whole = append(whole, scaled.Num().Int64())
		}
		assert.Equal(t, exact, SplitWhole(whole))
	})
}

// Logarithms to many digits, and what is made of them.
func TestLogarithms(t *testing.T) {
	w := Wide{}
	assert.Equal(t, "0.693147180559945309417232121458176568075500134360255254120680", w.Ln(w.Int(2)).Text('f', 60))
	assert.Equal(t, "2.302585092994045684017991454684364207601101488628772976033328", w.Ln(w.Int(10)).Text('f', 60))
	assert.Zero(t, w.Ln(w.Int(1)).Sign())
	near := Near{Values: []float64{1, 10, 1000}, Error: 1e-12, Exact: func(i int) *big.Rat { return big.NewRat([]int64{1, 10, 1000}[i], 1) }}.Log()
	for i := range near.Values {
		exact, _ := near.Exact(i).Float64()
		assert.InDelta(t, exact, near.Values[i], near.Error)
	}
}

// By hand: two subjects with ratios 0.2, 0.4 and 0.6, 0.8, each of weight 10. s2 is
// 0.2, a 0.07, Z 0.875: they are drawn in from 0.3 and 0.7 to 0.325 and 0.675.
func TestDrawnInByHand(t *testing.T) {
	subject := func(weight int, ratios ...string) (w Weighed[*big.Float]) {
		_, far, _ := given(ratios...)
		for _, x := range far {
			w.Add(nil, x, Wide{}.Int(weight))
		}
		return w
	}
	values, ok := DrawnIn(Wide{}, []Weighed[*big.Float]{subject(10, "0.2", "0.4"), subject(10, "0.6", "0.8")})
	assert.True(t, ok)
	assert.Equal(t, "0.325 0.675", Rational(values[0], 12).FloatString(3)+" "+Rational(values[1], 12).FloatString(3))
	// A small one is drawn in further than a large one.
	values, _ = DrawnIn(Wide{}, []Weighed[*big.Float]{subject(100, "0.2", "0.3"), subject(100, "0.5", "0.6"), subject(1, "0.9")})
	assert.Less(t, plain(values[2]), 0.6)
	assert.Less(t, plain(values[1]), 0.6)
	// Between that is no larger than within is nothing: all are alike.
	values, _ = DrawnIn(Wide{}, []Weighed[*big.Float]{subject(10, "0.1", "0.9"), subject(10, "0.2", "0.8")})
	assert.Equal(t, []float64{0.5, 0.5}, []float64{plain(values[0]), plain(values[1])})
	one, ok := DrawnIn(Wide{}, []Weighed[*big.Float]{subject(10, "0.1", "0.9")})
	assert.True(t, ok)
	assert.InDelta(t, 0.5, plain(one[0]), 1e-15, "with one subject a is 0")
	_, ok = DrawnIn(Wide{}, []Weighed[*big.Float]{subject(10, "0.1"), subject(10, "0.2")})
	assert.False(t, ok, "nobody has two periods")
}

// The split of numbers is that of whole numbers, which is found by sums of its own: with many
// equal values, and with sums that are equal whatever the values are.
func TestSplitsAreThoseOfWholeNumbers(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 6))
	doubts := 0
	for range 3000 {
		n := 6 + rng.IntN(20)
		whole, wides, floats := make([]int64, n), make([]*big.Float, n), make([]Interval, n)
		for i := range whole {
			whole[i] = int64(rng.IntN(1 + rng.IntN(2000)))
			wides[i] = Wide{}.Int(int(whole[i]))
			floats[i] = Around(float64(whole[i])/3, 1e-13) // as ratios are: within a bound
		}
		want := SplitWhole(append([]int64{}, whole...))
		require.Equal(t, want, Split(Wide{}, wides), whole)
		f := &Floats{}
		if from := Split(f, floats); f.Doubt {
			doubts++
		} else {
			require.Equal(t, want, from, whole)
		}
	}
	assert.Less(t, doubts, 1000, "most are told apart, also where sums are equal by what they are made of")
}
