package judge_test

import (
	"fmt"
	"maps"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/ledger"
	"oskel/core/measure"
)

const keptRules = `  - {name: low, judges: rep, base: {cost: at least 20}, threshold: {of: revenue, against: earlier(revenue), as: difference,
    bands: [{grade: act, below: 3}, {clear: rest}]}, ended: no data}
  - {name: far, judges: [rep, rep.territory], outlier: {of: revenue, by: robust score, beyond: 1, peers: 2, grade: look}}
  - {name: burst, judges: rep, window: {burst: sales, at_least: 2 lines, within: 9 days, grade: look}}
`

// What is kept of the past says what a fresh engine says of it, whatever lines,
// registers and books come between; what nothing has touched is not judged again.
func TestWhatIsKeptSaysWhatIsFresh(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var lines []line
		for i := range 60 {
			lines = append(lines, line{i % 5, calendar.Day(int(calendar.Date(2026, 5, 1)) + i*3).String(), fmt.Sprint(10 + i*7%40), fmt.Sprint(5 + i*3%20)})
		}
		e := world(t, 5, keptRules, lines...)
		other := world(t, 5, keptRules, lines...).Book
		var kept judge.Cache
		last := calendar.MonthPeriod(october)
		for range rapid.IntRange(1, 8).Draw(t, "steps") {
			s := &ledger.Snapshot{Version: e.Snapshot.Version + 1, Registers: e.Snapshot.Registers, Targets: e.Snapshot.Targets, Feeds: map[string]*ledger.Feed{}}
			book := e.Book
			f := *e.Snapshot.Feeds["sales"]
			switch what := rapid.SampledFrom([]string{"nothing", "lines", "register", "targets", "book"}).Draw(t, "what"); what {
			case "lines":
				i := rapid.IntRange(0, len(f.Chunks)-1).Draw(t, "month")
				f.Chunks = slices.Clone(f.Chunks)
				old := f.Chunks[i]
				fresh := &ledger.Chunk{Month: old.Month, Days: old.Days, Subjects: old.Subjects, Labels: old.Labels, Numbers: slices.Clone(old.Numbers)}
				fresh.Numbers[0] = slices.Clone(old.Numbers[0])
				fresh.Numbers[0][0] += amount.FromInt(int64(rapid.IntRange(-30, 30).Draw(t, "more")))
				f.Chunks[i] = fresh
			case "register":
				r := ledger.NewRegister("rep", s.Registers["rep"].Keys, s.Registers["rep"].Names)
				r.Attributes = s.Registers["rep"].Attributes
				r.SetActive(1, ledger.Spell{First: calendar.Date(2026, 5, 1) + calendar.Day(rapid.IntRange(0, 180).Draw(t, "from")), Last: ledger.Never})
				s.Registers = maps.Clone(s.Registers)
				s.Registers["rep"] = r
			case "targets":
				s.Targets = map[ledger.SheetKey]*ledger.Sheet{{Kind: "rep", Measure: "revenue"}: {Months: map[calendar.Month][]amount.Amount{}}}
			case "book":
				book, other = other, book
			}
			s.Feeds["sales"] = &f
			e = measure.New(book, s)
			for i := range book.Rules {
				rule := &book.Rules[i]
				for _, level := range rule.Levels {
					got := kept.History(e, rule, level, last, 5)
					again := kept.History(measure.New(book, s), rule, level, last, 5)
					for k, expected := range judge.History(measure.New(book, s), rule, level, last, 5) {
						assert.Equal(t, verdicts(expected), verdicts(got[k]))
						assert.Equal(t, expected.Empty, got[k].Empty)
						if k < 4 {
							assert.Same(t, got[k], again[k], "nothing has changed")
						}
					}
				}
			}
		}
	})
}

// An intake into a month leaves the verdicts of the months before it.
func TestAnIntakeLeavesEarlierVerdicts(t *testing.T) {
	e := world(t, 3, keptRules, line{0, "2026-07-03", "10", "20"}, line{0, "2026-08-03", "10", "20"}, line{0, "2026-09-03", "10", "20"},
		line{0, "2026-10-03", "10", "20"})
	var kept judge.Cache
	rule := &e.Book.Rules[0]
	before := kept.History(e, rule, rule.Levels[0], calendar.MonthPeriod(october), 4)
	f := *e.Snapshot.Feeds["sales"]
	f.Chunks = slices.Clone(f.Chunks)
	old := f.Chunks[2]
	f.Chunks[2] = &ledger.Chunk{Month: old.Month, Days: old.Days, Subjects: old.Subjects, Labels: old.Labels, Numbers: old.Numbers}
	s := &ledger.Snapshot{Registers: e.Snapshot.Registers, Targets: e.Snapshot.Targets, Feeds: map[string]*ledger.Feed{"sales": &f}}
	after := kept.History(measure.New(e.Book, s), rule, rule.Levels[0], calendar.MonthPeriod(october), 4)
	assert.Same(t, before[0], after[0])
	assert.Same(t, before[1], after[1])
	assert.NotSame(t, before[2], after[2], "September's lines are others")
}
