package explain_test

import (
	"math/big"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/explain"
	"oskel/core/judge"
	"oskel/core/method"
	"oskel/core/rulebook"
)

const text = `oskel: 1
kinds: {rep: {attributes: {territory: text}}}
feeds: {sales: {title: Order lines, date: day, subjects: {rep: rep}, numbers: {net: money}}}
grades: [{name: act, label: Act now}]
dials: {goal: {value: 5000}}
measures:
  revenue: {title: Revenue, sum: sales.net, unit: money}
  rate: {title: Rate, formula: "revenue / revenue", unit: percent}
rules:
  - {name: plain, judges: rep, threshold: {of: rate, bands: [{grade: act, above: 20%, at_most: 30%}, {clear: rest}]}}
  - {name: held, judges: rep, threshold: {of: revenue, against: goal, as: difference, bands: [{grade: act, at_most: -100}, {clear: rest}]}}
  - {name: far, judges: rep, outlier: {of: revenue, among: rep.territory, by: robust score, beyond: 3.5, grade: act}}
  - {name: quiet, judges: rep, window: {silence: sales, at_least: 30 days, grade: act}}
desks: [{name: home}]
routes: [{otherwise: home}]
`

var (
	october = calendar.Date(2026, 10, 1).Month()
	breach  = judge.Verdict{Outcome: judge.Breach, Grade: "act"}
)

func end(a amount.Amount, included, percent bool) *judge.BandEnd {
	return &judge.BandEnd{At: a, Included: included, Percent: percent}
}

// One sentence a family and verdict, with the numbers that decided it written
// so that they differ wherever they do.
func TestSentences(t *testing.T) {
	book, problems := rulebook.Read([]byte(text), method.All())
	require.Empty(t, problems)
	rat := func(a, b int64) *big.Rat { return big.NewRat(a, b) }
	percent := judge.Evidence{Measure: "rate", Unit: rulebook.Percent, Places: 1, Band: &judge.BandFound{Low: end(2000, false, true), High: end(3000, true, true)}}
	near := percent
	near.Value, near.Held = rat(200001, 1000000), rat(200001, 1000000)
	exact := percent
	exact.Value, exact.Held = rat(3, 10), rat(3, 10)
	peers := func(value, median, score *big.Rat) judge.Evidence {
		return judge.Evidence{Measure: "revenue", Unit: rulebook.Money, Value: value,
			Peers: &method.Peers{Attribute: "territory", Group: "North", Others: 7, Median: median, MAD: rat(1, 1), Score: score, Cut: rat(7, 2)}}
	}
	silence := judge.Evidence{Silence: &method.Silence{Feed: "sales", Last: "2026-09-30", AsOf: "2026-10-31", Days: 31, Limit: 30}}
	cases := []struct {
		rule    string
		verdict judge.Verdict
		ev      judge.Evidence
		want    string
	}{
		{"plain", breach, near, "Rate is 20.0001%, above 20% and at most 30%."},
		{"plain", breach, exact, "Rate is 30.0%, above 20% and at most 30%."},
		{"held", breach, judge.Evidence{Measure: "revenue", Unit: rulebook.Money, Value: rat(4900, 1), Comparison: rat(5000, 1), Against: "goal",
			As: "difference", Held: rat(-100, 1), Band: &judge.BandFound{High: end(-1000000, true, false)}},
			"Revenue is 4,900 against goal, 5,000, a difference of -100: at most -100."},
		{"far", breach, peers(rat(90, 1), rat(10, 1), rat(54, 1)),
			"Revenue is 90, far above the median of 10 among 8 reps in North: robust score 54.0; flagged beyond 3.5."},
		{"far", breach, peers(rat(-90, 1), rat(10, 1), rat(-54, 1)),
			"Revenue is -90, far below the median of 10 among 8 reps in North: robust score 54.0; flagged beyond 3.5."},
		{"far", judge.Verdict{Outcome: judge.Clear}, peers(rat(15, 1), rat(10, 1), rat(7, 2)),
			"Revenue is 15, above the median of 10 among 8 reps in North: robust score 3.5; flagged beyond 3.5."},
		{"quiet", breach, silence, "No order lines since 30 Sep 2026: 31 days by 31 Oct 2026; flagged at 30 days or more."},
		{"far", judge.Verdict{Outcome: judge.NotJudged, Why: method.FewPeers}, judge.Evidence{}, "Not judged: too few peers."},
		{"far", judge.Verdict{Outcome: judge.NoData, Why: "no lines in the period"}, judge.Evidence{Measure: "revenue"},
			"There is no data on revenue for Oct 2026: no lines in the period."},
		{"far", judge.Verdict{}, judge.Evidence{}, "Outside the rule's scope."},
	}
	for _, c := range cases {
		assert.Equal(t, c.want, explain.Sentence(book, book.Rule(c.rule), calendar.MonthPeriod(october), c.verdict, c.ev))
	}

	value, comparison := shown(near)
	assert.Equal(t, "20.0001% 30%", value+" "+comparison)
	value, comparison = shown(silence)
	assert.Equal(t, "31 days 30 days", value+" "+comparison)
	value, _ = shown(judge.Evidence{})
	assert.Empty(t, value)

	labels := map[string]string{}
	for _, r := range explain.Rows(book, book.Rule("far"), peers(rat(90, 1), rat(10, 1), rat(54, 1))) {
		labels[r.Label] = r.Text
	}
	assert.Equal(t, "territory North", labels["Peer group"])
	assert.Equal(t, "54.00", labels["Robust score"])
	assert.Equal(t, "7", labels["Others"])
}
