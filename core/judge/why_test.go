package judge_test

import (
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/measure"
	"oskel/core/method"
	"oskel/core/rulebook"
)

// What is said of one subject is what the sweep says of it, rule by rule, whoever has
// the last word, is off, or judges other levels.
func TestWhySaysWhatTheSweepSays(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		lines, _ := drawMonths(t, 10, 2)
		text := sharedText(t)
		for _, name := range []string{"own", "yard", "alone", "fell"} {
			add := rapid.SampledFrom([]string{"", "on: false, ", "last_word: true, ", "valid_from: 2027-01-01, ", "where: rep.territory is \"South\", "}).Draw(t, name)
			text = strings.Replace(text, "{name: "+name+", ", "{name: "+name+", "+add, 1)
		}
		book, problems := rulebook.Read([]byte(text), method.All())
		require.Empty(t, problems)
		snapshot := world(t, 10, margin, lines...).Snapshot
		p := calendar.MonthPeriod(october)
		all := judge.All(measure.New(book, snapshot), p)
		e := measure.New(book, snapshot)
		for _, level := range []string{"rep", "rep.territory", "whole"} {
			l, complaint := book.ParseLevel(level)
			require.Empty(t, complaint)
			for code := range uint32(e.Size(l)) {
				said := judge.Why(e, l, code, p)
				at := 0
				for _, r := range all {
					if r.Level != l {
						continue
					}
					require.Less(t, at, len(said))
					s := said[at]
					at++
					assert.Equal(t, r.Rule.Name, s.Rule.Name)
					assert.Equal(t, r.Verdict(code), s.Verdict, "%s of %s %d", r.Rule.Name, level, code)
					if s.Verdict.Why == method.Stopped {
						assert.True(t, math.IsNaN(s.Away()))
						continue
					}
					assert.Equal(t, math.Float64bits(r.Held(code)), math.Float64bits(s.Held))
				}
				assert.Len(t, said, at)
			}
		}
	})
}

// The cut that is broken is told, not the next worse one that may be nearer, and how far it
// is: of what is clear the nearest.
func TestHowFarFromTheCut(t *testing.T) {
	e := world(t, 5, "\n  - {name: x, judges: rep, "+
		"threshold: {of: revenue, bands: [{grade: act, below: 100}, {grade: look, below: 300}, {clear: rest}]}}",
		line{0, "2026-10-05", "130", "1"}, line{1, "2026-10-05", "290", "1"}, line{2, "2026-10-05", "90", "1"}, line{3, "2026-10-05", "320", "1"})
	l := e.Book.Rule("x").Levels[0]
	for code, cut := range []float64{300, 300, 100, 300} {
		s := judge.Why(e, l, uint32(code), calendar.MonthPeriod(october))
		require.Len(t, s, 1)
		assert.Equal(t, cut, s[0].Cut)
		assert.Equal(t, []float64{170, 10, 10, 20}[code], s[0].Away())
	}
	none := judge.Why(e, l, 4, calendar.MonthPeriod(october))
	require.Len(t, none, 1)
	assert.Equal(t, judge.NoData, none[0].Verdict.Outcome)
	assert.True(t, math.IsNaN(none[0].Held) && math.IsNaN(none[0].Cut), "there is no nearest cut to nothing")
}
