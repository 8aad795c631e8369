package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/e2e/browser"
	"oskel/internal/client"
	"oskel/internal/demo"
)

// Whoever is active is in the table, with the reason and the marks of one without a figure;
// a switch leaves them out and says how many, in the API, the command line and a file.
func TestNobodyIsLeftOut(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	by, yes := "rep", true
	table := func(edit func(*client.GetTableParams)) client.Table {
		p := &client.GetTableParams{Measures: "revenue,margin", By: &by, Period: "2026-10"}
		edit(p)
		return want[client.Table](t, 200)(s.as("rea").GetTable(ctx, p))
	}
	keys := func(all client.Table) (out []string) {
		for _, r := range all.Rows {
			out = append(out, r.Key)
		}
		return out
	}
	all := table(func(*client.GetTableParams) {})
	assert.Equal(t, []string{"R1", "R2", "R3"}, keys(all), "R4 left in August")
	assert.Equal(t, 1, all.Without)
	three := all.Rows[2]
	require.NotNil(t, three.Why)
	assert.Equal(t, "no lines in the period", *three.Why)
	require.NotNil(t, three.Marks, "it is flagged for having nothing")
	assert.Nil(t, all.Rows[0].Why)
	assert.Contains(t, keys(table(func(p *client.GetTableParams) { p.Flagged = &yes })), "R3")
	less := table(func(p *client.GetTableParams) { p.WithFigures = &yes })
	assert.Equal(t, []string{"R1", "R2"}, keys(less))
	assert.Equal(t, 1, less.Without, "how many are left out is said")

	_, out, errs := s.oskel("rea", "table", "-by", "rep", "-period", "2026-10", "revenue")
	assert.Regexp(t, `R3 +Cato Made-Up +– +no lines in the period +◆ Act now: Behind target|R3 +Cato Made-Up +– +no lines in the period +▲ Look: `, out)
	assert.Contains(t, errs, "1 without a figure.")
	_, out, errs = s.oskel("rea", "table", "-by", "rep", "-period", "2026-10", "-with-figures", "revenue")
	assert.NotContains(t, out, "R3")
	assert.Contains(t, errs, "1 without a figure left out.")
	_, out, _ = s.oskel("rea", "table", "-by", "rep", "-period", "2026-10", "-format", "csv", "revenue")
	assert.Contains(t, out, "R3,Cato Made-Up,,", "missing is empty in a file, and the row is there")

	// Of a zero the word is shown, of what is missing a dash.
	code, _, errs := s.oskel("rea", "table", "-by", "rep", "-period", "2026-10", "-with-figures=maybe", "revenue")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "with-figures")
}

// All marks of a cell stand side by side; those of the whole and of groups stand on theirs.
func TestMarksOfATable(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.publish(strings.Replace(smallBook, "rules:\n", `rules:
  - name: second
    title: Second look
    judges: rep
    threshold: {of: margin, bands: [{grade: look, below: 30%}, {clear: rest}]}
  - name: region
    title: Thin in the territory
    judges: rep.territory
    cases: none
    threshold: {of: margin, bands: [{grade: act, below: 18%}, {clear: rest}]}
  - name: everything
    title: All of it
    judges: whole
    cases: none
    threshold: {of: revenue, bands: [{grade: look, above: 10}, {clear: rest}]}
`, 1), 1)
	s.sweep("2026-10")
	by, groups := "rep", "rep.territory"
	all := want[client.Table](t, 200)(s.as("rea").GetTable(ctx, &client.GetTableParams{Measures: "revenue,margin", By: &by, Groups: &groups, Period: "2026-10"}))
	marks := map[string][]string{}
	for _, r := range all.Rows {
		if r.Marks != nil {
			for _, m := range *r.Marks {
				on := "the row"
				if m.Measure != nil {
					on = *m.Measure
				}
				marks[r.Key] = append(marks[r.Key], m.Rule+" on "+on)
				assert.Equal(t, r.Depth == nil, m.Case != nil, "a rep's exception is in a case, a territory's in none")
			}
		}
	}
	assert.Subset(t, marks["R2"], []string{"thin-margin on margin", "second on margin", "behind on revenue"})
	assert.Equal(t, []string{"region on margin"}, marks["South"])
	assert.Empty(t, marks["North"])
	assert.Contains(t, marks["R3"], "quiet on the row")
	require.NotNil(t, all.WholeMarks)
	assert.Equal(t, "everything", (*all.WholeMarks)[0].Rule)
	_, out, _ := s.oskel("rea", "table", "-by", "rep", "-groups", "rep.territory", "-period", "2026-10", "revenue,margin")
	assert.Regexp(t, `South +1,000 +10\.0% +.*Act now: Thin in the territory`, out)
	assert.Regexp(t, `Total +2,000 .*Look: All of it`, out)

	// The legend says of each kind of mark when it is given, and how many there are.
	require.NotNil(t, all.Legend)
	var legend []string
	for _, l := range *all.Legend {
		legend = append(legend, fmt.Sprint(l.Grade, " ", l.Rule, " ", l.Count, ": ", l.Words))
	}
	assert.Equal(t, []string{"act region 1: margin rate is below 18%", "act thin-margin 1: margin rate is below 18%",
		"act behind 1: revenue as a share of its target is below 100%", "look second 2: margin rate is below 30%",
		"look everything 1: revenue is above 10", "look behind 1: there is no data",
		"look quiet 1: the last of the order lines lies 31 days or more before the period's last day; one that was never seen is not judged"}, legend)
	text := "bera"
	some := want[client.Table](t, 200)(s.as("rea").GetTable(ctx, &client.GetTableParams{Measures: "revenue", By: &by, Period: "2026-10", Text: &text}))
	for _, l := range *some.Legend {
		assert.NotEqual(t, "quiet", l.Rule, "it is of one who is not listed")
	}
	text = "arne"
	north := want[client.Table](t, 200)(s.as("rea").GetTable(ctx, &client.GetTableParams{Measures: "revenue", By: &by, Groups: &groups, Period: "2026-10",
		Text: &text}))
	for _, l := range *north.Legend {
		assert.NotEqual(t, "region", l.Rule, "South has no subtotal here")
	}

	// A click on a marked cell tells each mark, with the ways on.
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("ana", password, "/figures?period=2026-10&measures=revenue,margin&by=rep&groups=rep.territory"), p.Sees("Bera Made-Up"))
	do(t, p.Do("tbody tr:last-child td:last-child", "e.querySelector('button').click()"),
		p.Until("document.querySelectorAll('[aria-label=\"Marked by\"] li').length === 2"))
	told, err := browser.Value[[]string](p, "[...document.querySelectorAll('[aria-label=\"Marked by\"] li')].map(l => l.innerText)")
	require.NoError(t, err)
	require.Len(t, told, 2)
	assert.Contains(t, told[0], "Thin margin")
	assert.Contains(t, told[0], "Margin rate is 10.0%, below 18%.")
	do(t, p.ClickText("Change its limit in my draft"), p.Until("location.pathname === '/rules/draft' && location.search.includes('rule=thin-margin')"))
}

// Those without a figure are left out and shown again by one switch, which says how many.
func TestWithoutAFigureInTheConsole(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("ines", demo.Password, "/figures?period=2026-10&text=Gislane"), p.Sees("no lines in the period"), p.Sees("1 without a figure"),
		p.ClickText("Hide them"), p.Sees("left out"), p.Until("!document.querySelector('main table').innerText.includes('R-31')"),
		p.ClickText("Show them"), p.Until("document.querySelector('main table').innerText.includes('R-31')"))
	do(t, p.Follow("/figures?period=2026-10&flagged=yes"), p.Sees("Gislane Sheetbend"))
	found, err := p.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)
}
