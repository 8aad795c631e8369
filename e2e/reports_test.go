package e2e

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

// What was found comes back: small reps are explained, large ones confirmed; a base is
// proposed that is proven on that, tried as a draft, and published. Counts, times and
// amounts are told by rule, desk, reason and period; a lead signs the period off.
func TestFindingsComeBack(t *testing.T) {
	t.Parallel()
	var c clock
	c.set(t, "2026-11-05 09:00")
	first := small(t)
	first.publish(strings.Replace(smallBook, "    judges: rep\n    stake:", "    judges: rep\n    examples: [{margin: 21%, is: look}]\n    stake:", 1)+
		reasonsText, 1)
	var reps, sales strings.Builder
	reps.WriteString(smallReps)
	sales.WriteString("day,order_no,rep,net,cost\n")
	for i := range 10 {
		fmt.Fprintf(&reps, "X%d,Made-Up %d,North,,\n", i, i)
		net := 100 + i
		if i >= 7 {
			net = 9000 + i
		}
		fmt.Fprintf(&sales, "2026-10-05,X%d,X%d,%d,%d\n", i, i, net, net*4/5)
	}
	first.load("register", "rep", reps.String())
	first.load("feed", "sales", sales.String())
	first.stop()
	s := runAs(t, first.database, func(o *options) { o.Now, o.Idle = c.now, true })
	s.tokens, s.home = first.tokens, first.home
	t.Cleanup(s.stop)
	s.sweep("2026-10")
	var explained, confirmed []string
	for key, x := range s.exceptions("2026-10") {
		if strings.HasPrefix(key, "thin-margin X") && x.Case != nil {
			if x.Key >= "X7" {
				confirmed = append(confirmed, itoa(*x.Case))
			} else {
				explained = append(explained, itoa(*x.Case))
			}
		}
	}
	require.Len(t, explained, 7)
	require.Len(t, confirmed, 3)

	code, out, errs := s.oskel("rea", "report", "backlog")
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "North desk")
	assert.Contains(t, *refused(t, 409, "cases-wait")(s.as("lea").ClosePeriod(ctx, client.NewClosing{Period: "2026-10", SignOff: ptr(true)})).Detail,
		"the period cannot be signed off: 12 of its cases are still open")
	code, _, errs = s.oskel("rea", append([]string{"case", "settle", "-finding", "explained", "-reason", "on-leave"}, explained...)...)
	require.Equal(t, 0, code, errs)
	code, _, errs = s.oskel("rea", append([]string{"case", "settle", "-finding", "confirmed", "-recovered", "100"}, confirmed...)...)
	require.Equal(t, 0, code, errs)

	rows := map[string]client.OutcomeRow{}
	for _, r := range want[[]client.OutcomeRow](t, 200)(s.as("ana").ListOutcomes(ctx, nil)) {
		rows[r.Name] = r
	}
	thin := rows["thin-margin"]
	assert.Equal(t, []int{10, 3, 7}, []int{thin.Settled, thin.Confirmed, thin.Explained})
	assert.InDelta(t, 0.3, *thin.Precision, 1e-9)
	assert.Equal(t, "300.0000", thin.Recovered)
	for by, name := range map[client.ListOutcomesParamsBy]string{"desk": "north", "person": "rea", "reason": "on-leave", "period": "month 2026-10-01",
		"revision": "2"} {
		all := want[[]client.OutcomeRow](t, 200)(s.as("ana").ListOutcomes(ctx, &client.ListOutcomesParams{By: &by}))
		found := false
		for _, r := range all {
			found = found || r.Name == name
		}
		assert.True(t, found, "%s: %+v", by, all)
	}
	// The precision of one rule over time; of a desk; and all of it as files.
	one := want[[]client.OutcomeRow](t, 200)(s.as("ana").ListOutcomes(ctx,
		&client.ListOutcomesParams{By: ptr(client.ListOutcomesParamsByPeriod), Rule: ptr("Thin margin")}))
	require.Len(t, one, 1)
	assert.Equal(t, 10, one[0].Settled)
	assert.InDelta(t, 0.3, *one[0].Precision, 1e-9)
	assert.Empty(t, want[[]client.OutcomeRow](t, 200)(s.as("ana").ListOutcomes(ctx, &client.ListOutcomesParams{Desk: ptr("south")})))
	refused(t, 400, "unknown-filter")(s.as("ana").ListOutcomes(ctx, &client.ListOutcomesParams{Rule: ptr("thick-margin")}))
	for _, report := range []client.ExportReportParamsReport{"outcomes", "backlog"} {
		for form, begins := range map[client.ExportReportParamsForm]string{"csv": "rule,title,", "xlsx": "PK", "parquet": "PAR1", "json": "[{"} {
			r, err := s.as("ana").ExportReport(ctx, &client.ExportReportParams{Report: report, Form: form, By: ptr(client.ExportReportParamsByRule)})
			require.NoError(t, err)
			body, _ := io.ReadAll(r.Body)
			assert.Equal(t, 200, r.StatusCode)
			assert.True(t, strings.HasPrefix(string(body), begins), "%s as %s: %.40s", report, form, body)
			assert.Contains(t, r.Header.Get("Content-Disposition"), string(report)+"-by-rule."+string(form))
			if form == "csv" && report == "outcomes" {
				assert.Contains(t, string(body), "thin-margin,Thin margin,10,3,7,0,0,0,0.3000,")
			}
		}
	}
	refused(t, 400, "invalid-request")(s.as("ana").ExportReport(ctx,
		&client.ExportReportParams{Report: "backlog", Form: "csv", By: ptr(client.ExportReportParamsByReason)}))
	waits := want[[]client.BacklogRow](t, 200)(s.as("ana").GetBacklog(ctx, &client.GetBacklogParams{By: ptr(client.GetBacklogParamsByPeriod)}))
	require.Len(t, waits, 1)
	assert.Equal(t, "Oct 2026", waits[0].Title)
	assert.Equal(t, waits[0].Open+waits[0].Taken+waits[0].Parked, waits[0].Ages[0], "all of them came today")

	code, out, errs = s.oskel("ana", "report", "outcomes", "-by", "reason")
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "On leave")

	// A base that spares the small ones, tried and published.
	code, out, errs = s.oskel("ana", "report", "suggestions", "-period", "2026-10", "thin-margin")
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "A base of revenue at least 120 would have dropped 7 of 7 explained and lost none")
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("ana", password, "/rules?period=2026-10&rule=thin-margin"), p.Sees("would have dropped 7 of 7 explained"),
		p.ClickText("Put it in my draft"), p.Until("location.pathname === '/rules/draft'"), p.Sees("at least 120"))
	assert.Contains(t, want[client.Draft](t, 200)(s.as("ana").GetDraft(ctx)).Text, "base: {revenue: at least 120}")
	// links from before, too
	do(t, p.Go("/desk/outcomes"), p.Sees("Thin margin"), p.Sees("30%"), p.Go("/desk/work"), p.Sees("Not opened yet"), p.Go("/desk/findings"),
		p.Sees("Thin margin"))
	found, err := p.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)
	draft := filepath.Join(t.TempDir(), "draft.yaml")
	code, _, errs = s.oskel("ana", "report", "suggestions", "-period", "2026-10", "-take", "1", "-o", draft, "thin-margin")
	require.Equal(t, 0, code, errs)
	text, err := os.ReadFile(draft)
	require.NoError(t, err)
	assert.Contains(t, string(text), "base: {revenue: at least 120}")
	code, _, errs = s.oskel("ana", "report", "suggestions", "-period", "2026-10", "-take", "9", "-o", draft, "thin-margin")
	assert.Equal(t, 2, code, errs)
	code, out, errs = s.oskel("ana", "rehearse", "-period", "2026-10", "-rule", "thin-margin", draft)
	require.Equal(t, 0, code, out+errs)
	code, _, errs = s.oskel("ana", "publish", "-note", "A base, as reviewers found", draft)
	require.Equal(t, 0, code, errs)
	s.sweep("2026-10")
	flagged := s.exceptions("2026-10")
	assert.EqualValues(t, "cleared", flagged["thin-margin X1"].State)
	assert.Contains(t, flagged, "thin-margin X8")
	none := want[client.Suggestions](t, 200)(s.as("ana").ListSuggestions(ctx, "thin-margin", &client.ListSuggestionsParams{Period: "2026-10"}))
	assert.Equal(t, []int{0, 0}, []int{none.Explained, len(none.Proposals)}, "what is no longer flagged is none of the record")
	refused(t, 422, "not-rehearsed")(s.as("ana").ListSuggestions(ctx, "thick-margin", &client.ListSuggestionsParams{Period: "2026-10"}))

	// The rest is settled or parked, and the period signed off.
	for _, x := range want[client.CasePage](t, 200)(s.as("lea").ListCases(ctx, &client.ListCasesParams{Limit: ptr(200)})).Items {
		if x.State == "parked" {
			continue
		}
		code, _, errs = s.oskel("lea", "case", "park", "-until", "2026-12-01", "-note", "Stocktaking", itoa(x.Id))
		require.Equal(t, 0, code, errs)
	}
	code, _, errs = s.oskel("lea", "period", "close", "-sign-off", "-period", "2026-10", "-note", "All looked at")
	require.Equal(t, 0, code, errs)
	for _, p := range want[[]client.PeriodState](t, 200)(s.as("rea").ListPeriods(ctx, nil)) {
		if p.Period == "2026-10" {
			assert.True(t, p.Closed.SignedOff)
		}
	}
	audit := want[client.AuditPage](t, 200)(s.as("lea").ListAudit(ctx, &client.ListAuditParams{}))
	assert.Contains(t, fmt.Sprintf("%+v", audit), "signed off")
}
