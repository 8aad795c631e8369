package judge_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/ledger"
	"oskel/core/measure"
	"oskel/core/method"
	"oskel/core/rulebook"
)

func one(e *measure.Engine, name string, m calendar.Month) *judge.Result {
	rule := e.Book.Rule(name)
	return judge.Judge(e, rule, rule.Levels[0], calendar.MonthPeriod(m))
}

// A month in which no feed that the rule reads has a line is no period of it:
// nobody is judged, it flags nobody, and averages leave it out.
func TestMonthsWithoutLines(t *testing.T) {
	e := world(t, 2, "\n  - {name: quiet, judges: rep, no_data: look, threshold: {of: orders, bands: [{grade: act, below: 2}, {clear: rest}]}}\n",
		line{0, "2026-09-05", "1", "1"}, line{0, "2026-10-05", "1", "1"}, line{0, "2026-10-06", "1", "1"})
	assert.Equal(t, "breach act; no data look (no lines in the period)", verdicts(one(e, "quiet", october-1)))
	august := one(e, "quiet", october-2)
	assert.Equal(t, "not judged (no lines in the period); not judged (no lines in the period)", verdicts(august))
	assert.True(t, august.Empty)
	assert.Equal(t, "Not judged: no lines in the period.", sentence(e, august, 0))
	var said []string
	for _, b := range judge.LookBack(e, e.Book.Rule("quiet"), e.Book.Rule("quiet").Levels[0], calendar.MonthPeriod(october), 4) {
		said = append(said, fmt.Sprintln(e.Book.Calendar.String(b.Period), b.Empty, b.Judged, b.Flagged, b.Persisted))
	}
	assert.Equal(t, []string{"2026-07 true 0 0 0\n", "2026-08 true 0 0 0\n", "2026-09 false 1 2 0\n", "2026-10 false 1 1 1\n"}, said)
	thin := world(t, 2, "\n  - {name: thin, judges: rep, threshold: {of: margin, bands: [{grade: act, below: floor}, {clear: rest}]}}\n",
		line{0, "2026-10-05", "100", "90"}, line{1, "2026-10-05", "100", "70"})
	best, _ := judge.SolveDial(thin, "floor", []string{"thin"}, calendar.MonthPeriod(october), 6, 1, 0, 4000, 100)
	assert.Equal(t, 1.0, best.Average, "of the one month that has lines, not of six")
}

// What had a value and has none now is the steepest fall, where the rule says
// so; never where there was nothing above zero.
func TestWhatEnded(t *testing.T) {
	rule := func(ended string) string {
		return fmt.Sprintf(`
  - {name: fell, judges: rep, %sthreshold: {of: revenue, against: earlier(revenue), as: change, bands: [{grade: act, below: -40%%}, {clear: rest}]}}
  - {name: less, judges: rep, %sthreshold: {of: revenue, against: "history(revenue, 2, average, at least 1)", as: difference, bands: [{grade: act,
      at_most: -100}, {clear: rest}]}}
`, ended, ended)
	}
	lines := []line{
		{0, "2026-09-05", "100", "1"}, {0, "2026-10-05", "60", "1"}, // exactly 40 % less
		{1, "2026-09-05", "100", "1"},                                                                // ended
		{2, "2026-09-05", "0", "1"},                                                                  // nothing to fall from
		{3, "2026-09-05", "-5", "1"},                                                                 // nor this
		{4, "2026-10-05", "5", "1"},                                                                  // new
		{5, "2026-08-05", "0.1", "1"}, {5, "2026-09-05", "0.2", "1"}, {5, "2026-09-06", "-0.2", "1"}, // exactly zero by September
	}
	e := world(t, 7, rule(""), lines...)
	assert.Equal(t, "clear; no data (no lines in the period); no data (no lines in the period); no data (no lines in the period); not judged (no "+
		"comparison value: no lines in the period); "+
		"no data (no lines in the period); no data (no lines in the period)", verdicts(one(e, "fell", october)))
	e = world(t, 7, rule("no_data: look, "), lines...)
	missing := one(e, "fell", october)
	assert.Equal(t, "look", missing.Verdict(1).Grade)
	assert.Nil(t, judge.EvidenceFor(e, missing, 1).Value, "what is missing is not told as zero")
	e = world(t, 7, rule("ended: counts as zero, "), lines...)
	r := one(e, "fell", october)
	assert.Equal(t, "clear; breach act; no data (no lines in the period); no data (no lines in the period); not judged (no comparison value: no lines "+
		"in the period); "+
		"no data (no lines in the period); no data (no lines in the period)", verdicts(r))
	assert.Equal(t, "Revenue is 0, a change of -100.0% from its revenue of the period before, 100: below -40%.", sentence(e, r, 1))
	assert.Equal(t, "-1/1", judge.EvidenceFor(e, r, 1).Held.String())
	assert.Equal(t, "breach act", verdicts(one(e, "less", october))[len("clear; "):][:len("breach act")], "at most 100 less is what it is")

	growth := `
  - {name: g, judges: rep, ended: counts as zero, threshold: {of: growing, bands: [{grade: act, below: -40%}, {clear: rest}]}}
  - {name: h, judges: rep, ended: no data, threshold: {of: growing, bands: [{grade: act, below: -40%}, {clear: rest}]}}
  - {name: c, judges: rep, ended: counts as zero, threshold: {of: changing, bands: [{grade: act, below: -99}, {clear: rest}]}}
`
	book, problems := rulebook.Read([]byte(strings.Replace(head+growth, "measures:\n",
		"measures:\n  growing: {formula: growth(revenue), unit: percent}\n  changing: {formula: change(revenue), unit: money}\n", 1)), method.All())
	require.Empty(t, problems)
	e = measure.New(book, e.Snapshot)
	none := "no data (no lines in the period)"
	assert.Equal(t, "clear; breach act; "+none+"; "+none+"; no data (no base to compare with); "+none+"; "+none, verdicts(one(e, "g", october)))
	assert.Equal(t, "clear; "+none+"; "+none+"; "+none+"; no data (no base to compare with); "+none+"; "+none, verdicts(one(e, "h", october)),
		"and what one rule counts is not the other's")
	assert.Equal(t, "clear; breach act; "+none+"; "+none+"; no data (no base to compare with); "+none+"; "+none, verdicts(one(e, "c", october)))
}

// The check minds a growth rule that does not say what ended counts as, and
// refuses it where nothing is compared with the past.
func TestEndedIsAskedFor(t *testing.T) {
	minds := func(rule string) string {
		book, problems := rulebook.Read([]byte(head+"\n  - "+rule+"\n"), method.All())
		if len(problems) > 0 {
			return problems[0].Text
		}
		for _, a := range book.Advice() {
			if a.Path == "rules.x" || a.Path == "rules.x.base" {
				return a.Text
			}
		}
		return ""
	}
	const against = "threshold: {of: revenue, against: earlier(revenue), as: change, bands: [{grade: act, below: -40%}, {clear: rest}]}}"
	assert.Contains(t, minds("{name: x, judges: rep, "+against), "say 'ended: counts as zero'")
	assert.Empty(t, minds("{name: x, judges: rep, ended: no data, "+against))
	assert.Empty(t, minds("{name: x, judges: rep, ended: counts as zero, "+against))
	assert.Contains(t, minds("{name: x, judges: rep, ended: counts as zero, base: {revenue: at least 5}, "+against),
		"subjects without revenue this period fall below the minimum; ask for it in an earlier period")
	assert.Contains(t, minds("{name: x, judges: rep, ended: counts as zero, threshold: {of: revenue, against: target, as: ratio, bands: [{grade: act, "+
		"below: 1%}, {clear: rest}]}}"), "compares nothing with the past")
	assert.Contains(t, minds("{name: x, judges: rep, ended: counts as zero, window: {silence: sales, at_least: 5 days, grade: act}}"),
		"a silence compares nothing")
	assert.Contains(t, minds("{name: x, judges: rep, ended: counts as 0, "+against), "is not one of counts as zero, no data")
}

// A breach persists where it was found in enough of the very periods before:
// of 2 of 3 the third before this one no longer counts.
func TestPersistenceLooksAtTheRightPeriods(t *testing.T) {
	for months, flagged := range map[string]bool{"10": false, "10 9": true, "10 8": true, "10 7": false, "10 6": false, "9 8": false, "10 9 8": true} {
		var lines []line
		for m := 6; m <= 10; m++ {
			net := "50"
			if slices.Contains(strings.Fields(months), fmt.Sprint(m)) {
				net = "5"
			}
			lines = append(lines, line{0, fmt.Sprintf("2026-%02d-05", m), net, "1"})
		}
		e := world(t, 1, "\n  - {name: low, judges: rep, persists: 2 of 3, threshold: {of: revenue, bands: [{grade: act, below: 10}, {clear: rest}]}}\n", lines...)
		r := one(e, "low", october)
		assert.Equal(t, flagged, len(r.Flagged()) == 1, "low in %s", months)
		if ev := judge.EvidenceFor(e, r, 0); ev.Persisted != nil {
			assert.Equal(t, flagged, ev.Persisted.Breaches >= 2)
		}
	}
}

// The days that a rule is valid for and those that a subject is active in
// include their last.
func TestLastDaysBelong(t *testing.T) {
	e := world(t, 3, "\n  - {name: v, judges: rep, valid_until: 2026-10-31, threshold: {of: orders, bands: [{grade: act, below: 9}, {clear: rest}]}}\n",
		line{0, "2026-10-05", "1", "1"}, line{1, "2026-10-05", "1", "1"}, line{2, "2026-10-05", "1", "1"})
	register := e.Snapshot.Registers["rep"]
	register.SetActive(0, ledger.Spell{First: ledger.Never, Last: calendar.Date(2026, 10, 1)})
	register.SetActive(1, ledger.Spell{First: ledger.Never, Last: calendar.Date(2026, 9, 30)})
	register.SetActive(2, ledger.Spell{First: calendar.Date(2026, 10, 31), Last: ledger.Never})
	assert.Equal(t, "breach act; not judged (not active in the period); breach act", verdicts(one(e, "v", october)))
	rule := e.Book.Rule("v")
	assert.True(t, judge.Holds(e.Book, rule, calendar.MonthPeriod(october)))
	early, late := calendar.Date(2026, 10, 30), calendar.Date(2026, 11, 1)
	rule.Until = &early
	assert.False(t, judge.Holds(e.Book, rule, calendar.MonthPeriod(october)))
	rule.Until, rule.From = nil, &late
	assert.False(t, judge.Holds(e.Book, rule, calendar.MonthPeriod(october)))
	end := calendar.Date(2026, 10, 31)
	rule.From = &end
	assert.True(t, judge.Holds(e.Book, rule, calendar.MonthPeriod(october)))
}

// A missing value that has a grade of its own is no breach: it stops nothing.
func TestNoDataWithAGradeStopsNothing(t *testing.T) {
	e := world(t, 3, `
  - {name: first, judges: rep, no_data: look, last_word: true, threshold: {of: revenue, bands: [{grade: act, below: 10}, {clear: rest}]}}
  - {name: second, judges: rep, no_data: act, threshold: {of: orders, bands: [{grade: look, below: 5}, {clear: rest}]}}
`, line{0, "2026-10-05", "5", "1"}, line{1, "2026-10-05", "50", "1"})
	all := judge.All(e, calendar.MonthPeriod(october))
	assert.Equal(t, "breach act; clear; no data look (no lines in the period)", verdicts(all[0]))
	assert.Equal(t, "not judged (skipped: an earlier rule flagged it); breach look; no data act (no lines in the period)", verdicts(all[1]))
	assert.Equal(t, 2, all[0].Tally().Flagged)
}
