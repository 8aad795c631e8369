package e2e

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

func (s *service) events(id int64) (out []string) {
	for _, e := range want[client.CaseDetail](s.t, 200)(s.as("lea").GetCase(ctx, id)).Events {
		out = append(out, string(e.What)+": "+e.Text)
	}
	return out
}

// What is flagged more seriously than before takes its case along: grade and
// due day follow, with a line in its trail.
func TestARegradeReachesTheCase(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.publish(strings.Replace(smallBook, "below: 18%}", "below: 5%}", 1), 1)
	s.sweep("2026-10")
	assert.Equal(t, "act", s.caseOf("rob", "R2").Grade, "it is behind target")
	s.publish(strings.NewReplacer("below: 18%}", "below: 5%}", "    title: Behind target\n", "    title: Behind target\n    on: false\n").Replace(smallBook), 2)
	s.sweep("2026-10")
	c := s.caseOf("rob", "R2")
	assert.Equal(t, "look", c.Grade, "what is left in it is a look")
	assert.Contains(t, strings.Join(s.events(c.Id), "\n"), "regraded: Act now becomes Look, due 2 Dec 2026")
	s.publish(smallBook, 3)
	s.sweep("2026-10")
	again := s.caseOf("rob", "R2")
	assert.Equal(t, c.Id, again.Id)
	assert.Equal(t, "act", again.Grade)
}

// What is routed elsewhere from now on moves its case to that desk; whoever
// had taken it there no longer has it.
func TestACaseMovesWithItsRoute(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	c := s.caseOf("rea", "R3")
	want[[]client.Case](t, 200)(onCase(s.as("rea"), c.Id, toTake))
	s.publish(strings.Replace(smallBook, `{when: rep.territory is "North", to: north}`, `{when: rep.territory is "South", to: north}`, 1), 1)
	s.sweep("2026-10")
	moved := s.caseOf("rob", "R3")
	assert.Equal(t, c.Id, moved.Id)
	assert.Equal(t, client.CaseState("open"), moved.State)
	assert.Nil(t, moved.TakenBy)
	assert.Contains(t, strings.Join(s.events(c.Id), "\n"), "moved: from North desk to South desk")
}

// Cases in which all has cleared say so, sort last and are settled at one go;
// one taken out of the rules' sight is not shouted about any more.
func TestClearedCases(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	r2 := s.caseOf("rob", "R2")
	s.load("feed", "sales", corrected, replace("2026-10"))
	s.sweep("2026-10")
	all := want[client.CasePage](t, 200)(s.as("lea").ListCases(ctx, &client.ListCasesParams{})).Items
	require.Greater(t, len(all), 1)
	last := all[len(all)-1]
	assert.Equal(t, []any{r2.Id, true, false}, []any{last.Id, last.Cleared, last.Late})
	for _, x := range want[client.CaseDetail](t, 200)(s.as("rob").GetCase(ctx, r2.Id)).Exceptions {
		assert.Equal(t, client.ExceptionStateCleared, x.State)
		assert.False(t, strings.HasPrefix(x.Stake, "-"), x.Stake)
	}
	refused(t, 403, "not-allowed")(s.as("rea").SettleCleared(ctx, client.ClearedRequest{Desk: ptr("south")}))
	done := want[client.Settled](t, 200)(s.as("rob").SettleCleared(ctx, client.ClearedRequest{Desk: ptr("south")}))
	assert.Equal(t, 1, done.Settled)
	d := want[client.CaseDetail](t, 200)(s.as("rob").GetCase(ctx, r2.Id))
	assert.Equal(t, []any{client.CaseState("settled"), "cleared", "rob"}, []any{d.Case.State, *d.Case.Finding, *d.Case.SettledBy})
	assert.Equal(t, 0, want[client.Settled](t, 200)(s.as("rob").SettleCleared(ctx, client.ClearedRequest{Desk: ptr("south")})).Settled)
	// What still is flagged cannot be settled as cleared.
	r3 := s.caseOf("rea", "R3")
	refused(t, 409, "case-state")(onCase(s.as("rea"), r3.Id, toSettle("cleared", "x")))
}

// A desk may close what has cleared by itself.
func TestADeskThatClosesWhatHasCleared(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.publish(strings.Replace(smallBook, "title: South desk}", "title: South desk, closes: when cleared}", 1), 1)
	s.sweep("2026-10")
	r2 := s.caseOf("rob", "R2")
	s.load("feed", "sales", corrected, replace("2026-10"))
	s.sweep("2026-10")
	d := want[client.CaseDetail](t, 200)(s.as("rob").GetCase(ctx, r2.Id))
	assert.Equal(t, client.CaseState("settled"), d.Case.State)
	assert.Equal(t, "cleared", *d.Case.Finding)
	assert.Contains(t, strings.Join(s.events(r2.Id), "\n"), "settled: cleared")
}

// A rule that is switched off leaves no breach on what it cleared.
func TestARuleThatIsSwitchedOff(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	s.publish(strings.Replace(smallBook, "    title: Thin margin\n", "    title: Thin margin\n    on: false\n", 1), 1)
	s.sweep("2026-10")
	x := want[client.ExceptionPage](t, 200)(s.as("ana").ListExceptions(ctx,
		&client.ListExceptionsParams{Period: "2026-10", State: ptr(client.ListExceptionsParamsState("cleared"))})).Items
	require.Len(t, x, 1)
	assert.Equal(t, []string{"thin-margin", "R2", "not judged"}, []string{x[0].Rule, x[0].Key, x[0].Outcome})
}
