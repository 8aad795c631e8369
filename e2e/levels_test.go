package e2e

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"oskel/internal/client"
)

func cells(r client.TableRow) (out []string) {
	for _, c := range r.Cells {
		out = append(out, c.Text)
	}
	return out
}

// A pair's figure is made of the lines that name both; its parts add up; what
// is grouped on either side adds up to the group.
func TestPairs(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	c := s.as("nell")
	get := func(by string) client.Table {
		limit, sort, yes := 1000, 1, true
		return want[client.Table](t, 200)(c.GetTable(ctx,
			&client.GetTableParams{Measures: "revenue,margin_rate,share(revenue, rep.territory)", By: &by, Period: "2026-10", Limit: &limit, Sort: &sort,
				Descending: &yes}))
	}
	pairs := get("rep x product")
	assert.Greater(t, pairs.Total, 2000)
	top := pairs.Rows[0]
	by := "rep x product"
	parts := want[client.Parts](t, 200)(c.GetBreakdown(ctx, &client.GetBreakdownParams{Measure: "revenue", By: &by, Key: &top.Key, Period: "2026-10"}))
	assert.Equal(t, *top.Cells[0].Exact, *parts.Sum)
	rep, product, _ := strings.Cut(top.Key, " x ")
	for _, l := range parts.Lines {
		assert.Equal(t, []string{rep, product}, []string{l[1], l[3]})
	}
	groups := get("rep.territory x product.family")
	assert.Equal(t, 24, groups.Total)
	shares := map[string]float64{}
	for _, r := range groups.Rows {
		territory, _, _ := strings.Cut(r.Key, " x ")
		shares[territory] += *r.Cells[2].Value
	}
	for territory, share := range shares {
		assert.InDelta(t, 1, share, 1e-9, territory)
	}
	by = "rep.territory x product.family"
	parts = want[client.Parts](t, 200)(c.GetBreakdown(ctx, &client.GetBreakdownParams{Measure: "revenue", By: &by, Key: &groups.Rows[0].Key, Period: "2026-10"}))
	assert.Equal(t, *groups.Rows[0].Cells[0].Exact, *parts.Sum)
	for by, why := range map[string]string{"rep x rep": "a pair joins two kinds", "rep x whole": "a pair joins two kinds",
		"rep x prodct": "did you mean product?"} {
		assert.Contains(t, *refused(t, 400, "unknown-level")(c.GetTable(ctx, &client.GetTableParams{Measures: "revenue", By: &by, Period: "2026-10"})).Detail, why)
	}
}

// Subtotals nest, precede their members, and are ratios of sums.
func TestSubtotals(t *testing.T) {
	t.Parallel()
	c := demoService(t).as("nell")
	by, groups, limit := "product", "product.family,product.category", 1000
	table := want[client.Table](t, 200)(c.GetTable(ctx,
		&client.GetTableParams{Measures: "revenue,margin_rate", By: &by, Groups: &groups, Period: "2026-10", Limit: &limit}))
	family := "product.family"
	alone := want[client.Table](t, 200)(c.GetTable(ctx, &client.GetTableParams{Measures: "revenue,margin_rate", By: &family, Period: "2026-10"}))
	byName := map[string][]string{}
	for _, r := range alone.Rows {
		byName[r.Name] = cells(r)
	}
	depths, seen := []int{}, 0
	for _, r := range table.Rows {
		if r.Depth == nil {
			continue
		}
		depths = append(depths, *r.Depth)
		if *r.Depth == 1 {
			seen++
			assert.Equal(t, byName[r.Name], cells(r), r.Name)
		}
	}
	assert.Equal(t, 4, seen)
	assert.Equal(t, []int{1, 2, 2, 2, 1, 2, 2, 1, 2, 1, 2, 2}, depths, "below deck 3, on deck 2, safety 1, upkeep 2")
	groups = "customer.territory"
	refused(t, 400, "unknown-level")(c.GetTable(ctx, &client.GetTableParams{Measures: "revenue", By: &by, Groups: &groups, Period: "2026-10"}))
}

// A window of the calendar is a period like another; the one before it of its
// kind is its forerunner.
func TestWindowsAsPeriods(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	two := 2
	table := want[client.Table](t, 200)(s.as("nell").GetTable(ctx,
		&client.GetTableParams{Measures: "revenue,growth(revenue),working_days", Period: "spring-fair-2026", Periods: &two}))
	assert.Equal(t, []string{"475,215", "517,618", "-10.9%", "8.9%", "6 days", "6 days"}, cells(client.TableRow{Cells: table.Whole}))
	three := 4
	table = want[client.Table](t, 200)(s.as("nell").GetTable(ctx,
		&client.GetTableParams{Measures: "growth(revenue)", Period: "spring-fair-2026", Periods: &three}))
	assert.Len(t, table.Columns, 3, "there is none before 2024")
	assert.Equal(t, "there is no such period", *table.Whole[0].Why)
}

const wholeWeeks = `calendar:
  week_years: {pattern: 4-4-5, end_on: saturday, last_in: december}
  holidays: {2026-10-05: Harbour Day}
`

// In a calendar of whole weeks the months, sweeps, targets and due days are
// those of the calendar.
func TestCalendarOfWholeWeeks(t *testing.T) {
	t.Parallel()
	s := newService(t)
	defer s.stop()
	s.publish(wholeWeeks+smallBook, 0)
	s.load("register", "rep", smallReps)
	s.load("feed", "sales", salesHead+"2026-09-27,Z1,R1,40,10\n2026-10-24,Z2,R1,60,10\n2026-10-25,Z3,R1,500,10\n")
	s.load("targets", "rep", "rep,month,revenue\nR1,2026-P10,200\n")
	by := "rep"
	row := want[client.Table](t, 200)(s.as("rea").GetTable(ctx,
		&client.GetTableParams{Measures: "revenue,attainment(revenue)", By: &by, Period: "2026-P10"})).Rows[0]
	assert.Equal(t, []string{"100", "50.0%"}, cells(row), "27 September to 24 October")
	p := refused(t, 400, "invalid-request")(s.as("rea").GetTable(ctx, &client.GetTableParams{Measures: "revenue", Period: "2026-10"}))
	assert.Contains(t, *p.Detail, "2026-P10")
	sw := s.sweep("2026-P10")
	assert.Equal(t, "2026-P10", sw.Period)
	assert.Contains(t, s.exceptions("2026-P10"), "behind R1")
	periods := want[[]client.PeriodState](t, 200)(s.as("rea").ListPeriods(ctx, &client.ListPeriodsParams{}))
	assert.Equal(t, "2026-P11", periods[len(periods)-1].Period)
	year := want[client.CalendarYear](t, 200)(s.as("rea").GetCalendar(ctx, &client.GetCalendarParams{}))
	assert.Equal(t, []any{"2026", "2025-12-28", "2026-12-26", 364, 12}, []any{year.Year, year.First, year.Last, len(year.Days), len(year.Periods)})
	assert.Equal(t, 19, year.Periods[9].WorkingDays, "four weeks, less Harbour Day")
}

// An attribute that lies within another is held to it, day by day.
func TestAttributesLieWithinOthers(t *testing.T) {
	t.Parallel()
	s := newService(t)
	defer s.stop()
	book := strings.Replace(smallBook, "attributes: {territory: text}", "attributes: {territory: text, team: {type: text, within: territory}}", 1)
	assert.NotEqual(t, smallBook, book)
	s.publish(book, 0)
	p := refused(t, 422, "file-refused")(s.send("register", "rep", "rep,name,territory,team\nR1,A,North,Red\nR2,B,South,Red\n"))
	assert.Contains(t, (*p.Faults)[0].Text, "expected it to lie within one territory at a time, found North and South")
	s.load("register", "rep", "rep,name,territory,team,valid_from\nR1,A,North,Red,\nR2,B,North,Red,\nR1,A,South,Red,2026-07-01\nR2,B,South,Red,2026-07-01\n")
	p = refused(t, 422, "file-refused")(s.send("register", "rep", "rep,name,territory,team,valid_from\nR3,C,South,Blue,\nR1,A,West,Red,2026-08-01\n"))
	assert.Equal(t, []any{3, "expected it to lie within one territory at a time, found South and West"},
		[]any{*(*p.Faults)[0].Line, (*p.Faults)[0].Text}, "R2, whom the file does not name, stays in the south")
	history := want[[]client.RegisterEntry](t, 200)(s.as("rea").GetSubject(ctx, "rep", "R1"))
	assert.Equal(t, []string{"2026-07-01", "South"}, []string{*history[0].ValidFrom, history[0].Values["territory"]})
	refused(t, 404, "not-found")(s.as("rea").GetSubject(ctx, "rep", "R9"))
	at := "2026-06-30"
	page := want[client.RegisterPage](t, 200)(s.as("rea").GetRegister(ctx, "rep", &client.GetRegisterParams{At: &at}))
	assert.Equal(t, []string{"North", "Red"}, page.Rows[0].Values)
	refused(t, 404, "not-found")(s.as("rea").GetRegister(ctx, "reps", &client.GetRegisterParams{}))
}

// Targets as a grid show what is missing of those who should have one.
func TestTargetGrid(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	yes, periods := true, 3
	page := want[client.TargetPage](t, 200)(s.as("nell").GetTargets(ctx, "rep", &client.GetTargetsParams{Missing: &yes, Periods: &periods}))
	assert.Equal(t, []int{0, 0, 1}, page.Missing)
	assert.Equal(t, "R-45", page.Rows[0].Key)
	assert.Equal(t, []client.TargetCellState{"not active", "not active", "missing"},
		[]client.TargetCellState{page.Rows[0].Cells[0].State, page.Rows[0].Cells[1].State, page.Rows[0].Cells[2].State})
	none := want[client.TargetPage](t, 200)(s.as("nell").GetTargets(ctx, "product", &client.GetTargetsParams{}))
	assert.Empty(t, none.Measure)
	code, out, errs := s.oskel("ines", "targets", "-missing", "-periods", "2", "rep")
	assert.Equal(t, 0, code)
	assert.Regexp(t, `R-45 +Orrindo Halyardin +– +missing`, out)
	assert.Contains(t, errs, "1 target missing")
	code, out, _ = s.oskel("ines", "period", "calendar", "2026")
	assert.Equal(t, 0, code)
	assert.Contains(t, out, "05-04 Harbour Day")
	code, out, _ = s.oskel("ines", "register", "rep", "R-12")
	assert.Equal(t, 0, code)
	assert.Contains(t, out, "2026-06-30")
	code, out, _ = s.oskel("ines", "table", "-by", "product", "-groups", "product.family", "-period", "2026-10", "-top", "2", "revenue")
	assert.Equal(t, 0, code)
	assert.Regexp(t, `Below deck +688,744`, out)
}
