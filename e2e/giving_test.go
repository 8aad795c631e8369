package e2e

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
	"oskel/internal/people"
)

const givingBook = `oskel: 1
title: Giving
calendar: {time_zone: UTC}
kinds: {rep: {attributes: {territory: text, manager: person, account: {type: person, is: self}}}}
feeds: {sales: {date: day, subjects: {rep: rep}, numbers: {net: money}}}
grades: [{name: act, tone: red, shape: diamond}, {name: look, tone: amber, shape: triangle}]
measures: {revenue: {sum: sales.net, unit: money}}
rules:
  - {name: low, judges: rep, stake: 1000 - revenue, threshold: {of: revenue, bands: [{grade: act, below: 100}, {clear: rest}]}}
  - {name: listed, judges: rep, cases: none, threshold: {of: revenue, bands: [{grade: look, below: 500}, {clear: rest}]}}
desks: [{name: north, shares: by turn}, {name: south, title: South desk}]
routes:
  - {when: stake at least 950, to: south, for: rep.manager, copy: [north, ana]}
  - {when: rep.territory is "North", to: north}
  - {otherwise: south}
`

// A case goes to whom its route names if they can have it, else the desk shares its cases
// out among who is there; nobody gets what is about them; others are told.
func TestWhoGetsACase(t *testing.T) {
	t.Parallel()
	var c clock
	c.set(t, "2026-11-05 09:00")
	first := newService(t)
	first.stop()
	s := runAs(t, first.database, func(o *options) { o.Now, o.Idle = c.now, true })
	s.tokens, s.home = first.tokens, t.TempDir()
	t.Cleanup(s.stop)
	for _, name := range []string{"ned", "nia"} {
		want[client.PersonAdded](t, 201)(s.as("lea").CreatePerson(ctx, client.NewPerson{Name: name, DisplayName: name, Role: people.Reviewer, Desks: &[]string{}}))
	}
	s.publish(givingBook, 0)
	for _, name := range []string{"ned", "nia", "rea"} {
		want[client.Person](t, 200)(s.as("lea").ChangePerson(ctx, name, client.PersonChange{DisplayName: name, Role: people.Reviewer, Desks: []string{"north"}}))
	}
	s.load("register", "rep", `rep,territory,manager,account
R1,North,,ned
R2,North,,
R3,North,,
R4,North,,
M1,South,rob,
M2,South,rea,
M3,South,ghost,
M4,South,rob,rob
M5,South,,
`)
	var lines strings.Builder
	lines.WriteString("day,rep,net\n")
	for rep, net := range map[string]string{"R1": "90", "R2": "80", "R3": "70", "R4": "60", "M1": "10", "M2": "10", "M3": "10", "M4": "10", "M5": "200"} {
		lines.WriteString("2026-10-05," + rep + "," + net + "\n")
	}
	s.load("feed", "sales", lines.String())

	// ned is away for the days: nia stands in; what cannot be is said.
	code, _, errs := s.oskel("rea", "absence", "add", "-who", "ned", "-from", "2026-11-01", "-to", "2026-11-09")
	assert.Equal(t, 3, code)
	assert.Contains(t, errs, "only leads can do this for others")
	code, out, errs := s.oskel("lea", "absence", "add", "-who", "ned", "-from", "2026-11-01", "-to", "2026-11-09", "-stand-in", "nia")
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "nia")
	code, _, errs = s.oskel("lea", "absence", "add", "-who", "nia", "-from", "2026-11-05", "-to", "2026-11-05", "-stand-in", "ned")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "form a circle: nia -> ned -> nia")
	code, _, errs = s.oskel("lea", "absence", "add", "-who", "nobody", "-from", "2026-11-05", "-to", "2026-11-05")
	assert.Contains(t, errs, `no account "nobody"`)
	assert.Equal(t, 1, code)
	code, out, _ = s.oskel("rob", "absence", "list")
	assert.Equal(t, 0, code)
	assert.Contains(t, out, "9 Nov 2026")

	// Rehearsed: what each would get is what the sweep then brings.
	rehearsed := want[client.RoutingRehearsal](t, 200)(s.as("rob").RehearseRouting(ctx, client.BookRehearsalRequest{Period: "2026-10"}))
	code, _, errs = s.oskel("ana", "rehearse", "-period", "2026-10", "-routes")
	require.Equal(t, 0, code, errs)
	assert.Contains(t, errs, `1 case: there is no account "ghost".`)
	assert.Contains(t, errs, "1 case: rob cannot review their own case.")
	s.sweep("2026-10")
	all := map[string]client.Case{}
	cases, got := map[string]int{}, map[string]int{}
	for _, x := range want[client.CasePage](t, 200)(s.as("lea").ListCases(ctx, &client.ListCasesParams{})).Items {
		all[x.Key] = x
		cases[x.Desk]++
		if x.TakenBy != nil {
			got[*x.TakenBy]++
		}
	}
	for _, d := range rehearsed.Desks {
		assert.Equal(t, cases[d.Desk], d.Cases, d.Desk)
		assert.Zero(t, d.Holds)
	}
	would := map[string]int{}
	for _, p := range rehearsed.People {
		would[p.Name] = p.Cases
	}
	assert.Equal(t, got, would)
	assert.Equal(t, len(s.exceptions("2026-10")), rehearsed.Flagged)
	after := want[client.RoutingRehearsal](t, 200)(s.as("rob").RehearseRouting(ctx, client.BookRehearsalRequest{Period: "2026-10"}))
	for _, p := range after.People {
		assert.Equal(t, got[p.Name], p.Holds, p.Name)
	}
	holder := func(key string) string {
		if by := all[key].TakenBy; by != nil {
			return *by
		}
		return ""
	}
	assert.Equal(t, "rob", holder("M1"))
	assert.Equal(t, "", holder("M2"), "rea does not work that desk")
	assert.Equal(t, "", holder("M3"))
	assert.Equal(t, "", holder("M4"), "It is about rob")
	assert.NotContains(t, all, "M5", "listed only")
	assert.Contains(t, s.exceptions("2026-10"), "listed M5")
	assert.Contains(t, strings.Join(s.trailOf(t, all["M3"].Id), ", "), "left to the desk")
	d := want[client.CaseDetail](t, 200)(s.as("lea").GetCase(ctx, all["M3"].Id))
	assert.Contains(t, d.Events[len(d.Events)-1].Text, `there is no account "ghost"`)
	assert.Equal(t, []string{"ana", "north"}, d.Told)
	turns := map[string]int{}
	for _, key := range []string{"R1", "R2", "R3", "R4"} {
		turns[holder(key)]++
		assert.NotEqual(t, "ned", holder(key), "who is away gets none")
	}
	assert.Equal(t, 4, turns["nia"]+turns["rea"])
	assert.GreaterOrEqual(t, turns["rea"], 1)

	// Who is told finds them; who is away is handed nothing; nobody reviews themselves.
	assert.Equal(t, 4, want[client.CasePage](t, 200)(s.as("ana").ListCases(ctx, &client.ListCasesParams{Told: ptr(true)})).Total)
	assert.Equal(t, 4, want[client.CasePage](t, 200)(s.as("rea").ListCases(ctx, &client.ListCasesParams{Told: ptr(true)})).Total)
	assert.Zero(t, want[client.CasePage](t, 200)(s.as("rob").ListCases(ctx, &client.ListCasesParams{Told: ptr(true)})).Total)
	code, _, errs = s.oskel("lea", "case", "hand-over", "-to", "ned", itoa(all["R2"].Id))
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "Ned is away: until 9 Nov 2026, nia stands in")
	code, _, errs = s.oskel("rob", "case", "take", itoa(all["M4"].Id))
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "It is about you; you cannot review your own case")
	code, _, errs = s.oskel("lea", "case", "hand-over", "-to", "rob", itoa(all["M4"].Id))
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "It is about rob")
	absences := want[[]client.Absence](t, 200)(s.as("rob").ListAbsences(ctx))
	code, _, _ = s.oskel("rob", "absence", "remove", itoa(absences[0].Id))
	assert.Equal(t, 1, code)
	code, _, errs = s.oskel("lea", "absence", "remove", itoa(absences[0].Id))
	assert.Equal(t, 0, code, errs)
	assert.Empty(t, want[[]client.Absence](t, 200)(s.as("rob").ListAbsences(ctx)))
	code, out, errs = s.oskel("lea", "service", "check")
	assert.Equal(t, 0, code, out+errs)
	for _, sw := range s.sweepsOf(t, "2026-10") {
		code, out, errs = s.oskel("rea", "sweep", "verify", itoa(sw.Id))
		assert.Equal(t, 0, code, out+errs)
	}
}

// Who reports to somebody alone does not review what is about them, and does not get it.
func TestNobodyReviewsWhomTheyReportTo(t *testing.T) {
	t.Parallel()
	s := newService(t)
	t.Cleanup(s.stop)
	s.home = t.TempDir()
	book := strings.Replace(givingBook, "manager: person", "manager: {type: person, is: reports to}", 1)
	s.publish(book, 0)
	for _, name := range []string{"rea", "rob"} {
		want[client.Person](t, 200)(s.as("lea").ChangePerson(ctx, name, client.PersonChange{DisplayName: name, Role: people.Reviewer, Desks: []string{"north"}}))
	}
	// rea reports to rob alone; ana to rob and to lea, by two of the register's rows.
	s.load("register", "rep", "rep,territory,manager,account\nR1,North,,rob\nR2,North,rob,rea\nR3,North,rob,ana\nR4,North,lea,ana\n")
	s.load("feed", "sales", "day,rep,net\n2026-10-05,R1,90\n2026-10-05,R2,2000\n2026-10-05,R3,2000\n2026-10-05,R4,2000\n")
	s.sweep("2026-10")
	c := s.caseOf("lea", "R1")
	assert.Equal(t, client.CaseState("open"), c.State, "of the desk's members one is whom it is about, and one reports to them")
	assert.Contains(t, *refused(t, 409, "case-state")(s.as("rea").ActOnCases(ctx, act(client.CaseActDoTake, c.Id))).Detail, "It is about rob, to whom you report")
	hand := act(client.CaseActDoHandOver, c.Id)
	hand.Person = ptr("rea")
	assert.Contains(t, *refused(t, 409, "case-state")(s.as("lea").ActOnCases(ctx, hand)).Detail, "It is about rob, to whom rea reports")
	var below string
	require.NoError(t, s.pool(t).QueryRow(ctx, "select below from cases where key = 'R1'").Scan(&below))
	assert.Equal(t, "rea", below)

	// Who reports to whom takes both attributes.
	lone := strings.Replace(book, "account: {type: person, is: self}", "account: person", 1)
	p := refused(t, 422, "rulebook-refused")(s.as("ana").PublishRevision(ctx, client.NewRevision{Text: lone, Note: "n", BasedOn: at(1)}))
	assert.Contains(t, (*p.Faults)[0].Text, "takes both")
}

// A case of a customer goes to its rep's manager, by the registers as they were at the
// period's end; the check knows the way.
func TestACaseGoesToTheRepsManager(t *testing.T) {
	t.Parallel()
	s := newService(t)
	t.Cleanup(s.stop)
	s.home = t.TempDir()
	book := `oskel: 1
title: Following
calendar: {time_zone: UTC}
kinds:
  rep: {attributes: {manager: person}}
  customer: {attributes: {rep: text}}
feeds: {sales: {date: day, subjects: {customer: customer}, numbers: {net: money}}}
grades: [{name: act, tone: red}]
measures: {revenue: {sum: sales.net, unit: money}}
rules: [{name: low, judges: customer, threshold: {of: revenue, bands: [{grade: act, below: 100}, {clear: rest}]}}]
desks: [{name: south}]
routes: [{otherwise: south, for: customer.rep.manager}]
`
	report := want[client.CheckReport](t, 200)(s.as("ana").CheckRulebook(ctx,
		client.RulebookText{Text: strings.Replace(book, "customer.rep.manager", "customer.rep.boss", 1)}))
	require.Len(t, report.Problems, 1)
	assert.Equal(t, `"customer.rep.boss" is no attribute of type person; did you mean customer.rep.manager?`, report.Problems[0].Text)
	s.publish(book, 0)
	want[client.Person](t, 200)(s.as("lea").ChangePerson(ctx, "rob", client.PersonChange{DisplayName: "Rob", Role: people.Reviewer, Desks: []string{"south"}}))
	s.load("register", "rep", "rep,manager\nR1,rob\nR2,\n")
	s.load("register", "customer", "customer,rep\nC1,R1\nC2,R2\nC3,R9\nC4,\n")
	s.load("feed", "sales", "day,customer,net\n2026-10-05,C1,5\n2026-10-05,C2,5\n2026-10-05,C3,5\n2026-10-05,C4,5\n")
	s.sweep("2026-10")
	held := map[string]string{}
	for _, c := range want[client.CasePage](t, 200)(s.as("lea").ListCases(ctx, &client.ListCasesParams{})).Items {
		held[c.Key] = ""
		if c.TakenBy != nil {
			held[c.Key] = *c.TakenBy
		}
	}
	assert.Equal(t, map[string]string{"C1": "rob", "C2": "", "C3": "", "C4": ""}, held)
}
