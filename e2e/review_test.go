package e2e

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

func (s *service) caseOf(person, key string) client.Case {
	s.t.Helper()
	for _, c := range want[client.CasePage](s.t, 200)(s.as(person).ListCases(ctx, &client.ListCasesParams{})).Items {
		if c.Key == key {
			return c
		}
	}
	require.Fail(s.t, "no unsettled case", key)
	return client.Case{}
}

// Routes send what is flagged to desks; items of one subject share its case.
func TestCasesOpenJoinAndClear(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	r2, r3 := s.caseOf("rob", "R2"), s.caseOf("rea", "R3")
	assert.Equal(t, []any{"south", "act", 2, "2026-12-02"}, []any{r2.Desk, r2.Grade, r2.Items, r2.Due.String()},
		"the south desk states nothing: five working days")
	assert.Equal(t, []any{"north", "look", 2, "2026-12-02"}, []any{r3.Desk, r3.Grade, r3.Items, r3.Due.String()})
	mine := true
	own := want[client.CasePage](t, 200)(s.as("rea").ListCases(ctx, &client.ListCasesParams{Mine: &mine})).Items
	assert.Len(t, own, 1)

	// Corrected lines clear R2, and its case tells.
	s.load("feed", "sales", corrected, replace("2026-10"))
	s.sweep("2026-10")
	d := want[client.CaseDetail](t, 200)(s.as("rob").GetCase(ctx, r2.Id))
	assert.Equal(t, client.CaseEventWhat("cleared"), d.Events[len(d.Events)-1].What)
	assert.Equal(t, "sweep 2", d.Events[len(d.Events)-1].By)
	r1 := s.caseOf("rea", "R1")
	assert.Equal(t, "north", r1.Desk)
}

func TestReview(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	id := s.caseOf("rea", "R3").Id
	rea, rob, ana, lea := s.as("rea"), s.as("rob"), s.as("ana"), s.as("lea")

	refused(t, 403, "not-allowed")(onCase(rob, id, toTake))
	refused(t, 403, "not-allowed")(onCase(ana, id, toTake))
	refused(t, 403, "not-allowed")(onCase(rob, id, toSay("me too")))
	refused(t, 409, "case-state")(onCase(rea, id, toReturn))
	refused(t, 404, "not-found")(onCase(rea, 999, toTake))

	taken := want[[]client.Case](t, 200)(onCase(rea, id, toTake))
	assert.Equal(t, "rea", *taken[0].TakenBy)
	assert.True(t, want[client.CaseDetail](t, 200)(rea.GetCase(ctx, id)).MayAct)
	refused(t, 409, "case-state")(onCase(rea, id, toTake))
	refused(t, 409, "case-state")(onCase(lea, id, toTake))
	want[[]client.Case](t, 200)(onCase(rea, id, toSay("On leave?")))
	want[[]client.Case](t, 200)(onCase(ana, id, toSay("The stand-in reports.")))

	// Read, changed by another in between, refused.
	late := toSettle("explained")
	late.Cases = []client.CaseRef{{Id: id, Version: at(1)}}
	refused(t, 412, "changed-meanwhile")(rea.ActOnCases(ctx, late))
	refused(t, 400, "invalid-request")(onCase(rea, id, toSettle("whatever")))
	refused(t, 403, "not-allowed")(onCase(rob, id, toSettle("explained")))
	note := "Leave until November"
	settled := want[[]client.Case](t, 200)(onCase(rea, id, toSettle("explained", note)))
	assert.Equal(t, "explained", *settled[0].Finding)
	p := refused(t, 409, "case-state")(onCase(rea, id, toSettle("confirmed")))
	assert.Contains(t, *p.Detail, "Rea settled it on 25 Nov 2026 as explained")
	refused(t, 409, "case-state")(onCase(lea, id, toTake))

	var did []string
	for _, e := range want[client.CaseDetail](t, 200)(rea.GetCase(ctx, id)).Events {
		did = append(did, e.By+" "+string(e.What))
	}
	assert.Equal(t, []string{"sweep 1 opened", "sweep 1 joined", "rea taken", "rea comment", "ana comment", "rea settled"}, did)

	// The period swept again leaves the settled case settled, and opens none
	// for the exceptions it settled.
	s.load("feed", "sales", salesHead+"2026-10-05,Z1,R1,1,0.5\n")
	s.sweep("2026-10")
	for _, c := range want[client.CasePage](t, 200)(rea.ListCases(ctx, &client.ListCasesParams{})).Items {
		assert.NotEqual(t, "R3", c.Key)
	}
}

// A subject flagged again after its case was settled gets a new one; while a
// case is open, whatever else is found of the subject joins it, and the gravest
// item and the earliest due day are the case's.
func TestCasesAcrossSweeps(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.load("feed", "sales", salesHead+"2026-09-20,C2,R1,1000,900\n")
	s.sweep("2026-09")
	r1 := s.caseOf("rea", "R1")
	assert.Equal(t, []any{"look", 1}, []any{r1.Grade, r1.Items})
	s.load("feed", "sales", salesHead+"2026-10-20,C3,R1,1000,1100\n")
	s.sweep("2026-10")
	joined := s.caseOf("rea", "R1")
	assert.Equal(t, []any{r1.Id, "act", 2}, []any{joined.Id, joined.Grade, joined.Items})
	assert.True(t, joined.Due.Time.Before(r1.Due.Time), "due in two working days instead of five")
	assert.Greater(t, joined.Version, r1.Version)
	detail := want[client.CaseDetail](t, 200)(s.as("rea").GetCase(ctx, r1.Id))
	assert.Equal(t, []client.CaseEventWhat{"opened", "joined"}, []client.CaseEventWhat{detail.Events[0].What, detail.Events[1].What})
	assert.Contains(t, detail.Events[1].Text, "Thin margin, Oct 2026: ")

	want[[]client.Case](t, 200)(onCase(s.as("rea"), r1.Id, toTake))
	want[[]client.Case](t, 200)(onCase(s.as("rea"), r1.Id, toSettle("explained", "a clearance sale")))
	// The same finding again stays with the settled case.
	s.load("feed", "sales", salesHead+"2026-10-21,C4,R2,1,1\n")
	s.sweep("2026-10")
	settled := want[client.CaseDetail](t, 200)(s.as("rea").GetCase(ctx, r1.Id))
	assert.Equal(t, client.CaseState("settled"), settled.Case.State)
	for _, c := range want[client.CasePage](t, 200)(s.as("rea").ListCases(ctx, &client.ListCasesParams{})).Items {
		assert.NotEqual(t, "R1", c.Key, "what was settled is not opened anew by the same month")
	}
}

// What somebody has taken is put back by that one, or on a lead's word: or else whoever
// puts it back could settle it.
func TestWhoPutsACaseBack(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	id := s.caseOf("rea", "R3").Id
	want[client.Person](t, 200)(s.as("lea").ChangePerson(ctx, "rob", client.PersonChange{DisplayName: "Rob", Role: "reviewer", Desks: []string{"north"}}))
	want[[]client.Case](t, 200)(onCase(s.as("rea"), id, toTake))
	p := refused(t, 409, "case-state")(onCase(s.as("rob"), id, toReturn))
	assert.Contains(t, *p.Detail, "Rea has taken it; only rea or a lead can return it")
	refused(t, 409, "case-state")(onCase(s.as("rob"), id, toSettle("explained")))
	want[[]client.Case](t, 200)(onCase(s.as("lea"), id, toReturn))
	d := want[client.CaseDetail](t, 200)(s.as("lea").GetCase(ctx, id))
	last := d.Events[len(d.Events)-1]
	assert.Equal(t, "lea returned from rea", strings.Join([]string{last.By, string(last.What), last.Text}, " "))
	want[[]client.Case](t, 200)(onCase(s.as("rob"), id, toTake))
	refused(t, 409, "case-state")(onCase(s.as("rob"), id, toSay(" \t\n")))
}
