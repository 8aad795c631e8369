package e2e

import (
	"database/sql"
	"fmt"
	"strings"
	"testing"

	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
	"oskel/internal/store"
)

const grainedRules = `rules:
  - name: small-week
    title: A small week
    judges: rep
    each: week
    persists: 1 of 2
    threshold: {of: revenue, bands: [{grade: act, below: 100}, {clear: rest}]}
  - name: small-quarter
    title: A small quarter
    judges: whole
    each: quarter
    threshold: {of: revenue, bands: [{grade: look, below: 5000}, {clear: rest}]}
  - name: flat-fair
    title: A flat fair
    judges: rep
    each: fair
    threshold: {of: revenue, against: earlier(revenue), as: change, bands: [{grade: look, below: 10%}, {clear: rest}]}
    ended: no data
`

// grained is the small world with rules of a week, a quarter and a kind of window.
func grained(t *testing.T) *service {
	s := newService(t)
	book := strings.Replace(smallBook[:strings.Index(smallBook, "rules:\n")], "kinds:\n", `calendar:
  windows:
    - {name: fair-25, title: Fair 2025, kind: fair, from: 2025-10-05, to: 2025-10-07}
    - {name: fair-26, title: Fair 2026, kind: fair, from: 2026-10-05, to: 2026-10-07}
kinds:
`, 1) + grainedRules + smallBook[strings.Index(smallBook, "desks:\n"):]
	s.publish(book, 0)
	s.load("register", "rep", smallReps)
	s.load("feed", "sales", salesHead+`2025-10-06,F1,R1,100,50
2025-10-07,F2,R2,100,50
2026-10-05,A1,R1,109,50
2026-10-05,A2,R2,111,50
2026-10-12,A3,R1,99,50
2026-10-12,A4,R2,200,50
2026-10-19,A5,R1,98,50
`)
	return s
}

// Rules of a week, a quarter and a kind of window are evaluated for their own
// periods, each against the period before of its grain.
func TestRulesOfAnyGrain(t *testing.T) {
	t.Parallel()
	s := grained(t)
	states := func(period string) (out []string) {
		page := want[client.ExceptionPage](t, 200)(s.as("ana").ListExceptions(ctx, &client.ListExceptionsParams{Period: period}))
		for _, e := range page.Items {
			assert.Equal(t, period, e.Period)
			out = append(out, e.Rule+" "+e.Key+" "+string(e.State))
		}
		return out
	}
	for _, period := range []string{"2026-W41", "2026-W42", "2026-W43"} {
		s.sweep(period)
	}
	assert.Empty(t, states("2026-W41"), "nobody had less")
	assert.Equal(t, []string{"small-week R1 raised"}, states("2026-W42"))
	assert.Equal(t, []string{"small-week R1 standing"}, states("2026-W43"))
	s.sweep("2025-Q4")
	assert.Equal(t, []string{"small-quarter all raised"}, states("2025-Q4"))
	s.sweep("fair-26")
	assert.Equal(t, []string{"flat-fair R1 raised"}, states("fair-26"))
	assert.Empty(t, states("2026-10"), "what begins on the same day is of another grain")

	p := refused(t, 422, "no-rules")(s.as("ana").CreateSweep(ctx, client.NewSweep{Period: "2025-H2"}))
	assert.Contains(t, *p.Detail, "each half")
	refused(t, 400, "invalid-request")(s.as("ana").CreateSweep(ctx, client.NewSweep{Period: "2026-W60"}))

	weeks := want[[]client.PeriodState](t, 200)(s.as("ana").ListPeriods(ctx, &client.ListPeriodsParams{Each: ptr("week")}))
	require.Len(t, weeks, 13)
	assert.Equal(t, "2026-W43 swept 1", fmt.Sprint(weeks[12].Period, " ", weeks[12].State, " ", weeks[12].Grades["act"]))
	fairs := want[[]client.PeriodState](t, 200)(s.as("ana").ListPeriods(ctx, &client.ListPeriodsParams{Each: ptr("fair")}))
	require.Len(t, fairs, 2)
	assert.Equal(t, "swept", string(fairs[1].State))
	book := want[client.Rulebook](t, 200)(s.as("ana").GetRulebook(ctx))
	assert.Equal(t, []string{"week", "quarter", "fair"}, book.Grains)

	// A rehearsal by the month is of the rule's last period by then.
	r := want[client.Rehearsal](t, 200)(s.as("ana").Rehearse(ctx, client.RehearsalRequest{Rule: "small-week", Period: "2026-10", LookBack: ptr(3)}))
	require.Len(t, r.Back, 3)
	assert.Equal(t, "2026-W43", r.Back[2].Period)

	// An exception shows the periods of its own grain.
	page := want[client.ExceptionPage](t, 200)(s.as("ana").ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-W43"}))
	one := want[client.ExceptionDetail](t, 200)(s.as("ana").GetException(ctx, page.Items[0].Id, nil))
	points := one.History.Points
	assert.Equal(t, "2026-W43", points[len(points)-1].Period)
	assert.Equal(t, "week 43 of 2026", one.Label)

	// New lines put the week they fall in out of date, and those after it.
	s.load("feed", "sales", salesHead+"2026-10-20,A6,R1,1,1\n")
	assert.Contains(t, *want[client.ExceptionPage](t, 200)(s.as("ana").ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-W43"})).Stale, "Out of date")
}

// A rule of each week or of a window has no monthly target to reach.
func TestWeeksHaveNoTargets(t *testing.T) {
	t.Parallel()
	s := newService(t)
	bad := strings.Replace(smallBook, "    no_data: look\n", "    each: week\n", 1)
	p := refused(t, 422, "rulebook-refused")(s.as("ana").PublishRevision(ctx, client.NewRevision{Text: bad, Note: "x"}))
	assert.Contains(t, (*p.Faults)[0].Text, "targets are monthly, so a rule of each week has none to compare with")
}

// A database in which all periods were months is brought along, and may go back
// as long as nothing else was swept.
func TestPeriodsOfBeforeAreMonths(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	before := s.exceptions("2026-10")
	require.NotEmpty(t, before)
	db, err := sql.Open("pgx", s.database)
	require.NoError(t, err)
	defer db.Close()
	provider, err := goose.NewProvider(goose.DialectPostgres, db, store.Migrations())
	require.NoError(t, err)
	_, err = provider.DownTo(ctx, 7)
	require.NoError(t, err)
	after := s.beside(t)
	for key, x := range before { // which was not kept before
		x.Beyond = nil
		before[key] = x
	}
	assert.Equal(t, before, after.exceptions("2026-10"))
	assert.False(t, after.sweepAs("ana", "2026-10").Unchanged, "it is not known by what it was computed")
	assert.True(t, after.sweepAs("ana", "2026-10").Unchanged)
}
