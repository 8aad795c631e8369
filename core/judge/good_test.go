package judge_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/measure"
	"oskel/core/method"
	"oskel/core/rulebook"
)

const goodRules = `
  - {name: sold, judges: rep, threshold: {of: revenue, bands: [{grade: act, below: 10}, {grade: reached, at_least: 100}, {clear: rest}]},
     examples: [{revenue: 100, is: reached}, {revenue: 99, is: clear}, {revenue: 9, is: act}]}
  - {name: often, judges: rep, persists: 2 of 3, threshold: {of: orders, bands: [{grade: reached, at_least: 2}, {clear: rest}]}}
  - {name: either, judges: rep, threshold: {choose: [{grade: look, all: [revenue above 500]}, {grade: reached, all: [cost below 5]}]}}
  - {name: top, judges: rep, outlier: {of: revenue, by: top or bottom, first: 1, peers: 2, grade: reached}}
`

var goodLines = []line{{0, "2026-09-05", "1", "1"}, {0, "2026-09-06", "1", "1"}, {0, "2026-10-05", "60", "1"}, {0, "2026-10-06", "40", "1"},
	{1, "2026-10-05", "99", "9"}, {1, "2026-10-07", "0", "9"}, {2, "2026-10-05", "9", "9"}, {3, "2026-10-05", "501", "1"}}

// A good grade praises: who is given it is clear, is counted apart, and is no exception.
func TestGoodGradesFlagNobody(t *testing.T) {
	e := world(t, 4, goodRules, goodLines...)
	assert.Empty(t, judge.Examples(e.Book))
	given := func(name string) (out []string) {
		r := one(e, name, october)
		for code, v := range r.All() {
			out = append(out, v.Given())
			assert.False(t, v.Good != "" && (v.Flagged() || v.Outcome != judge.Clear || r.IsFlagged(code)), name)
		}
		return out
	}
	assert.Equal(t, []string{"reached", "", "act", "reached"}, given("sold"))
	assert.Equal(t, []string{"reached", "", "", ""}, given("often"), "in two of three periods, once is not enough")
	assert.Equal(t, []string{"reached", "", "", "look"}, given("either"))
	r := one(e, "sold", october)
	assert.Equal(t, []uint32{2}, r.Flagged())
	assert.Equal(t, []uint32{0, 2, 3}, r.Marked())
	tally := r.Tally()
	assert.Equal(t, 1, tally.Flagged)
	assert.Equal(t, 3, tally.Clear)
	assert.Equal(t, map[string]int{"reached": 2}, tally.Good)
	assert.Nil(t, one(world(t, 1, goodRules, line{0, "2026-10-05", "50", "50"}), "sold", october).Tally().Good)
	assert.Equal(t, "Revenue is 100, at least 100.", sentence(e, r, 0))
	assert.Equal(t, "Condition met: cost below 5: revenue 100, cost 2.", sentence(e, one(e, "either", october), 0))
	assert.Equal(t, [][2]string{{"act", "Act now"}, {"look", "Look"}}, func() (out [][2]string) {
		for _, n := range e.Book.GradesNamed() {
			out = append(out, [2]string{n.Name, n.Title})
		}
		return out
	}(), "what exceptions are asked by")
}

func TestGoodGradesInTheBook(t *testing.T) {
	for text, complaint := range map[string]string{
		"grades:\n  - {name: fine, good: true}\n  - {name: act}\n": "stands before those that are good",
		"grades: [{name: act, good: perhaps}]\n":                   "not one of",
		"grades: [{name: act, cell: loud}]\n":                      `"loud" is not one of shape, tint, figure, row`,
		"grades: [{name: fine, good: true}]\nrules: [{name: r, judges: rep, no_data: fine, " +
			"threshold: {of: n, bands: [{clear: rest}]}}]\n": "is a good grade, and what is missing is no good",
	} {
		_, problems := rulebook.Read([]byte("oskel: 1\nkinds: {rep: {}}\nfeeds: {sales: {date: day, subjects: {rep: rep}, numbers: {net: money}}}\n"+
			"measures: {n: {count: sales, unit: count}}\ndesks: [{name: home}]\nroutes: [{otherwise: home}]\n"+text), method.All())
		require.NotEmpty(t, problems, text)
		assert.Contains(t, fmt.Sprint(problems), complaint)
	}
}

// The marks of a table say what a sweep of each of its periods would, and praise beside it.
func TestMarksSayWhatASweepWould(t *testing.T) {
	rules := goodRules + `  - {name: stop, judges: rep, last_word: true, threshold: {of: revenue, bands: [{grade: act, at_most: 9}, {clear: rest}]}}
  - {name: late, judges: [rep, whole], threshold: {of: cost, bands: [{grade: look, at_least: 1}, {clear: rest}]}}
  - {name: quarterly, judges: rep, each: quarter, threshold: {of: cost, bands: [{grade: look, at_least: 1}, {clear: rest}]}}
`
	e := world(t, 4, rules, goodLines...)
	rep, err := e.Book.ParseLevel("rep")
	require.Empty(t, err)
	periods := e.Book.Calendar.Run(calendar.MonthPeriod(october), 2)
	for _, level := range []measure.Level{rep, {}} {
		var kept judge.Cache
		for range 2 { // what is kept says the same
			var want, praised []string
			for _, p := range periods {
				for _, r := range judge.All(e, p) {
					for _, code := range r.Marked() {
						if v := r.Verdict(code); r.Level == level {
							said := fmt.Sprintln(code, r.Rule.Name, e.Book.Calendar.String(p), v.Given())
							if want = append(want, said); v.Good != "" {
								praised = append(praised, said)
							}
						}
					}
				}
			}
			assert.ElementsMatch(t, want, marksTold(e, kept.Marks(e, level, periods, false)))
			assert.ElementsMatch(t, praised, marksTold(e, kept.Marks(e, level, periods, true)))
		}
	}
	marks := (&judge.Cache{}).Marks(e, rep, periods[1:], false)
	var grades []string
	for _, m := range marks[3] {
		grades = append(grades, m.Grade)
	}
	assert.Equal(t, []string{"look", "look", "reached", "reached"}, grades[:4], "the most serious first")
	assert.False(t, slices.ContainsFunc(marks[2], func(m judge.Mark) bool { return m.Rule.Name == "late" }), "an earlier rule has the last word")
}

func marksTold(e *measure.Engine, marks map[uint32][]judge.Mark) (out []string) {
	for code, of := range marks {
		for _, m := range of {
			out = append(out, fmt.Sprintln(code, m.Rule.Name, e.Book.Calendar.String(m.Period), m.Grade))
		}
	}
	return out
}
