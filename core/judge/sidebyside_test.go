package judge_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/measure"
)

// Many rules judged side by side say what each says alone, in the order of the book,
// with what has the last word, and so does their evidence.
func TestRulesSideBySideSayWhatEachSaysAlone(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	var lines []line
	for i := range 600 {
		lines = append(lines, line{r.IntN(30), calendar.Day(int(calendar.Date(2025, 9, 1)) + i*425/600).String(), fmt.Sprint(r.IntN(900) - 100),
			fmt.Sprint(r.IntN(500))})
	}
	var rules strings.Builder
	for i, rule := range []string{
		`judges: [rep, rep.territory, whole], threshold: {of: margin, bands: [{grade: act, below: 10%}, {clear: rest}]}`,
		`judges: rep, last_word: true, where: rep.territory is "North", threshold: {of: revenue, bands: [{grade: act, above: 900}, {clear: rest}]}`,
		`judges: rep, threshold: {of: revenue, bands: [{grade: look, below: 300}, {clear: rest}]}`,
		`judges: rep, persists: 2 of 3, threshold: {of: revenue, against: "peers(revenue, median, rep.territory)", as: ratio, bands: [{grade: look,
		    below: 60%}, {clear: rest}]}`,
		`judges: rep, outlier: {of: revenue, by: robust score, beyond: 1, grade: look}`,
		`judges: rep, outlier: {of: margin, among: rep.territory, by: standard score, beyond: 1, grade: look}`,
		`judges: [rep, whole], outlier: {of: revenue, by: own past, over: 6 periods, at_least: 3 periods, beyond: 1, grade: look}`,
		`judges: rep, outlier: {of: revenue, by: level shift, over: 12 periods, at_least: 3 periods, beyond: 1, grade: look}`,
		`judges: rep, window: {silence: sales, at_least: 9 days, grade: look}`,
		`judges: [rep, rep.territory], window: {burst: sales, at_least: 3 lines, within: 9 days, grade: look}`,
		`judges: rep, window: {unanswered: sales where net above 300, by: sales where net below 200, within: 9 days, grade: look}`,
	} {
		fmt.Fprintf(&rules, "  - {name: r%d, %s}\n", i, rule)
	}
	said := func(e *measure.Engine, r *judge.Result) string {
		out := r.Rule.Name + " " + r.Level.String() + ": " + verdicts(r)
		for _, code := range r.Flagged() {
			out += " | " + sentence(e, r, code)
		}
		return out
	}
	p := calendar.MonthPeriod(october)
	e := world(t, 30, rules.String(), lines...)
	all := judge.All(e, p)
	assert.Len(t, all, 15)
	flagged, stopped := 0, 0
	for i, one := range all {
		alone := measure.New(e.Book, e.Snapshot)
		single := judge.Judge(alone, one.Rule, one.Level, p)
		if strings.Contains(verdicts(one), "an earlier rule flagged it") {
			assert.Greater(t, i, 3, "only after the rule that has it")
			stopped++
			continue
		}
		flagged += len(one.Flagged())
		assert.Equal(t, said(alone, single), said(e, one))
	}
	assert.Greater(t, flagged, 8)
	assert.Positive(t, stopped)
	again := judge.All(measure.New(e.Book, e.Snapshot), p)
	for i := range all {
		assert.Equal(t, said(e, all[i]), said(e, again[i]), "whatever the cores")
	}
}
