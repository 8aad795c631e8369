package e2e

import (
	"math/big"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/e2e/browser"
	"oskel/internal/client"
	"oskel/internal/demo"
)

// exactly reads a decimal or a fraction.
func exactly(t *testing.T, f client.VarianceFigure) *big.Rat {
	r, ok := new(big.Rat).SetString(f.Exact)
	require.True(t, ok, f.Exact)
	return r
}

// addsUp holds a walk to its ends: parts and rest, and effects where there are some.
func addsUp(t *testing.T, w client.Variance) {
	t.Helper()
	change := new(big.Rat).Sub(exactly(t, w.Now), exactly(t, w.Then))
	assert.Zero(t, change.Cmp(exactly(t, w.Change)))
	sum := new(big.Rat)
	for _, p := range w.Parts {
		sum.Add(sum, exactly(t, p.Change))
	}
	if w.Rest != nil {
		sum.Add(sum, exactly(t, *w.Rest))
	}
	assert.Zero(t, change.Cmp(sum), "%s of %s by %s", w.Title, w.Name, w.Axis)
	if len(w.Effects) > 0 {
		sum.SetInt64(0)
		for _, x := range w.Effects {
			sum.Add(sum, exactly(t, x.Change))
		}
		assert.Zero(t, change.Cmp(sum), "effects of %s of %s by %s", w.Title, w.Name, w.Axis)
	}
}

// Of every exception of the demo whose rule looks at sums or ratios, each way of
// taking it apart adds up exactly, and the walk's end is the figure of the table.
func TestWalksOfTheDemo(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	walked, told := 0, 0
	for _, x := range want[client.ExceptionPage](t, 200)(s.as("ines").ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-10"})).Items {
		d := want[client.ExceptionDetail](t, 200)(s.as("ines").GetException(ctx, x.Id, nil))
		if d.Walk == nil {
			continue
		}
		assert.NotContains(t, []string{"behind-target", "far-over-target", "step-in-share", "offers-moved-nothing"}, x.Rule, "a walk would not answer it")
		ask := client.GetVarianceParams{Measure: d.Walk.Measure, By: &x.Kind, Key: &x.Key, Period: x.Period}
		for _, from := range []client.GetVarianceParamsFrom{"before", "year before", "usual"} {
			ask.From, ask.Parts, ask.Limit = &from, nil, ptr(3)
			r, err := s.as("ines").GetVariance(ctx, &ask)
			require.NoError(t, err)
			if r.StatusCode == 422 {
				problem := want[client.Problem](t, 422)(r, nil)
				assert.Equal(t, "urn:oskel:nothing-to-compare", problem.Type, "%s %s: what cannot be broken down is not offered", x.Rule, x.Key)
				continue
			}
			first := want[client.Variance](t, 200)(r, err)
			for _, c := range first.Choices {
				ask.Parts = &c.Name
				w := want[client.Variance](t, 200)(s.as("ines").GetVariance(ctx, &ask))
				addsUp(t, w)
				walked++
				told += len(w.Effects)
			}
		}
	}
	assert.Greater(t, walked, 30)
	assert.Positive(t, told)

	table := want[client.Table](t, 200)(s.as("ines").GetTable(ctx,
		&client.GetTableParams{Measures: "margin_rate", By: ptr("rep"), Period: "2026-10", Text: ptr("R-17")}))
	w := want[client.Variance](t, 200)(s.as("ines").GetVariance(ctx,
		&client.GetVarianceParams{Measure: "margin_rate", By: ptr("rep"), Key: ptr("R-17"), Period: "2026-10"}))
	assert.Equal(t, table.Rows[0].Cells[0].Text, w.Now.Text)
	assert.True(t, w.Ratio)
	// Growth is walked from its own comparison.
	w = want[client.Variance](t, 200)(s.as("ines").GetVariance(ctx,
		&client.GetVarianceParams{Measure: "growth_year", By: ptr("rep"), Key: ptr("R-17"), Period: "2026-10"}))
	assert.Equal(t, "Oct 2025", w.Before)
	assert.Equal(t, "revenue", w.Measure)
	// A group by its own members, the whole by groups.
	addsUp(t, want[client.Variance](t, 200)(s.as("ines").GetVariance(ctx,
		&client.GetVarianceParams{Measure: "margin", By: ptr("rep.territory"), Key: ptr("The Sounds"), Period: "2026-Q3", Parts: ptr("rep")})))
	addsUp(t, want[client.Variance](t, 200)(s.as("ines").GetVariance(ctx,
		&client.GetVarianceParams{Measure: "revenue", Period: "2026-10", Parts: ptr("product.category")})))
}

// What cannot be walked is said in a sentence.
func TestWalksThatCannotBe(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	for _, c := range []struct {
		ask    client.GetVarianceParams
		status int
		kind   string
		says   string
	}{
		{client.GetVarianceParams{Measure: "largest_line", Period: "2026-10"}, 422, "no-parts",
			"Largest order line cannot be broken down: only sums of lines, and ratios of such sums, can be broken down."},
		{client.GetVarianceParams{Measure: "working_days", Period: "2026-10"}, 422, "no-parts", "cannot be broken down"},
		{client.GetVarianceParams{Measure: "revenu", Period: "2026-10"}, 400, "unknown-measure", "revenue"},
		{client.GetVarianceParams{Measure: "revenue", Period: "2026-13"}, 400, "invalid-request", "period"},
		{client.GetVarianceParams{Measure: "revenue", Period: "2026-10", Parts: ptr("rep x product")}, 400, "unknown-level", "a kind or an attribute"},
		{client.GetVarianceParams{Measure: "revenue", Period: "2026-10", By: ptr("rep"), Key: ptr("R-99")}, 404, "not-found", "R-99"},
		{client.GetVarianceParams{Measure: "revenue", Period: "2001-01"}, 422, "nothing-to-compare",
			"Nothing to compare: Revenue of Total has no value in Dec 2000 (no lines in the period) nor in Jan 2001"},
	} {
		p := refused(t, c.status, c.kind)(s.as("ines").GetVariance(ctx, &c.ask))
		assert.Contains(t, *p.Detail, c.says)
	}
	code, _, errs := s.oskel("ines", "variance")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "expected the number of an exception, or -measure")
}

// On an exception's page the walk is drawn; it is asked otherwise, and its parts lead on.
func TestTheWalkInTheConsole(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	p := screen(t, s, 1280, 800)
	x := s.exceptions("2026-10")["thin-margin R-17"]
	do(t, p.SignIn("ines", demo.Password, "/exceptions/"+itoa(x.Id)), p.Sees("Why it moved"), p.Sees("Upper Fennfirth Boatyard"),
		p.Sees("10 others"), p.Sees("Sep 2026"))
	do(t, p.ClickText("Show more parts"), p.Until("!document.body.innerText.includes('10 others')"))
	do(t, p.Do("main label select", "e.value = 'year before'; e.dispatchEvent(new Event('change', {bubbles: true}))"), p.Sees("Oct 2025"))
	found, err := p.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)
	link, err := browser.Value[string](p, "[...document.querySelectorAll('main th a')].map(a => a.getAttribute('href'))[0]")
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(link, "/subjects/customer/"), link)
}

// The page of sweeps says what becomes of each period; a lead closes one and opens it.
func TestSweepsInTheConsole(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("lea", password, "/sweeps?period=2026-10"), p.Sees("What was swept"), p.Sees("No sweeps are scheduled"), p.ClickText("Verify"),
		p.Sees("computed again: all hold"))
	do(t, p.Type("form input", "Reported"), p.ClickIn("form", "Close Oct 2026"), p.Sees("Oct 2026 is closed"), p.Sees("Reported"))
	found, err := p.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)
	do(t, p.Type("form input", "Late lines"), p.ClickIn("form", "Open it again"), p.Sees("Nothing sweeps a closed period"))
	do(t, p.Do("main table a", "e.click()"), p.Sees("As of sweep 1"), p.ClickText("Show the current list"), p.Until("!location.search.includes('sweep=')"))

	s.load("feed", "sales", salesHead+"2026-11-05,N1,R1,100,90\n")
	s.sweep("2026-10")
	do(t, p.Go("/sweeps?period=2026-10"), p.Sees("nothing changed"), p.Sees("3 rules not judged again"))
}

// The page of a subject has its figures and flags over time, and what is on record of it.
func TestTheSubjectOverTime(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("ines", demo.Password, "/subjects/rep/R-17?period=2026-10"), p.Sees("Its figures"), p.Sees("Exceptions in this period"),
		p.Sees("2 in a row"), p.Sees("Margin rate"), p.Rest())
	found, err := p.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)
	flags, err := browser.Value[int](p, "document.querySelectorAll('main td a[aria-label^=\"Act now\"]').length")
	require.NoError(t, err)
	assert.Positive(t, flags, "the figures bear their flags")
}
