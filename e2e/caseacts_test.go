package e2e

import (
	"net/http"
	"strings"
	"testing"
	"time"

	openapi_types "github.com/oapi-codegen/runtime/types"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
	"oskel/internal/people"
)

const reasonsText = "reasons:\n  - {name: on-leave, title: On leave, for: explained}\n  - {name: credit-note, title: Credit note}\n"

// reviewed is the small world with reasons, swept, with a clock that a test sets and a
// second member of the desk in the north.
func reviewed(t *testing.T, c *clock) *service {
	first := small(t)
	first.publish(smallBook+reasonsText, 1)
	first.stop()
	s := runAs(t, first.database, func(o *options) { o.Now, o.Idle = c.now, true })
	s.tokens, s.home = first.tokens, first.home
	t.Cleanup(s.stop)
	want[client.PersonAdded](t, 201)(s.as("lea").CreatePerson(ctx,
		client.NewPerson{Name: "ned", DisplayName: "Ned", Role: people.Reviewer, Desks: &[]string{"north"}}))
	s.sweep("2026-10")
	return s
}

func (s *service) caseNamed(t *testing.T, key string) client.Case {
	for _, c := range want[client.CasePage](t, 200)(s.as("lea").ListCases(ctx, &client.ListCasesParams{})).Items {
		if c.Key == key {
			return c
		}
	}
	t.Fatal("no case of " + key)
	return client.Case{}
}

// onCase does one thing to one case.
func onCase(c *client.Client, id int64, act client.CaseAct) (*http.Response, error) {
	act.Cases = []client.CaseRef{{Id: id}}
	return c.ActOnCases(ctx, act)
}

var toTake, toReturn = act(client.CaseActDoTake), act(client.CaseActDoReturn)

func toSay(text string) client.CaseAct {
	return client.CaseAct{Do: client.CaseActDoComment, Text: &text}
}

func toSettle(finding string, note ...string) client.CaseAct {
	out := client.CaseAct{Do: client.CaseActDoSettle, Finding: ptr(client.CaseActFinding(finding))}
	if len(note) > 0 {
		out.Text = &note[0]
	}
	return out
}

func act(do client.CaseActDo, ids ...int64) client.CaseAct {
	out := client.CaseAct{Do: do}
	for _, id := range ids {
		out.Cases = append(out.Cases, client.CaseRef{Id: id})
	}
	return out
}

func (s *service) trailOf(t *testing.T, id int64) (what []string) {
	for _, e := range want[client.CaseDetail](t, 200)(s.as("lea").GetCase(ctx, id)).Events {
		what = append(what, string(e.What))
	}
	return what
}

// Parked, asked, handed over, settled with a reason and an amount, opened again: through
// API and command line, as the trail says.
func TestTheLifeOfACase(t *testing.T) {
	t.Parallel()
	var c clock
	c.set(t, "2026-11-05 09:00")
	s := reviewed(t, &c)
	id := s.caseNamed(t, "R3").Id

	// Parked until a day: it waits for nobody, is not late, and is back on its day.
	code, _, errs := s.oskel("rea", "case", "park", "-until", "2026-11-04", itoa(id))
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "4 Nov 2026 is not")
	code, out, errs := s.oskel("rea", "case", "park", "-until", "2026-12-01", "-note", "Stocktaking", itoa(id))
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "parked until 1 Dec 2026")
	c.set(t, "2026-11-30 12:00")
	page := want[client.CasePage](t, 200)(s.as("rea").ListCases(ctx, &client.ListCasesParams{Mine: ptr(true)}))
	last := page.Items[len(page.Items)-1]
	assert.Equal(t, id, last.Id, "parked ones are last")
	assert.False(t, last.Late)
	assert.Equal(t, len(page.Items)-1, page.Late)
	c.set(t, "2026-12-01 00:30")
	time.Sleep(300 * time.Millisecond) // it is looked for four times a second at the most
	assert.Equal(t, client.CaseState("open"), s.caseNamed(t, "R3").State)

	// Parked for lines: any that come after, not those that were there.
	returns := act(client.CaseActDoPark, id)
	returns.Feed = ptr("sales")
	assert.Contains(t, *refused(t, 409, "case-state")(s.as("rea").ActOnCases(ctx, returns)).Detail, "Give a reason for parking")
	returns.Text = ptr("They are late")
	want[[]client.Case](t, 200)(s.as("rea").ActOnCases(ctx, returns))
	assert.Equal(t, client.CaseState("parked"), s.caseNamed(t, "R3").State)
	s.load("feed", "sales", "day,order_no,rep,net,cost\n2026-10-30,Z1,R1,1,1\n")
	code, _, errs = s.oskel("lea", "case", "hand-over", "-desk", "north", itoa(id)) // refused; and asking leaves it parked
	assert.Equal(t, 1, code, errs)
	between := act(client.CaseActDoAsk, id)
	between.Person, between.Text = ptr("ana"), ptr("Have they come?")
	want[[]client.Case](t, 200)(s.as("rea").ActOnCases(ctx, between))
	time.Sleep(300 * time.Millisecond)
	assert.Equal(t, client.CaseState("open"), want[client.CaseDetail](t, 200)(s.as("rea").GetCase(ctx, id)).Case.State)

	// Somebody of another desk is asked, finds it, and answers.
	code, _, errs = s.oskel("rea", "case", "ask", "-who", "rob", itoa(id), "Is that yours?")
	require.Equal(t, 0, code, errs)
	asked := want[client.CasePage](t, 200)(s.as("rob").ListCases(ctx, &client.ListCasesParams{Asked: ptr(true)}))
	require.Len(t, asked.Items, 1)
	code, out, _ = s.oskel("rob", "cases", "-asked")
	assert.Equal(t, 0, code)
	assert.Contains(t, out, "Cato Made-Up")
	want[[]client.Case](t, 200)(onCase(s.as("rob"), id, toSay("It is not.")))
	assert.Empty(t, want[client.CasePage](t, 200)(s.as("rob").ListCases(ctx, &client.ListCasesParams{Asked: ptr(true)})).Items)
	refused(t, 403, "not-allowed")(onCase(s.as("rob"), id, toSay("And more.")))

	// Handed over, then settled by who has it, with a reason and an amount.
	hand := act(client.CaseActDoHandOver, id)
	hand.Person = ptr("rob")
	assert.Contains(t, *refused(t, 409, "case-state")(s.as("rea").ActOnCases(ctx, hand)).Detail, "Rob does not work the cases of North desk")
	hand.Person = ptr("ned")
	want[[]client.Case](t, 200)(s.as("rea").ActOnCases(ctx, hand))
	code, _, errs = s.oskel("rea", "case", "settle", "-finding", "confirmed", itoa(id))
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "Ned has taken it; only ned or a lead can settle it")
	code, _, errs = s.oskel("lea", "case", "settle", "-finding", "confirmed", "-reason", "on-leave", itoa(id))
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, `"On leave" is no reason for confirmed; those are credit-note`)
	code, _, errs = s.oskel("lea", "case", "settle", "-finding", "confirmed", "-recovered", "much", itoa(id))
	assert.Equal(t, 1, code, errs)
	code, out, errs = s.oskel("lea", "case", "settle", "-finding", "confirmed", "-reason", "credit-note", "-recovered", "1,200.50", "-note", "Sent", itoa(id))
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "confirmed (Credit note), recovered 1,200.5: Sent")
	var recovered float64
	require.NoError(t, s.pool(t).QueryRow(ctx, "select recovered::float8 from reporting.findings where reason = 'credit-note'").Scan(&recovered))
	assert.Equal(t, 1200.5, recovered)

	// What was found is on the page of the subject's other cases, and of those of the rule.
	other := s.caseNamed(t, "R2").Id
	about := want[client.CaseDetail](t, 200)(s.as("rob").GetCase(ctx, other))
	assert.Empty(t, about.Before)
	// It may be as it was a moment ago: a busy machine counts for longer, and keeps it the longer.
	require.EventuallyWithT(t, func(t *assert.CollectT) {
		found := map[string]int{}
		for _, r := range want[client.CaseDetail](s.t, 200)(s.as("rob").GetCase(ctx, other)).ByRule {
			found[r.Rule] = r.Findings["confirmed"]
		}
		assert.Equal(t, map[string]int{"behind": 1}, found, "R3 is flagged by one of the rules that flag R2")
	}, time.Minute, 100*time.Millisecond)

	// Opened again, for a reason.
	code, _, errs = s.oskel("rea", "case", "reopen", itoa(id))
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "-reason is missing")
	code, _, errs = s.oskel("rea", "case", "reopen", "-reason", "The note was cancelled", itoa(id))
	require.Equal(t, 0, code, errs)
	assert.Equal(t, []string{"joined", "parked", "resumed", "parked", "asked", "resumed", "asked", "answered", "handed over", "settled", "reopened"},
		s.trailOf(t, id)[1:])
	code, out, errs = s.oskel("lea", "service", "check")
	assert.Equal(t, 0, code, out+errs)
}

// What is done to several is done to all of them or to none, and can be undone for ten
// seconds by who did it, if nothing came between.
func TestSeveralAtOnceAndUndone(t *testing.T) {
	t.Parallel()
	var c clock
	c.set(t, "2026-11-05 09:00")
	s := reviewed(t, &c)
	north := want[client.CasePage](t, 200)(s.as("rea").ListCases(ctx, &client.ListCasesParams{Desk: ptr("north")})).Items
	south := want[client.CasePage](t, 200)(s.as("rob").ListCases(ctx, &client.ListCasesParams{Desk: ptr("south")})).Items
	require.NotEmpty(t, north)
	require.NotEmpty(t, south)
	ids, words := []int64{}, []string{}
	for _, x := range append(north, south...) {
		ids, words = append(ids, x.Id), append(words, itoa(x.Id))
	}
	p := refused(t, 403, "not-allowed")(s.as("rea").ActOnCases(ctx, act(client.CaseActDoTake, ids...)))
	assert.Contains(t, *p.Detail, "nothing was done: case "+itoa(south[0].Id)+": only members of the desk and leads may do this")
	assert.Equal(t, client.CaseState("open"), s.caseNamed(t, north[0].Key).State)
	refused(t, 404, "not-found")(s.as("lea").ActOnCases(ctx, act(client.CaseActDoTake, ids[0], 99999)))
	refused(t, 400, "invalid-request")(s.as("lea").ActOnCases(ctx, act(client.CaseActDoTake)))
	stale := act(client.CaseActDoTake, ids...)
	stale.Cases[1].Version = ptr(77)
	refused(t, 412, "changed-meanwhile")(s.as("lea").ActOnCases(ctx, stale))

	code, out, errs := s.oskel("lea", append([]string{"case", "settle", "-finding", "explained", "-reason", "on-leave"}, words...)...)
	require.Equal(t, 0, code, errs)
	assert.Equal(t, len(ids), strings.Count(out, "settled: explained"))
	c.set(t, "2026-11-05 09:00")
	refused(t, 409, "not-undone")(s.as("rea").UndoOnCases(ctx, client.CaseUndo{Cases: ids}))
	code, out, errs = s.oskel("lea", append([]string{"case", "undo"}, words...)...)
	require.Equal(t, 0, code, errs)
	assert.NotContains(t, out, "settled")
	refused(t, 409, "not-undone")(s.as("lea").UndoOnCases(ctx, client.CaseUndo{Cases: ids}))
	trail := s.trailOf(t, ids[0])
	assert.Equal(t, []string{"settled", "undone"}, trail[len(trail)-2:])

	// Ten seconds, and not one more; nor where another came between.
	want[[]client.Case](t, 200)(s.as("lea").ActOnCases(ctx, act(client.CaseActDoTake, ids...)))
	later := c.now().Add(11 * time.Second)
	c.at.Store(&later)
	assert.Contains(t, *refused(t, 409, "not-undone")(s.as("lea").UndoOnCases(ctx, client.CaseUndo{Cases: ids})).Detail, "for 10 seconds")
	want[[]client.Case](t, 200)(s.as("lea").ActOnCases(ctx, act(client.CaseActDoReturn, ids[0])))
	want[[]client.Case](t, 200)(s.as("rea").ActOnCases(ctx, act(client.CaseActDoTake, ids[0])))
	refused(t, 409, "not-undone")(s.as("lea").UndoOnCases(ctx, client.CaseUndo{Cases: ids[:1]}))
	code, out, errs = s.oskel("lea", "service", "check")
	assert.Equal(t, 0, code, out+errs)
}

// Two who settle the same at once: one does, the other is told; a desk to which a case is
// handed that has one of the subject refuses it; who leaves holds nothing.
func TestTwoAtOneCase(t *testing.T) {
	t.Parallel()
	var c clock
	c.set(t, "2026-11-05 09:00")
	s := reviewed(t, &c)
	id := s.caseNamed(t, "R3").Id
	version := s.caseNamed(t, "R3").Version
	answers := make(chan int, 2)
	for _, who := range []string{"rea", "lea"} {
		caller := s.as(who)
		go func() {
			settle := act(client.CaseActDoSettle, id)
			settle.Finding, settle.Cases[0].Version = ptr(client.CaseActFindingExplained), &version
			r, err := caller.ActOnCases(ctx, settle)
			if err != nil {
				answers <- 0
				return
			}
			defer r.Body.Close()
			answers <- r.StatusCode
		}()
	}
	codes := []int{<-answers, <-answers}
	assert.Contains(t, codes, 200)
	assert.NotEqual(t, codes[0], codes[1])

	other := s.caseNamed(t, "R2").Id
	move := act(client.CaseActDoHandOver, other)
	move.Desk = ptr("North desk")
	want[[]client.Case](t, 200)(s.as("rob").ActOnCases(ctx, move))
	assert.Equal(t, "north", s.caseNamed(t, "R2").Desk)
	c.set(t, "2026-11-06 09:00")
	s.load("feed", "sales", "day,order_no,rep,net,cost\n2026-10-30,Z1,R2,1,1\n")
	s.sweep("2026-10") // routed south again: its flags leave, or take it along
	var unsettled int
	require.NoError(t, s.pool(t).QueryRow(ctx, "select count(*) from cases where key = 'R2' and state <> 'settled'").Scan(&unsettled))
	require.GreaterOrEqual(t, unsettled, 1)

	hand := act(client.CaseActDoHandOver, s.caseNamed(t, "R2").Id)
	hand.Person = ptr("lea")
	r, err := s.as("lea").ActOnCases(ctx, hand)
	require.NoError(t, err)
	require.Equal(t, 200, r.StatusCode)
	r.Body.Close()
	park := act(client.CaseActDoPark, s.caseNamed(t, "R2").Id)
	park.Text = ptr("Away")
	park.Until = &openapi_types.Date{Time: time.Date(2026, 11, 20, 0, 0, 0, 0, time.UTC)}
	want[[]client.Case](t, 200)(s.as("lea").ActOnCases(ctx, park))
	code, out, errs := s.oskel("lea", "service", "check")
	assert.Equal(t, 0, code, out+errs)
}
