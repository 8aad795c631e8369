package e2e

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

// What is flagged and in no case is taken to its desk by hand: into the subject's open
// case, or a new one; not twice, not what has cleared, not of a closed period, not by
// whoever; all of them or none.
func TestTakenToADeskByHand(t *testing.T) {
	t.Parallel()
	var c clock
	c.set(t, "2026-11-05 09:00")
	s := reviewed(t, &c)
	s.publish(strings.Replace(smallBook, "  - name: behind\n", "  - name: behind\n    cases: none\n", 1)+reasonsText, 2)
	s.load("feed", "sales", "day,order_no,rep,net,cost\n2026-11-02,N1,R1,1,1\n2026-11-02,N2,R2,1,1\n2026-11-02,N3,R3,1,1\n")
	c.set(t, "2026-12-03 09:00")
	s.load("targets", "rep", "rep,month,revenue\nR1,2026-11,1000\nR2,2026-11,1000\nR3,2026-11,1000\n")
	s.sweep("2026-11")
	x := s.exceptions("2026-11")
	one, two := x["behind R1"], x["behind R3"]
	require.Nil(t, one.Case)
	require.Nil(t, two.Case)
	take := func(ids ...int64) client.ExceptionsTaken { return client.ExceptionsTaken{Exceptions: ids} }
	assert.Contains(t, *refused(t, 409, "not-taken")(s.as("rob").OpenCases(ctx, take(one.Id))).Detail,
		"it cannot open a case: only members of North desk, analysts and leads may open a case for exception 8")
	refused(t, 404, "not-found")(s.as("rea").OpenCases(ctx, take(one.Id, 999999)))
	before := len(want[client.CasePage](t, 200)(s.as("lea").ListCases(ctx, &client.ListCasesParams{})).Items)

	// R3 has a case open on the desk, which it joins; R1 gets one, by name of who took it.
	code, out, errs := s.oskel("rea", "case", "open", itoa(one.Id), itoa(two.Id))
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "R1")
	x = s.exceptions("2026-11")
	require.NotNil(t, x["behind R1"].Case)
	require.NotNil(t, x["behind R3"].Case)
	after := want[client.CasePage](t, 200)(s.as("lea").ListCases(ctx, &client.ListCasesParams{})).Items
	d := want[client.CaseDetail](t, 200)(s.as("rea").GetCase(ctx, *x["behind R1"].Case))
	assert.Equal(t, "rea", d.Events[len(d.Events)-1].By)
	joined := want[client.CaseDetail](t, 200)(s.as("rea").GetCase(ctx, *x["behind R3"].Case))
	assert.Greater(t, len(joined.Exceptions), 1)
	assert.LessOrEqual(t, len(after), before+1)
	assert.Contains(t, *refused(t, 409, "not-taken")(s.as("rea").OpenCases(ctx, take(one.Id))).Detail, "is in case")

	// Another sweep follows it like any case.
	s.load("feed", "sales", "day,order_no,rep,net,cost\n2026-11-03,N4,R1,5000,1\n")
	s.sweep("2026-11")
	assert.EqualValues(t, "cleared", s.exceptions("2026-11")["behind R1"].State)
	assert.Equal(t, one.Id, s.exceptions("2026-11")["behind R1"].Id)

	// Not of a closed period.
	three := s.exceptions("2026-11")["behind R2"]
	code, _, errs = s.oskel("lea", "period", "close", "-period", "2026-11")
	require.Equal(t, 0, code, errs)
	refused(t, 409, "period-closed")(s.as("lea").OpenCases(ctx, take(three.Id)))
	code, _, errs = s.oskel("lea", "period", "reopen", "-period", "2026-11", "-reason", "One more")
	require.Equal(t, 0, code, errs)
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("rob", password, "/exceptions/"+itoa(three.Id)), p.ClickText("Take it to South desk"), p.Sees("Sent to case"))
	assert.NotNil(t, s.exceptions("2026-11")["behind R2"].Case)
	code, out, errs = s.oskel("lea", "service", "check")
	assert.Equal(t, 0, code, out+errs)
}

// A snooze that is ended early: what it kept from the desk goes there at once.
func TestASnoozeThatEndsEarly(t *testing.T) {
	t.Parallel()
	var c clock
	c.set(t, "2026-11-05 09:00")
	s := reviewed(t, &c)
	id := s.caseNamed(t, "R2").Id
	code, _, errs := s.oskel("rob", "case", "settle", "-finding", "explained", "-snooze", "2027-03-31", itoa(id))
	require.Equal(t, 0, code, errs)
	c.set(t, "2026-12-03 09:00")
	s.load("feed", "sales", "day,order_no,rep,net,cost\n2026-11-05,P1,R2,1000,905\n")
	s.sweep("2026-11")
	require.Nil(t, s.exceptions("2026-11")["thin-margin R2"].Case)
	var snooze int64
	for _, p := range want[[]client.Snooze](t, 200)(s.as("rea").ListSnoozes(ctx)) {
		if *p.Rule == "thin-margin" {
			snooze = p.Id
		}
	}
	code, out, errs := s.oskel("rob", "case", "end-snooze", itoa(snooze))
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "R2")
	require.NotNil(t, s.exceptions("2026-11")["thin-margin R2"].Case)
	opened := *s.exceptions("2026-11")["thin-margin R2"].Case
	assert.NotEqual(t, id, opened)

	// What is closed stays as it was closed; the snooze ends all the same.
	code, _, errs = s.oskel("rob", "case", "settle", "-finding", "explained", "-snooze", "2027-03-31", "-all-rules", itoa(opened))
	require.Equal(t, 0, code, errs)
	c.set(t, "2027-01-05 09:00")
	s.load("feed", "sales", "day,order_no,rep,net,cost\n2026-12-05,P2,R2,1000,905\n")
	s.sweep("2026-12")
	require.Nil(t, s.exceptions("2026-12")["thin-margin R2"].Case)
	code, _, errs = s.oskel("lea", "period", "close", "-period", "2026-12")
	require.Equal(t, 0, code, errs)
	for _, p := range want[[]client.Snooze](t, 200)(s.as("rob").ListSnoozes(ctx)) {
		assert.Empty(t, want[[]client.Case](t, 200)(s.as("rob").EndSnooze(ctx, p.Id)))
	}
	assert.Empty(t, want[[]client.Snooze](t, 200)(s.as("rob").ListSnoozes(ctx)))
	assert.Nil(t, s.exceptions("2026-12")["thin-margin R2"].Case)
}
