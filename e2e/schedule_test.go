package e2e

import (
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

// clock is one that a test sets.
type clock struct{ at atomic.Pointer[time.Time] }

func (c *clock) set(t *testing.T, at string) {
	m, err := time.Parse("2006-01-02 15:04", at)
	require.NoError(t, err)
	c.at.Store(&m)
}

func (c *clock) now() time.Time { return *c.at.Load() }

// planned is a service with the small world, whose clock a test sets and which looks
// often for sweeps that are due, and a second one beside it.
func planned(t *testing.T, c *clock, plan string) (s, other *service) {
	first := small(t)
	first.publish(strings.Replace(smallBook, "kinds:\n", "calendar: {time_zone: UTC}\nkinds:\n", 1)+"sweeps:\n  - "+plan+"\n", 1)
	first.stop()
	hurried := func(o *options) { o.Now, o.Look = c.now, 50*time.Millisecond }
	start := func() *service {
		s := runAs(t, first.database, hurried)
		s.tokens, s.home = first.tokens, first.home
		t.Cleanup(s.stop)
		return s
	}
	return start(), start()
}

// turn is what becomes of a period, by the only plan.
func (s *service) turn(t *testing.T, period string) client.Turn {
	all := want[client.Schedule](t, 200)(s.as("rea").GetSchedule(ctx))
	require.Len(t, all.Plans, 1)
	for _, turn := range all.Plans[0].Turns {
		if turn.Period == period {
			return turn
		}
	}
	t.Fatal("no turn of " + period)
	return client.Turn{}
}

func (s *service) comesTo(t *testing.T, period string, state client.TurnState) client.Turn {
	t.Helper()
	var turn client.Turn
	require.Eventually(t, func() bool {
		turn = s.turn(t, period)
		return turn.State == state
	}, time.Minute, 30*time.Millisecond, "%s does not come to %q", period, state)
	return turn
}

func (s *service) sweepsOf(t *testing.T, period string) []client.Sweep {
	return want[[]client.Sweep](t, 200)(s.as("rea").ListSweeps(ctx, &client.ListSweepsParams{Period: &period}))
}

// A period is swept by itself when its time has come and its lines have, once, however
// many services there are; what is out of date is swept again; a closed one never.
func TestSweepsByThemselves(t *testing.T) {
	t.Parallel()
	var c clock
	c.set(t, "2026-12-01 12:00")
	s, other := planned(t, &c, `{each: month, after: 2 working days, at: "06:00", waits_for: [sales], at_the_latest: 6 working days,
	    when_outdated: at once, looks_back: 2 periods}`)

	// October's time was long ago; November's has not come.
	october := s.comesTo(t, "2026-10", client.TurnStateSwept)
	assert.Equal(t, "the plan", s.sweepsOf(t, "2026-10")[0].By)
	november := other.turn(t, "2026-11")
	assert.Equal(t, client.TurnStateComing, november.State)
	assert.Equal(t, "Will be swept from 2 Dec 2026, 06:00, as soon as order lines are in; on 8 Dec 2026, 06:00 in any case.", november.Words)

	// It has come: the lines have not.
	c.set(t, "2026-12-03 09:00")
	waiting := other.comesTo(t, "2026-11", client.TurnStateWaiting)
	assert.Equal(t, []string{"sales"}, *waiting.Waits)
	code, out, errs := s.oskel("rea", "period", "schedule")
	assert.Equal(t, 0, code)
	assert.Contains(t, errs, "Each month is swept 2 working days after its last day at 06:00 (UTC)")
	assert.Contains(t, strings.Join(strings.Fields(out), " "), "Waits for order lines, until 8 Dec 2026, 06:00 at the latest.")
	assert.Empty(t, s.sweepsOf(t, "2026-11"))

	// A line of the middle of the month says nothing; one of its last working day does.
	s.load("feed", "sales", salesHead+"2026-11-11,N1,R1,900,850\n")
	_, err := s.pool(t).Exec(ctx, "update intakes set at = '2026-11-20' where id = (select max(id) from intakes)")
	require.NoError(t, err)
	assert.Equal(t, client.TurnStateWaiting, s.turn(t, "2026-11").State)
	s.load("feed", "sales", salesHead+"2026-11-30,N2,R2,900,850\n")
	swept := other.comesTo(t, "2026-11", client.TurnStateSwept)
	assert.Equal(t, "Sweep "+itoa(*swept.Sweep)+" is up to date.", swept.Words)
	assert.NotEmpty(t, want[client.ExceptionPage](t, 200)(s.as("rea").ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-11"})).Items)
	assert.Equal(t, *october.Sweep, *s.turn(t, "2026-10").Sweep, "November's lines change nothing in October")
	before := len(s.sweepsOf(t, "2026-11"))
	assert.Equal(t, 1, before, "two services, one sweep")

	// A correction in October touches both; each is swept again by itself.
	s.load("feed", "sales", salesHead+"2026-10-30,N3,R2,5000,4900\n")
	require.Eventually(t, func() bool { return len(s.sweepsOf(t, "2026-10")) == 2 && len(s.sweepsOf(t, "2026-11")) == 2 }, time.Minute, 30*time.Millisecond)
	assert.NotNil(t, s.sweepsOf(t, "2026-10")[0].Difference)

	// A lead closes October: a correction leaves it as it is, and says so.
	other.comesTo(t, "2026-11", client.TurnStateSwept)
	refused(t, 403, "not-allowed")(s.as("ana").ClosePeriod(ctx, client.NewClosing{Period: "2026-10"}))
	refused(t, 422, "not-swept")(s.as("lea").ClosePeriod(ctx, client.NewClosing{Period: "2026-09"}))
	closed := want[client.PeriodState](t, 200)(s.as("lea").ClosePeriod(ctx, client.NewClosing{Period: "2026-10", Note: ptr("Reported to the board")}))
	assert.Equal(t, "lea", closed.Closed.By)
	refused(t, 409, "period-closed")(s.as("lea").ClosePeriod(ctx, client.NewClosing{Period: "2026-10"}))
	s.load("feed", "sales", salesHead+"2026-10-29,N4,R1,10,9\n")
	require.Eventually(t, func() bool { return len(s.sweepsOf(t, "2026-11")) == 3 }, time.Minute, 30*time.Millisecond)
	assert.Len(t, s.sweepsOf(t, "2026-10"), 2)
	assert.Equal(t, client.TurnStateClosed, s.turn(t, "2026-10").State)
	p := refused(t, 409, "period-closed")(s.as("ana").CreateSweep(ctx, client.NewSweep{Period: "2026-10"}))
	assert.Contains(t, *p.Detail, "lea closed Oct 2026")
	page := want[client.ExceptionPage](t, 200)(s.as("rea").ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-10"}))
	assert.Contains(t, *page.Stale, "The period is closed.")

	// Opened again, for a reason that the audit keeps, it is swept at once.
	refused(t, 403, "not-allowed")(s.as("rea").ReopenPeriod(ctx, client.Reopening{Period: "2026-10", Reason: "late"}))
	refused(t, 422, "no-reason")(s.as("lea").ReopenPeriod(ctx, client.Reopening{Period: "2026-10", Reason: "  "}))
	code, _, errs = s.oskel("lea", "period", "reopen", "-period", "2026-10", "-reason", "Lines of October came late")
	assert.Equal(t, 0, code, errs)
	assert.Contains(t, errs, "Oct 2026 is open again.")
	require.Eventually(t, func() bool { return len(s.sweepsOf(t, "2026-10")) == 3 }, time.Minute, 30*time.Millisecond)
	refused(t, 409, "not-closed")(s.as("lea").ReopenPeriod(ctx, client.Reopening{Period: "2026-10", Reason: "late"}))
	told := ""
	for _, e := range want[client.AuditPage](t, 200)(s.as("lea").ListAudit(ctx, &client.ListAuditParams{})).Entries {
		told += e.Operation + " " + e.About + "\n"
	}
	assert.Contains(t, told, "2026-10, Reported to the board")
	assert.Contains(t, told, "2026-10, Lines of October came late")
}

// What is out of date is swept again at night, and not before; whatever has come by
// the latest day is swept; what fails is said and tried again.
func TestSweepsAtNight(t *testing.T) {
	t.Parallel()
	var c clock
	c.set(t, "2026-11-25 12:00")
	s, _ := planned(t, &c, `{each: month, after: 1 working day, waits_for: [sales], at_the_latest: 2 working days, when_outdated: at night, looks_back: 1 period}`)
	s.comesTo(t, "2026-10", client.TurnStateSwept)
	s.load("feed", "sales", salesHead+"2026-10-30,N3,R2,5000,4900\n")
	_, err := s.pool(t).Exec(ctx, "update intakes set at = '2026-11-25 11:00+00' where id = (select max(id) from intakes)")
	require.NoError(t, err)
	night := s.comesTo(t, "2026-10", client.TurnStateAtNight)
	assert.Contains(t, night.Words, "Out of date: since this sweep intake 4 has arrived. Will be swept again on 26 Nov 2026, 02:00.")
	c.set(t, "2026-11-26 01:59")
	assert.Equal(t, client.TurnStateAtNight, s.turn(t, "2026-10").State)
	assert.Len(t, s.sweepsOf(t, "2026-10"), 1)
	c.set(t, "2026-11-26 02:00")
	s.comesTo(t, "2026-10", client.TurnStateSwept)

	// The latest day: nothing has come, and there is nothing to sweep.
	c.set(t, "2026-12-02 07:00")
	s.comesTo(t, "2026-11", client.TurnStateNoLines)
	// What cannot be swept is said.
	_, err = s.pool(t).Exec(ctx, "alter table sweeps add constraint no_more check (id < 3) not valid")
	require.NoError(t, err)
	s.load("feed", "sales", salesHead+"2026-11-11,N1,R1,900,850\n")
	require.Eventually(t, func() bool { turn := s.turn(t, "2026-11"); return turn.Trouble != nil }, time.Minute, 30*time.Millisecond)
	assert.Contains(t, s.turn(t, "2026-11").Words, "The sweep failed and is retried: ERROR: new row for relation \"sweeps\" violates check constraint "+
		"\"no_more\" (SQLSTATE 23514)")
	_, err = s.pool(t).Exec(ctx, "alter table sweeps drop constraint no_more")
	require.NoError(t, err)
	s.comesTo(t, "2026-11", client.TurnStateSwept)
}

// Several periods are swept by hand with one command, the oldest first.
func TestSweepThrough(t *testing.T) {
	t.Parallel()
	s := small(t)
	code, out, errs := s.oskel("ana", "sweep", "-period", "2026-09", "-through", "2026-10")
	assert.Equal(t, 0, code, errs)
	assert.Contains(t, out, "2026-09")
	assert.Less(t, strings.Index(errs, "2026-09: sweep 1"), strings.Index(errs, "2026-10: sweep 2"))
	assert.Contains(t, errs, "2026-10: sweep 2")
	code, _, errs = s.oskel("ana", "sweep", "-period", "2026-10", "-through", "2026-09")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "2026-10 is not one of the")
	_, out, errs = s.oskel("rea", "period", "schedule")
	assert.Empty(t, out)
	assert.Contains(t, errs, "No sweeps are scheduled: the rulebook has no 'sweeps'.")
}

// A case whose desk closes it when all in it has cleared is closed by a planned sweep as
// by one that somebody asked for.
func TestAPlannedSweepClosesCases(t *testing.T) {
	t.Parallel()
	var c clock
	c.set(t, "2026-11-25 12:00")
	first := small(t)
	book := strings.Replace(smallBook, "title: South desk}", "title: South desk, closes: when cleared}", 1)
	first.publish(strings.Replace(book, "kinds:\n", "calendar: {time_zone: UTC}\nkinds:\n", 1)+
		"sweeps: [{each: month, when_outdated: at once, looks_back: 1 period}]\n", 1)
	first.stop()
	s := runAs(t, first.database, func(o *options) { o.Now, o.Look = c.now, 50*time.Millisecond })
	t.Cleanup(s.stop)
	s.tokens, s.home = first.tokens, first.home
	s.comesTo(t, "2026-10", client.TurnStateSwept)
	cases := func(state client.ListCasesParamsState) []client.Case {
		return want[client.CasePage](t, 200)(s.as("lea").ListCases(ctx, &client.ListCasesParams{Desk: ptr("south"), State: &state})).Items
	}
	open := len(cases("unsettled"))
	require.Positive(t, open)
	s.load("feed", "sales", salesHead+"2026-10-29,N4,R2,900000,100\n")
	require.Eventually(t, func() bool { return len(s.sweepsOf(t, "2026-10")) == 2 }, time.Minute, 30*time.Millisecond)
	assert.Empty(t, cases("unsettled"))
	settled := cases("settled")
	require.Len(t, settled, open)
	assert.Nil(t, settled[0].SettledBy, "nobody did")
	d := want[client.CaseDetail](t, 200)(s.as("lea").GetCase(ctx, settled[0].Id))
	assert.Equal(t, "sweep 2", d.Events[len(d.Events)-1].By)
	code, out, errs := s.oskel("lea", "show", itoa(d.Exceptions[0].Id))
	assert.Equal(t, 0, code, errs)
	assert.Contains(t, out, "is settled")
	for _, f := range want[[]client.Examined](t, 200)(s.as("lea").GetDoctor(ctx)) {
		assert.Zero(t, f.Count, "%s: %v", f.Rule, f.Wrong)
	}
}

// Plans of weeks over the turn of a year, of days, and of windows of the calendar.
func TestPlansOfOtherPeriods(t *testing.T) {
	t.Parallel()
	for _, of := range []struct{ calendar, rule, plan, now, line, period string }{
		{"{time_zone: UTC}", "each: week", "{each: week, after: 1 day, looks_back: 2 periods}", "2027-01-05 12:00", "2027-01-01", "2026-W53"},
		{"{time_zone: UTC}", "each: day", "{each: day, after: 1 day, looks_back: 3 periods}", "2027-01-02 12:00", "2026-12-31", "2026-12-31"},
		{"{time_zone: UTC, windows: [{name: fair-2026, title: Fair 2026, kind: fair, from: 2026-12-28, to: 2027-01-02}]}", "each: fair",
			"{each: fair, after: 1 day, looks_back: 3 periods}", "2027-01-04 12:00", "2026-12-30", "fair-2026"},
	} {
		var c clock
		c.set(t, of.now)
		first := small(t)
		book := strings.Replace(smallBook, "kinds:\n", "calendar: "+of.calendar+"\nkinds:\n", 1)
		first.publish(strings.Replace(book, "    title: Thin margin\n", "    title: Thin margin\n    "+of.rule+"\n", 1)+"sweeps: ["+of.plan+"]\n", 1)
		first.load("feed", "sales", salesHead+of.line+",Y1,R1,100,99\n")
		first.stop()
		s := runAs(t, first.database, func(o *options) { o.Now, o.Look = c.now, 50*time.Millisecond })
		s.tokens, s.home = first.tokens, first.home
		turn := s.comesTo(t, of.period, client.TurnStateSwept)
		assert.NotEmpty(t, want[client.ExceptionPage](t, 200)(s.as("rea").ListExceptions(ctx, &client.ListExceptionsParams{Period: of.period})).Items, of.period)
		assert.NotEmpty(t, turn.Label)
		s.stop()
	}
}
