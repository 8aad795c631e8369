package e2e

import (
	"fmt"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/e2e/browser"
	"oskel/internal/client"
	"oskel/internal/demo"
)

// drop lets go of a file over the data page.
func drop(p *browser.Page, name, body string) error {
	return p.Do("[aria-label='Take a file in'] label", fmt.Sprintf(`
		const data = new DataTransfer();
		data.items.add(new File([%s], %s, {type: 'text/csv'}));
		e.dispatchEvent(new DragEvent('drop', {dataTransfer: data, bubbles: true, cancelable: true}))`, strconv.Quote(body), strconv.Quote(name)))
}

// A file is dropped on the data page: its faults stand at their cells, its
// report beside the months before; then it is loaded.
func TestAFileIsTakenInOnTheDataPage(t *testing.T) {
	t.Parallel()
	s := small(t)
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("ana", password, "/data"), p.Sees("Drop a CSV file here"))
	do(t, drop(p, "november.csv", salesHead+"2026-11-02,N1,R9,50,40\n2026-11-03,N2,R1,1.23456,40\n"), p.Sees("november.csv"), p.ClickText("Check"))
	do(t, p.Sees("2 faults"), p.Sees("R9"), p.Sees("unknown rep"), p.Sees("more than four decimal places"))
	assert.Equal(t, "", s.revenue("2026-11"))
	do(t, drop(p, "november.csv", salesHead+"2026-11-02,N1,R1,50,40\n2026-10-07,A6,R2,999.9999,900\n"), p.ClickText("Check"), p.Sees("Nov 2026"),
		p.Sees("Oct 2026"), p.Sees("1 of the 2 lines is equal to a line that is there already"))
	found, err := p.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)
	assert.Equal(t, "", s.revenue("2026-11"), "nothing is taken in by looking")
	do(t, p.ClickText("Import anyway"), p.Sees("intake 4"))
	assert.Equal(t, "50", s.revenue("2026-11"))
	assert.Equal(t, "2999.9998", s.revenue("2026-10"))
	do(t, drop(p, "reps.csv", "rep,name,territory\nR8,Elmo Made-Up,North\n"), p.Sees("Register: Reps"), p.ClickText("Check"),
		p.Sees("1 new subject among them: R8"), p.ClickText("Load 1 row"), p.Sees("intake 5"))
	entries := want[[]client.RegisterEntry](t, 200)(s.as("ana").GetSubject(ctx, "rep", "R8"))
	assert.Len(t, entries, 1)
	// A reviewer takes nothing in.
	q := screen(t, s, 1280, 800)
	do(t, q.SignIn("rea", password, "/data"), q.Sees("sales.csv"), q.Until("!document.querySelector('[type=file]')"))
}

// On a narrow screen exceptions are cards: nothing is cut off.
func TestExceptionsOnANarrowScreen(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	p := screen(t, s, 390, 844)
	do(t, p.SignIn("ines", demo.Password, "/exceptions?period=2026-10"), p.Sees("Margin under the floor"), p.Rest())
	wide, err := browser.Value[int](p, "document.documentElement.scrollWidth")
	require.NoError(t, err)
	assert.LessOrEqual(t, wide, 390)
	cut, err := browser.Value[int](p, "[...document.querySelectorAll('[data-row] td')].filter(e => e.getBoundingClientRect().right > 390).length")
	require.NoError(t, err)
	assert.Zero(t, cut)
}

// Rules are moved and switched off in the form, and the file follows.
func TestRulesAreMovedAndSwitchedOff(t *testing.T) {
	t.Parallel()
	s := small(t)
	p := screen(t, s, 1280, 800)
	text := func() string { return want[client.Draft](t, 200)(s.as("ana").GetDraft(ctx)).Text }
	do(t, p.SignIn("ana", password, "/rules/draft?rule=behind"), p.Sees("no change yet"), p.Click("[aria-label='Move Behind target up']"), p.Sees("saved"))
	do(t, p.Until("[...document.querySelectorAll('nav[aria-label=\"Rules of the draft\"] li')][0].innerText.startsWith('Behind target')"))
	do(t, p.ClickText("Switch off"), p.Sees("Switch on"), p.Sees("saved"))
	assert.Eventually(t, func() bool {
		now := text()
		return strings.Index(now, "name: behind") < strings.Index(now, "name: thin-margin") && strings.Contains(now, "on: false")
	}, 60*time.Second, 100*time.Millisecond)
	do(t, p.ClickText("Switch on"), p.Sees("Switch off"))
	assert.Eventually(t, func() bool { return !strings.Contains(text(), "on: false") }, 60*time.Second, 100*time.Millisecond)
}

// The editor completes, marks what is wrong at its line, and goes there.
func TestTheFileEditor(t *testing.T) {
	t.Parallel()
	s := small(t)
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("ana", password, "/rules/draft?as=file"), p.Sees("No errors"), p.Edit("title: Small", "title: Smaller"), p.Sees("saved"))
	do(t, p.Edit("sum: sales.net", "sum: sales.nett"), p.Sees("did you mean net?"), p.Until("document.querySelector('.cm-lint-marker-error')"))
	do(t, p.ClickText("13:"), p.Until("document.activeElement.classList.contains('cm-content')"))
	do(t, p.Edit("sum: sales.nett", "sum: sales.net"), p.Sees("No errors"), p.Until("!document.querySelector('.cm-lint-marker-error')"))
	// What was done is undone and done again; what is sought is found.
	key := func(key string) error {
		return p.Do(".cm-content", fmt.Sprintf("e.focus(); e.dispatchEvent(new KeyboardEvent('keydown', {key: '%s', ctrlKey: true, bubbles: true, "+
			"cancelable: true}))", key))
	}
	do(t, p.Edit("title: Smaller", "title: Least"), p.Sees("title: Least"), key("z"), p.Sees("title: Smaller"), key("y"), p.Sees("title: Least"))
	assert.Eventually(t, func() bool {
		return strings.Contains(want[client.Draft](t, 200)(s.as("ana").GetDraft(ctx)).Text, "title: Least")
	}, 60*time.Second, 100*time.Millisecond)
	do(t, key("f"), p.Set(".cm-search input[name=search]", "Behind target"), p.Until("document.querySelector('.cm-searchMatch')?.textContent === 'Behind target'"))
	found, err := p.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)
	// Completion offers keys, measures and functions.
	do(t, p.Edit("title: Gone quiet", "title: Gone quiet\n    sta"), p.Until("document.querySelector('.cm-tooltip-autocomplete')?.innerText.includes('stake')"))
}

// One record does not flatten the rest: its bar is truncated and says so, and
// what cannot be negative starts at zero.
func TestARecordDoesNotFlattenTheRest(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("ines", demo.Password, "/figures?period=2026-10"), p.Sees("a bar with a gap is truncated"))
	widths, err := browser.Value[[]float64](p, "[...document.querySelectorAll('tbody tr')].slice(0, 6).map(r => "+
		"r.querySelector('td:nth-child(2) [aria-hidden] > span').getBoundingClientRect().width)")
	require.NoError(t, err)
	require.Len(t, widths, 6)
	assert.Greater(t, widths[1], widths[0]/3, "the second is not washed out by the first")
	do(t, p.Go("/measures/revenue?period=2026-10"), p.Until("document.querySelector('figure svg text')"), p.Rest())
	least, err := browser.Value[string](p, "[...document.querySelectorAll('figure svg text')].map(e => e.textContent).filter(t => "+
		"/^-?[\\d,]+$/.test(t)).sort((a, b) => parseFloat(a.replaceAll(',', '')) - parseFloat(b.replaceAll(',', '')))[0]")
	require.NoError(t, err)
	assert.Equal(t, "0", least)
}

// Days in fields are written as everywhere else.
func TestDaysInFields(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("ines", demo.Password, "/data/registers/rep"),
		p.Until("/^\\d+ \\w+ 2026$/.test(document.querySelector('[aria-label=\"As of\"]')?.value ?? '')"))
	do(t, p.Set("[aria-label='As of']", "1 March 2026"), p.Until("location.search.includes('at=2026-03-01')"),
		p.Until("document.querySelector('[aria-label=\"As of\"]').value === '1 Mar 2026'"))
	do(t, p.Set("[aria-label='As of']", "31 Feb 2026"), p.Sees("a day, such as "))
}
