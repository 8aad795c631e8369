package judge_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/ledger"
	"oskel/core/measure"
	"oskel/core/method"
	"oskel/core/rulebook"
)

// sharedBook has dials everywhere a rule can name one: in bands, in a formula of
// a measure, in a comparison, a stake, a choice, a score.
const sharedBook = `oskel: 1
calendar: {CALENDAR}
kinds: {rep: {attributes: {territory: text}}}
feeds: {sales: {date: day, subjects: {rep: rep}, numbers: {net: money, cost: money}}}
grades: [{name: act}, {name: look}]
dials: {floor: {value: FLOOR%}, norm: {value: NORM}, far: {value: 2}}
measures:
  revenue: {sum: sales.net, unit: money}
  cost: {sum: sales.cost, unit: money}
  margin: {formula: "(revenue - cost) / revenue", unit: percent}
  spare: {formula: "margin - floor", unit: percent}
  big: {formula: "when revenue above norm then revenue otherwise EXTRA", groups: sum of rep, unit: money}
desks: [{name: home}]
routes: [{otherwise: home}]
rules:
  - {name: bands, judges: [rep, rep.territory, whole], threshold: {of: margin, bands: [{grade: act, below: CUT%}, {grade: look, below: floor}, {clear: rest}]}}
  - {name: own, judges: rep, threshold: {of: spare, bands: [{grade: act, below: 0%}, {clear: rest}]}}
  - {name: yard, judges: rep, stake: revenue * floor, threshold: {of: revenue, against: norm * 2, as: difference, bands: [{grade: act, below: 0},
      {clear: rest}]}}
  - {name: alone, judges: rep, stake: norm - revenue, threshold: {of: revenue, against: norm, as: ratio, bands: [{grade: act, below: 100%}, {clear: rest}]}}
  - {name: chosen, judges: rep, threshold: {choose: [{grade: act, some: {at_least: 2, of: [revenue below norm, margin below floor,
      "revenue + norm below 90"]}}]}}
  - {name: kind, judges: [rep, rep.territory, whole], threshold: {of: big, against: "peers(big, average)", as: difference, bands: [{grade: act,
      below: -3}, {clear: rest}]}}
  - {name: fell, judges: rep, ended: counts as zero, threshold: {of: revenue, against: earlier(revenue), as: change, bands: [{grade: act,
      below: -40%}, {clear: rest}]}}
  - {name: odd, judges: rep, outlier: {of: spare, by: robust score, beyond: far, side: both, peers: 3, grade: look}}
`

func sharedText(t *rapid.T) string {
	return strings.NewReplacer("CALENDAR", rapid.SampledFrom([]string{`fiscal_year_starts: "01-01"`,
		`week_years: {pattern: 4-4-5, end_on: saturday, last_in: december}`}).Draw(t, "calendar"),
		"FLOOR", fmt.Sprint(rapid.IntRange(6, 40).Draw(t, "floor")), "NORM", fmt.Sprint(rapid.IntRange(1, 60).Draw(t, "norm")), "CUT",
		fmt.Sprint(rapid.IntRange(1, 5).Draw(t, "cut")),
		"EXTRA", rapid.SampledFrom([]string{"0", "revenue / 2", "missing", "cost"}).Draw(t, "extra")).Replace(sharedBook)
}

// everything is all that a book's rules say of everybody, with the exact evidence.
func everything(e *measure.Engine, p calendar.Month) string {
	var s strings.Builder
	for _, r := range judge.All(e, calendar.MonthPeriod(p)) {
		fmt.Fprintf(&s, "%s %s: %s\n", r.Rule.Name, r.Level, verdicts(r))
		for _, code := range r.Flagged() {
			ev := judge.EvidenceFor(e, r, code)
			fmt.Fprintf(&s, "  %v %v %v %v %v\n", code, ev.Value, ev.Comparison, ev.Held, ev.Stake)
		}
	}
	return s.String()
}

// An engine that knows what another book made of the data says what a fresh one
// says: for any draft, any dial turned, any cut moved, in any order.
func TestASharedEngineSaysWhatAFreshOneSays(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		lines, _ := drawMonths(t, 10, 2)
		snapshot := world(t, 10, margin, lines...).Snapshot
		read := func() *rulebook.Book {
			book, problems := rulebook.Read([]byte(sharedText(t)), method.All())
			require.Empty(t, problems)
			return book
		}
		book := read()
		shared := measure.New(book, snapshot)
		for range 6 {
			switch rapid.IntRange(0, 3).Draw(t, "step") {
			case 0:
				book = read()
			case 1:
				book = book.WithDial("floor", amount.Amount(rapid.IntRange(1, 60).Draw(t, "turned"))*100)
			case 2:
				book = book.WithDial("norm", amount.FromInt(rapid.Int64Range(1, 200).Draw(t, "turned")))
			default:
				moved, err := book.WithCuts("bands", rulebook.CutMove{High: true, At: amount.Amount(rapid.IntRange(-50, 5).Draw(t, "cut")) * 100})
				if err != nil {
					continue // below the dial, perhaps
				}
				book = moved
			}
			shared = shared.With(book)
			fresh := measure.New(book, &ledger.Snapshot{Registers: snapshot.Registers, Feeds: snapshot.Feeds, Targets: snapshot.Targets})
			month := calendar.Month(book.Calendar.Of(calendar.Monthly, calendar.Date(2026, 10, 10)).Number)
			assert.Equal(t, everything(fresh, month), everything(shared, month))
		}
	})
}

// A dial that only a comparison names moves what is flagged, for the solver too.
func TestADialThatOnlyAComparisonNames(t *testing.T) {
	e := world(t, 4, "\n  - {name: y, judges: rep, threshold: {of: margin, against: floor, as: difference, bands: [{grade: act, below: 0%}, {clear: rest}]}}\n",
		line{0, "2026-10-01", "100", "90"}, line{1, "2026-10-01", "100", "85"}, line{2, "2026-10-01", "100", "70"}, line{3, "2026-10-01", "100", "60"})
	level := e.Book.Rule("y").Levels[0]
	assert.Equal(t, []uint32{0, 1}, judge.Judge(e, e.Book.Rule("y"), level, calendar.MonthPeriod(october)).Flagged())
	turned := e.With(e.Book.WithDial("floor", 3500))
	assert.Equal(t, []uint32{0, 1, 2}, judge.Judge(turned, turned.Book.Rule("y"), level, calendar.MonthPeriod(october)).Flagged())
	best, _ := judge.SolveDial(e, "floor", []string{"y"}, calendar.MonthPeriod(october), 1, 3, 0, 5000, 100)
	assert.Equal(t, 3.0, best.Average)
}
