package e2e

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/e2e/browser"
	"oskel/internal/client"
)

// A reviewer's morning by keyboard alone: through the list, taken, parked, handed over,
// asked, several settled at once and undone, to the last settled case.
func TestAMorningByKeyboard(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.publish(smallBook+reasonsText, 1)
	s.load("feed", "sales", "day,order_no,rep,net,cost\n2026-10-08,B1,R1,100,99\n")
	s.sweep("2026-10")
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("rea", password, "/desk"), p.Until("document.querySelectorAll('[data-row]').length === 2"))
	state := func(key string) string { return string(s.caseOf("lea", key).State) }

	// Next, choose, next, choose, settle both as explained; and undone.
	do(t, p.Press("?"), p.Sees("select, for bulk actions"), p.Press("?"))
	do(t, p.Press("j"), p.Press("x"), p.Press("j"), p.Press("x"), p.Sees("2 cases selected"))
	do(t, p.Press("s"), p.Sees("Settle 2 cases"), p.Press("2"), p.Sees("Settle 2 cases as explained"), p.Press("Enter"),
		p.Sees("Settled 2 cases as explained"), p.Sees("No open cases."))
	do(t, p.Press("u"), p.Until("document.querySelectorAll('[data-row]').length === 2"))
	assert.Equal(t, "open", state("R1"))

	// Taken; opened beside the list; parked until a day; taken up again.
	do(t, p.Press("k"), p.Press("k"), p.Press("t"), p.Sees("yours"), p.Press("o"), p.Sees("What is flagged"), p.Press("o"))
	do(t, p.Press("p"), p.Sees("or until new lines of"), p.Type("[role=dialog] textarea", "Away"), p.Set("[role=dialog] input", "1 Nov 2030"),
		p.Do("[role=dialog] input", "e.dispatchEvent(new Event('change', {bubbles: true}))"), p.Do("[role=dialog] form", "e.requestSubmit()"))
	do(t, p.Sees("for a year, until"), p.Press("Escape"), p.Until("!document.querySelector('[role=dialog]')"))
	do(t, p.Press("c"), p.Sees("Comment on "), p.Type("[role=dialog] textarea", "Called."), p.Do("[role=dialog] form", "e.requestSubmit()"),
		p.Sees("Commented on "))

	// Asked of somebody of another desk, who finds it among what they are asked.
	do(t, p.Press("a"), p.Sees("Ask about "), p.Until("[...document.querySelectorAll('[role=dialog] option')].some(o => o.value === 'rob')"),
		p.Do("[role=dialog] select", "e.value = 'rob'; e.dispatchEvent(new Event('change', {bubbles: true}))"), p.Type("[role=dialog] textarea", "Yours?"),
		p.Do("[role=dialog] form", "e.requestSubmit()"), p.Sees("Asked about "))
	assert.Equal(t, 1, want[client.CasePage](t, 200)(s.as("rob").ListCases(ctx, &client.ListCasesParams{Asked: ptr(true)})).Total)

	found, err := p.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)

	// To the last settled case.
	for range 2 {
		do(t, p.Press("k"), p.Press("k"), p.Press("s"), p.Sees("Finding"), p.Press("1"), p.Sees("as confirmed"), p.Press("Enter"),
			p.Until("!document.querySelector('[role=dialog]')"))
	}
	do(t, p.Sees("No open cases."))
	n, err := browser.Value[int](p, "document.querySelectorAll('[data-row]').length")
	require.NoError(t, err)
	assert.Zero(t, n)
	page := want[client.CasePage](t, 200)(s.as("rea").ListCases(ctx, &client.ListCasesParams{Mine: ptr(true), State: ptr(client.ListCasesParamsStateSettled)}))
	assert.Equal(t, 2, page.Total)
}

// The same to several from the list of exceptions: those of one case count once.
func TestSeveralFromTheList(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("lea", password, "/exceptions?period=2026-10"), p.Until("document.querySelectorAll('[data-row] input[type=checkbox]').length > 2"))
	do(t, p.Run("document.querySelectorAll('[data-row] input[type=checkbox]').forEach(e => e.click())"), p.Sees("in 2 cases selected"))
	do(t, p.ClickText("Settle…"), p.Sees("Settle 2 cases"), p.Press("3"), p.Sees("as data fault"), p.Press("Enter"), p.Sees("Settled 2 cases as data fault"))
	assert.Equal(t, 0, want[client.CasePage](t, 200)(s.as("lea").ListCases(ctx, &client.ListCasesParams{})).Total)
	do(t, p.ClickText("Undo"), p.Until("!document.body.innerText.includes('Undo')"))
	assert.Equal(t, 2, want[client.CasePage](t, 200)(s.as("lea").ListCases(ctx, &client.ListCasesParams{})).Total)
}
