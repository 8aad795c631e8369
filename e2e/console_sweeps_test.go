package e2e

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
	"oskel/internal/demo"
)

// In the console history is swept at once, without cases; corrected, it is named who is flagged
// now and who no longer; and what is due of other lengths is asked for.
func TestSweepingInTheConsole(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.publish(strings.Replace(smallBook, "rules:\n", "rules:\n  - {name: weekly, title: A week without, judges: rep, each: week, threshold: {of: "+
		"revenue, bands: [{grade: look, below: 10}, {clear: rest}]}}\n", 1), 1)
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("ana", password, "/sweeps"), p.Sees("Several periods at once"), p.ClickText("Sweep 2 periods"), p.Sees("Swept 2 periods, without cases."))
	assert.Empty(t, want[client.CasePage](t, 200)(s.as("lea").ListCases(ctx, &client.ListCasesParams{})).Items)
	assert.NotEmpty(t, s.exceptions("2026-10"))

	// Thin margin of R2 is mended; R1's is thin now.
	s.load("feed", "sales", salesHead+"2026-10-20,C1,R2,5000,500\n2026-10-20,C2,R1,500,490\n")
	s.sweep("2026-10")
	do(t, p.Go("/sweeps"), p.Sees("2 no longer"), p.ClickText("1 flagged"), p.Sees("Flagged now: Arne Made-Up, Thin margin"),
		p.Sees("No longer flagged: Bera Made-Up, Thin margin"))

	// Weeks have a rule, and were never swept.
	do(t, p.Go("/overview?period=2026-10"), p.Sees("Also to be swept:"), p.Sees("(not swept)"))
	do(t, p.Run("[...document.querySelectorAll('[role=status] a')].at(-1).click()"), p.Until("location.search.includes('each=week')"),
		p.ClickText("Sweep "), p.Until("!document.body.innerText.includes('Also to be swept: W')"))
}

// What is further back than the strip shows is reached in it, and by a link.
func TestPeriodsOfLongAgo(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	p := screen(t, s, 1280, 800)
	shown := "[...document.querySelectorAll('[role=radio]')].map(b => b.getAttribute('aria-label').split(',')[0])"
	do(t, p.SignIn("ines", demo.Password, "/overview"), p.Until(shown+".includes('Oct 2026')"), p.Click("[aria-label='Earlier periods']"),
		p.Until(shown+".includes('Oct 2024')"), p.Until(shown+".at(-1) === 'Oct 2025'"))
	do(t, p.Run("document.querySelectorAll('[role=radio]')[0].click()"), p.Sees("has not been swept yet"), p.ClickText("Newest"),
		p.Until(shown+".at(-1) === 'Oct 2026'"))
	do(t, p.Go("/overview?period=2024-12"),
		p.Until("document.querySelector('[role=radio][aria-checked=true]')?.getAttribute('aria-label').startsWith('Dec 2024')"))
	require.NoError(t, p.Sees("Dec 2024"))
}
