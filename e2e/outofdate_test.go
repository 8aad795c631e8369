package e2e

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/e2e/browser"
	"oskel/internal/client"
)

// Whatever shows verdicts says when lines or rules have moved on since.
func TestOutOfDateIsSaidEverywhere(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	ana := s.as("ana")
	list := func() client.ExceptionPage {
		return want[client.ExceptionPage](t, 200)(ana.ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-10"}))
	}
	one := list().Items[0]
	assert.Nil(t, list().Stale)
	s.load("feed", "sales", salesHead+"2026-10-20,B1,R2,10,9\n")
	s.publish(strings.Replace(smallBook, "floor: {value: 22%", "floor: {value: 23%", 1), 1)
	const why = "Out of date: since this sweep revision 2 has been published and intake 4 has arrived. Sweep again."
	said := map[string]*string{
		"exceptions": list().Stale,
		"exception":  want[client.ExceptionDetail](t, 200)(ana.GetException(ctx, one.Id, nil)).Stale,
		"case":       want[client.CaseDetail](t, 200)(ana.GetCase(ctx, *one.Case)).Stale,
		"sweeps":     want[[]client.Sweep](t, 200)(ana.ListSweeps(ctx, &client.ListSweepsParams{}))[0].Stale,
		"overview":   want[client.Overview](t, 200)(ana.GetOverview(ctx, &client.GetOverviewParams{Period: "2026-10"})).Sweep.Stale,
	}
	for _, p := range want[[]client.PeriodState](t, 200)(ana.ListPeriods(ctx, &client.ListPeriodsParams{})) {
		if p.Period == "2026-10" {
			said["periods"] = p.Stale
		}
	}
	for where, text := range said {
		require.NotNil(t, text, where)
		assert.Contains(t, *text, why, where)
	}
	code, _, errs := s.oskel("ana", "exceptions", "-period", "2026-10")
	assert.Equal(t, 0, code, errs)
	assert.Contains(t, errs, why)
	for _, args := range [][]string{{"show", itoa(one.Id)}, {"case", itoa(*one.Case)}, {"sweeps"}} {
		code, out, errs := s.oskel("", args...)
		assert.Equal(t, 0, code, errs)
		assert.Contains(t, out+errs, "ut of date", args)
	}
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("ana", password))
	for _, path := range []string{"/overview?period=2026-10", "/exceptions?period=2026-10", "/exceptions/" + itoa(one.Id), "/cases/" + itoa(*one.Case)} {
		do(t, p.Follow(path), p.Sees(why))
	}
	s.sweep("2026-10")
	assert.Nil(t, list().Stale)
	do(t, p.Go("/exceptions?period=2026-10"), p.Sees("Thin margin"), p.Rest())
	text, err := browser.Value[string](p, "document.body.innerText")
	require.NoError(t, err)
	assert.NotContains(t, text, "Out of date")
}

// Targets of a year that begins in another month touch what was swept by them.
func TestChangedTargetsMakeASweepStale(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	s.load("targets", "rep", "rep,month,revenue\nR1,2026-10,2000\n")
	x := want[client.ExceptionPage](t, 200)(s.as("ana").ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-10"}))
	require.NotNil(t, x.Stale)
	assert.Contains(t, *x.Stale, "intake 4 has arrived")
	// Those of a later month do not.
	s.sweep("2026-10")
	s.load("targets", "rep", "rep,month,revenue\nR1,2026-11,2000\n")
	assert.Nil(t, want[client.ExceptionPage](t, 200)(s.as("ana").ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-10"})).Stale)
}

// A target of a whole week year is one of each of its months.
func TestChangedTargetsOfAWeekYear(t *testing.T) {
	t.Parallel()
	s := newService(t)
	t.Cleanup(s.stop)
	s.publish(strings.Replace(smallBook, "kinds:\n", "calendar:\n  week_years: {pattern: 4-4-5, end_on: saturday, last_in: january}\nkinds:\n", 1), 0)
	s.load("register", "rep", smallReps)
	s.load("targets", "rep", "rep,month,revenue\nR1,2027,12000\n")
	s.load("feed", "sales", smallSales)
	// The year ends on 30 January 2027; its ninth month holds early October.
	s.sweep("2027-P09")
	state := func() string {
		for _, p := range want[[]client.PeriodState](t, 200)(s.as("ana").ListPeriods(ctx, &client.ListPeriodsParams{})) {
			if p.Period == "2027-P09" {
				return string(p.State)
			}
		}
		return "not listed"
	}
	assert.Equal(t, "swept", state())
	s.load("targets", "rep", "rep,month,revenue\nR2,2027,15000\n")
	assert.Equal(t, "stale", state())
	s.sweep("2027-P09")
	s.load("targets", "rep", "rep,month,revenue\nR2,2028,15000\n")
	assert.Equal(t, "swept", state(), "the next year's are no matter of this one")
}

// Today goes by the time zone of the calendar: at noon of the 25th in
// Greenwich it is the 26th on Kiritimati.
func TestTodayGoesByTheCalendarsZone(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.publish(strings.Replace(smallBook, "kinds:\n", "calendar: {time_zone: Pacific/Kiritimati}\nkinds:\n", 1), 1)
	s.sweep("2026-10")
	assert.Equal(t, "2026-12-03", s.caseOf("rea", "R3").Due.String(), "five working days from the 26th")
	p := refused(t, 422, "rulebook-refused")(s.as("ana").PublishRevision(ctx,
		client.NewRevision{Text: strings.Replace(smallBook, "kinds:\n", "calendar: {time_zone: Pacific/Nowhere}\nkinds:\n", 1), Note: "x"}))
	assert.Contains(t, (*p.Faults)[0].Text, "time zone")
}

// A draft whose calendar has other months is rehearsed in its own, by their
// names, or in the one in which a month of the published calendar ends.
func TestADraftCalendarIsRehearsed(t *testing.T) {
	t.Parallel()
	s := small(t)
	draft := strings.Replace(smallBook, "kinds:\n", "calendar:\n  week_years: {pattern: 4-4-5, end_on: saturday, last_in: january}\nkinds:\n", 1)
	for _, period := range []string{"2026-10", "2027-P09"} {
		r := want[client.Rehearsal](t, 200)(s.as("ana").Rehearse(ctx,
			client.RehearsalRequest{Text: &draft, Rule: "thin-margin", Period: period, LineUp: ptr(true), LookBack: at(2)}))
		assert.Equal(t, 2, r.Tally.Judged, period)
		assert.Equal(t, 1, r.Tally.Flagged, period)
		book := want[client.BookRehearsal](t, 200)(s.as("ana").RehearseBook(ctx, client.BookRehearsalRequest{Text: &draft, Period: period}))
		assert.Positive(t, book.After, period)
	}
}
