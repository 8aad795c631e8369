package e2e

import (
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

// Each flag of a case can have a finding of its own: it alone goes to its rule's count.
func TestFindingOfAFlag(t *testing.T) {
	t.Parallel()
	var c clock
	c.set(t, "2026-11-05 09:00")
	s := reviewed(t, &c)
	id := s.caseNamed(t, "R2").Id
	flags := s.exceptions("2026-10")
	thin, behind, others := flags["thin-margin R2"].Id, flags["behind R2"].Id, flags["quiet R3"].Id
	settle := func(more ...string) (int, string, string) {
		return s.oskel("rob", append(append([]string{"case", "settle", "-finding", "confirmed"}, more...), itoa(id))...)
	}
	for says, more := range map[string][]string{
		"Exception " + itoa(others) + " is not in case " + itoa(id):     {"-flag", itoa(others) + "=rule fault"},
		"not one of the allowed values":                                 {"-flag", itoa(behind) + "=cleared"},
		"such as 203=\"rule fault\"":                                    {"-flag", "rule fault"},
		"The finding of Behind target (exception " + itoa(behind) + ")": {"-flag", itoa(behind) + "=rule fault", "-flag", itoa(behind) + "=explained"},
		"Only explained subjects are snoozed":                           {"-flag", itoa(behind) + "=rule fault", "-snooze", "2026-12-31"},
	} {
		code, _, errs := settle(more...)
		assert.NotZero(t, code, says)
		assert.Contains(t, errs, says)
	}
	code, out, errs := settle("-flag", itoa(behind)+"=explained", "-flag", itoa(thin)+"=confirmed", "-snooze", "2026-12-31", "-note", "seen")
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "confirmed; Behind target (exception "+itoa(behind)+"): explained: seen: snoozed until 31 Dec 2026")
	_, out, _ = s.oskel("rob", "case", "show", itoa(id))
	assert.Contains(t, out, "Behind target, 2026-10 (exception "+itoa(behind)+"): explained")

	found := func() map[string][]int {
		out := map[string][]int{}
		for _, r := range want[[]client.OutcomeRow](t, 200)(s.as("ana").ListOutcomes(ctx, nil)) {
			out[r.Name] = []int{r.Settled, r.Confirmed, r.Explained}
		}
		return out
	}
	assert.Equal(t, map[string][]int{"thin-margin": {1, 1, 0}, "behind": {1, 0, 1}}, found())
	by := client.ListOutcomesParamsByDesk
	desk := want[[]client.OutcomeRow](t, 200)(s.as("ana").ListOutcomes(ctx, &client.ListOutcomesParams{By: &by}))[0]
	assert.Equal(t, []int{1, 1, 1}, []int{desk.Settled, desk.Confirmed, desk.Explained}, "the case counts once, under both")
	stake, err := strconv.ParseFloat(desk.Stakes[0].Stake, 64)
	require.NoError(t, err)
	assert.InDelta(t, 0.22*999.9999-99.9999, stake, 1e-3, "of what is confirmed alone")
	snoozes := want[[]client.Snooze](t, 200)(s.as("rea").ListSnoozes(ctx))
	require.Len(t, snoozes, 1)
	assert.Equal(t, "behind", *snoozes[0].Rule)
	detail := want[client.CaseDetail](t, 200)(s.as("rob").GetCase(ctx, id))
	assert.Equal(t, []client.FlagFinding{{Exception: behind, Finding: "explained"}}, *detail.Case.FlagFindings)

	// Opened again, nothing is found; the next finding is of all.
	code, _, errs = s.oskel("rob", "case", "reopen", "-reason", "too soon", itoa(id))
	require.Equal(t, 0, code, errs)
	assert.Empty(t, found())
	code, _, errs = s.oskel("rob", "case", "undo", itoa(id))
	require.Equal(t, 0, code, errs)
	assert.Equal(t, map[string][]int{"thin-margin": {1, 1, 0}, "behind": {1, 0, 1}}, found(), "undone, it is as it was")
	code, _, errs = s.oskel("rob", "case", "reopen", "-reason", "too soon", itoa(id))
	require.Equal(t, 0, code, errs)
	code, _, errs = settle("-flag", itoa(behind)+"=data fault", "-feed", "sales")
	require.Equal(t, 0, code, errs)
	faults := want[[]client.DataIssue](t, 200)(s.as("ana").ListDataIssues(ctx, &client.ListDataIssuesParams{}))
	require.Len(t, faults, 1)
	assert.Equal(t, id, faults[0].Case)

	// Two cases are settled alike, or one at a time.
	code, _, errs = s.oskel("lea", "case", "settle", "-finding", "confirmed", "-flag", itoa(others)+"=rule fault", itoa(s.caseNamed(t, "R3").Id), itoa(id))
	assert.NotZero(t, code)
	assert.Contains(t, errs, "in one case at a time")
}
