package e2e

import (
	"bytes"
	"cmp"
	"encoding/json"
	"io"

	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"oskel/internal/client"
	"oskel/internal/demo"
)

// Every order both ways, gathered by everything there is, in pages: each has all, once;
// groups stand together, and their counts and stakes are those of their rows.
func TestExceptionsInOrderAndGathered(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	all := want[client.ExceptionPage](t, 200)(s.as("ines").ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-10"}))
	groupOf := map[string]func(client.Exception) string{
		"grade": func(x client.Exception) string { return x.Grade }, "rule": func(x client.Exception) string { return x.Rule },
		"kind": func(x client.Exception) string { return x.Kind },
		"desk": func(x client.Exception) string { return x.Desk }, "state": func(x client.Exception) string { return string(x.State) },
		"subject": func(x client.Exception) string { return x.Kind + " " + x.Key },
	}
	for _, attribute := range []string{"territory", "category"} {
		groupOf[attribute] = attributeOf(t, s, attribute)
	}
	for _, sort := range []string{"grade", "subject", "rule", "state", "stake", "streak", "beyond", "desk"} {
		for _, descending := range []bool{false, true} {
			for group := range groupOf {
				p := &client.ListExceptionsParams{Period: "2026-10", Sort: ptr(client.ListExceptionsParamsSort(sort)), Group: ptr(group), Descending: &descending,
					Limit: ptr(9)}
				var list []client.Exception
				var first client.ExceptionPage
				for {
					page := want[client.ExceptionPage](t, 200)(s.as("ines").ListExceptions(ctx, p))
					if list == nil {
						first = page
					}
					list = append(list, page.Items...)
					if page.Next == nil {
						break
					}
					p.Cursor = page.Next
				}
				require.Len(t, list, all.Total, "%s by %s", sort, group)
				seen, counts := map[int64]bool{}, map[string]int{}
				last := ""
				for i, x := range list {
					assert.False(t, seen[x.Id])
					seen[x.Id] = true
					of := groupOf[group](x)
					if i > 0 && of != last {
						assert.Zero(t, counts[of], "%s by %s: %s stands apart", sort, group, of)
					}
					counts[of]++
					last = of
				}
				told := map[string]int{}
				for _, g := range *first.Groups {
					told[g.Name] = g.Count
				}
				assert.Equal(t, counts, told)
			}
		}
	}
}

// attributeOf is the value of an attribute of whom an exception is of at the end of
// October, by the registers; of a level by the attribute it is the key.
func attributeOf(t *testing.T, s *service, attribute string) func(client.Exception) string {
	values := map[string]string{}
	for _, kind := range []string{"rep", "customer", "product"} {
		p := &client.GetRegisterParams{At: ptr("2026-10-31"), Limit: ptr(1000)}
		for {
			page := want[client.RegisterPage](t, 200)(s.as("ines").GetRegister(ctx, kind, p))
			if at := slices.Index(page.Attributes, attribute); at >= 0 {
				for _, row := range page.Rows {
					values[kind+" "+row.Key] = row.Values[at]
				}
			}
			if page.Next == nil {
				break
			}
			p.Cursor = page.Next
		}
	}
	return func(x client.Exception) string {
		if strings.HasSuffix(x.Kind, "."+attribute) {
			return x.Key
		}
		return values[x.Kind+" "+x.Key]
	}
}

// What a list cannot be gathered by is said, with what it can.
func TestGatheredByWhatThereIsNot(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	p := refused(t, 400, "unknown-filter")(s.as("ines").ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-10", Group: ptr("teritory")}))
	assert.Equal(t, "unknown group \"teritory\"; did you mean territory?; group by grade, rule, kind, desk, state, subject, territory, manager, "+
		"category or family", *p.Detail)
	code, out, errs := s.oskel("ines", "exceptions", "-period", "2026-10", "-group", "territory", "-kind", "rep")
	assert.Equal(t, 0, code, errs)
	assert.Contains(t, errs, "Skerry Coast: ")
	assert.Contains(t, out, "R-17")
}

// What a filter's choices say they would leave is what they leave.
func TestFacets(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	flagged := client.ListExceptionsParamsState("flagged")
	base := client.ListExceptionsParams{Period: "2026-10", State: &flagged, Grade: ptr("look")}
	page := want[client.ExceptionPage](t, 200)(s.as("ines").ListExceptions(ctx, &base))
	for _, g := range page.Facets.Grade {
		p := base
		p.Grade = &g.Name
		assert.Equal(t, g.Count, want[client.ExceptionPage](t, 200)(s.as("ines").ListExceptions(ctx, &p)).Total, g.Name)
	}
	for _, g := range page.Facets.Desk {
		p := base
		p.Desk = &g.Name
		assert.Equal(t, g.Count, want[client.ExceptionPage](t, 200)(s.as("ines").ListExceptions(ctx, &p)).Total, g.Name)
	}
	assert.Len(t, page.Facets.State, 3, "the states that are not asked for are counted too")
	number := func(text string) float64 {
		n, err := strconv.ParseFloat(strings.ReplaceAll(cmp.Or(text, "0"), ",", ""), 64)
		require.NoError(t, err, text)
		return n
	}
	// At stake: each subject's by the rule that puts most at stake, and kinds apart.
	most, kinds := map[string]map[string]float64{}, map[string]string{}
	for _, x := range page.Items {
		if most[x.Kind] == nil {
			most[x.Kind] = map[string]float64{}
		}
		if x.Stake != "" {
			most[x.Kind][x.Key] = max(most[x.Kind][x.Key], number(x.Stake))
		}
	}
	for _, g := range page.Facets.Kind {
		kinds[strings.ToLower(g.Title)] = g.Name
	}
	parts := strings.Split(*page.Stake, ", ")
	assert.Len(t, parts, 3, *page.Stake)
	for _, part := range parts {
		amount, kind, _ := strings.Cut(part, " in ")
		sum := 0.0
		for _, stake := range most[kinds[kind]] {
			sum += stake
		}
		assert.InDelta(t, sum, number(amount), 10, "%s: each is rounded", part)
	}
	// The empty answer.
	none := want[client.ExceptionPage](t, 200)(s.as("ines").ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-10", Text: ptr("nobody at all")}))
	assert.Empty(t, none.Items)
	assert.Nil(t, none.Stake)
}

// A flag has a life: new, in a row, cleared, back again; the marks tell it.
func TestTheLifeOfAFlag(t *testing.T) {
	t.Parallel()
	s := small(t)
	lines := salesHead
	for month, margin := range map[string]string{"06": "850", "07": "850", "08": "500", "09": "850", "10": "850"} {
		lines += "2026-" + month + "-20,L" + month + ",R1,1000000," + margin + "000\n"
	}
	s.load("feed", "sales", lines, again)
	streaks, states := map[string]int{}, map[string]string{}
	back := map[string]bool{}
	for _, month := range []string{"2026-06", "2026-07", "2026-08", "2026-09", "2026-10"} {
		s.sweep(month)
		for _, x := range want[client.ExceptionPage](t, 200)(s.as("rea").ListExceptions(ctx,
			&client.ListExceptionsParams{Period: month, Rule: ptr("thin-margin"), Key: ptr("R1")})).Items {
			states[month], back[month] = string(x.State), x.Back != nil
			if x.Streak != nil {
				streaks[month] = *x.Streak
			}
			if month == "2026-10" {
				marks := ""
				for _, m := range *x.Marks {
					marks += (m + ".")[:1]
				}
				assert.Equal(t, "........aa-aa", marks)
			}
		}
	}
	assert.Equal(t, map[string]string{"2026-06": "raised", "2026-07": "standing", "2026-08": "cleared", "2026-09": "raised", "2026-10": "standing"}, states)
	assert.Equal(t, map[string]int{"2026-06": 1, "2026-07": 2, "2026-09": 1, "2026-10": 2}, streaks)
	assert.Equal(t, map[string]bool{"2026-06": false, "2026-07": false, "2026-08": false, "2026-09": true, "2026-10": false}, back)
}

// Views are kept by name: one's own, and those for all, which a lead can forget.
func TestViews(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	code, _, errs := s.oskel("ana", "view", "save", "-grade", "act", "-sort", "stake", "-descending", "Act first")
	assert.Equal(t, 0, code, errs)
	shared := want[client.View](t, 200)(s.as("ana").SaveView(ctx,
		client.NewView{Name: "For all", Shared: ptr(true), Query: &client.ViewQuery{Rule: ptr("behind")}}))
	names := func(who string) (out []string) {
		for _, v := range want[[]client.View](t, 200)(s.as(who).ListViews(ctx, &client.ListViewsParams{})) {
			out = append(out, v.Name)
		}
		return out
	}
	assert.Equal(t, []string{"Act first", "For all"}, names("ana"))
	assert.Equal(t, []string{"For all"}, names("rea"))
	_, narrowed, _ := s.oskel("ana", "exceptions", "-period", "2026-10", "-view", "act FIRST", "-format", "csv")
	_, plain, _ := s.oskel("ana", "exceptions", "-period", "2026-10", "-grade", "act", "-sort", "stake", "-descending", "-format", "csv")
	assert.Equal(t, plain, narrowed)
	_, stated, _ := s.oskel("ana", "exceptions", "-period", "2026-10", "-view", "Act first", "-grade", "look", "-format", "csv")
	assert.NotEqual(t, plain, stated, "what is stated beside a view counts")
	code, _, errs = s.oskel("rea", "exceptions", "-period", "2026-10", "-view", "Act first")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, `there is no view "Act first"; saved: For all`)
	// The same name again is the same view; another's shared name is taken.
	want[client.View](t, 200)(s.as("ana").SaveView(ctx, client.NewView{Name: "act first", Query: &client.ViewQuery{}}))
	assert.Equal(t, []string{"act first", "For all"}, names("ana"))
	refused(t, 409, "name-taken")(s.as("rea").SaveView(ctx, client.NewView{Name: "for all", Shared: ptr(true), Query: &client.ViewQuery{}}))
	refused(t, 404, "not-found")(s.as("rea").DeleteView(ctx, shared.Id))
	r, err := s.as("lea").DeleteView(ctx, shared.Id)
	require.NoError(t, err)
	assert.Equal(t, 204, r.StatusCode)
	assert.Empty(t, names("rea"))
	for range 100 {
		r, err := s.as("rea").SaveView(ctx, client.NewView{Name: "v" + itoa(int64(len(names("rea")))), Query: &client.ViewQuery{}})
		require.NoError(t, err)
		r.Body.Close()
	}
	refused(t, 409, "too-many")(s.as("rea").SaveView(ctx, client.NewView{Name: "one more", Query: &client.ViewQuery{}}))
}

// A workbook has typed cells, a filter and a legend; JSON and CSV have the same rows.
func TestExceptionFiles(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	dir := t.TempDir()
	all := want[client.ExceptionPage](t, 200)(s.as("ines").ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-10"}))
	code, _, errs := s.oskel("ines", "exceptions", "-period", "2026-10", "-state", "all", "-o", filepath.Join(dir, "october.xlsx"))
	require.Equal(t, 0, code, errs)
	f, err := excelize.OpenFile(filepath.Join(dir, "october.xlsx"))
	require.NoError(t, err)
	defer f.Close()
	assert.Equal(t, []string{"Exceptions", "Legend"}, f.GetSheetList())
	rows, err := f.GetRows("Exceptions")
	require.NoError(t, err)
	assert.Len(t, rows, all.Total+1)
	typeOf := func(cell string) excelize.CellType {
		kind, err := f.GetCellType("Exceptions", cell)
		require.NoError(t, err)
		return kind
	}
	assert.Contains(t, []excelize.CellType{excelize.CellTypeUnset, excelize.CellTypeNumber}, typeOf("A2"))
	assert.Equal(t, excelize.CellTypeInlineString, typeOf("C2"))
	legend, err := f.GetRows("Legend")
	require.NoError(t, err)
	text := ""
	for _, r := range legend {
		text += strings.Join(r, "|") + "\n"
	}
	assert.Contains(t, text, "grade|act|Act now|1 of 2")
	assert.Contains(t, text, "rule|thin-margin|Margin under the floor|Each month, for every rep")
	assert.Contains(t, text, "column|streak|In a row|")
	tables, err := f.GetTables("Exceptions")
	require.NoError(t, err)
	assert.Len(t, tables, 1, "which filters")

	file := func(form string) []byte {
		r, err := s.as("ines").ExportExceptionFile(ctx, &client.ExportExceptionFileParams{Form: client.ExportExceptionFileParamsForm(form), Period: "2026-10"})
		require.NoError(t, err)
		defer r.Body.Close()
		require.Equal(t, 200, r.StatusCode)
		assert.Contains(t, r.Header.Get("Content-Disposition"), "exceptions-2026-10."+form)
		body, err := io.ReadAll(r.Body)
		require.NoError(t, err)
		return body
	}
	var objects []map[string]any
	require.NoError(t, json.Unmarshal(file("json"), &objects))
	assert.Len(t, objects, all.Total)
	assert.Equal(t, float64(all.Items[0].Id), objects[0]["id"])
	assert.Nil(t, objects[0]["event"])
	assert.Equal(t, all.Total+1, bytes.Count(file("csv"), []byte("\n")))
	assert.True(t, bytes.HasPrefix(file("parquet"), []byte("PAR1")))
	refused(t, 400, "unknown-filter")(s.as("ines").ExportExceptionFile(ctx,
		&client.ExportExceptionFileParams{Form: "xlsx", Period: "2026-10", Grade: ptr("actt")}))
	var nothing []any
	r, err := s.as("ines").ExportExceptionFile(ctx, &client.ExportExceptionFileParams{Form: "json", Period: "2026-10", Text: ptr("nobody at all")})
	require.NoError(t, err)
	require.NoError(t, json.NewDecoder(r.Body).Decode(&nothing))
	assert.Empty(t, nothing)
	_, err = os.Stat(filepath.Join(dir, "october.xlsx"))
	require.NoError(t, err)
}

// The list in the console: choices with their counts, groups, a view that is kept, and
// paper, on which every row stands.
func TestTheListInTheConsole(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("ines", demo.Password, "/exceptions?period=2026-10&group=desk"), p.Sees("Northfirth desk"), p.Sees("4 exceptions"),
		p.Sees("in a row"), p.Sees("at stake"))
	do(t, p.ClickText("All grades"), p.Sees("Act now ("), p.Press("Escape"))
	do(t, p.ClickText("Save view"), p.Type("form input", "By desks"), p.ClickIn("form", "Keep"), p.Sees("Delete view"), p.ClickText("Delete view"),
		p.Sees("Save view"))
	found, err := p.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)
	do(t, p.ClickText("Export"), p.Sees("Workbook (XLSX), with legend"), p.Press("Escape"))
	paper, err := p.PDF()
	require.NoError(t, err)
	assert.True(t, bytes.HasPrefix(paper, []byte("%PDF")))
}

// A group lit up: whom the subject shares an attribute's value with, in the line-up and
// in the history, and nobody else.
func TestAGroupLitUp(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	of := attributeOf(t, s, "territory")
	x := s.exceptions("2026-10")["thin-margin R-17"]
	up := want[client.Ranking](t, 200)(s.as("ines").GetRanking(ctx, x.Rule, &client.GetRankingParams{Period: "2026-10", Key: &x.Key, Beside: ptr("territory")}))
	lit := []string{}
	for _, p := range up.Points {
		same := of(client.Exception{Kind: "rep", Key: p.Key}) == of(x)
		assert.Equal(t, same, p.Beside != nil, p.Key)
		if same && p.Key != x.Key {
			lit = append(lit, p.Key)
		}
	}
	require.Greater(t, len(lit), 2)
	slices.Sort(lit)
	d := want[client.ExceptionDetail](t, 200)(s.as("ines").GetException(ctx, x.Id, &client.GetExceptionParams{Beside: ptr("territory")}))
	told := []string{}
	for _, b := range *d.History.Beside {
		told = append(told, b.Key)
		require.Len(t, b.Held, len(d.History.Points))
		for _, p := range up.Points {
			if p.Key == b.Key {
				assert.InDelta(t, p.Held, *b.Held[len(b.Held)-1], 1e-12)
			}
		}
	}
	assert.Subset(t, told, lit)
	assert.NotContains(t, told, x.Key)
	none := want[client.ExceptionDetail](t, 200)(s.as("ines").GetException(ctx, x.Id, nil))
	assert.Nil(t, none.History.Beside)
	p := refused(t, 400, "unknown-filter")(s.as("ines").GetException(ctx, x.Id, &client.GetExceptionParams{Beside: ptr("category")}))
	assert.Contains(t, *p.Detail, "no attribute \"category\"")
	refused(t, 400, "unknown-filter")(s.as("ines").GetRanking(ctx, x.Rule, &client.GetRankingParams{Period: "2026-10", Key: &x.Key, Beside: ptr("category")}))
}
