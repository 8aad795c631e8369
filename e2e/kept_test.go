package e2e

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
	"oskel/internal/demo"
)

// A table is kept by name, shown as it was asked for, kept again under its number, and put
// on a board with others; what is not shared is one's own.
func TestTablesAreKept(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	ran := func(who string, args ...string) string {
		t.Helper()
		code, out, errs := s.oskel(who, args...)
		require.Zero(t, code, errs)
		return out + errs
	}
	fails := func(who, with string, args ...string) {
		t.Helper()
		code, out, errs := s.oskel(who, args...)
		assert.NotZero(t, code, out)
		assert.Contains(t, errs, with)
	}
	asked := []string{"-by", "rep", "-periods", "2", "-rows", "margin below 25%", "-sort", "2", "-descending", "-marks", "now"}
	with := func(more ...string) []string { return append(append([]string{"table"}, asked...), more...) }
	plain := ran("ana", with("-period", "2026-10", "margin,revenue")...)
	said := ran("ana", with("-keep", "Below 25", "-above", "For the North.", "margin,revenue")...)
	assert.Contains(t, said, "Kept the table Below 25: margin,revenue, by rep")
	assert.Equal(t, "For the North.\n"+plain, ran("ana", "table", "-period", "2026-10", "-kept", "below 25"))
	assert.NotContains(t, ran("ana", "table", "-period", "2026-10", "-periods", "1", "-kept", "Below 25"), "Sep 2026", "what is stated beside it counts")
	fails("rea", `there is no kept table "Below 25"; none is saved yet`, "table", "-kept", "Below 25", "-period", "2026-10")
	fails("ana", "There is no measure", "table", "-keep", "Wrong", "-by", "rep", "margni")
	fails("ana", "dials: there is no dial", "table", "-keep", "Wrong", "-by", "rep", "-dial", "flor=23%", "margin")
	fails("ana", "where:", "table", "-keep", "Wrong", "-by", "rep", "-where", "nobody is 1", "margin")
	fails("ana", "your draft, which is yours alone", "table", "-keep", "Wrong", "-shared", "-by", "rep", "-marks", "draft", "margin")
	fails("ana", "You have no draft", "table", "-keep", "Wrong", "-by", "rep", "-marks", "draft", "margin")
	fails("ana", "-period is missing", "table", "-kept", "Below 25")
	fails("ana", "it takes no measures", "table", "-kept", "Below 25", "revenue")
	fails("ana", "go with -keep", "table", "-shared", "-period", "2026-10", "revenue")

	of := client.ListViewsParamsOfTables
	kept := func(who string) []client.View {
		return want[[]client.View](t, 200)(s.as(who).ListViews(ctx, &client.ListViewsParams{Of: &of}))
	}
	first := kept("ana")[0]
	fails("ana", "Below 25 is yours alone; share it first", "board", "save", "-shared", "-table", "Below 25", "Monday")
	ran("ana", with("-keep", "below 25", "-shared", "margin,revenue")...)
	require.Len(t, kept("rea"), 1)
	assert.Equal(t, first.Id, kept("rea")[0].Id, "links and boards name it by its number")
	assert.Contains(t, ran("rea", "tables"), "margin,revenue, by rep, rows where margin below 25%, 2 periods")
	ran("ana", "board", "save", "-shared", "-above", "To talk about.", "-table", "Below 25", "-trend", "rule", "Monday")
	board := ran("rea", "board", "show", "-period", "2026-10", "monday")
	for _, part := range []string{"To talk about.\n\nbelow 25\n", "Bera Made-Up", "Flagged, by rule", "thin-margin"} {
		assert.Contains(t, board, part)
	}
	fails("rea", "the name is taken", "board", "save", "-shared", "-trend", "desk", "Monday")
	fails("rea", "expected one to four", "board", "save", "Empty")
	ran("ana", "view", "delete", "-of", "tables", "Below 25")
	assert.Contains(t, ran("rea", "board", "show", "-period", "2026-10", "Monday"), "There is no kept table", "the rest of the board stands")

	// A body that keeps nothing, both or neither of a part, and too many.
	lea := s.as("lea")
	tables, boards := client.NewViewOfTables, client.NewViewOfBoards
	refused(t, 400, "invalid-request")(lea.SaveView(ctx, client.NewView{Name: "x", Of: &tables}))
	refused(t, 400, "invalid-request")(lea.SaveView(ctx, client.NewView{Name: "x", Of: &boards, Board: &client.Board{Parts: []client.BoardPart{{}}}}))
	refused(t, 400, "invalid-request")(lea.SaveView(ctx, client.NewView{Name: "x", Of: &boards, Board: &client.Board{Parts: make([]client.BoardPart, 5)}}))
	refused(t, 422, "unknown-table")(lea.SaveView(ctx, client.NewView{Name: "x", Of: &boards,
		Board: &client.Board{Parts: []client.BoardPart{{Table: ptr(first.Id)}}}}))
	ofTables := client.GetViewParamsOfTables
	refused(t, 404, "not-found")(lea.GetView(ctx, first.Id, &client.GetViewParams{Of: &ofTables}))
}

// In the console a table is kept as it is arranged, opened by its link, put on a board, and
// missed when it or one of its measures is gone.
func TestKeptTablesInTheConsole(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("ana", password, "/figures?by=rep.territory&measures=revenue,margin&shade=places&sort=2&up=yes"), p.Sees("North"),
		p.ClickText("Keep"), p.Type("form input[required]", "Territories"), p.Type("form textarea", "Compare with last week."), p.ClickIn("form", "Keep"),
		p.Until("location.search.includes('kept=')"), p.Sees("Compare with last week."), p.Sees("not shared"))
	do(t, p.Follow("/figures/kept"), p.ClickText("Territories"), p.Until("location.pathname === '/figures' && location.search.includes('shade=places')"),
		p.Sees("Kept by"), p.Sees("South"))
	do(t, p.ClickText("Revenue"), p.Sees("Changed here, not yet kept."), p.ClickText("Show it as kept"),
		p.Until("!document.body.innerText.includes('not yet kept')"))

	do(t, p.Follow("/figures/kept"), p.ClickText("New board"), p.Type("form input[required]", "Monday"),
		p.Do("form select", "e.value = [...e.options].find(o => o.text === 'Territories').value; e.dispatchEvent(new Event('change'))"),
		p.Do("form label:nth-child(2) select", "e.value = 'rule'; e.dispatchEvent(new Event('change'))"),
		p.ClickText("Save the board"), p.Sees("Territories; Flagged, by rule"), p.ClickText("Monday"),
		p.Until("location.pathname.startsWith('/boards/')"), p.Sees("Thin margin"), p.Sees("North"), p.Rest())
	found, err := p.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)
	do(t, p.Follow("/overview"), p.Sees("Kept tables and boards"), p.ClickText("Monday"), p.Until("location.pathname.startsWith('/boards/')"))

	// The rulebook loses a measure: the table says so and shows the rest.
	s.publish(strings.NewReplacer("of: margin,", "of: revenue,", "below: 18%", "below: 18", "below: floor", "below: 22",
		"stake: \"(floor - margin) * revenue\"\n", "stake: revenue\n",
		"  margin: {title: Margin rate, formula: \"(revenue - cost) / revenue\", unit: percent}\n", "").Replace(smallBook), 1)
	do(t, p.Go("/figures/kept"), p.ClickText("Territories"), p.Sees("the rulebook has no such measure at this level: margin"), p.Sees("North"))
	do(t, p.Follow("/figures/kept"), p.ClickIn("table", "Delete"), p.ClickText("Delete Territories"), p.Sees("None yet."),
		p.ClickText("Monday"), p.Sees("This kept table is gone"))
	do(t, p.Follow("/tables/99"), p.Sees("there is no kept table 99"))
}

// A kept table has its narrow form too.
func TestABoardOnANarrowScreen(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	own := s.as("nell")
	tables, boards := client.NewViewOfTables, client.NewViewOfBoards
	kept := want[client.View](t, 200)(own.SaveView(ctx, client.NewView{Name: "Rep margins", Of: &tables,
		Table: &client.TableQuery{Measures: "margin_rate", By: ptr("rep"), Periods: ptr(13)}}))
	upright := want[client.View](t, 200)(own.SaveView(ctx, client.NewView{Name: "By period", Of: &tables,
		Table: &client.TableQuery{Measures: "revenue,margin_rate", Periods: ptr(13), Drawn: &map[string]string{"over": "rows"}}}))
	trend, other := client.BoardPartTrendDesk, client.BoardPartTrendRule
	board := want[client.View](t, 200)(own.SaveView(ctx, client.NewView{Name: "Mine", Of: &boards,
		Board: &client.Board{Parts: []client.BoardPart{{Table: &kept.Id}, {Trend: &trend}, {Table: &upright.Id}, {Trend: &other}}}}))
	p := screen(t, s, 390, 800)
	do(t, p.SignIn("nell", demo.Password, "/boards/"+itoa(board.Id)+"?period=2026-10"), p.Sees("Rep margins"), p.Sees("Flagged, by desk"), p.Rest(),
		p.Until("document.querySelector('section[aria-label=\"By period\"] tbody').innerText.includes('Oct 2026')"), // its periods stand in rows
		p.Until("document.documentElement.scrollWidth <= innerWidth + 1"),
		p.Until("document.querySelector('section[aria-label=\"Rep margins\"] [role=region]').scrollLeft > 100")) // the newest is in sight
	found, err := p.AxeLayout(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)
}
