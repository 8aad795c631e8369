package e2e

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

const corrected = `day,order_no,rep,net,cost
2026-10-05,A4,R1,600.50,468.40
2026-10-06,A5,R1,399.50,311.61
2026-10-07,A6,R2,1200,900
2026-10-08,A7,R3,700,600
`

func TestSweepRaisesKeepsAndClears(t *testing.T) {
	t.Parallel()
	s := small(t)
	first := s.sweep("2026-10")
	assert.Equal(t, []int{4, 0, 0}, []int{first.Raised, first.Standing, first.Cleared})
	assert.Nil(t, first.Difference)
	flagged := s.exceptions("2026-10")
	sentences := map[string]string{}
	for k, e := range flagged {
		sentences[k] = e.Grade + ": " + e.Sentence
	}
	assert.Equal(t, map[string]string{
		"thin-margin R2": "act: Margin rate is 10.0%, below 18%.",
		"behind R2":      "act: Revenue is 999.9999, 99.99999% of its target of 1,000.0000: below 100%.",
		"behind R3":      "look: There is no data on revenue for Oct 2026: no lines in the period.",
		"quiet R3":       "look: No order lines since 12 Sep 2026: 49 days by 31 Oct 2026; flagged at 31 days or more.",
	}, sentences)
	assert.Equal(t, "120", flagged["thin-margin R2"].Stake)

	// The same again changes nothing.
	again := s.sweep("2026-10")
	assert.True(t, again.Unchanged)
	assert.Equal(t, first.Id, again.Id)
	assert.Equal(t, flagged, s.exceptions("2026-10"))

	// A correction came in: verdicts follow the data, and the difference is told.
	s.load("feed", "sales", corrected, replace("2026-10"))
	periods := want[[]client.PeriodState](t, 200)(s.as("rea").ListPeriods(ctx, &client.ListPeriodsParams{}))
	assert.Equal(t, client.PeriodStateState("stale"), periods[len(periods)-1].State)
	second := s.sweep("2026-10")
	assert.Equal(t, []int{3, 0, 3}, []int{second.Raised, second.Standing, second.Cleared})
	d := second.Difference
	require.NotNil(t, d)
	assert.Equal(t, []int{2, 3, 1, 0}, []int{d.Flagged, d.NoLonger, d.Regraded, d.Same}, "%+v", d.Examples)
	now := s.exceptions("2026-10")
	assert.Equal(t, client.ExceptionStateCleared, now["thin-margin R2"].State)
	assert.Equal(t, "Margin rate is 25.0%, at least 22% (floor).", now["thin-margin R2"].Sentence)
	assert.Equal(t, "look", now["thin-margin R1"].Grade, "one ten-thousandth of margin below 22 %%")
	assert.Equal(t, "act", now["behind R3"].Grade, "no data became a breach")

	// Taken back, the first verdicts return under the same exceptions.
	want[client.Intake](t, 200)(s.as("ana").RevertIntake(ctx, 4))
	s.sweep("2026-10")
	back := s.exceptions("2026-10")
	for k, e := range flagged {
		assert.Equal(t, e.Id, back[k].Id)
		assert.Equal(t, e.Sentence, back[k].Sentence)
		assert.Equal(t, client.ExceptionStateRaised, back[k].State)
	}
}

// Across periods: what was flagged last month and is flagged again stands;
// what is no longer flagged is cleared.
func TestStandingAcrossPeriods(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.load("feed", "sales", salesHead+"2026-09-20,C1,R2,1000,1100\n2026-09-20,C2,R1,1000,1200\n")
	s.sweep("2026-09")
	sep := s.exceptions("2026-09")
	assert.Equal(t, "act", sep["thin-margin R1"].Grade)
	s.sweep("2026-10")
	oct := s.exceptions("2026-10")
	assert.Equal(t, client.ExceptionStateStanding, oct["thin-margin R2"].State)
	assert.Equal(t, client.ExceptionStateCleared, oct["thin-margin R1"].State)
	assert.Contains(t, oct["thin-margin R1"].Sentence, "at least 22%")
	overview := want[client.Overview](t, 200)(s.as("rea").GetOverview(ctx, &client.GetOverviewParams{Period: "2026-10"}))
	assert.Equal(t, 1, overview.Grades[0].Standing)
	assert.Equal(t, 1, overview.Grades[0].Cleared)
}

func TestSweepsThatCannotBe(t *testing.T) {
	t.Parallel()
	s := small(t)
	c := s.as("ana")
	p := refused(t, 422, "no-lines")(c.CreateSweep(ctx, client.NewSweep{Period: "2025-01"}))
	assert.Contains(t, *p.Detail, "Jan 2025")
	p = refused(t, 422, "not-ended")(c.CreateSweep(ctx, client.NewSweep{Period: "2026-11"}))
	assert.Contains(t, *p.Detail, "30 Nov 2026")
	refused(t, 400, "invalid-request")(c.CreateSweep(ctx, client.NewSweep{Period: "October"}))
}

// A new revision is felt by the next sweep; a rule taken out clears what it
// had flagged.
func TestSweepFollowsTheRevision(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	s.publish(strings.NewReplacer("value: 22%", "value: 23%", "  - name: quiet\n", "  - name: quiet\n    on: false\n").Replace(smallBook), 1)
	sw := s.sweep("2026-10")
	assert.Equal(t, 2, sw.Revision)
	now := s.exceptions("2026-10")
	assert.Equal(t, "look", now["thin-margin R1"].Grade, "22 %% is below a floor of 23 %%")
	assert.Equal(t, client.ExceptionStateCleared, now["quiet R3"].State)
}

// What stood last month is cleared in the next by a rule that is no longer
// there, and only once; it can still be looked at.
func TestARuleTakenOutClearsWhatStood(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.load("feed", "sales", salesHead+"2026-08-20,C1,R2,1000,1100\n2026-09-20,C2,R2,1000,1200\n")
	s.sweep("2026-08")
	raised := s.exceptions("2026-08")["thin-margin R2"]
	require.Equal(t, client.ExceptionStateRaised, raised.State)
	evidence := want[client.ExceptionDetail](t, 200)(s.as("rea").GetException(ctx, raised.Id, nil)).Evidence
	require.NotEmpty(t, evidence)
	without := smallBook[:strings.Index(smallBook, "  - name: thin-margin")] + smallBook[strings.Index(smallBook, "  - name: behind"):]
	s.publish(without, 1)
	s.sweep("2026-09")
	gone := s.exceptions("2026-09")["thin-margin R2"]
	assert.Equal(t, []any{client.ExceptionStateCleared, "The rule is off or no longer in the rulebook."}, []any{gone.State, gone.Sentence})
	detail := want[client.ExceptionDetail](t, 200)(s.as("rea").GetException(ctx, gone.Id, nil))
	assert.Equal(t, "not judged", detail.Exception.Outcome)
	assert.Equal(t, evidence, detail.Evidence, "what led to it is not lost")
	s.sweep("2026-10")
	assert.NotContains(t, s.exceptions("2026-10"), "thin-margin R2")
}

// The evidence recomputes the verdict: value, comparison, revision and data
// version are all there, exact.
func TestEvidence(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	e := s.exceptions("2026-10")["behind R2"]
	d := want[client.ExceptionDetail](t, 200)(s.as("rea").GetException(ctx, e.Id, nil))
	assert.Equal(t, "9999999/10000", d.Evidence["value"])
	assert.Equal(t, "1000", strings.TrimSuffix(d.Evidence["yardstick"].(string), "/1"))
	assert.Equal(t, []int64{1, 3}, []int64{int64(d.Revision), d.DataVersion})
	assert.Equal(t, "South", d.Attributes["territory"])
	last := d.History.Points[len(d.History.Points)-1]
	assert.InDelta(t, 0.9999999, *last.Held, 1e-12)
	assert.Equal(t, []float64{1}, d.History.Cuts)
	assert.Equal(t, "no target", d.History.Points[len(d.History.Points)-2].Text)
	refused(t, 404, "not-found")(s.as("rea").GetException(ctx, 999, nil))

	key := "R2"
	up := want[client.Ranking](t, 200)(s.as("rea").GetRanking(ctx, "thin-margin", &client.GetRankingParams{Period: "2026-10", Key: &key}))
	assert.Equal(t, []float64{0.18, 0.22}, up.Cuts)
	assert.Equal(t, 1, *up.Place)
	assert.Equal(t, 2, up.Judged)
	refused(t, 404, "not-found")(s.as("rea").GetRanking(ctx, "thick-margin", &client.GetRankingParams{Period: "2026-10"}))
}

func TestFiltersSortAndPages(t *testing.T) {
	s := demoService(t)
	c := s.as("nell")
	get := func(p client.ListExceptionsParams) client.ExceptionPage {
		p.Period = "2026-10"
		return want[client.ExceptionPage](t, 200)(c.ListExceptions(ctx, &p))
	}
	all := get(client.ListExceptionsParams{})
	act, kind, flagged, text := "act", "product", client.ListExceptionsParamsStateFlagged, "r-17"
	for _, e := range get(client.ListExceptionsParams{Grade: &act, State: &flagged}).Items {
		assert.Equal(t, "act", e.Grade)
	}
	for _, e := range get(client.ListExceptionsParams{Kind: &kind}).Items {
		assert.Equal(t, "product", e.Kind)
	}
	assert.Len(t, get(client.ListExceptionsParams{Text: &text, State: &flagged}).Items, 3)
	// Pages put together are the whole, in order.
	limit := 4
	var pages []client.Exception
	p := client.ListExceptionsParams{Limit: &limit}
	for {
		page := get(p)
		pages = append(pages, page.Items...)
		if page.Next == nil {
			break
		}
		p.Cursor = page.Next
	}
	assert.Equal(t, all.Items, pages)
	bad := "x"
	refused(t, 400, "invalid-request")(c.ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-10", Cursor: &bad}))
	subject, yes := client.ListExceptionsParamsSortSubject, true
	down := get(client.ListExceptionsParams{Sort: &subject, Descending: &yes}).Items
	for i := 1; i < len(down); i++ {
		assert.GreaterOrEqual(t, down[i-1].Name, down[i].Name)
	}
}
