package e2e

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

const levelled = "    title: Thin margin\n    judges: [rep, rep.territory, whole]\n"

func severalLevels(t *testing.T, s *service) {
	text := strings.Replace(smallBook, "    title: Thin margin\n    judges: rep\n", levelled, 1)
	require.NotEqual(t, smallBook, text)
	s.publish(text, 1)
}

// A period that is swept after a later one leaves that one out of date, in words, to be
// closed by nobody, until it is swept again.
func TestAnEarlierPeriodSweptLater(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	state := func() client.PeriodState {
		for _, p := range want[[]client.PeriodState](t, 200)(s.as("ana").ListPeriods(ctx, &client.ListPeriodsParams{})) {
			if p.Period == "2026-10" {
				return p
			}
		}
		return client.PeriodState{}
	}
	s.load("feed", "sales", salesHead+"2026-09-20,B1,R2,1000,1300\n", replace("2026-09"))
	s.sweep("2026-10")
	require.Equal(t, "raised", string(s.exceptions("2026-10")["thin-margin R2"].State))
	require.Equal(t, "swept", string(state().State))
	s.sweep("2026-09")
	assert.Equal(t, "stale", string(state().State))
	assert.Contains(t, *state().Stale, "since this sweep Sep 2026 has been swept again")
	p := refused(t, 422, "not-swept")(s.as("lea").ClosePeriod(ctx, client.NewClosing{Period: "2026-10"}))
	assert.Contains(t, *p.Detail, "Sep 2026 has been swept again")
	assert.False(t, s.sweep("2026-10").Unchanged)
	x := s.exceptions("2026-10")["thin-margin R2"]
	assert.Equal(t, []any{"standing", 2}, []any{string(x.State), *x.Streak})
	assert.Equal(t, "swept", string(state().State))
	assert.True(t, s.sweep("2026-10").Unchanged)
	// A correction that changes nobody's flag leaves it as it is.
	s.load("feed", "sales", salesHead+"2026-09-20,B1,R2,1000,1310\n", replace("2026-09"))
	s.sweep("2026-10")
	s.sweep("2026-09")
	assert.Equal(t, "swept", string(state().State))
}

// Counts are of all levels of a rule, and groups by an attribute of the register of now.
func TestCountsOfAllLevelsAndOfNow(t *testing.T) {
	t.Parallel()
	s := small(t)
	severalLevels(t, s)
	judged := 0
	for _, tally := range s.sweep("2026-10").Tallies {
		if tally.Rule == "thin-margin" {
			judged += tally.Judged
		}
	}
	for _, r := range want[client.Overview](t, 200)(s.as("ana").GetOverview(ctx, &client.GetOverviewParams{Period: "2026-10"})).Rules {
		if r.Name == "thin-margin" {
			assert.Equal(t, judged, *r.Judged)
		}
	}
	groups := func() map[string]int {
		out := map[string]int{}
		for _, g := range *want[client.ExceptionPage](t,
			200)(s.as("ana").ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-10", Group: ptr("territory"), Kind: ptr("rep")})).Groups {
			out[g.Name] = g.Count
		}
		return out
	}
	before := groups()
	s.load("register", "rep", strings.ReplaceAll(smallReps, ",South", ",East"))
	assert.Equal(t, before["South"], groups()["East"])
	assert.Zero(t, groups()["South"])
	// The group that is gone clears with its own reason, keeps its evidence, and verifies.
	again := s.sweep("2026-10")
	x := s.exceptions("2026-10")["thin-margin South"]
	assert.Equal(t, []string{"cleared", "In current data there is no territory South any more."}, []string{string(x.State), x.Sentence})
	assert.NotEmpty(t, want[client.ExceptionDetail](t, 200)(s.as("ana").GetException(ctx, x.Id, &client.GetExceptionParams{})).Rows)
	assert.Empty(t, s.verification(t, again.Id).Wrong)
	assert.Empty(t, s.verification(t, again.Id-1).Wrong, "and so does the sweep before")
	assert.Empty(t, s.examined(t))
}

// Tables of other questions are other tables, however they read.
func TestTablesAreKeptByWhatIsAsked(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-09")
	table := func(measures string, flagged *bool) client.Table {
		return want[client.Table](t, 200)(s.as("ana").GetTable(ctx, &client.GetTableParams{Measures: measures, By: ptr("rep"), Period: "2026-09", Flagged: flagged}))
	}
	for range 2 {
		assert.Empty(t, table("revenue", ptr(true)).Rows, "no rep is flagged")
		assert.Len(t, table("revenue", nil).Rows, 3)
		assert.Len(t, table("revenue -cost", nil).Columns, 1)
		assert.Len(t, table("revenue,-cost", nil).Columns, 2)
	}
}

// By all rules until it is worse ends when it is, and is refused where nothing tells how far
// a flag lies beyond its cut.
func TestLeftInSnoozeUntilItIsWorse(t *testing.T) {
	t.Parallel()
	var c clock
	c.set(t, "2026-11-05 09:00")
	s := reviewed(t, &c)
	id := s.caseNamed(t, "R2").Id
	code, _, errs := s.oskel("rob", "case", "settle", "-finding", "explained", "-snooze", "2027-03-31", "-worse", "10%", "-all-rules", itoa(id))
	require.Equal(t, 0, code, errs)
	c.set(t, "2026-12-03 09:00")
	s.load("feed", "sales", salesHead+"2026-11-05,P11,R2,1000,1900\n")
	s.sweep("2026-11")
	assert.NotNil(t, s.exceptions("2026-11")["thin-margin R2"].Case)
}

// A draft that declares another column of a feed is rehearsed on the lines there are.
func TestADraftWithAnotherColumn(t *testing.T) {
	t.Parallel()
	s := small(t)
	ask := func(text string) client.Tally {
		return want[client.Rehearsal](t, 200)(s.as("ana").Rehearse(ctx, client.RehearsalRequest{Text: &text, Rule: "thin-margin", Period: "2026-10"})).Tally
	}
	for _, text := range []string{
		strings.Replace(smallBook, "cost: money}, notes", "cost: money, freight: money}, notes", 1),
		strings.NewReplacer("kinds:\n", "kinds:\n  shop: {}\n", "subjects: {rep: rep}", "subjects: {rep: rep, shop: shop}").Replace(smallBook),
	} {
		require.NotEqual(t, smallBook, text)
		assert.Equal(t, ask(smallBook), ask(text))
	}
}
