package e2e

import (
	"bytes"
	"fmt"
	"io"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"oskel/internal/client"
	"oskel/internal/demo"
)

// praised is the small book with a grade that praises, and with a second look at margins.
var praised = strings.NewReplacer("dials:\n", "  - {name: fine, label: Fine, good: true}\ndials:\n", "rules:\n", `rules:
  - name: kept
    title: Margin kept
    judges: rep
    threshold: {of: margin, bands: [{grade: fine, at_least: floor}, {clear: rest}]}
`).Replace(smallBook)

// marksOf are the marks of a table's rows: "key rule grade period", those on record with a star.
func marksOf(t client.Table) (out []string) {
	for _, r := range t.Rows {
		if r.Marks == nil {
			continue
		}
		for _, m := range *r.Marks {
			star := ""
			if m.Exception != nil {
				star = "*"
			}
			out = append(out, fmt.Sprint(r.Key, " ", m.Rule, " ", m.Grade, " ", m.Period, star))
		}
	}
	slices.Sort(out)
	return out
}

// What praises is shown and counted apart: it is no exception, opens no case and counts nowhere
// among what is flagged, and only the flagged are 'flagged'.
func TestGoodGradesAreShownAndFlagNobody(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.publish(praised, 1)
	done := s.sweep("2026-10")
	by := "rep"
	ask := &client.GetTableParams{Measures: "revenue,margin", By: &by, Period: "2026-10"}
	all := want[client.Table](t, 200)(s.as("rea").GetTable(ctx, ask))
	assert.Equal(t, []string{"R1 kept fine 2026-10", "R2 behind act 2026-10*", "R2 thin-margin act 2026-10*", "R3 behind look 2026-10*",
		"R3 quiet look 2026-10*"}, marksOf(all))
	for _, e := range s.exceptions("2026-10") {
		assert.NotEqual(t, "fine", e.Grade)
	}
	for _, tally := range done.Tallies {
		if tally.Rule == "kept" {
			assert.Equal(t, 0, tally.Flagged)
			assert.Equal(t, map[string]int{"fine": 1}, *tally.Good)
			assert.Equal(t, tally.Judged, tally.Clear)
		}
	}
	assert.Equal(t, 4, done.Raised)
	yes := true
	ask.Flagged = &yes
	assert.Len(t, want[client.Table](t, 200)(s.as("rea").GetTable(ctx, ask)).Rows, 2, "R1 is praised, and not flagged")
	refused(t, 400, "unknown-filter")(s.as("rea").ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-10", Grade: ptr("fine")}))
	code, out, errs := s.oskel("rea", "table", "-by", "rep", "-period", "2026-10", "-sort", "marks", "-descending", "revenue")
	require.Equal(t, 0, code, errs)
	assert.Regexp(t, `(?s)R2 .*Act now: .*R3 .*Look: .*R1 .*✓ Fine: Margin kept`, out)
	assert.Contains(t, errs, "✓ Fine by Margin kept, 1: margin rate is at least floor (22%).")
}

// A table of any period is marked by what the rules say now, swept or not, and by one's draft;
// what sweeps recorded stays, and what is unlike it is counted.
func TestMarksWithoutASweep(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.publish(praised, 1)
	by, now, draft := "rep", client.MarksFromNow, client.MarksFromDraft
	table := func(person string, edit func(*client.GetTableParams)) client.Table {
		p := &client.GetTableParams{Measures: "revenue,margin", By: &by, Period: "2026-10"}
		edit(p)
		return want[client.Table](t, 200)(s.as(person).GetTable(ctx, p))
	}
	none := table("rea", func(*client.GetTableParams) {})
	assert.Equal(t, []string{"R1 kept fine 2026-10"}, marksOf(none))
	assert.Equal(t, []string{"Oct 2026"}, none.Marking.Unswept)
	fresh := table("rea", func(p *client.GetTableParams) { p.Marks = &now })
	judged := []string{"R1 kept fine 2026-10", "R2 behind act 2026-10", "R2 thin-margin act 2026-10", "R3 behind look 2026-10", "R3 quiet look 2026-10"}
	assert.Equal(t, judged, marksOf(fresh))
	assert.Equal(t, []string{"Oct 2026"}, fresh.Marking.Unswept)
	assert.Equal(t, 0, *fresh.Marking.Unlike, "nothing is on record to be unlike")

	// The rules that mark a column stand at its head, with how many they mark.
	heads := map[string]int{}
	for _, c := range fresh.Columns {
		for _, r := range c.Rules {
			heads[c.Measure+" "+r.Rule] = r.Count
		}
	}
	assert.Equal(t, map[string]int{"margin kept": 1, "margin thin-margin": 1, "revenue behind": 2}, heads)

	s.sweep("2026-10")
	assert.Equal(t, 0, *table("rea", func(p *client.GetTableParams) { p.Marks = &now }).Marking.Unlike)
	two := 2
	both := table("rea", func(p *client.GetTableParams) { p.Marks, p.Periods = &now, &two })
	assert.Equal(t, []string{"Sep 2026"}, both.Marking.Unswept)
	assert.Contains(t, marksOf(both), "R1 kept fine 2026-09")

	// The floor rises, and the target's rule goes: what is on record is as it was.
	higher := strings.NewReplacer("{value: 22%", "{value: 25%", "bands: [{grade: act, below: 100%}", "bands: [{grade: act, below: 50%}").Replace(praised)
	s.publish(higher, 2)
	recorded := table("rea", func(*client.GetTableParams) {})
	assert.Contains(t, marksOf(recorded), "R2 behind act 2026-10*")
	assert.NotContains(t, marksOf(recorded), "R1 kept fine 2026-10", "what praises is as the rules say now")
	later := table("rea", func(p *client.GetTableParams) { p.Marks = &now })
	assert.Equal(t, []string{"R1 thin-margin look 2026-10", "R2 thin-margin act 2026-10", "R3 behind look 2026-10", "R3 quiet look 2026-10"}, marksOf(later))
	assert.Equal(t, 2, *later.Marking.Unlike, "R1 is flagged now, and R2 by one rule less")
	_, _, errs := s.oskel("rea", "table", "-by", "rep", "-period", "2026-10", "-marks", "now", "revenue")
	assert.Contains(t, errs, "Marks as the published rules say now; 2 of them say something else than on record.")

	// A draft marks for who wrote it alone, with its own measures.
	refused(t, 404, "not-found")(s.as("ana").GetTable(ctx, &client.GetTableParams{Measures: "revenue", By: &by, Period: "2026-10", Marks: &draft}))
	text := strings.Replace(higher, "measures:\n", "measures:\n  profit: {title: Profit, formula: revenue - cost, unit: money}\n", 1)
	text = strings.Replace(text, "{grade: act, below: 18%}", "{grade: act, below: 1%}", 1)
	want[client.Draft](t, 200)(s.as("ana").PutDraft(ctx, client.NewDraft{Text: text, BasedOn: 3}))
	mine := table("ana", func(p *client.GetTableParams) { p.Marks, p.Measures = &draft, "profit,margin" })
	assert.Contains(t, marksOf(mine), "R2 thin-margin look 2026-10")
	assert.Equal(t, "220", *mine.Rows[0].Cells[0].Exact)
	assert.Equal(t, 3, *mine.Marking.Unlike, "and R2 by another grade")
	refused(t, 400, "unknown-measure")(s.as("ana").GetTable(ctx, &client.GetTableParams{Measures: "profit", By: &by, Period: "2026-10"}))
	want[client.Draft](t, 200)(s.as("ana").PutDraft(ctx, client.NewDraft{Text: "oskel: 1\nrules: [{}]\n", BasedOn: 3, Version: 1}))
	p := refused(t, 422, "draft-refused")(s.as("ana").GetTable(ctx, &client.GetTableParams{Measures: "revenue", By: &by, Period: "2026-10", Marks: &draft}))
	assert.Contains(t, *p.Detail, "your draft has problems")
	refused(t, 404, "not-found")(s.as("rea").GetTable(ctx, &client.GetTableParams{Measures: "revenue", By: &by, Period: "2026-10", Marks: &draft}))
}

// Other values of dials are tried in a table by anybody: it says what a draft with them says,
// keeps nothing, and comes back by its address.
func TestDialsAreTriedInATable(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	by, draft, two := "rep", client.MarksFromDraft, 2
	ask := func(edit func(*client.GetTableParams)) *client.GetTableParams {
		p := &client.GetTableParams{Measures: "margin,margin - floor", By: &by, Period: "2026-10", Periods: &two}
		edit(p)
		return p
	}
	table := func(person string, edit func(*client.GetTableParams)) client.Table {
		return want[client.Table](t, 200)(s.as(person).GetTable(ctx, ask(edit)))
	}
	before := table("rea", func(*client.GetTableParams) {})
	tried := table("rea", func(p *client.GetTableParams) { p.Dials = ptr(" floor = 30% ") })
	assert.Equal(t, client.MarksFromTrial, tried.Marking.By)
	assert.Equal(t, 1, *tried.Marking.Unlike)
	assert.Contains(t, marksOf(tried), "R1 thin-margin look 2026-10")
	assert.NotContains(t, marksOf(before), "R1 thin-margin look 2026-10")
	want[client.Draft](t, 200)(s.as("ana").PutDraft(ctx, client.NewDraft{Text: strings.Replace(smallBook, "{value: 22%", "{value: 30%", 1), BasedOn: 1}))
	drafted := table("ana", func(p *client.GetTableParams) { p.Marks = &draft })
	assert.Equal(t, marksOf(drafted), marksOf(tried))
	assert.Equal(t, drafted.Rows, tried.Rows, "figures that ask the dial follow too")
	assert.Equal(t, "-0.08", *tried.Rows[0].Cells[3].Exact)
	again := table("rea", func(*client.GetTableParams) {})
	assert.Equal(t, before, again, "nothing of it is kept")
	assert.Equal(t, client.MarksFromNow, table("rea", func(p *client.GetTableParams) { p.Marks = ptr(client.MarksFromTrial) }).Marking.By, "no dial, no trial")

	for with, edit := range map[string]func(*client.GetTableParams){
		"expected dials with their values": func(p *client.GetTableParams) { p.Dials = ptr("floor") },
		`there is no dial \"flor\"; did`:   func(p *client.GetTableParams) { p.Dials = ptr("flor=23%") },
		"out of its range":                 func(p *client.GetTableParams) { p.Dials = ptr("floor=99%") },
		"is written in percent":            func(p *client.GetTableParams) { p.Dials = ptr("floor=25") },
		"marks=draft does not go":          func(p *client.GetTableParams) { p.Dials, p.Marks = ptr("floor=25%"), &draft },
		"mark the newest data":             func(p *client.GetTableParams) { p.Dials, p.Version = ptr("floor=25%"), ptr(int64(2)) },
	} {
		r, err := s.as("ana").GetTable(ctx, ask(edit))
		require.NoError(t, err)
		body, err := io.ReadAll(r.Body)
		require.NoError(t, err)
		assert.Contains(t, []int{400, 422}, r.StatusCode)
		assert.Contains(t, string(body), with)
	}
	_, _, errs := s.oskel("rea", "table", "-by", "rep", "-period", "2026-10", "-dial", "floor=30%", "margin")
	assert.Contains(t, errs, "Tried: figures and marks with these dials; 1 of them say something else than on record.")

	// In the console the hand moves, the table follows, and the draft that is there gets the value.
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("ana", password, "/figures?by=rep&measures=margin"), p.Sees("Arne Made-Up"), p.ClickText("Try dials"),
		p.Do("input[type=range]", "e.value = 35; e.dispatchEvent(new Event('input'))"), p.Until("location.search.includes('dials=floor')"),
		p.Sees("published 22%"), p.Sees("1 mark unlike what is on record."), p.Sees("Tried, not published: figures and marks with floor=35%"),
		p.ClickText("Put into my draft"), p.Until("location.pathname === '/rules/draft'"))
	assert.Contains(t, want[client.Draft](t, 200)(s.as("ana").GetDraft(ctx)).Text, "{value: 35%")
	do(t, p.Follow("/figures?by=rep&measures=margin&dials=floor%3D30%25"), p.ClickText("Trying 1 dial"), p.ClickText("As published"),
		p.Until("!location.search.includes('dials')"), p.Sees("Try dials"))
}

// A workbook has the marks on typed figures, subtotals, the total, titles and a legend; other
// files have a column for each rule.
func TestMarksInFiles(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.publish(strings.Replace(praised, "shape: diamond}", "shape: diamond, cell: tint}", 1), 1)
	s.sweep("2026-10")
	by, groups := "rep", "rep.territory"
	file := func(form string) []byte {
		r, err := s.as("rea").ExportTableFile(ctx, form, &client.ExportTableFileParams{Measures: "revenue,margin", By: &by, Groups: &groups, Period: "2026-10"})
		require.NoError(t, err)
		require.Equal(t, 200, r.StatusCode)
		body, err := io.ReadAll(r.Body)
		require.NoError(t, err)
		return body
	}
	lines := strings.Split(strings.TrimSpace(string(file("csv"))), "\n")
	assert.Equal(t, "key,name,revenue 2026-10,margin 2026-10,mark kept 2026-10,mark thin-margin 2026-10,mark behind 2026-10,mark quiet 2026-10", lines[0])
	assert.ElementsMatch(t, []string{"R1,Arne Made-Up,1000,0.22,fine,,,", "R2,Bera Made-Up,999.9999,0.1,,act,act,", "R3,Cato Made-Up,,,,,look,look"}, lines[1:])
	assert.Contains(t, string(file("json")), `"mark kept 2026-10":"fine"`)

	x, err := excelize.OpenReader(bytes.NewReader(file("xlsx")))
	require.NoError(t, err)
	rows, err := x.GetRows("Figures")
	require.NoError(t, err)
	assert.Equal(t, "Small: reps, Oct 2026", rows[0][0])
	assert.Contains(t, rows[1][0], "Marks on record. Rulebook revision 2, data version")
	assert.Equal(t, []string{"Key", "Name", "Revenue", "Margin rate", "Margin kept", "Thin margin", "Behind target", "Gone quiet"}, rows[3])
	assert.Equal(t, []string{"", "North", "1,000", "22.0%"}, rows[4][:4])
	var total []string
	for _, r := range rows {
		if len(r) > 1 && r[1] == "Bera Made-Up" {
			assert.Equal(t, []string{"R2", "Bera Made-Up", "◆ 1,000", "◆ 10.0%", "", "◆ Act now", "◆ Act now"}, r)
		}
		total = r
	}
	assert.Equal(t, "Total", total[1])
	kind, err := x.GetCellType("Figures", "C7")
	require.NoError(t, err)
	assert.Contains(t, []excelize.CellType{excelize.CellTypeNumber, excelize.CellTypeUnset}, kind, "a marked figure is a number")
	tinted := 0
	for n := 5; n <= len(rows); n++ {
		id, err := x.GetCellStyle("Figures", fmt.Sprint("D", n))
		require.NoError(t, err)
		if style, err := x.GetStyle(id); err == nil && len(style.Fill.Color) > 0 && strings.HasSuffix(style.Fill.Color[0], "F4E0DD") {
			tinted++
		}
	}
	assert.Equal(t, 1, tinted, "of the grade that tints its cell")
	legend, err := x.GetRows("Legend")
	require.NoError(t, err)
	assert.Contains(t, legend, []string{"✓ Fine", "Margin kept", "1", "margin rate is at least floor (22%)"})
}

// Marks of pairs stand where their row and column cross, those of either side on the totals.
func TestMarksAcrossATable(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	by, across, now := "rep.territory", "product.family", client.MarksFromNow
	crossed := want[client.Table](t, 200)(s.as("ines").GetTable(ctx, &client.GetTableParams{
		Measures: "margin_rate", By: &by, Across: &across, Period: "2026-10", Marks: &now}))
	require.Len(t, crossed.Columns, 5)
	assert.Equal(t, "Total", crossed.Columns[4].Label)
	// Each cell says what the table of pairs says.
	pairs := "rep.territory x product.family"
	limit := 1000
	listed := want[client.Table](t, 200)(s.as("ines").GetTable(ctx, &client.GetTableParams{Measures: "margin_rate", By: &pairs, Period: "2026-10", Limit: &limit}))
	figures := map[string]string{}
	for _, r := range listed.Rows {
		figures[r.Key] = r.Cells[0].Text
	}
	require.NotEmpty(t, figures)
	for _, r := range crossed.Rows {
		for k, c := range crossed.Columns[:4] {
			assert.Equal(t, figures[r.Key+" x "+*c.Across], r.Cells[k].Text, "%s %s", r.Key, *c.Across)
		}
	}

	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("ines", demo.Password, "/figures?period=2026-10&by=rep.territory&over=product.family&measures=margin_rate&best=rows"),
		p.Sees("Below deck"), p.Sees("1st"))
	found, err := p.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)
	do(t, p.Go("/figures?period=2026-10&by=rep&measures=revenue&where="+url.QueryEscape(`customer.category is "Marina"`)),
		p.Sees("Narrowed by 1"), p.Sees("Figures and marks of these lines alone"), p.Sees("Marks as the rules say now"), p.ClickText("Narrowed by 1"),
		p.Sees("targets stay whole"), p.ClickText("Show all again"), p.Sees("Marks on record"), p.Until("!location.search.includes('Marina')"))
	do(t, p.Go("/figures?period=2026-10&by=rep.territory&over=product.family&measures=margin_rate&best=rows"), p.Sees("Below deck"))
	do(t, p.Click("tfoot td button"), p.Sees("Margin rate"), p.Until("location.search.includes('product.family')"), p.Sees("Made of"))
}

// A closed period is not out of date by a revision that flags the same in it, which is said; by
// one that flags otherwise it is.
func TestAClosedPeriodThatARevisionConfirms(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	want[client.PeriodState](t, 200)(s.as("lea").ClosePeriod(ctx, client.NewClosing{Period: "2026-10"}))
	state := func() client.PeriodState {
		for _, p := range want[[]client.PeriodState](t, 200)(s.as("rea").ListPeriods(ctx, &client.ListPeriodsParams{})) {
			if p.Period == "2026-10" {
				return p
			}
		}
		t.Fatal("October is not listed")
		return client.PeriodState{}
	}
	assert.Nil(t, state().SameBy)
	s.publish(praised, 1)
	require.Eventually(t, func() bool { return state().SameBy != nil }, time.Minute, 50*time.Millisecond)
	now := state()
	assert.Equal(t, 2, *now.SameBy)
	assert.Equal(t, client.PeriodStateStateSwept, now.State)
	assert.Nil(t, want[client.ExceptionPage](t, 200)(s.as("rea").ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-10"})).Stale)

	s.publish(strings.Replace(praised, "{value: 22%", "{value: 25%", 1), 2)
	held := func() (same bool, is bool) {
		err := s.pool(t).QueryRow(ctx, "select same from confirmed where revision = 3").Scan(&same)
		return same, err == nil
	}
	require.Eventually(t, func() bool { _, is := held(); return is }, time.Minute, 50*time.Millisecond)
	same, _ := held()
	assert.False(t, same)
	now = state()
	assert.Equal(t, client.PeriodStateStateStale, now.State)
	assert.Contains(t, *now.Stale, "revision 3 has been published")
	assert.Nil(t, now.SameBy)
	s.publish(praised, 3)
	require.Eventually(t, func() bool { return state().SameBy != nil }, time.Minute, 50*time.Millisecond)
	s.load("feed", "sales", salesHead+"2026-10-30,N1,R1,1,1\n")
	assert.Contains(t, *state().Stale, "intake")
	assert.NotContains(t, *state().Stale, "revision", "the data alone are new")
}

// Rows for which a condition holds keep their figures; figures of certain lines alone are counted
// again, with their marks, and their parts are those lines.
func TestTablesAreNarrowed(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.publish(strings.NewReplacer("grades:\n", "  visits: {date: day, subjects: {rep: rep}, numbers: {hours: count}}\ngrades:\n",
		"rules:\n", "  hours: {title: Hours, sum: visits.hours, unit: count}\nrules:\n").Replace(smallBook), 1)
	s.sweep("2026-10")
	by := "rep"
	table := func(edit func(*client.GetTableParams)) (shown string, of client.Table) {
		p := &client.GetTableParams{Measures: "revenue,margin", By: &by, Period: "2026-10"}
		edit(p)
		of = want[client.Table](t, 200)(s.as("rea").GetTable(ctx, p))
		for _, r := range of.Rows {
			shown += r.Key + " " + r.Cells[0].Text + " " + r.Cells[1].Text + "; "
		}
		return shown, of
	}
	rows := func(text string) func(*client.GetTableParams) {
		return func(p *client.GetTableParams) { p.Rows = &text }
	}
	where := func(text string) func(*client.GetTableParams) {
		return func(p *client.GetTableParams) { p.Where = &text }
	}
	for text, is := range map[string]string{
		`rep.name is "Bera Made-Up"`:                            "R2 1,000 10.0%; ",
		`rep.key in ("R1", "R2") and margin above 15%`:          "R1 1,000 22.0%; ",
		`rep.territory is "North" and not (revenue is missing)`: "R1 1,000 22.0%; ",
		`rep.territory is "North" and not (rep.key is "R1")`:    "R3  ; ",
		`rep.territory is "Nowhere"`:                            "",
		`revenue above 999.9999 or rep.name is "Bera Made-Up"`:  "R1 1,000 22.0%; R2 1,000 10.0%; ",
	} {
		got, _ := table(rows(text))
		assert.Equal(t, is, got, text)
	}
	got, of := table(where(`net above 500`))
	assert.Equal(t, "R1 601 22.0%; R2 1,000 10.0%; R3  ; ", got)
	assert.Equal(t, client.MarksFromNow, of.Marking.By, "what is on record is of all lines")
	assert.True(t, of.Marking.Narrowed)
	assert.Equal(t, []string{"R1 behind act 2026-10", "R2 behind act 2026-10", "R2 thin-margin act 2026-10", "R3 behind look 2026-10"}, marksOf(of),
		"R1 is behind with one order alone; a rule over windows is not asked")
	assert.Equal(t, "1,600", of.Whole[0].Text)
	got, _ = table(func(p *client.GetTableParams) {})
	assert.Equal(t, "R1 1,000 22.0%; R2 1,000 10.0%; R3  ; ", got, "and all lines again")
	parts := want[client.Parts](t, 200)(s.as("rea").GetBreakdown(ctx, &client.GetBreakdownParams{
		Measure: "revenue", By: &by, Key: ptr("R1"), Period: "2026-10", Where: ptr(`net above 500`)}))
	require.Len(t, parts.Lines, 1)

	for text, says := range map[string]string{
		`net is`:              "where: ",
		`rep.colour is "red"`: "colour",
		`margin above 3`:      "margin",
	} {
		p := refused(t, 400, "condition-refused")(s.as("rea").GetTable(ctx, &client.GetTableParams{Measures: "revenue", By: &by, Period: "2026-10", Where: &text}))
		assert.Contains(t, *p.Detail, says, text)
	}
	p := refused(t, 400, "condition-refused")(s.as("rea").GetTable(ctx, &client.GetTableParams{
		Measures: "revenue", By: &by, Period: "2026-10", Rows: ptr("order_no is 3")}))
	assert.Contains(t, *p.Detail, "rows: ")
	for _, where := range []string{"net above 500", "hours above 1"} {
		asked := map[string]string{"net above 500": "hours", "hours above 1": "revenue"}[where]
		p := refused(t, 400, "condition-refused")(s.as("rea").GetTable(ctx, &client.GetTableParams{Measures: asked, By: &by, Period: "2026-10", Where: &where}))
		assert.Contains(t, *p.Detail, "is made of lines that cannot be asked this")
		p = refused(t, 400, "condition-refused")(s.as("rea").GetBreakdown(ctx, &client.GetBreakdownParams{
			Measure: asked, By: &by, Key: ptr("R1"), Period: "2026-10", Where: &where}))
		assert.Contains(t, *p.Detail, "is made of lines")
	}
	code, out, errs := s.oskel("rea", "breakdown", "-by", "rep", "-key", "R1", "-period", "2026-10", "-where", "net above 500", "revenue")
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "600.5")
	assert.NotContains(t, out, "399.5")

	// A draft is narrowed as the published rules are, by its own cuts.
	own := strings.NewReplacer("below: 18%", "below: 5%", "    no_data: look\n", "    where: rep.name is \"Arne Made-Up\"\n").Replace(smallBook)
	want[client.Draft](t, 200)(s.as("ana").PutDraft(ctx, client.NewDraft{Text: own, BasedOn: 2}))
	draft := client.MarksFromDraft
	mine := want[client.Table](t, 200)(s.as("ana").GetTable(ctx, &client.GetTableParams{
		Measures: "revenue,margin", By: &by, Period: "2026-10", Marks: &draft, Where: ptr("net above 500")}))
	assert.Equal(t, []string{"R1 behind act 2026-10", "R2 thin-margin look 2026-10"}, marksOf(mine), "R2 and R3 are not Arne")
	assert.Equal(t, "600.5", *mine.Rows[0].Cells[0].Exact)

	code, out, errs = s.oskel("rea", "table", "-by", "rep", "-period", "2026-10", "-rows", `rep.name is "Arne Made-Up"`, "-where", `net below 500`, "revenue")
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "Arne Made-Up      400")
	assert.Contains(t, errs, "of these lines alone")
}
