package judge_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/ledger"
	"oskel/core/measure"
)

const relationRules = `
  - {name: thin, judges: rep, threshold: {of: margin, bands: [{grade: act, below: 18%}, {grade: look, below: floor}, {clear: rest}]}}
  - {name: behind, judges: rep, threshold: {of: revenue, against: target, as: ratio, bands: [{grade: act, below: 100%}, {clear: rest}]}}
  - {name: fallen, judges: rep, threshold: {of: revenue, against: earlier(revenue), as: change, bands: [{grade: act, below: -20%}, {clear: rest}]}}
  - {name: under, judges: rep, threshold: {of: revenue, against: "peers(revenue, median, rep.territory)", as: ratio, bands: [{grade: act,
      below: 75%}, {clear: rest}]}}
  - {name: far-high, judges: rep, outlier: {of: revenue, among: rep.territory, by: robust score, beyond: 2, side: high, peers: 2, grade: look}}
  - {name: far-low, judges: rep, outlier: {of: revenue, among: rep.territory, by: robust score, beyond: 2, side: low, peers: 2, grade: look}}
  - {name: far, judges: rep, outlier: {of: revenue, among: rep.territory, by: robust score, beyond: 2, side: both, peers: 2, grade: look}}
`

const manyReps = 12

// sold is what each rep sold, and at what cost, in September and October; a
// negative net is no line at all.
type sold struct{ before, net, cost, target [manyReps]int64 }

func drawSold(t *rapid.T) (s sold) {
	for i := range manyReps {
		s.before[i] = rapid.Int64Range(-2, 40).Draw(t, "before")
		s.net[i] = rapid.Int64Range(-2, 40).Draw(t, "net")
		s.cost[i] = rapid.Int64Range(0, 40).Draw(t, "cost")
		s.target[i] = rapid.Int64Range(0, 40).Draw(t, "target")
	}
	return s
}

// judged is every verdict there is, by rule and rep. Reps are kept under other
// codes, as order says, two by two so that they stay in their territories.
func judged(t require.TestingT, s sold, rules string, scale int64, order []int) map[string]string {
	var lines []line
	sheet := &ledger.Sheet{Months: map[calendar.Month][]amount.Amount{}}
	for i := range manyReps {
		at := order[i]
		if s.before[i] >= 0 {
			lines = append(lines, line{at, "2026-09-10", fmt.Sprint(s.before[i] * scale), "1"})
		}
		if s.net[i] >= 0 {
			lines = append(lines, line{at, "2026-10-10", fmt.Sprint(s.net[i] * scale), fmt.Sprint(s.cost[i] * scale)})
		}
		if s.target[i] > 0 {
			sheet.Set(october, uint32(at), amount.FromInt(s.target[i]*scale))
		}
	}
	e := world(t, manyReps, rules, lines...)
	e.Snapshot.Targets[ledger.SheetKey{Kind: "rep", Measure: "revenue"}] = sheet
	out := map[string]string{}
	for _, r := range judge.All(measure.New(e.Book, e.Snapshot), calendar.MonthPeriod(october)) {
		for i := range manyReps {
			v := r.Verdict(uint32(order[i]))
			out[fmt.Sprint(r.Rule.Name, " ", i)] = strings.TrimSpace(fmt.Sprint(v.Outcome, " ", v.Grade, " ", v.Why))
		}
	}
	return out
}

func asTheyAre() (order []int) {
	for i := range manyReps {
		order = append(order, i)
	}
	return order
}

// Ratios, changes and scores are the same of everything a hundred times as
// large, and verdicts belong to whom they are of, whatever the code.
func TestVerdictsDoNotDependOnScaleOrCodes(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := drawSold(t)
		as := judged(t, s, relationRules, 1, asTheyAre())
		require.Equal(t, as, judged(t, s, relationRules, 100, asTheyAre()))
		rng := rand.New(rand.NewPCG(rapid.Uint64().Draw(t, "order"), 3))
		order := make([]int, manyReps)
		even, odd := rng.Perm(manyReps/2), rng.Perm(manyReps/2)
		for i := range manyReps / 2 {
			order[2*i], order[2*i+1] = 2*even[i], 2*odd[i]+1
		}
		require.Equal(t, as, judged(t, s, relationRules, 1, order))
	})
}

// Both sides are the one and the other; a higher cut from below flags no fewer;
// whoever is out of scope is nobody's peer.
func TestVerdictsFollowTheRule(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := drawSold(t)
		as := judged(t, s, relationRules, 1, asTheyAre())
		higher := judged(t, s, strings.ReplaceAll(strings.ReplaceAll(relationRules, "below: 18%", "below: 20%"), "below: 75%", "below: 80%"), 1, asTheyAre())
		for i := range manyReps {
			high, low, both := as[fmt.Sprint("far-high ", i)], as[fmt.Sprint("far-low ", i)], as[fmt.Sprint("far ", i)]
			require.Equal(t, high == "breach look" || low == "breach look", both == "breach look", "rep %d: %s, %s, %s", i, high, low, both)
			for _, rule := range []string{"thin ", "under "} {
				if k := fmt.Sprint(rule, i); as[k] == "breach act" {
					require.Equal(t, "breach act", higher[k], k)
				}
			}
		}
		// The south alone, and the south with the north out of scope.
		south := judged(t, s, strings.ReplaceAll(relationRules, "judges: rep,", `judges: rep, where: 'rep.territory is "South"',`), 1, asTheyAre())
		for k, v := range south {
			var rep int
			_, err := fmt.Sscan(k[strings.LastIndex(k, " ")+1:], &rep)
			require.NoError(t, err)
			want := as[k]
			if rep%2 == 0 {
				want = "out of scope"
			}
			require.Equal(t, want, v, k)
		}
	})
}
