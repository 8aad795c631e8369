package e2e

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/e2e/browser"
	"oskel/internal/client"
)

const november = salesHead + "2026-11-03,N1,R1,500,450\n2026-11-04,N2,R2,2000,1500\n2026-11-05,N3,R3,900,600\n"

// monthly is the small world in the first days of December, with the lines of November
// still to come.
func monthly(t *testing.T) *service {
	var c clock
	c.set(t, "2026-12-02 09:00")
	s := reviewed(t, &c)
	s.load("targets", "rep", "rep,month,revenue\nR1,2026-11,600\nR2,2026-11,1000\nR3,2026-11,1000\n")
	return s
}

// section goes to a section of the console by its link at the side.
func section(p *browser.Page, name string) error {
	return p.Do("nav[aria-label=Sections] a[href^='/"+name+"']", "e.click()")
}

// An analyst's month in the console: loaded, looked at, rehearsed, swept, read, asked why,
// and where it went; each step from the one before, from signing in to the last click.
func TestAnAnalystsMonthInTheConsole(t *testing.T) {
	t.Parallel()
	s := monthly(t)
	p := screen(t, s, 1280, 800)

	// Load: checked first, then taken in.
	do(t, p.SignIn("ana", password), section(p, "data"), p.Sees("Drop a CSV file here"))
	do(t, drop(p, "november.csv", november), p.ClickText("Check"), p.Sees("3 rows can be loaded"), p.ClickText("Load 3 rows"), p.Sees("as intake"))

	// Look: the month is there, and its figures.
	do(t, section(p, "figures"), p.Click("[role=radio][aria-label^='Nov 2026']"), p.Until("location.search.includes('2026-11')"), p.Sees("3,400"))

	// Rehearse: a higher floor, and whom it would flag; published with why.
	do(t, section(p, "rules"), p.Sees("Thin margin"), p.ClickText("Dials"), p.Sees("Used by: rule thin-margin."), p.Set("input[type=range]", "24"),
		p.Sees("At 24%"))
	do(t, p.ClickText("My draft"), p.ClickText("File"), p.Sees("Rules in words"), p.ClickText("Preview of routing"), p.Sees("Open now"), p.Sees("North desk"))
	do(t, p.ClickText("Dials"), p.Sees("Used by: rule thin-margin."), p.Set("input[type=range]", "24"), p.Sees("At 24%"),
		p.Type("input[maxlength]", "Freight is dearer"), p.ClickText("Publish floor = 24%"), p.Sees("is published."))

	// Sweep, and read what came of it.
	do(t, section(p, "exceptions"), p.ClickText("Sweep Nov 2026"), p.Sees("Arne Made-Up"))
	flagged := s.exceptions("2026-11")
	require.Contains(t, flagged, "thin-margin R1")
	require.Contains(t, flagged, "behind R1")
	assert.EqualValues(t, "cleared", flagged["thin-margin R2"].State)
	assert.Equal(t, "24% (floor)", flagged["thin-margin R2"].Comparison, "by the dial as it was turned")

	// Why, as far down as the lines.
	do(t, p.Do("tr[data-row]", "e.click()"), p.Sees("Evidence"), p.Go("/exceptions/"+itoa(flagged["thin-margin R1"].Id)), p.Sees("Margin rate is 10.0%"),
		p.ClickText("Show the lines"), p.ClickText("Cost"), p.Sees("1 line behind it"), p.Sees("N1"))

	// Where it went: the case on its desk, which is asked about and answered.
	require.NotNil(t, flagged["thin-margin R1"].Case)
	do(t, p.Go("/exceptions/"+itoa(flagged["thin-margin R1"].Id)), p.ClickText("Case "+itoa(*flagged["thin-margin R1"].Case)), p.Sees("What is flagged"),
		p.Sees("North desk"))
	do(t, p.Type("textarea[id^=comment]", "The freight of N1 is in its cost, @rea"), p.ClickText("Add the comment"),
		p.Until("[...document.querySelectorAll('ol strong')].some((e) => e.textContent === '@rea')"))
	assert.Equal(t, []string{"ana mentioned The freight of N1 is in its cost, @rea"}, s.toldTo(t, "rea"))
}

// A lead's close of the period in the console: what waits and what nobody looked at; handed
// out, settled, parked with a reason; signed off, and in the audit.
func TestALeadsCloseInTheConsole(t *testing.T) {
	t.Parallel()
	s := monthly(t)
	s.load("feed", "sales", november)
	s.sweep("2026-11")
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("lea", password), section(p, "desk"), p.ClickText("Backlog"), p.Sees("Not opened yet"),
		p.Do("a[href^='/desk?desk=north']", "e.click()"), p.Until("document.querySelectorAll('[data-row]').length > 0"))

	// It cannot be signed off while cases wait.
	do(t, section(p, "sweeps"), p.Click("[role=radio][aria-label^='Nov 2026']"), p.Sees("Close Nov 2026"), p.Click("form input[type=checkbox]"),
		p.ClickText("Sign Nov 2026 off and close it"), p.Sees("of its cases are still open"))

	// The first is handed to a member, who settles it; the rest is settled and parked.
	do(t, section(p, "desk"), p.Until("document.querySelectorAll('[data-row]').length > 1"), p.Press("j"), p.Press("h"), p.Sees("To a member of the desk"),
		p.Until("[...document.querySelectorAll('[role=dialog] option')].some((o) => o.value === 'lea')"),
		p.Do("[role=dialog] select", "e.value = 'lea'; e.dispatchEvent(new Event('change', {bubbles: true}))"),
		p.Do("[role=dialog] form", "e.requestSubmit()"), p.Sees("Handed over"))
	do(t, p.Until("!document.querySelector('[role=dialog]')"), p.Press("p"), p.Sees("or until new lines of"), p.Set("[role=dialog] input", "1 Jun 2027"),
		p.Type("[role=dialog] textarea", "The price list of June"), p.Do("[role=dialog] form", "e.requestSubmit()"), p.Sees("Parked Cato"),
		// The order moves the row, which keeps the focus.
		p.Until("!document.querySelector('[role=dialog]') && document.activeElement?.closest('[data-row]')?.innerText.includes('Cato')"))
	waiting := func() (n int) {
		for _, x := range want[client.CasePage](t, 200)(s.as("lea").ListCases(ctx, &client.ListCasesParams{})).Items {
			if x.State != "parked" {
				n++
			}
		}
		return n
	}
	asks := func(words string) string {
		return "document.querySelector('[role=dialog]')?.innerText.includes('" + words + "')"
	}
	do(t, p.Follow("/desk?state=open"))
	for left := waiting(); left > 0; left = waiting() {
		do(t, p.Until("document.querySelectorAll('[data-row]').length === "+itoa(int64(left))), p.Press("k"), p.PressUntil("s", asks("Finding")),
			p.Press("1"), p.Until(asks("as confirmed")), p.Press("Enter"), p.Until("!document.querySelector('[role=dialog]')"))
		require.Equal(t, left-1, waiting())
	}

	// Signed off; what was found is told, and the audit says by whom.
	do(t, section(p, "sweeps"), p.Click("[role=radio][aria-label^='Nov 2026']"), p.Sees("Close Nov 2026"),
		p.Type("form input[maxlength]", "All looked at"), p.Click("form input[type=checkbox]"), p.ClickText("Sign Nov 2026 off and close it"),
		p.Sees("signed it off"))
	do(t, section(p, "desk"), p.ClickText("Outcomes"), p.Sees("Thin margin"), p.ClickText("Export"), p.Sees("Workbook"))
	do(t, p.Press("Escape"), p.Do("a[href='/people']", "e.click()"), p.ClickText("Audit"), p.Sees("2026-11"))
	found, err := p.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)
}
