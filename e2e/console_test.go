package e2e

import (
	"fmt"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/e2e/browser"
	"oskel/internal/client"
	"oskel/internal/demo"
)

// chromium serves all tests that look at the console; TestMain ends it.
var chromium = sync.OnceValues(func() (*browser.Browser, error) {
	b, err := browser.Start()
	if err == nil {
		stopChromium = b.Close
	}
	return b, err
})

var stopChromium = func() {}

// screen is a browser window on a service.
func screen(t *testing.T, s *service, wide, tall int) *browser.Page {
	b, err := chromium()
	require.NoError(t, err)
	p, stop, err := b.Open(s.url, wide, tall)
	require.NoError(t, err)
	t.Cleanup(stop)
	return p
}

func do(t *testing.T, steps ...error) {
	t.Helper()
	for _, err := range steps {
		require.NoError(t, err)
	}
}

const axeSource = "../console/node_modules/axe-core/axe.min.js"

// Every page, light and dark, wide and narrow: axe finds nothing. Each part is a test of
// its own, so that they are looked at side by side.
func TestAxeOnThePeriod(t *testing.T) {
	t.Parallel()
	axeFindsNothing(t, 1280, "/overview", "/sweeps", "/exceptions/grid?kind=rep", "/exceptions/trend", "/subjects/rep/R-17",
		"/subjects/rep/R-17?period=2026-10", "/exceptions?id=EXCEPTION", "/exceptions?text=nobody", "/exceptions/EXCEPTION", "/nowhere")
}

func TestAxeOnReview(t *testing.T) {
	t.Parallel()
	axeFindsNothing(t, 1280, "/desk?id=CASE", "/desk?state=settled", "/cases/CASE", "/desk/inbox", "/desk/backlog", "/desk/outcomes", "/account", "/people")
}

func TestAxeOnData(t *testing.T) {
	t.Parallel()
	axeFindsNothing(t, 1280, "/data/issues", "/data", "/data/registers/customer?text=quay&key=C-0001", "/data/targets", "/data/calendar",
		"/figures?by=product&groups=product.family,product.category&measures=revenue,margin_rate")
}

func TestAxeOnRules(t *testing.T) {
	t.Parallel()
	axeFindsNothing(t, 1280, "/measures/margin_rate", "/measures/none", "/rules?rule=behind-target", "/rules/draft", "/rules/dials",
		"/rules/grades?grade=look", "/rules/revisions?revision=1")
	axeFindsNothingAs(t, "ines", 1280, "/rules/draft?rule=thin-margin", "/rules/draft?as=file", "/sweeps")
}

// Where a narrow screen lays things out in another way.
func TestAxeOnANarrowScreen(t *testing.T) {
	t.Parallel()
	axeFindsNothing(t, 390, "/overview", "/exceptions", "/exceptions?id=EXCEPTION", "/figures", "/desk?id=CASE", "/cases/CASE", "/desk/inbox",
		"/desk/backlog", "/desk/outcomes", "/data/issues", "/data")
}

// axeFindsNothing looks at pages of the demo; in their paths stand the numbers of an
// exception and of its case.
func axeFindsNothing(t *testing.T, wide int, pages ...string) {
	axeFindsNothingAs(t, "odo", wide, pages...)
}

func axeFindsNothingAs(t *testing.T, who string, wide int, pages ...string) {
	s := demoService(t)
	exception := s.exceptions("2026-10")["thin-margin R-17"]
	p := screen(t, s, wide, 800)
	check := func(look func(string) ([]string, error), what string) {
		found, err := look(axeSource)
		require.NoError(t, err)
		assert.Empty(t, found, what)
	}
	if do(t, p.Go("/sign-in"), p.Sees("Sign in")); who == "odo" && wide < 1000 {
		check(p.Axe, "/sign-in")
	}
	do(t, p.SignIn(who, demo.Password))
	numbers := strings.NewReplacer("EXCEPTION", itoa(exception.Id), "CASE", itoa(*exception.Case))
	for i, path := range pages {
		path = numbers.Replace(path)
		do(t, p.Follow(path), p.Dark(false), p.Rest())
		if wide > 1000 {
			if i%3 > 0 && testing.Short() { // pages share their colours, which take the longest
				check(p.AxeLayout, path)
			} else {
				check(p.Axe, path)
				do(t, p.Dark(true))
				check(p.AxeContrast, path+" in the dark") // all else is as in the light
			}
		} else {
			check(p.AxeLayout, fmt.Sprintf("%s at %d px", path, wide)) // its colours are those of a wide one
		}
		overflow, err := browser.Value[bool](p, "document.documentElement.scrollWidth > innerWidth + 1")
		require.NoError(t, err)
		assert.False(t, overflow, "%s is wider than %d px", path, wide)
	}
}

// An analyst reads the overview, walks the periods by keyboard, narrows the
// exceptions down and follows one.
func TestAnalystReadsThePeriod(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	p := screen(t, s, 1280, 800)
	do(t, p.Go("/exceptions?grade=act"), p.Until("location.pathname === '/sign-in'"))
	do(t, p.Type("#name", "ines"), p.Type("#password", "wrong"), p.Click("form button"), p.Sees("wrong user name or password"))
	do(t, p.Set("#password", ""), p.Type("#password", demo.Password), p.Click("form button"))
	do(t, p.Until("location.pathname === '/exceptions' && location.search === '?grade=act'"), p.Sees("Pellam Halyardin"))

	do(t, p.ClickText("Overview"), p.Sees("Most serious"), p.Sees("Margin rate is 17.1%, below 18%."))
	do(t, p.Click("[role=radio][aria-checked=true]"), p.Press("ArrowLeft"), p.Until("location.search.includes('2026-09')"), p.Sees("Sep 2026"), p.Sees("Revenue"))
	do(t, p.Press("ArrowRight"), p.Until("location.search.includes('2026-10')"))

	do(t, p.ClickText("Exceptions"), p.Sees("Rule and reason"))
	do(t, p.Type("input[type=search]", "c-0412"), p.Until("location.search.includes('text=c-0412')"),
		p.Until("document.querySelectorAll('[data-row]').length === 2"))
	do(t, p.Do("[data-row]", "e.focus()"), p.Press("Enter"), p.Sees("No order lines since 1 Jul 2026"), p.Sees("Limit"))
	do(t, p.ClickText("Open full page"), p.Until("location.pathname.startsWith('/exceptions/')"), p.Sees("Days since last"))
	title, err := browser.Value[string](p, "document.querySelector('h1').innerText")
	require.NoError(t, err)
	assert.Equal(t, "West Ebbpool Boatyard", title)

	// Sorting and filters live in the URL; a view can be sent on.
	do(t, p.Go("/exceptions?period=2026-10&sort=stake&descending=yes"), p.Sees("Rule and reason"))
	stakes, err := browser.Value[[]string](p, "[...document.querySelectorAll('[data-row]')].map(r => r.cells[4].innerText)")
	require.NoError(t, err)
	assert.Equal(t, "177,883", stakes[0])
	do(t, p.ClickText("All grades"), p.ClickText("Look"), p.Until("location.search.includes('grade=look')"))
	do(t, p.ClickText("Show all"), p.Until("!location.search.includes('grade')"))

	do(t, p.ClickText("Rules"), p.Sees("Each month, for every rep: Act now when margin rate is below 18%"), p.ClickText("Behind target"),
		p.Sees("Not judged: no target"))
	do(t, p.Go("/exceptions?text=nobody"), p.Sees("No exceptions match these filters."))
}

// A reviewer takes a case, comments and settles it, all by keyboard or click,
// and sees who did what.
func TestReviewerWorksTheDesk(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	p := screen(t, s, 1280, 800)
	do(t, p.Go("/sign-in"), p.Type("#name", "rob"), p.Type("#password", password), p.Click("form button"),
		p.Until("location.pathname === '/desk'"), p.Sees("Bera Made-Up"))
	do(t, p.Do("[data-row]", "e.focus()"), p.Press("Enter"), p.Sees("What is flagged"))
	do(t, p.ClickText("Take this case"), p.Sees("Taken by you"))
	do(t, p.Type("textarea", "Asked purchasing."), p.ClickText("Add the comment"),
		p.Until("[...document.querySelectorAll('ol li')].some(l => l.innerText.includes('Asked purchasing.'))"))
	do(t, p.ClickText("Return to the desk"), p.Sees("Open: it is not taken yet"))
	do(t, p.ClickText("Confirmed"), p.Type("input[maxlength]", "Price goes up"), p.ClickText("Settle as confirmed"),
		p.Sees("Settled as confirmed by rob"), p.Sees("Price goes up"))
	do(t, p.Press("Escape"), p.Sees("No open cases."))

	// Settled by another in between: told, and nothing lost.
	do(t, p.Go("/desk?desk=north"), p.Sees("Cato Made-Up"), p.Click("[data-row]"), p.Sees("Only members of the desk"))
}

// The second of two who act on one case is told.
func TestTwoReviewersAtOnce(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	p := screen(t, s, 1280, 800)
	id := s.caseOf("rea", "R3").Id
	do(t, p.SignIn("rea", password, "/cases/"+itoa(id)), p.Sees("Take this case"))
	want[[]client.Case](t, 200)(onCase(s.as("lea"), id, toTake))
	do(t, p.ClickText("Take this case"), p.Sees("the case has changed since it was read"), p.Sees("Taken by lea"))
}

// Before anything is there, the console says what comes first.
func TestEmptyConsole(t *testing.T) {
	t.Parallel()
	s := newService(t)
	defer s.stop()
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("ana", password), p.Sees("No data yet"), p.Go("/rules"), p.Sees("Write a rulebook draft"), p.Go("/data"),
		p.Sees("No files loaded yet."), p.Go("/desk"), p.Sees("No open cases."))
	found, err := p.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)

	s.publish(smallBook, 0)
	s.load("register", "rep", smallReps)
	s.load("feed", "sales", smallSales)
	do(t, p.Go("/overview"), p.Sees("has not been swept yet"), p.ClickText("Sweep Oct 2026"), p.Sees("Most serious"))
	s.load("feed", "sales", corrected, again)
	do(t, p.Go("/overview"), p.Sees("Out of date: since this sweep intake 3 has arrived."))
	do(t, p.Go("/data"), p.ClickText("Revert"), p.Sees("rows no longer count"), p.ClickText("Revert intake 3"), p.Sees("reverted by intake 4"))

	// The service gone: said, and tried again.
	text, err := p.Text()
	require.NoError(t, err)
	assert.False(t, strings.Contains(text, "undefined") || strings.Contains(text, "NaN"), text)
}
