package e2e

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

// A case that is settled as a data fault is on the list of who answers for the feed, and
// settles by itself when lines have mended it; not when the rule has changed.
func TestFaultsOfTheData(t *testing.T) {
	t.Parallel()
	var c clock
	c.set(t, "2026-11-05 09:00")
	s := reviewed(t, &c)
	book := strings.Replace(smallBook, "notes: [order_no]}", "notes: [order_no], owner: ana}", 1) + reasonsText
	require.NotEqual(t, smallBook+reasonsText, book)
	checked := want[client.CheckReport](t, 200)(s.as("ana").CheckRulebook(ctx, client.RulebookText{Text: strings.Replace(book, "owner: ana", "owner: anna", 1)}))
	assert.Contains(t, checked.Advice[0].Text, `there is no account "anna"; did you mean ana?`)
	s.publish(book, 2)
	id := s.caseNamed(t, "R3").Id
	settle := func(ids ...int64) client.CaseAct {
		a := act(client.CaseActDoSettle, ids...)
		a.Finding, a.Text = ptr(client.CaseActFindingDataFault), ptr("Half of it is missing")
		return a
	}
	wrong := settle(id)
	wrong.Feed = ptr("nothing")
	assert.Contains(t, *refused(t, 409, "case-state")(s.as("rea").ActOnCases(ctx, wrong)).Detail, `no feed "nothing"`)
	wrong = settle(id)
	wrong.Feed, wrong.Finding = ptr("sales"), ptr(client.CaseActFindingConfirmed)
	assert.Contains(t, *refused(t, 409, "case-state")(s.as("rea").ActOnCases(ctx, wrong)).Detail, "A feed can be stated only with the finding data fault")
	faults := func(person string, args ...string) (out []client.DataIssue) {
		p := &client.ListDataIssuesParams{}
		for _, a := range args {
			switch a {
			case "mine":
				p.Mine = ptr(true)
			case "ended":
				p.Ended = ptr(true)
			default:
				p.Feed = &a
			}
		}
		return want[[]client.DataIssue](t, 200)(s.as(person).ListDataIssues(ctx, p))
	}
	assert.Empty(t, faults("ana"))

	// Settled and undone, settled and opened again: no fault is left of it.
	want[[]client.Case](t, 200)(s.as("rea").ActOnCases(ctx, settle(id)))
	require.Len(t, faults("ana", "mine"), 1)
	want[[]client.Case](t, 200)(s.as("rea").UndoOnCases(ctx, client.CaseUndo{Cases: []int64{id}}))
	assert.Empty(t, faults("ana", "ended"))
	want[[]client.Case](t, 200)(s.as("rea").ActOnCases(ctx, settle(id)))
	again := act(client.CaseActDoReopen, id)
	again.Text = ptr("Wait")
	want[[]client.Case](t, 200)(s.as("rea").ActOnCases(ctx, again))
	assert.Empty(t, faults("ana", "ended"))

	// It is on the list of who answers for the feed, who is told.
	code, _, errs := s.oskel("rea", "case", "settle", "-finding", "data fault", "-feed", "sales", "-note", "Half of it is missing", itoa(id))
	require.Equal(t, 0, code, errs)
	f := faults("ana", "mine", "sales")
	require.Len(t, f, 1)
	assert.Equal(t, []string{"sales"}, f[0].Feeds)
	assert.Equal(t, []string{"ana"}, f[0].Owners)
	assert.Empty(t, faults("rea", "mine"))
	assert.Contains(t, s.toldTo(t, "ana"), "rea data issue Order lines: Half of it is missing")
	refused(t, 400, "unknown-filter")(s.as("ana").ListDataIssues(ctx, &client.ListDataIssuesParams{Feed: ptr("sails")}))
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("ana", password, "/data/issues"), p.Sees("Half of it is missing"), p.Sees("1 open issue"))
	found, err := p.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)

	// Another sweep without new lines leaves it; lines that do not mend it leave it; those that do settle it.
	s.sweep("2026-10")
	require.Len(t, faults("ana"), 1)
	s.load("feed", "sales", "day,order_no,rep,net,cost\n2026-10-09,Y1,R3,0.01,0\n")
	s.sweep("2026-10")
	require.Len(t, faults("ana"), 1, "still flagged")
	s.load("feed", "sales", "day,order_no,rep,net,cost\n2026-10-09,Y2,R3,100000,10\n")
	require.Len(t, faults("ana"), 1, "not before a sweep has looked")
	s.sweep("2026-10")
	assert.Empty(t, faults("ana"))
	f = faults("ana", "ended")
	require.Len(t, f, 1)
	assert.Contains(t, *f[0].EndedBy, "sweep")
	assert.Contains(t, *f[0].EndedText, "of sales")
	assert.Equal(t, "data issue fixed", s.trailOf(t, id)[len(s.trailOf(t, id))-1])
	assert.Contains(t, strings.Join(s.toldTo(t, "rea"), "\n"), "data issue fixed by intake")
	code, out, errs := s.oskel("ana", "data-issue", "list", "-all")
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "by intake")

	// What is no fault is ended by hand, by who answers for the feed, with a word on it.
	other := s.caseNamed(t, "R2").Id
	want[[]client.Case](t, 200)(s.as("rob").ActOnCases(ctx, settle(other)))
	one := faults("ana")[0].Id
	assert.Contains(t, *refused(t, 409, "case-state")(s.as("rea").CloseDataIssue(ctx, one, client.DataIssueEnd{Text: "No"})).Detail,
		"Only the owners of its feeds, analysts and leads may close it")
	code, _, errs = s.oskel("ana", "data-issue", "close", itoa(one), "The", "lines", "are", "right")
	require.Equal(t, 0, code, errs)
	assert.Contains(t, s.toldTo(t, "rob"), "ana data issue fixed The lines are right")
	refused(t, 404, "not-found")(s.as("ana").CloseDataIssue(ctx, one, client.DataIssueEnd{Text: "Twice"}))
}
