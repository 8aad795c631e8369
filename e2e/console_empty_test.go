package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"

	"oskel/internal/demo"
)

// An empty service says what to do, to whom it can be done; no page waits for ever; and the
// first rulebook is made in the console.
func TestAnEmptyService(t *testing.T) {
	t.Parallel()
	s := run(t, newDatabase(t, ""), demo.AddPeople)
	t.Cleanup(s.stop)
	pages := []string{"/overview", "/figures", "/sweeps", "/rules", "/rules/dials", "/rules/grades", "/exceptions", "/exceptions/grid",
		"/exceptions/trend", "/data/registers", "/data/targets", "/data/calendar", "/measures/revenue", "/subjects/rep/R1"}
	reviewer := screen(t, s, 1280, 800)
	do(t, reviewer.SignIn("nell", demo.Password))
	for _, path := range pages {
		do(t, reviewer.Follow(path), reviewer.Sees("An analyst publishes a rulebook, loads the lines and sweeps a period."))
	}
	do(t, reviewer.Follow("/rules/draft"), reviewer.Sees("Drafts are written and published by analysts and leads."))

	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("ines", demo.Password))
	for _, path := range append(pages, "/desk", "/desk/inbox", "/desk/backlog", "/desk/outcomes", "/data", "/data/issues", "/rules/revisions") {
		do(t, p.Follow(path), p.Until("document.getElementById('content')?.innerText.length > 20"), p.Until("!document.body.innerText.includes('Loading')"))
	}
	do(t, p.Go("/overview"), p.ClickText("Write a rulebook draft"), p.Until("location.pathname === '/rules/draft'"), p.ClickText("Form"),
		p.ClickText("Start with a small rulebook"),
		p.Until("document.querySelector('.cm-content')?.innerText.includes('thin-margin')"), p.Until("!document.querySelector('.button-main').disabled"),
		p.ClickText("Publish …"),
		p.Type("[role=dialog] input", "The first"), p.ClickIn("[role=dialog]", "Publish"), p.Until("location.pathname === '/rules'"), p.Sees("Thin margin"))
	do(t, p.Go("/overview"), p.Sees("No data has been loaded yet"), p.Sees("and publish it: done"))
	require.NoError(t, reviewer.Go("/exceptions"))
	do(t, reviewer.Sees("An analyst loads the lines and sweeps a period."))
}
