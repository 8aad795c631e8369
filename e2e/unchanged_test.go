package e2e

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

// A sweep judges again only what may say something else: rules of which no line, register
// or target they read is another, and nothing they are held against, stand as they are on
// record, in this sweep as in the one before.
func TestOnlyWhatChangedIsJudgedAgain(t *testing.T) {
	t.Parallel()
	s := small(t)
	book := strings.NewReplacer(
		"grades:\n", "  returns: {title: Returns, date: day, subjects: {rep: rep}, numbers: {net: money}}\ngrades:\n",
		"desks:\n", "  - {name: flurry, judges: rep, window: {burst: returns, at_least: 2 lines, within: 3 days, grade: look}}\ndesks:\n").Replace(smallBook)
	s.publish(book, 1)
	returned := func(rows string) {
		s.load("feed", "returns", "day,rep,net\n"+rows, func(p *client.CreateIntakeParams) { p.AllowDuplicates = ptr(true) })
	}
	stand := func(sweep client.Sweep) int {
		require.NotNil(t, sweep.Difference)
		if sweep.Difference.Stands == nil {
			return 0
		}
		return *sweep.Difference.Stands
	}
	holds := func(sweep client.Sweep, checked int) {
		t.Helper()
		v := s.verification(t, sweep.Id)
		assert.Empty(t, v.Wrong)
		assert.Equal(t, checked, v.Checked)
	}
	returned("2026-10-05,R1,10\n")
	s.sweep("2026-09")
	first := s.sweep("2026-10")
	before := s.exceptions("2026-10")
	require.Len(t, before, 4)

	// Returns alone: three rules stand, the fourth finds something.
	returned("2026-10-06,R1,10\n")
	second := s.sweep("2026-10")
	assert.Equal(t, 3, stand(second))
	assert.Equal(t, []int{1, 4}, []int{second.Difference.Flagged, second.Difference.Same})
	assert.Equal(t, []int{first.Raised + 1, first.Standing, first.Cleared}, []int{second.Raised, second.Standing, second.Cleared})
	for rule, tally := range first.Tallies {
		if tally.Rule != "flurry" {
			assert.Equal(t, tally, second.Tallies[rule])
		}
	}
	after := s.exceptions("2026-10")
	require.Len(t, after, 5)
	for name, e := range before {
		assert.Equal(t, e, after[name])
	}
	holds(first, 4)
	holds(second, 5)
	var figures int
	require.NoError(t, s.pool(t).QueryRow(ctx, "select count(distinct rule) from reporting.figures_swept where sweep = $1", second.Id).Scan(&figures))
	assert.Equal(t, 4, figures, "what all rules held is kept")

	// What clears by one rule leaves the others standing.
	s.load("feed", "returns", "day,rep,net\n2026-10-05,R1,10\n", func(p *client.CreateIntakeParams) { p.Replace = ptr("2026-10"); p.AllowDuplicates = ptr(true) })
	third := s.sweep("2026-10")
	assert.Equal(t, []int{3, 1}, []int{stand(third), third.Difference.NoLonger})
	holds(third, 5)

	// Lines of a later month bear on nothing; those of an earlier one on what looks back.
	s.load("feed", "sales", salesHead+"2026-11-05,R9,R1,100,90\n")
	assert.Equal(t, 4, stand(s.sweep("2026-10")))
	s.load("feed", "sales", salesHead+"2026-08-05,R10,R1,100,90\n")
	assert.Equal(t, 1, stand(s.sweep("2026-10")), "returns alone have no such lines")

	// Another revision, another sweep to compare with, another register, another service:
	// all is judged.
	s.publish(strings.Replace(book, "below: 18%", "below: 17%", 1), 2)
	assert.Zero(t, stand(s.sweep("2026-10")))
	s.sweep("2026-09")
	assert.Zero(t, stand(s.sweep("2026-10")))
	s.load("register", "rep", strings.Replace(smallReps, "Bera Made-Up,South", "Bera Moved,North", 1))
	moved := s.sweep("2026-10")
	assert.Zero(t, stand(moved))
	holds(moved, 5)
	other := s.beside(t)
	other.tokens = s.tokens
	returned("2026-10-20,R1,10\n")
	assert.Zero(t, stand(other.sweep("2026-10")))
	returned("2026-10-21,R1,10\n")
	last := s.sweep("2026-10")
	assert.Zero(t, stand(last), "the other service swept it since")
	holds(last, 6)
}

// What stands gets its case where the sweep before opened none; where a rule has the last
// word all are judged, since it bears on what the others say.
func TestWhatStandsGetsItsCase(t *testing.T) {
	t.Parallel()
	s := small(t)
	book := strings.NewReplacer("grades:\n", "  returns: {title: Returns, date: day, subjects: {rep: rep}, numbers: {net: money}}\ngrades:\n",
		"to: north}", "to: north, for: rea}").Replace(smallBook)
	s.publish(book, 1)
	listed := want[client.Sweep](t, 201)(s.as("ana").CreateSweep(ctx, client.NewSweep{Period: "2026-10", OpenCases: ptr(false)}))
	require.Equal(t, 4, listed.Raised)
	for _, e := range s.exceptions("2026-10") {
		assert.Nil(t, e.Case)
	}
	s.load("feed", "returns", "day,rep,net\n2026-10-05,R1,10\n")
	again := s.sweep("2026-10")
	assert.Equal(t, 3, *again.Difference.Stands)
	cases := map[int64]int{}
	for name, e := range s.exceptions("2026-10") {
		require.NotNil(t, e.Case, name)
		cases[*e.Case]++
		assert.Equal(t, map[bool]string{true: "south", false: "north"}[e.Key == "R2"], e.Desk)
	}
	assert.Len(t, cases, 2, "one a subject")
	taken := want[client.CaseDetail](t, 200)(s.as("rea").GetCase(ctx, *s.exceptions("2026-10")["quiet R3"].Case)).Case
	require.NotNil(t, taken.TakenBy, "its route says who gets it")
	assert.Equal(t, "rea", *taken.TakenBy)
	assert.Empty(t, s.verification(t, again.Id).Wrong)

	s.publish(strings.Replace(book, "    title: Thin margin\n", "    title: Thin margin\n    last_word: true\n", 1), 2)
	s.sweep("2026-10")
	s.load("feed", "returns", "day,rep,net\n2026-10-06,R1,10\n")
	assert.Nil(t, s.sweep("2026-10").Difference.Stands)
}
