package e2e

import (
	"encoding/csv"
	"fmt"
	"math/big"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/parquet-go/parquet-go"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"oskel/e2e/browser"
	"oskel/internal/client"
	"oskel/internal/demo"
)

// rational reads a decimal, or two with a stroke between.
func rational(t *testing.T, s string) *big.Rat {
	a, b, ratio := strings.Cut(s, "/")
	x, ok := new(big.Rat).SetString(a)
	require.True(t, ok, s)
	if ratio {
		y, ok := new(big.Rat).SetString(b)
		require.True(t, ok, s)
		x.Quo(x, y)
	}
	return x
}

// A register row may hold from a day on: lines before it count in the old
// territory, those after in the new one, and a sweep of an earlier month sees
// the old one.
func TestARepChangesTerritory(t *testing.T) {
	t.Parallel()
	s := small(t)
	by := "rep.territory"
	revenue := func(period string) map[string]string {
		out := map[string]string{}
		for _, r := range want[client.Table](t, 200)(s.as("rea").GetTable(ctx, &client.GetTableParams{Measures: "revenue", By: &by, Period: period})).Rows {
			out[r.Key] = *r.Cells[0].Exact
		}
		return out
	}
	assert.Equal(t, map[string]string{"North": "2000", "South": "1000"}, revenue("2026-09"))
	in := s.load("register", "rep", "rep,name,territory,valid_from\nR1,Arne Made-Up,South,2026-10-06\n")
	assert.Equal(t, map[string]string{"North": "2000", "South": "1000"}, revenue("2026-09"))
	assert.Equal(t, map[string]string{"North": "600.5", "South": "1399.4999"}, revenue("2026-10"))
	key := "North"
	parts := want[client.Parts](t, 200)(s.as("rea").GetBreakdown(ctx, &client.GetBreakdownParams{Measure: "revenue", By: &by, Key: &key, Period: "2026-10"}))
	assert.Equal(t, []any{1, "600.5"}, []any{parts.Total, *parts.Sum})
	want[client.Intake](t, 200)(s.as("ana").RevertIntake(ctx, in.Id))
	assert.Equal(t, map[string]string{"North": "1000", "South": "999.9999"}, revenue("2026-10"))
	p := refused(t, 422, "file-refused")(s.send("register", "rep", "rep,territory,valid_from\nR1,South,2026-10-06\nR1,North,2026-10-06\n"))
	assert.Contains(t, (*p.Faults)[0].Text, "already on line 2; a second row of the same key needs another valid_from")
}

// A register row may state its last day: then no other may begin before it has
// passed, and after it the subject belongs nowhere.
func TestRegisterRowsEnd(t *testing.T) {
	t.Parallel()
	s := small(t)
	const header = "rep,name,territory,valid_from,valid_to\n"
	faults := func(rows string) (out []string) {
		for _, f := range *refused(t, 422, "file-refused")(s.send("register", "rep", header+rows)).Faults {
			out = append(out, fmt.Sprint(*f.Line, " ", f.Text))
		}
		return out
	}
	assert.Equal(t, []string{"3 overlaps line 2: R1 is there from 2026-10-01 to 2026-10-10"}, faults("R1,A,South,2026-10-01,2026-10-10\nR1,A,North,2026-10-10,\n"))
	assert.Equal(t, []string{"2 expected a day not before valid_from, 2026-10-05"}, faults("R1,A,South,2026-10-05,2026-10-04\n"))
	s.load("register", "rep", header+"R1,Arne Made-Up,South,2026-10-02,2026-10-05\n")
	assert.Equal(t, []string{"2 overlaps what the register holds: R1 is there from 2026-10-02 to 2026-10-05"}, faults("R1,A,North,2026-10-05,\n"))
	assert.Equal(t, []string{"2 overlaps what the register holds from 2026-10-02: R1 is there from 2026-10-01 to 2026-10-02"},
		faults("R1,A,North,2026-10-01,2026-10-02\n"))
	by := "rep.territory"
	revenue := func() map[string]string {
		out := map[string]string{}
		for _, r := range want[client.Table](t, 200)(s.as("rea").GetTable(ctx, &client.GetTableParams{Measures: "revenue", By: &by, Period: "2026-10"})).Rows {
			if r.Why == nil {
				out[r.Key] = *r.Cells[0].Exact
			}
		}
		return out
	}
	ended := revenue()
	assert.Contains(t, ended, "without a territory", "what was sold after the last day counts for no territory")
	history := want[[]client.RegisterEntry](t, 200)(s.as("rea").GetSubject(ctx, "rep", "R1"))
	assert.Equal(t, "2026-10-05", *history[0].ValidTo)
	s.load("register", "rep", header+"R1,Arne Made-Up,North,2026-10-06,\n")
	back := revenue()
	assert.NotContains(t, back, "without a territory", "the next row begins on the next day")
	assert.Equal(t, ended["South"], back["South"])
}

// What a correction replaced can still be asked for, as of the data version
// before it.
func TestFiguresAsOfAnEarlierVersion(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.load("feed", "sales", corrected, replace("2026-10"))
	revenue := func(version int64) string {
		p := &client.GetTableParams{Measures: "revenue", Period: "2026-10"}
		if version > 0 {
			p.Version = &version
		}
		cell := want[client.Table](t, 200)(s.as("rea").GetTable(ctx, p)).Whole[0]
		if cell.Exact == nil {
			return *cell.Why
		}
		return *cell.Exact
	}
	assert.Equal(t, []string{"2900", "2900", "1999.9999", "no lines in the period"}, []string{revenue(0), revenue(4), revenue(3), revenue(2)})
	refused(t, 404, "no-such-version")(s.as("rea").GetTable(ctx, &client.GetTableParams{Measures: "revenue", Period: "2026-10", Version: ptr(int64(9))}))
	by, key := "rep", "R2"
	then := want[client.Parts](t, 200)(s.as("rea").GetBreakdown(ctx,
		&client.GetBreakdownParams{Measure: "revenue", By: &by, Key: &key, Period: "2026-10", Version: ptr(int64(3))}))
	assert.Equal(t, "999.9999", *then.Sum)
}

// A target of a quarter or year is spread over its months, to the last cent.
func TestTargetsAreSpread(t *testing.T) {
	t.Parallel()
	s := newService(t)
	defer s.stop()
	s.publish("calendar: {month_weights: [1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 2, 3]}\n"+smallBook, 0)
	s.load("register", "rep", smallReps)
	s.load("feed", "sales", smallSales)
	s.load("targets", "rep", "rep,month,revenue\nR1,2026-Q4,100.01\nR2,2026,1500\n")
	s.sweep("2026-10")
	found := s.exceptions("2026-10")
	// R1: a sixth of 100.01 is 16.67, met; R2: a fifteenth of 1,500 is 100, met.
	assert.NotContains(t, found, "behind R1")
	assert.NotContains(t, found, "behind R2")
	s.publish(strings.Replace("calendar: {month_weights: [1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 2, 3]}\n"+smallBook, "measures:\n",
		"measures:\n  aim: {formula: \"target(revenue)\", groups: own figures, unit: money, places: 2}\n", 1), 1)
	by := "rep"
	three := 3
	table := want[client.Table](t, 200)(s.as("rea").GetTable(ctx, &client.GetTableParams{Measures: "aim", By: &by, Period: "2026-12", Periods: &three}))
	assert.Equal(t, []string{"16.67", "33.34", "50.00"}, []string{table.Rows[0].Cells[0].Text, table.Rows[0].Cells[1].Text, table.Rows[0].Cells[2].Text})
	p := refused(t, 422, "file-refused")(s.send("targets", "rep", "rep,month,revenue\nR1,2026-Q4,5\nR1,2026-11,5\n"))
	assert.Contains(t, (*p.Faults)[0].Text, "already has targets for 2026-11 on line 2")
}

// Two intakes into one feed at once come one after the other, never mixed.
func TestTwoIntakesAtOnce(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.as("ana") // signed in before the race
	var wait sync.WaitGroup
	ids := make([]int64, 6)
	for i := range ids {
		wait.Add(1)
		go func() {
			defer wait.Done()
			ids[i] = s.load("feed", "sales", salesHead+strings.Repeat(fmt.Sprintf("2026-10-%02d,P%d,R1,1,0\n", i+1, i), 3000)).Id
		}()
	}
	wait.Wait()
	slices.Sort(ids)
	assert.Equal(t, []int64{4, 5, 6, 7, 8, 9}, ids)
	table := want[client.Table](t, 200)(s.as("rea").GetTable(ctx, &client.GetTableParams{Measures: "revenue", Period: "2026-10"}))
	assert.Equal(t, "19999.9999", *table.Whole[0].Exact)
}

// From any number to its parts and to the lines behind it, which add up to it.
func TestPartsAddUp(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	c := s.as("nell")
	by, key := "rep", "R-17"
	get := func(measure string) client.Parts {
		return want[client.Parts](t, 200)(c.GetBreakdown(ctx, &client.GetBreakdownParams{Measure: measure, By: &by, Key: &key, Period: "2026-10"}))
	}
	rate := get("margin_rate")
	assert.Equal(t, "17.1%", rate.Cell.Text)
	assert.Equal(t, "revenue cost", rate.Parts[0].Measure+" "+rate.Parts[1].Measure)
	for _, name := range []string{"revenue", "online", "order_lines"} {
		p := get(name)
		require.NotEmpty(t, p.Lines)
		if name == "order_lines" {
			assert.Equal(t, fmt.Sprint(p.Total), *p.Cell.Exact)
			continue
		}
		assert.Equal(t, *p.Cell.Exact, *p.Sum)
	}
	by, key = "rep.territory", "The Sounds"
	territory := get("revenue")
	assert.Equal(t, *territory.Cell.Exact, *territory.Sum)
	key = "Nowhere"
	refused(t, 404, "not-found")(c.GetBreakdown(ctx, &client.GetBreakdownParams{Measure: "revenue", By: &by, Key: &key, Period: "2026-10"}))
}

func TestTableQuestionsThatCannotBe(t *testing.T) {
	t.Parallel()
	c := demoService(t).as("nell")
	ask := func(measures, by, period string, edit func(*client.GetTableParams)) func(status int, kind string) client.Problem {
		p := &client.GetTableParams{Measures: measures, By: &by, Period: period}
		if edit != nil {
			edit(p)
		}
		return func(status int, kind string) client.Problem { return refused(t, status, kind)(c.GetTable(ctx, p)) }
	}
	assert.Contains(t, *ask("revenu", "rep", "2026-10", nil)(400, "unknown-measure").Detail, "did you mean revenue?")
	assert.Contains(t, *ask("revenue", "rep.teritory", "2026-10", nil)(400, "unknown-level").Detail, "did you mean rep.territory?")
	ask("revenue", "rep", "October", nil)(400, "invalid-request")
	assert.Contains(t, *ask("revenue / (cost", "rep", "2026-10", nil)(400, "formula-refused").Detail, "expected ')'")
	assert.Contains(t, *ask("revenue + order_lines", "rep", "2026-10", nil)(400, "formula-refused").Detail, "adding money and count")
	many, most, column := 60, 1000, 9
	ask("revenue,cost", "rep", "2026-10", func(p *client.GetTableParams) { p.Periods, p.Limit = &many, &most })(400, "too-wide")
	across := func(by, level, why string) {
		assert.Contains(t, *ask("revenue", by, "2026-10", func(p *client.GetTableParams) { p.Across = &level })(400, why).Detail, "across")
	}
	across("rep", "rep.territory", "unknown-level")
	across("rep", "product.colour", "unknown-level")
	across("rep x product", "customer.category", "unknown-level")
	across("rep", "customer", "too-wide")
	crossed := ask("revenue,cost", "rep", "2026-10", func(p *client.GetTableParams) { p.Across = ptr("product.family") })
	assert.Contains(t, *crossed(400, "invalid-request").Detail, "one measure")
	ask("revenue", "rep", "2026-10", func(p *client.GetTableParams) { p.Marks = ptr(client.MarksFromDraft) })(404, "not-found")
	ask("revenue", "rep", "2026-10", func(p *client.GetTableParams) { p.Sort = &column })(400, "invalid-request")
	empty := want[client.Table](t, 200)(c.GetTable(ctx, &client.GetTableParams{Measures: "revenue", Period: "2019-01"}))
	require.Len(t, empty.Rows, 1, "the whole is there, without a figure")
	assert.Equal(t, 1, empty.Without)
	assert.Equal(t, "no lines in the period", *empty.Whole[0].Why)
}

func TestTableFromTheCommandLine(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	code, out, errs := s.oskel("ines", "table", "-by", "rep", "-period", "2026-10", "-sort", "2", "-top", "3", "revenue,margin_rate")
	assert.Equal(t, 0, code, errs)
	assert.Regexp(t, `R-17 +Pellam Halyardin +13,612 +17\.1%`, out)
	assert.Contains(t, out, "Total")
	_, out, _ = s.oskel("ines", "table", "-by", "rep", "-period", "2026-10", "-format", "csv", "revenue")
	rows, err := csv.NewReader(strings.NewReader(out)).ReadAll()
	require.NoError(t, err)
	assert.Equal(t, []string{"key", "name", "revenue 2026-10", "mark thin-margin 2026-10"}, rows[0][:4])
	dir := t.TempDir()
	for _, ending := range []string{".xlsx", ".parquet", ".csv", ".json"} {
		code, _, errs = s.oskel("ines", "table", "-by", "rep", "-period", "2026-10", "-o", filepath.Join(dir, "t"+ending), "revenue,growth_year")
		assert.Equal(t, 0, code, errs)
	}
	x, err := excelize.OpenFile(filepath.Join(dir, "t.xlsx"))
	require.NoError(t, err)
	cells, err := x.GetRows("Figures", excelize.Options{RawCellValue: true})
	require.NoError(t, err)
	assert.Len(t, cells, len(rows)+4, "three lines over the head, and the total")
	type row struct {
		Key     string `parquet:"key"`
		Revenue *int64 `parquet:"revenue 2026-10,optional"`
	}
	read, err := parquet.ReadFile[row](filepath.Join(dir, "t.parquet"))
	require.NoError(t, err)
	found := map[string]int64{}
	for _, r := range read {
		if r.Revenue != nil {
			found[r.Key] = *r.Revenue
		}
	}
	assert.Equal(t, int64(136120600), found["R-17"])
	code, _, _ = s.oskel("ines", "table", "-period", "2026-10", "-o", filepath.Join(dir, "t.doc"), "revenue")
	assert.Equal(t, 2, code)
	code, out, errs = s.oskel("ines", "breakdown", "-by", "rep", "-key", "R-17", "-period", "2026-10", "revenue")
	assert.Equal(t, 0, code)
	assert.Contains(t, out, "Revenue of Pellam Halyardin in Oct 2026: 13,612")
	assert.Contains(t, errs, "they add up to 13612.06.")
	code, out, _ = s.oskel("ines", "rulebook", "measures")
	assert.Equal(t, 0, code)
	assert.Contains(t, out, "history(revenue, 12, median)")
}

// The analyst's way through the figures: choose, sort, shade, follow a number
// to its lines; the URL holds it all.
func TestFiguresPage(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("ines", demo.Password), p.ClickText("Figures"), p.Sees("Total"), p.Sees("Pellam Mizzenfold"))
	do(t, p.ClickText("4 measures"), p.ClickText("Margin rate"), p.Press("Escape"), p.Until("location.search.includes('measures=')"), p.Sees("3 measures"))
	do(t, p.Follow("/figures?measures=revenue,margin_rate&sort=2&up=yes"), p.Sees("17.1%"))
	first, err := browser.Value[string](p, "document.querySelector('tbody tr').innerText")
	require.NoError(t, err)
	assert.Contains(t, first, "Pellam Halyardin")
	do(t, p.Click("tbody tr td:nth-child(3) button"), p.Sees("(revenue - cost) / revenue"), p.Sees("Made of"), p.Click("aside li button"),
		p.Sees("adding up to 13,612.06"))
	found, err := p.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)
	do(t, p.Follow("/figures?by=rep.territory&over=months&shade=bars"), p.Sees("Skerry Coast"), p.Sees("Nov 2025"))
	do(t, p.Dark(true))
	found, err = p.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)
	do(t, p.Follow("/figures"), p.Type("input.font-mono", "target(revenue) - 1"), p.Press("Enter"), p.Sees("target(revenue) - 1"),
		p.Until("location.search.includes('formula')"))
	do(t, p.Follow("/figures?formula=growht(revenue)"), p.Sees("did you mean growth?"))
	do(t, p.Follow("/figures?text=nobody"), p.Sees("No match."))
}

// Nine hundred customers and more: rows come as they are scrolled to, and the
// last is reached by the keyboard alone.
func TestLongListsAreScrolled(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("ines", demo.Password, "/figures?by=customer+x+product&sort=0&up=yes"), p.Sees("3,102 rows"), p.Sees("Total"))
	drawn, err := browser.Value[int](p, "document.querySelectorAll('tbody tr').length")
	require.NoError(t, err)
	assert.Less(t, drawn, 60)
	do(t, p.Do("[role=region]", "e.focus()"), p.PressUntil("End",
		"[...document.querySelectorAll('tbody tr[aria-rowindex]')].some(r => Number(r.ariaRowIndex) > 2500 && !r.innerText.includes('…'))"))
	do(t, p.Follow("/figures?by=product&groups=product.family,product.category&measures=revenue,margin_rate"), p.Sees("Below deck"),
		p.Sees("Subtotals by family, category"), p.Sees("1st"))
	do(t, p.Click("tbody tr:nth-child(1) td button"), p.Sees("adding up to 688,744.01"), p.Until("location.search.includes('product.family')"))
	do(t, p.Follow("/figures?window=spring-fair-2026"), p.Sees("Spring fair 2026"), p.Sees("517,618"))
}

// Registers with their history, targets with what is missing, the calendar
// drawn: looked through as an analyst would.
func TestDataRooms(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("ines", demo.Password, "/data"), p.ClickText("Registers"), p.Sees("45 subjects"), p.Sees("until 30 Jun 2026"))
	do(t, p.Type("input[type=search]", "skerry"), p.Sees("8 subjects"), p.Click("tbody button"), p.Sees("What the register said"), p.Sees("Since ever"),
		p.Press("Escape"))
	do(t, p.ClickText("Targets"), p.Sees("1 target missing"), p.ClickText("All subjects"), p.ClickText("Only those that lack one"),
		p.Sees("Orrindo Halyardin"), p.Sees("1 subject"))
	do(t, p.ClickText("Calendar"), p.Sees("Harbour Day"), p.Sees("22 working days"), p.Click("[aria-label='Previous year, 2025']"),
		p.Sees("Spring fair 2025"), p.Until("location.search === '?year=2025'"))
}

// An intake is taken back where it is listed, after a word on what that does;
// a reviewer sees the list and nothing to press.
func TestTakingBackInTheConsole(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.load("feed", "sales", salesHead+"2026-10-06,B1,R1,100,70\n", replace("2026-W41"))
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("ana", password, "/data"), p.Sees("feed sales, replaces 2026-W41"), p.Sees("Oct 2026"))
	do(t, p.Click("tbody button"), p.Sees("Revert sales.csv?"), p.Sees("Its 1 row no longer counts"))
	do(t, p.ClickText("Cancel"), p.Until("!document.querySelector('[role=dialog]')"))
	assert.Equal(t, "100", s.revenue("2026-10"))
	do(t, p.Click("tbody button"), p.ClickText("Revert intake 4"), p.Sees("reverted by intake 5"))
	assert.Equal(t, "1999.9999", s.revenue("2026-10"))
	// One that another has taken back meanwhile: told.
	do(t, p.Click("tbody button"), p.Sees("Revert sales.csv?"))
	want[client.Intake](t, 200)(s.as("lea").RevertIntake(ctx, 3))
	do(t, p.ClickText("Revert intake 3"), p.Sees("intake 3 was already reverted by intake 6"))

	p = screen(t, s, 1280, 800)
	do(t, p.SignIn("rea", password, "/data"), p.Sees("replaces 2026-W41"), p.Until("!document.querySelector('tbody button')"))
}

// Pages are those of one grid until the data or the question change: what
// comes in is seen by the next page, and an earlier version still pages as it
// was.
func TestPagesFollowTheData(t *testing.T) {
	t.Parallel()
	s := small(t)
	by, one, sort, down := "rep", 1, 1, true
	page := func(cursor int, version int64) client.Table {
		p := &client.GetTableParams{Measures: "revenue", By: &by, Period: "2026-10", Limit: &one, Sort: &sort, Descending: &down, Cursor: ptr(fmt.Sprint(cursor))}
		if version > 0 {
			p.Version = &version
		}
		return want[client.Table](t, 200)(s.as("rea").GetTable(ctx, p))
	}
	first, second := page(0, 0), page(1, 0)
	assert.Equal(t, []any{"R1", "R2", 3, 3}, []any{first.Rows[0].Key, second.Rows[0].Key, first.Total, second.Total})
	before := s.load("feed", "sales", salesHead+"2026-10-20,D1,R2,1,1\n").Id
	assert.Equal(t, []any{"R2", "1000.9999"}, []any{page(0, 0).Rows[0].Key, *page(0, 0).Rows[0].Cells[0].Exact})
	s.load("feed", "sales", salesHead+"2026-10-21,D2,R3,5000,1\n")
	now := page(0, 0)
	assert.Equal(t, []any{"R3", 3}, []any{now.Rows[0].Key, now.Total})
	then := page(0, before)
	assert.Equal(t, []any{"R2", 3}, []any{then.Rows[0].Key, then.Total})
	assert.Equal(t, "R1", page(1, before).Rows[0].Key)
	assert.Equal(t, "R2", page(1, 0).Rows[0].Key, "asking as of before leaves the newest as they are")
	assert.Empty(t, page(9, 0).Rows)
	up := !down
	down = up
	assert.Equal(t, "R2", page(1, 0).Rows[0].Key)
	assert.Equal(t, "R1", page(0, 0).Rows[0].Key, "another order is another grid")
	// A revision that defines the measure otherwise is another grid, too.
	s.publish(strings.Replace(smallBook, "revenue: {title: Revenue, sum: sales.net", "revenue: {title: Revenue, sum: sales.cost", 1), 1)
	assert.Equal(t, "1", *page(0, 0).Rows[0].Cells[0].Exact, "what R3's line cost")
}

// A group of another kind than is asked for is refused, not taken for the own
// group of that name.
func TestAGroupOfAnotherKind(t *testing.T) {
	t.Parallel()
	c := demoService(t).as("nell")
	by := "rep"
	p := refused(t, 400, "not-askable")(c.GetTable(ctx, &client.GetTableParams{Measures: "share(revenue, customer.territory)", By: &by, Period: "2026-10"}))
	assert.Contains(t, *p.Detail, "customer.territory")
	want[client.Table](t, 200)(c.GetTable(ctx, &client.GetTableParams{Measures: "share(revenue, rep.territory)", By: &by, Period: "2026-10"}))
}
