package e2e

import (
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

// The list of cases is narrowed by what a case knows, gathered, and kept as a view, over
// the API, by the command line and in the console; both ways, and down to nothing.
func TestTheListOfCases(t *testing.T) {
	t.Parallel()
	var c clock
	c.set(t, "2026-11-05 09:00")
	s := reviewed(t, &c)
	s.load("feed", "sales", "day,order_no,rep,net,cost\n2026-10-08,B1,R1,100,99\n")
	s.sweep("2026-10")
	list := func(change func(*client.ListCasesParams)) (keys []string, page client.CasePage) {
		p := &client.ListCasesParams{}
		change(p)
		page = want[client.CasePage](t, 200)(s.as("lea").ListCases(ctx, p))
		for _, x := range page.Items {
			keys = append(keys, x.Key)
		}
		return keys, page
	}
	all, _ := list(func(*client.ListCasesParams) {})
	require.ElementsMatch(t, []string{"R1", "R2", "R3"}, all)
	only := func(change func(*client.ListCasesParams)) []string { keys, _ := list(change); return keys }
	assert.Equal(t, []string{"R3"}, only(func(p *client.ListCasesParams) { p.Text = ptr("cato") }))
	assert.Equal(t, []string{"R3"}, only(func(p *client.ListCasesParams) { p.Text = ptr(" r3 ") }))
	assert.Empty(t, only(func(p *client.ListCasesParams) { p.Text = ptr("%") }))
	assert.ElementsMatch(t, all, only(func(p *client.ListCasesParams) { p.Kind = ptr("Reps") }))
	refused(t, 400, "unknown-filter")(s.as("lea").ListCases(ctx, &client.ListCasesParams{Rule: ptr("nothing")}))
	byRule, byGrade := map[string][]string{}, map[string][]string{}
	for _, key := range all {
		d := want[client.CaseDetail](t, 200)(s.as("lea").GetCase(ctx, s.caseNamed(t, key).Id))
		byGrade[d.Case.Grade] = append(byGrade[d.Case.Grade], key)
		rules := map[string]bool{}
		for _, e := range d.Exceptions {
			rules[e.Rule] = true
		}
		for r := range rules {
			byRule[r] = append(byRule[r], key)
		}
	}
	for rule, keys := range byRule {
		assert.ElementsMatch(t, keys, only(func(p *client.ListCasesParams) { p.Rule = &rule }), rule)
	}
	for grade, keys := range byGrade {
		assert.ElementsMatch(t, keys, only(func(p *client.ListCasesParams) { p.Grade = &grade }), grade)
	}
	id := s.caseNamed(t, "R3").Id
	want[[]client.Case](t, 200)(s.as("rea").ActOnCases(ctx, act(client.CaseActDoTake, id)))
	assert.Equal(t, []string{"R3"}, only(func(p *client.ListCasesParams) { p.Person = ptr("rea") }))
	assert.Empty(t, only(func(p *client.ListCasesParams) { p.Late = ptr(true) }))
	c.set(t, "2026-12-31 09:00")
	assert.ElementsMatch(t, all, only(func(p *client.ListCasesParams) { p.Late = ptr(true) }))

	// What is at stake in each is that of the rule with most, also after a correction; the least first.
	off := func() (n int) {
		require.NoError(t, s.pool(t).QueryRow(ctx, "select count(*) from cases c where c.stake is distinct from (select max(stake) from (select "+
			"sum(e.stake) as stake from exceptions e where e.case_id = c.id and e.state <> 'cleared' group by e.rule) r)").Scan(&n))
		return n
	}
	assert.Zero(t, off())
	byStake := only(func(p *client.ListCasesParams) {
		p.Sort, p.Descending = ptr(client.ListCasesParamsSortStake), ptr(true)
	})
	assert.Equal(t, "R2", byStake[0])
	require.NotNil(t, s.caseNamed(t, "R2").Stake)
	s.load("feed", "sales", "day,order_no,rep,net,cost\n2026-10-09,B2,R2,500,499\n")
	before := *s.caseNamed(t, "R2").Stake
	s.sweep("2026-10")
	assert.NotEqual(t, before, *s.caseNamed(t, "R2").Stake)
	assert.Zero(t, off())

	// Gathered: each group in its order with how many it has in all, whatever the page.
	for group, titles := range map[client.ListCasesParamsGroup]string{"desk": "North desk 2 2, South desk 1 1", "person": "Not taken 2 2, Rea 1 1",
		"kind": "Reps 3 3", "state": "Open 2 2, Taken 1 1"} {
		_, page := list(func(p *client.ListCasesParams) { p.Group, p.Limit = &group, ptr(1) })
		var said []string
		for _, g := range *page.Groups {
			said = append(said, strings.Join([]string{g.Title, strconv.Itoa(g.Cases), strconv.Itoa(g.Late)}, " "))
		}
		assert.Equal(t, titles, strings.Join(said, ", "), group)
	}
	keys := only(func(p *client.ListCasesParams) { p.Group = ptr(client.ListCasesParamsGroupDesk) })
	assert.Equal(t, "R2", keys[2], "the south comes last")
	_, page := list(func(p *client.ListCasesParams) {
		p.Group, p.Text = ptr(client.ListCasesParamsGroupDesk), ptr("nobody at all")
	})
	assert.Empty(t, *page.Groups)

	// Kept as a view, apart from those of exceptions, and asked for by it.
	code, _, errs := s.oskel("lea", "cases", "-all", "-late", "-group", "person", "-save", "Late ones", "-shared")
	require.Equal(t, 0, code, errs)
	assert.Contains(t, errs, "Saved the view Late ones: group by person, late.")
	assert.Contains(t, errs, "Rea: 1 case, 1 late.")
	code, out, errs := s.oskel("rea", "cases", "-view", "late ones", "-person", "rea")
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "R3")
	assert.NotContains(t, out, "R1")
	code, out, _ = s.oskel("rea", "view", "list")
	assert.Equal(t, 0, code)
	assert.NotContains(t, out, "Late ones")
	code, out, _ = s.oskel("rea", "view", "list", "-of", "cases")
	assert.Equal(t, 0, code)
	assert.Contains(t, out, "group by person, late")
	assert.NotContains(t, out, "all that is flagged")
	code, _, errs = s.oskel("lea", "cases", "-all", "-save", "All")
	require.Equal(t, 0, code)
	assert.Contains(t, errs, "Saved the view All: all that waits.")

	// The small histories: of those that can be drawn, judged once a rule.
	h := want[[]client.CaseHistory](t, 200)(s.as("rob").ListCaseHistories(ctx,
		&client.ListCaseHistoriesParams{Cases: itoa(id) + ",999999," + itoa(s.caseNamed(t, "R2").Id)}))
	require.Len(t, h, 2)
	for _, x := range h {
		assert.Len(t, x.Held, 13)
		assert.Equal(t, "Oct 2026", x.Periods[12])
		assert.NotEmpty(t, x.Grades[12])
		assert.NotEmpty(t, x.Cuts)
	}
	refused(t, 400, "invalid-request")(s.as("rob").ListCaseHistories(ctx, &client.ListCaseHistoriesParams{Cases: "1,x"}))
	refused(t, 400, "invalid-request")(s.as("rob").ListCaseHistories(ctx, &client.ListCaseHistoriesParams{Cases: strings.Repeat("1,", 100) + "1"}))

	// In the console: the view, the groups, what is typed, and nothing.
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("lea", password, "/desk?group=desk"), p.Sees("North desk"), p.Until("document.querySelectorAll('[data-row] svg[role=img]').length >= 3"))
	found, err := p.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)
	do(t, p.Type("input[type=search]", "cato"), p.Until("document.querySelectorAll('[data-row]').length === 1"),
		p.Type("input[type=search]", " and nobody"), p.Sees("No cases match these filters."),
		p.ClickText("Show all"), p.Until("document.querySelectorAll('[data-row]').length === 3"))
	do(t, p.Go("/desk?state=late&group=person"), p.Sees("Late ones"), p.Sees("Delete view"))
}
