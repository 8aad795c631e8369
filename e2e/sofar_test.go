package e2e

import (
	"strings"
	"testing"
	"time"

	openapi_types "github.com/oapi-codegen/runtime/types"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

const novemberSales = `day,order_no,rep,net,cost
2026-11-02,N1,R1,300,200
2026-11-03,N2,R2,300,270
2026-11-04,N3,R3,30,20
2026-11-18,N4,R3,500,300
`

const novemberTargets = `rep,month,revenue
R1,2026-11,2100
R2,2026-11,2100
R3,2026-11,2100
`

// The period that runs is swept as it is so far: against the same days of those before,
// targets by working days, marked as such, and with cases only from rules that say so.
// When it has ended it is swept in whole.
func TestSweepingThePeriodThatRuns(t *testing.T) {
	t.Parallel()
	var c clock
	c.set(t, "2026-11-10 12:00")
	first := small(t)
	growth := "  - {name: falls, title: Revenue falls, judges: rep, to_date: true, threshold: {of: revenue, against: earlier(revenue), as: change, " +
		"bands: [{grade: look, below: -40%}, {clear: rest}]}}\n"
	first.publish(strings.Replace(smallBook, "desks:\n", growth+"desks:\n", 1), 1)
	first.load("targets", "rep", novemberTargets)
	first.stop()
	s := runAs(t, first.database, func(o *options) { o.Now, o.Idle = c.now, true })
	s.tokens, s.home = first.tokens, first.home
	t.Cleanup(s.stop)
	s.sweep("2026-10")

	// Nothing to judge yet, and days that cannot be.
	date := func(text string) *openapi_types.Date {
		day, err := time.Parse(time.DateOnly, text)
		require.NoError(t, err)
		return &openapi_types.Date{Time: day}
	}
	ask := func(period string, to string) client.NewSweep {
		yes := true
		out := client.NewSweep{Period: period, ToDate: &yes}
		if to != "" {
			out.To = date(to)
		}
		return out
	}
	none := ask("2026-11", "")
	refused(t, 422, "no-lines")(s.as("ana").CreateSweep(ctx, none))
	s.load("feed", "sales", novemberSales)
	over := ask("2026-10", "")
	assert.Contains(t, *refused(t, 422, "not-to-date")(s.as("ana").CreateSweep(ctx, over)).Detail, "Oct 2026 has ended; sweep the whole period")
	for _, day := range []string{"2026-10-31", "2026-11-10", "2026-11-30"} {
		beyond := ask("2026-11", day)
		assert.Contains(t, *refused(t, 422, "not-to-date")(s.as("ana").CreateSweep(ctx, beyond)).Detail, "1 Nov 2026 to 9 Nov 2026", day)
	}
	assert.Contains(t, *refused(t, 422, "not-ended")(s.as("ana").CreateSweep(ctx, client.NewSweep{Period: "2026-11"})).Detail, "it can be swept to date")
	refused(t, 400, "invalid-request")(s.as("ana").CreateSweep(ctx, client.NewSweep{Period: "2026-11", To: date("2026-11-04")}))

	// To the 4th, the last day before today with lines: three of 21 working days.
	code, out, errs := s.oskel("ana", "sweep", "-to-date", "-period", "2026-11")
	require.Equal(t, 0, code, errs)
	assert.Contains(t, errs, "To date, up to 4 Nov 2026")
	assert.Contains(t, out, "behind")
	flagged := s.exceptions("2026-11")
	require.Contains(t, flagged, "behind R3")
	assert.NotContains(t, flagged, "behind R1", "300 is what three of 21 days have of 2,100")
	assert.Nil(t, flagged["behind R3"].Case)
	assert.Contains(t, flagged["behind R3"].Sentence, "To date, up to 4 Nov 2026: Revenue is 30, 10.0%")
	require.NotContains(t, flagged, "falls R1", "no lines in the first four days of October: there is no base")
	page := want[client.ExceptionPage](t, 200)(s.as("rea").ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-11"}))
	require.NotNil(t, page.Stale)
	assert.Equal(t, "To date, up to 4 Nov 2026: the period is still running.", *page.Stale)
	last := s.sweepsOf(t, "2026-11")[0]
	assert.Equal(t, "2026-11-04", last.ToDate.String())
	code, out, errs = s.oskel("rea", "sweep", "verify", itoa(last.Id))
	assert.Equal(t, 0, code, out+errs)
	detail := want[client.ExceptionDetail](t, 200)(s.as("rea").GetException(ctx, flagged["behind R3"].Id, nil))
	assert.Equal(t, "Nov 2026 to 4 Nov", detail.Label)
	code, out, _ = s.oskel("rea", "exceptions", "verdicts", "-period", "2026-11", "R3")
	assert.Equal(t, 0, code)
	assert.Contains(t, out, "Nov 2026 to 4 Nov")
	up := want[client.Ranking](t, 200)(s.as("rea").GetRanking(ctx, "behind", &client.GetRankingParams{Period: "2026-11"}))
	assert.InDelta(t, 1, up.Points[len(up.Points)-1].Held, 1e-9)
	assert.Contains(t, *refused(t, 422, "not-swept")(s.as("lea").ClosePeriod(ctx, client.NewClosing{Period: "2026-11"})).Detail,
		"only a period with an up-to-date sweep can be closed: Nov 2026 has been swept to date only, up to 4 Nov 2026")
	again := ask("2026-11", "2026-11-04")
	assert.True(t, want[client.Sweep](t, 200)(s.as("ana").CreateSweep(ctx, again)).Unchanged)

	// Later in the month: what was flagged may be no longer, and a rule that says so has cases.
	c.set(t, "2026-11-20 12:00")
	code, _, errs = s.oskel("ana", "sweep", "-to-date", "-period", "2026-11", "-to", "2026-11-09")
	require.Equal(t, 0, code, errs)
	flagged = s.exceptions("2026-11")
	require.Contains(t, flagged, "falls R1", "300 in nine days against 1,000 in as many of October")
	assert.NotNil(t, flagged["falls R1"].Case)
	states := want[[]client.PeriodState](t, 200)(s.as("rea").ListPeriods(ctx, nil))
	november := states[len(states)-1]
	assert.True(t, november.Running)
	assert.Equal(t, "2026-11-09", november.ToDate.String())

	// It has ended, and is swept in whole: cases come now.
	c.set(t, "2026-12-01 12:00")
	states = want[[]client.PeriodState](t, 200)(s.as("rea").ListPeriods(ctx, nil))
	assert.Equal(t, client.PeriodStateStateStale, states[len(states)-1].State)
	page = want[client.ExceptionPage](t, 200)(s.as("rea").ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-11"}))
	assert.Equal(t, "To date only, up to 9 Nov 2026: the period has ended since. Sweep it again.", *page.Stale)
	whole := s.sweep("2026-11")
	assert.Nil(t, whole.ToDate)
	flagged = s.exceptions("2026-11")
	assert.NotNil(t, flagged["behind R1"].Case)
	assert.NotContains(t, flagged["behind R1"].Sentence, "So far")
	for _, sw := range s.sweepsOf(t, "2026-11") {
		code, out, errs = s.oskel("rea", "sweep", "verify", itoa(sw.Id))
		assert.Equal(t, 0, code, out+errs)
	}
	var days int
	require.NoError(t, s.pool(t).QueryRow(ctx, "select count(*) from reporting.sweeps where to_date is not null").Scan(&days))
	assert.Equal(t, 2, days)
}

// A plan sweeps what runs once a day.
func TestThePlanSweepsWhatRuns(t *testing.T) {
	t.Parallel()
	var c clock
	c.set(t, "2026-11-05 05:00")
	s, _ := planned(t, &c, `{each: month, at: "06:00", looks_back: 1 period, to_date: true}`)
	s.load("feed", "sales", novemberSales)
	s.comesTo(t, "2026-10", client.TurnStateSwept)
	assert.Empty(t, s.sweepsOf(t, "2026-11"))
	for n, at := range []string{"2026-11-05 07:00", "2026-11-20 08:00"} {
		c.set(t, at)
		require.Eventually(t, func() bool { return len(s.sweepsOf(t, "2026-11")) == n+1 }, time.Minute, 30*time.Millisecond)
		assert.Equal(t, client.TurnStateComing, s.turn(t, "2026-11").State)
	}
	assert.Equal(t, "2026-11-18", s.sweepsOf(t, "2026-11")[0].ToDate.String())
	c.set(t, "2026-12-01 07:00")
	s.comesTo(t, "2026-11", client.TurnStateSwept)
	assert.Nil(t, s.sweepsOf(t, "2026-11")[0].ToDate)
}
