package judge_test

import (
	"fmt"
	"math/big"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/explain"
	"oskel/core/judge"
	"oskel/core/lang"
	"oskel/core/ledger"
	"oskel/core/measure"
	"oskel/core/method"
	"oskel/core/routing"
	"oskel/core/rulebook"
)

const head = `oskel: 1
kinds:
  rep: {attributes: {territory: text}}
feeds:
  sales: {title: Order lines, date: day, subjects: {rep: rep}, numbers: {net: money, cost: money}}
grades:
  - {name: act, label: Act now}
  - {name: look, label: Look}
  - {name: reached, label: Reached, good: true}
dials: {floor: {value: 22%}}
measures:
  revenue: {sum: sales.net, unit: money}
  cost: {sum: sales.cost, unit: money}
  orders: {count: sales, unit: count}
  margin: {title: Margin rate, formula: "(revenue - cost) / revenue", unit: percent}
  odd: {title: Odd, formula: "cost / (revenue - cost - 0.3)", unit: percent}
desks: [{name: north, due: {act: 2 working days}}, {name: home}]
routes: [{when: rep.territory is "North" and grade is "act", to: north}, {otherwise: home}]
rules:
`

type line struct {
	rep       int
	day       string
	net, cost string
}

var october, _ = calendar.ParseMonth("2026-10")

// world is an engine over lines of n reps, R0 to Rn-1, the even ones in
// North.
func world(t require.TestingT, n int, rules string, lines ...line) *measure.Engine {
	book, problems := rulebook.Read([]byte(head+rules), method.All())
	require.Empty(t, problems)
	var keys []string
	var territories []lang.Value
	for i := range n {
		keys = append(keys, fmt.Sprintf("R%d", i))
		territories = append(territories, lang.Value{Type: lang.TextType, Text: []string{"North", "South"}[i%2]})
	}
	register := ledger.NewRegister("rep", keys, keys)
	register.SetAttribute("territory", territories)
	chunks := map[calendar.Month]*ledger.Chunk{}
	feed := &ledger.Feed{Name: "sales", Subjects: []string{"rep"}, Numbers: []string{"net", "cost"}}
	lines = slices.Clone(lines)
	slices.SortStableFunc(lines, func(a, b line) int { return strings.Compare(a.day, b.day) })
	for _, l := range lines {
		day, err := calendar.ParseDay(l.day)
		require.NoError(t, err)
		c := chunks[day.Month()]
		if c == nil {
			c = &ledger.Chunk{Month: day.Month(), Subjects: make([][]uint32, 1), Numbers: make([][]amount.Amount, 2)}
			chunks[day.Month()] = c
			feed.Chunks = append(feed.Chunks, c)
		}
		c.Days.Add(int(day-day.Month().First()) + 1)
		c.Subjects[0] = append(c.Subjects[0], uint32(l.rep))
		c.Numbers[0] = append(c.Numbers[0], number(t, l.net))
		c.Numbers[1] = append(c.Numbers[1], number(t, l.cost))
	}
	slices.SortFunc(feed.Chunks, func(a, b *ledger.Chunk) int { return int(a.Month - b.Month) })
	return measure.New(book, &ledger.Snapshot{
		Registers: map[string]*ledger.Register{"rep": register},
		Feeds:     map[string]*ledger.Feed{"sales": feed},
		Targets:   map[ledger.SheetKey]*ledger.Sheet{{Kind: "rep", Measure: "revenue"}: {Months: map[calendar.Month][]amount.Amount{}}},
	})
}

func number(t require.TestingT, s string) amount.Amount {
	if s == "" {
		return amount.Missing
	}
	a, err := amount.Parse(s)
	require.NoError(t, err)
	return a
}

func verdicts(r *judge.Result) string {
	var out []string
	for _, v := range r.All() {
		s := v.Outcome.String()
		if v.Grade != "" {
			s += " " + v.Grade
		}
		if v.Why != "" {
			s += " (" + v.Why + ")"
		}
		out = append(out, s)
	}
	return strings.Join(out, "; ")
}

func sentence(e *measure.Engine, r *judge.Result, code uint32) string {
	return explain.Sentence(e.Book, r.Rule, r.Period, r.Verdict(code), judge.EvidenceFor(e, r, code))
}

const margin = `
  - name: thin
    judges: rep
    base: {revenue: at least 100}
    stake: "(floor - margin) * revenue"
    threshold: {of: margin, bands: [{grade: act, below: 18%}, {grade: look, below: floor}, {clear: rest}]}
`

// Every verdict there is, with the boundaries: 82 of 100 is a margin of
// exactly 18 %, 78 exactly 22 %.
func TestThresholdBoundaries(t *testing.T) {
	e := world(t, 9, margin,
		line{0, "2026-10-05", "100", "82.0001"}, line{1, "2026-10-05", "100", "82"}, line{2, "2026-10-05", "100", "78.0001"},
		line{3, "2026-10-05", "100", "78"}, line{4, "2026-10-05", "99.9999", "10"}, line{6, "2026-09-30", "500", "499"},
		line{7, "2026-10-01", "60", "50"}, line{7, "2026-10-31", "60", ""}, line{8, "2026-10-01", "50", "10"}, line{8, "2026-10-02", "-50", "-10"})
	e.Snapshot.Registers["rep"].SetActive(6, ledger.Spell{First: ledger.Never, Last: calendar.Date(2026, 9, 30)})
	r := judge.Judge(e, e.Book.Rule("thin"), e.Book.Rule("thin").Levels[0], calendar.MonthPeriod(october))
	assert.Equal(t, "breach act; breach look; breach look; clear; not judged (below the minimum); no data (no lines in the period); "+
		"not judged (not active in the period); clear; no data (division by zero)", verdicts(r))
	assert.Equal(t, "Margin rate is 17.9999%, below 18%.", sentence(e, r, 0))
	assert.Equal(t, "Margin rate is 18.0%, at least 18% and below 22% (floor).", sentence(e, r, 1))
	assert.Equal(t, "Margin rate is 21.9999%, at least 18% and below 22% (floor).", sentence(e, r, 2))
	assert.Equal(t, "There is no data on margin rate for Oct 2026: no lines in the period.", sentence(e, r, 5))
	ev := judge.EvidenceFor(e, r, 1)
	assert.Equal(t, "9/50", ev.Value.String())
	assert.Equal(t, "4/1", ev.Stake.String())
	assert.Equal(t, "revenue cost", ev.Inputs[0].Measure+" "+ev.Inputs[1].Measure)
	tally := r.Tally()
	assert.Equal(t, 5, tally.Judged())
	assert.Equal(t, 3, tally.Flagged)
}

func TestTargetIsMetExactly(t *testing.T) {
	e := world(t, 5, `
  - {name: behind, judges: rep, threshold: {of: revenue, against: target, as: ratio, bands: [{grade: act, below: 100%}, {clear: rest}]}}
  - {name: short, judges: rep, threshold: {of: revenue, against: target, as: difference, bands: [{grade: act, below: -1000}, {clear: rest}]}}
  - {name: over, judges: rep, threshold: {of: revenue, against: 40000, as: ratio, bands: [{grade: look, above: 120%}, {clear: rest}]}}
`,
		line{0, "2026-10-05", "48000", "1"}, line{1, "2026-10-05", "47999.9999", "1"}, line{2, "2026-10-05", "47000", "1"},
		line{3, "2026-10-05", "46999.9", "1"}, line{4, "2026-10-05", "10", "1"})
	sheet := e.Snapshot.Targets[ledger.SheetKey{Kind: "rep", Measure: "revenue"}]
	for code := range uint32(4) {
		sheet.Set(october, code, amount.FromInt(48000))
	}
	r := judge.Judge(e, e.Book.Rule("behind"), e.Book.Rule("behind").Levels[0], calendar.MonthPeriod(october))
	assert.Equal(t, "clear; breach act; breach act; breach act; not judged (no target)", verdicts(r))
	assert.Equal(t, "Revenue is 47,999.9999, 99.9999998% of its target of 48,000.0000: below 100%.", sentence(e, r, 1))
	short := judge.Judge(e, e.Book.Rule("short"), e.Book.Rule("short").Levels[0], calendar.MonthPeriod(october))
	assert.Equal(t, "clear; clear; clear; breach act; not judged (no target)", verdicts(short))
	assert.Equal(t, "Revenue is 47,000 against its target of 48,000, a difference of -1,000.1: below -1,000.", sentence(e, short, 3))
	over := judge.Judge(e, e.Book.Rule("over"), e.Book.Rule("over").Levels[0], calendar.MonthPeriod(october))
	assert.Equal(t, "clear; clear; clear; clear; clear", verdicts(over), "48,000 is exactly 120 % of 40,000, not above it")
	assert.Equal(t, []float64{1.2}, over.LineUp(-1).Cuts)
}

// Seven values 1 1 2 2 4 x 9 with median 2 and MAD 1: a score of 0.6745 (x-2).
func TestRobustScore(t *testing.T) {
	rule := `
  - {name: far, judges: rep, outlier: {of: revenue, by: robust score, beyond: 3.3725, side: high, peers: 6, grade: look}}
  - {name: few, judges: rep, outlier: {of: revenue, by: robust score, beyond: 2, peers: 7, grade: look}}
  - {name: among, judges: rep, outlier: {of: revenue, among: rep.territory, by: robust score, beyond: 2, peers: 2, grade: look}}
`
	values := []string{"1", "1", "2", "2", "4", "7", "9"}
	var lines []line
	for i, v := range values {
		lines = append(lines, line{i, "2026-10-09", v, "0"})
	}
	e := world(t, 8, rule, lines...)
	r := judge.Judge(e, e.Book.Rule("far"), e.Book.Rule("far").Levels[0], calendar.MonthPeriod(october))
	assert.Equal(t, "clear; clear; clear; clear; clear; clear; breach look; no data (no lines in the period)", verdicts(r),
		"7 scores exactly 3.3725: on the cut, not beyond")
	assert.Equal(t, "Revenue is 9, far above the median of 2 among 7 reps: robust score 4.7; flagged beyond 3.4.", sentence(e, r, 6))
	assert.Equal(t, 1, judge.EvidenceFor(e, r, 6).Peers.Place)
	// Whom an earlier rule stops is a peer all the same, in the verdict and in
	// its evidence.
	stopping := world(t, 8, "\n  - {name: first, judges: rep, last_word: true, threshold: {of: revenue, bands: [{grade: act, above: 1, at_most: 2}, "+
		"{clear: rest}]}}"+rule, lines...)
	after := judge.All(stopping, calendar.MonthPeriod(october))[1]
	assert.Equal(t, 2, after.Tally().NotJudged[method.Stopped])
	assert.Equal(t, sentence(e, r, 6), sentence(stopping, after, 6))
	assert.Equal(t, judge.EvidenceFor(e, r, 6).Peers, judge.EvidenceFor(stopping, after, 6).Peers)
	few := judge.Judge(e, e.Book.Rule("few"), e.Book.Rule("few").Levels[0], calendar.MonthPeriod(october))
	assert.Equal(t, 7, few.Tally().NotJudged[method.FewPeers])
	among := judge.Judge(e, e.Book.Rule("among"), e.Book.Rule("among").Levels[0], calendar.MonthPeriod(october))
	assert.Equal(t, 4, len(among.LineUp(0).Points), "the four in North")

	flat := world(t, 4, rule, line{0, "2026-10-09", "5", "0"}, line{1, "2026-10-09", "5", "0"}, line{2, "2026-10-09", "5", "0"}, line{3, "2026-10-09", "9", "0"})
	set := flat.Book.Rule("far").Settings["peers"]
	set.Bound.Number = amount.FromInt(2)
	flat.Book.Rule("far").Settings["peers"] = set
	assert.Equal(t, 4, judge.Judge(flat, flat.Book.Rule("far"), flat.Book.Rule("far").Levels[0], calendar.MonthPeriod(october)).Tally().NotJudged[method.NoSpread])
}

// The robust-score verdicts are those of rational arithmetic, values drawn so
// that many lie exactly on the cut.
func TestRobustScoreAgreesWithRationals(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(3, 12).Draw(t, "n")
		cut := amount.Amount(6745 * rapid.Int64Range(1, 6).Draw(t, "cut"))
		var lines []line
		var rats []*big.Rat
		for i := range n {
			cents := rapid.Int64Range(0, 30).Draw(t, "value")
			a := amount.Amount(cents * 1000)
			lines = append(lines, line{i, "2026-10-09", a.String(), "0"})
			rats = append(rats, a.Rat())
		}
		e := world(t, n, fmt.Sprintf("  - {name: far, judges: rep, "+
			"outlier: {of: revenue, by: robust score, beyond: %s, side: low, peers: 2, grade: look}}\n", cut), lines...)
		r := judge.Judge(e, e.Book.Rule("far"), e.Book.Rule("far").Levels[0], calendar.MonthPeriod(october))
		median, mad := medianMAD(rats)
		for i, v := range r.All() {
			if mad.Sign() == 0 {
				assert.Equal(t, method.NoSpread, v.Why)
				continue
			}
			score := new(big.Rat).Sub(rats[i], median)
			score.Mul(score, big.NewRat(6745, 10000)).Quo(score, mad)
			want := score.Cmp(new(big.Rat).Neg(cut.Rat())) < 0
			assert.Equal(t, want, v.Outcome == judge.Breach, "score %s, cut %s", score, cut)
		}
	})
}

// medianMAD is written out here, by insertion, to be independent of the
// product's own.
func medianMAD(xs []*big.Rat) (median, mad *big.Rat) {
	middle := func(xs []*big.Rat) *big.Rat {
		var sorted []*big.Rat
		for _, x := range xs {
			at := 0
			for at < len(sorted) && sorted[at].Cmp(x) < 0 {
				at++
			}
			sorted = append(sorted[:at], append([]*big.Rat{x}, sorted[at:]...)...)
		}
		half := new(big.Rat).Add(sorted[(len(sorted)-1)/2], sorted[len(sorted)/2])
		return half.Mul(half, big.NewRat(1, 2))
	}
	median = middle(xs)
	var far []*big.Rat
	for _, x := range xs {
		d := new(big.Rat).Sub(x, median)
		far = append(far, d.Abs(d))
	}
	return median, middle(far)
}

// Threshold verdicts on a ratio are those of rational arithmetic, half of the
// draws exactly on a cut.
func TestThresholdAgreesWithRationals(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		net := rapid.Int64Range(1, 1e11).Draw(t, "net") * 10000
		rate := rapid.Int64Range(1000, 3000).Draw(t, "rate")
		if rapid.Bool().Draw(t, "on a cut") {
			rate = rapid.SampledFrom([]int64{1800, 2200}).Draw(t, "cut")
		}
		cost := net - net/10000*rate + rapid.Int64Range(-1, 1).Draw(t, "off by")
		e := world(t, 1, margin, line{0, "2026-10-09", amount.Amount(net).String(), amount.Amount(cost).String()})
		if net < 1000000 {
			return // below the minimum
		}
		got := judge.Judge(e, e.Book.Rule("thin"), e.Book.Rule("thin").Levels[0], calendar.MonthPeriod(october)).Verdict(0)
		m := new(big.Rat).Quo(big.NewRat(net-cost, 1), big.NewRat(net, 1))
		want := ""
		switch {
		case m.Cmp(big.NewRat(18, 100)) < 0:
			want = "act"
		case m.Cmp(big.NewRat(22, 100)) < 0:
			want = "look"
		}
		assert.Equal(t, want, got.Grade, "margin %s", m)
	})
}

// A divisor of 0.1 + 0.2 - 0.3 is zero in decimal, whatever floating point
// makes of it.
func TestDivisorThatIsZeroInDecimal(t *testing.T) {
	e := world(t, 1, margin, line{0, "2026-10-01", "0.1", "-0.1"}, line{0, "2026-10-02", "0.2", "0.1"})
	assert.Equal(t, measure.ZeroBase, e.Column("odd", e.Slot(measure.Level{Kind: "rep"}, calendar.MonthPeriod(october))).Why[0])
	_, why := e.Exact("odd", 0, e.Slot(measure.Level{Kind: "rep"}, calendar.MonthPeriod(october)))
	assert.Equal(t, measure.ZeroBase, why)
}

func TestOverflowIsSaid(t *testing.T) {
	e := world(t, 1, margin, line{0, "2026-10-01", "900000000000000", "1"}, line{0, "2026-10-02", "900000000000000", "1"})
	r := judge.Judge(e, e.Book.Rule("thin"), e.Book.Rule("thin").Levels[0], calendar.MonthPeriod(october))
	assert.Equal(t, "no data (the sum is beyond 900 trillion)", verdicts(r))
}

func TestSilence(t *testing.T) {
	e := world(t, 4, `
  - {name: quiet, judges: rep, where: rep.territory is "North", window: {silence: sales, at_least: 30 days, grade: act}}
  - {name: quiet-all, judges: rep, window: {silence: sales, at_least: 31 days, grade: act}}
`, line{0, "2026-10-01", "1", "1"}, line{1, "2026-09-30", "1", "1"}, line{2, "2026-10-02", "1", "1"}, line{0, "2026-11-01", "1", "1"})
	r := judge.Judge(e, e.Book.Rule("quiet"), e.Book.Rule("quiet").Levels[0], calendar.MonthPeriod(october))
	assert.Equal(t, "breach act; out of scope; clear; out of scope", verdicts(r), "31 - 1 = 30 days is at least 30; the line of November is not yet known")
	assert.Equal(t, "No order lines since 1 Oct 2026: 30 days by 31 Oct 2026; flagged at 30 days or more.", sentence(e, r, 0))
	all := judge.Judge(e, e.Book.Rule("quiet-all"), e.Book.Rule("quiet-all").Levels[0], calendar.MonthPeriod(october))
	assert.Equal(t, "clear; breach act; clear; not judged (never seen)", verdicts(all))
	assert.Equal(t, "Not judged: never seen.", sentence(e, all, 3))
}

func TestNoDataWithAGrade(t *testing.T) {
	e := world(t, 2, `
  - {name: idle, judges: rep, no_data: look, threshold: {of: orders, bands: [{grade: act, below: 2}, {clear: rest}]}}
`, line{0, "2026-10-01", "1", "1"})
	r := judge.Judge(e, e.Book.Rule("idle"), e.Book.Rule("idle").Levels[0], calendar.MonthPeriod(october))
	assert.Equal(t, "breach act; no data look (no lines in the period)", verdicts(r))
	assert.Equal(t, 2, r.Tally().Flagged)
}

func TestRoutes(t *testing.T) {
	e := world(t, 2, margin)
	to := func(code uint32, grade string) string {
		return routing.Desk(e.Book, routing.Item{Kind: "rep", Rule: "thin", Grade: grade,
			Attributes: e.Lookup(e.Slot(measure.Level{Kind: "rep"}, calendar.MonthPeriod(october)), code)})
	}
	assert.Equal(t, []string{"north", "home", "home"}, []string{to(0, "act"), to(0, "look"), to(1, "act")})
	friday := calendar.Date(2026, 10, 30)
	assert.Equal(t, "2026-11-03", routing.Due(e.Book, e.Book.Desk("north"), "act", friday).String())
	assert.Equal(t, "2026-11-06", routing.Due(e.Book, e.Book.Desk("home"), "act", friday).String())
}
