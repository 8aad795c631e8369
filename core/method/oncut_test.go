package method_test

import (
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"oskel/core/amount"
)

// Values that lie on the cut of a method lie on it whatever they are multiplied by and moved
// by, on either side; with a cut of a ten-thousandth less they lie beyond it.
func TestOnACutOfEveryMethod(t *testing.T) {
	rng := rand.New(rand.NewPCG(11, 12))
	for _, c := range []struct {
		by, values string
		on, less   string // the cut on which the last value lies, and one of a little less
		own        bool   // of its own past, the last value the judged one
		otherwise  string // further settings
	}{
		{by: "robust score", values: "0 1 2 3 4", on: "1.349", less: "1.3489"},
		{by: "standard score", values: "0 0 0 4", on: "1.5", less: "1.4999"},
		{by: "quartile fences", values: "0.1 0.2 0.3 0.4 0.6", on: "1", less: "0.9999"},
		{by: "position in range", values: "0 1 5 10 9", on: "90%", less: "89.99%"},
		{by: "percentile", values: "1 2 3 5 4", on: "75%", less: "74.99%"},
		{by: "own past", values: "10 11 12 13 14 19", on: "4.7215", less: "4.7214", own: true, otherwise: ", over: 5 periods"},
		{by: "same season", values: "40 9 9 9 9 9 9 9 9 9 9 9 44 9 9 9 9 9 9 9 9 9 9 9 46", on: "1.349", less: "1.3489", own: true, otherwise: ", years: 2"},
		{by: "deviation from trend", values: "-1 2 2 4 3 8", on: "2.0235", less: "2.0234", own: true, otherwise: ", over: 5 periods"},
		{by: "EWMA", values: "4 6 4 6 10", on: "2.82", less: "2.8199", own: true, otherwise: ", baseline_from: 2026-06, baseline_to: 2026-09"},
		{by: "CUSUM", values: "4 6 4 6 5 5 5 5 5 12.5", on: "3.73", less: "3.7299", own: true, otherwise: ", baseline_from: 2026-01, baseline_to: 2026-04"},
		{by: "level shift", values: "0 2 0 2 0 2 5.9304 7.9304 5.9304 7.9304 5.9304 7.9304", on: "4", less: "3.9999", own: true, otherwise: ", over: 12 periods"},
	} {
		for n := range 30 {
			factor, moved := int64(1+rng.IntN(9999)), int64(rng.IntN(200_001)-100_000)
			if n == 0 {
				factor, moved = 1, 0
			}
			side := "high"
			if rng.IntN(2) == 0 {
				factor, side = -factor, "low"
			}
			var values []string
			for _, v := range strings.Fields(c.values) {
				x, err := amount.Parse(v)
				require.NoError(t, err)
				values = append(values, (x*amount.Amount(factor) + amount.FromInt(moved)).String())
			}
			last := func(cut string) string {
				rule := "outlier: {of: net, by: " + c.by + ", beyond: " + cut + ", side: " + side + c.otherwise
				if !c.own {
					rule += ", peers: 2"
				}
				var got []string
				if c.own {
					e := world(t, read(t, rule+", grade: act}"), 1, monthly(0, values...)...)
					got = []string{said(found(e, october))}
				} else {
					e := world(t, read(t, rule+", grade: act}"), len(values), all(values...)...)
					got = strings.Split(said(found(e, october)), "; ")
				}
				return got[len(got)-1]
			}
			require.Equal(t, "clear", last(c.on), "%s %s times %d and %d", c.by, c.values, factor, moved)
			require.Equal(t, "act", last(c.less), "%s %s times %d and %d", c.by, c.values, factor, moved)
		}
	}
}
