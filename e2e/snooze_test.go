package e2e

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

// Who is explained is snoozed: listed, counted, without a case, until the day, or
// until it is worse; ended, a case comes again.
func TestLeftInSnooze(t *testing.T) {
	t.Parallel()
	var c clock
	c.set(t, "2026-11-05 09:00")
	s := reviewed(t, &c)
	id := s.caseNamed(t, "R2").Id
	months := func(month string, cost string) {
		s.load("feed", "sales", "day,order_no,rep,net,cost\n2026-"+month+"-05,P"+month+",R2,1000,"+cost+"\n")
	}

	for says, args := range map[string][]string{
		"Only explained subjects are snoozed":         {"-finding", "confirmed", "-snooze", "2026-12-31"},
		"5 Nov 2026 is not":                           {"-finding", "explained", "-snooze", "2026-11-05"},
		"for a year, until":                           {"-finding", "explained", "-snooze", "2028-01-01"},
		"-worse and -all-rules go with -snooze":       {"-finding", "explained", "-worse", "50%"},
		"-worse takes a share such as 50%, not \"2\"": {"-finding", "explained", "-snooze", "2026-12-31", "-worse", "2"},
	} {
		code, _, errs := s.oskel("rob", append(append([]string{"case", "settle"}, args...), itoa(id))...)
		assert.NotZero(t, code)
		assert.Contains(t, errs, says)
	}
	code, out, errs := s.oskel("rob", "case", "settle", "-finding", "explained", "-snooze", "2027-03-31", "-worse", "50%", itoa(id))
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "explained: snoozed until 31 Mar 2027, or until it is worse by 50%")
	snoozes := want[[]client.Snooze](t, 200)(s.as("rea").ListSnoozes(ctx))
	rules := []string{}
	for _, p := range snoozes {
		assert.Equal(t, "R2", p.Key)
		rules = append(rules, *p.Rule)
	}
	assert.ElementsMatch(t, []string{"thin-margin", "behind"}, rules)
	code, out, _ = s.oskel("ana", "case", "snoozes")
	assert.Equal(t, 0, code)
	assert.Contains(t, out, "31 Mar 2027")

	// November: flagged as before, listed, counted, and no case.
	c.set(t, "2026-12-03 09:00")
	months("11", "905") // 9.5 % against a cut of 22 %; in October 10 %
	code, _, errs = s.oskel("ana", "sweep", "-period", "2026-11")
	require.Equal(t, 0, code, errs)
	assert.Contains(t, errs, "1 flag of snoozed subjects")
	x := s.exceptions("2026-11")["thin-margin R2"]
	assert.Equal(t, "act", x.Grade)
	assert.Nil(t, x.Case)

	// December: worse by more than half twice as bad.
	c.set(t, "2027-01-03 09:00")
	months("12", "999")
	s.sweep("2026-12")
	worse := s.exceptions("2026-12")["thin-margin R2"].Case
	require.NotNil(t, worse)
	before := want[client.CaseDetail](t, 200)(s.as("rob").GetCase(ctx, *worse)).Before
	require.Len(t, before, 1)
	assert.Equal(t, "explained", before[0].Finding)
	assert.Equal(t, id, before[0].Case)

	// Ended before its day by who may; undone with what was settled; gone with reopening.
	refused(t, 403, "not-allowed")(s.as("rea").EndSnooze(ctx, snoozes[0].Id))
	code, _, errs = s.oskel("rob", "case", "end-snooze", itoa(snoozes[0].Id))
	assert.Equal(t, 0, code, errs)
	refused(t, 404, "not-found")(s.as("rob").EndSnooze(ctx, snoozes[0].Id))
	assert.Len(t, want[[]client.Snooze](t, 200)(s.as("rea").ListSnoozes(ctx)), 1)
	again := s.caseNamed(t, "R2").Id
	code, _, errs = s.oskel("rob", "case", "settle", "-finding", "explained", "-snooze", "2027-03-31", "-all-rules", itoa(again))
	require.Equal(t, 0, code, errs)
	assert.Len(t, want[[]client.Snooze](t, 200)(s.as("rea").ListSnoozes(ctx)), 2)
	code, _, errs = s.oskel("rob", "case", "undo", itoa(again))
	require.Equal(t, 0, code, errs)
	assert.Len(t, want[[]client.Snooze](t, 200)(s.as("rea").ListSnoozes(ctx)), 1)
	code, _, _ = s.oskel("rob", "case", "reopen", "-reason", "It was not", itoa(id))
	assert.Equal(t, 1, code, "another case of the subject is open there")
	code, _, errs = s.oskel("rob", "case", "settle", "-finding", "explained", itoa(again))
	require.Equal(t, 0, code, errs)
	code, _, errs = s.oskel("rob", "case", "reopen", "-reason", "It was not", itoa(id))
	require.Equal(t, 0, code, errs)
	assert.Empty(t, want[[]client.Snooze](t, 200)(s.as("rea").ListSnoozes(ctx)))
	code, out, errs = s.oskel("lea", "service", "check")
	assert.Equal(t, 0, code, out+errs)
}

// What lies no distance beyond a cut is never worse by a share: that is refused, and nothing
// of it is done; until a day alone it is snoozed.
func TestSnoozeWithoutADistance(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.publish(strings.Replace(smallBook, "rules:\n", "rules:\n  - name: by-choice\n    title: By choice\n    judges: rep\n    threshold: {choose: "+
		"[{grade: act, all: [revenue above 0]}]}\n", 1), 1)
	s.sweep("2026-10")
	id := s.caseOf("lea", "R2").Id
	settle := func(more ...string) (int, string) {
		code, _, errs := s.oskel("lea", append(append([]string{"case", "settle", "-finding", "explained", "-snooze", "2027-03-31"}, more...), itoa(id))...)
		return code, errs
	}
	for _, more := range [][]string{{"-worse", "50%"}, {"-worse", "50%", "-all-rules"}} {
		code, errs := settle(more...)
		assert.Equal(t, 1, code)
		assert.Contains(t, errs, "Flags of by-choice have no distance from a cut")
	}
	assert.Empty(t, want[[]client.Snooze](t, 200)(s.as("rea").ListSnoozes(ctx)))
	assert.NotEqual(t, "settled", string(want[client.CaseDetail](t, 200)(s.as("lea").GetCase(ctx, id)).Case.State))
	code, errs := settle()
	assert.Equal(t, 0, code, errs)
	assert.NotEmpty(t, want[[]client.Snooze](t, 200)(s.as("rea").ListSnoozes(ctx)))
}
