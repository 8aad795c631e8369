package e2e

import (
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/e2e/browser"
	"oskel/internal/client"
	"oskel/internal/demo"
)

// A rehearsal says what a draft would do, and changes nothing; published and
// swept, it does just that.
func TestRehearsedThenSwept(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	c := s.as("ana")
	draft := strings.Replace(smallBook, "below: floor", "below: 23%", 1)
	yes := true
	ask := client.RehearsalRequest{Text: &draft, Rule: "thin-margin", Period: "2026-10", LineUp: &yes, LookBack: ptr(2)}
	r := want[client.Rehearsal](t, 200)(c.Rehearse(ctx, ask))
	assert.Equal(t, []any{2, 1}, []any{r.Tally.Flagged, r.Published.Flagged}, "R1 keeps exactly 22%")
	require.Len(t, r.Flips, 1)
	assert.Equal(t, []string{"R1", "", "look", "Margin rate is 22.0%, at least 18% and below 23%."},
		[]string{r.Flips[0].Key, r.Flips[0].Before, r.Flips[0].After, r.Flips[0].Sentence})
	assert.Equal(t, client.Turned{Flagged: 1}, r.Turned)
	assert.Equal(t, []float64{0.18, 0.23}, r.LineUp.Cuts)
	assert.Equal(t, []int{0, 2}, []int{r.Back[0].Flagged, r.Back[1].Flagged})
	assert.Equal(t, []client.DeskLoad{{Desk: "north", Title: "North desk", After: 1}, {Desk: "south", Title: "South desk", Before: 1, After: 1}}, r.Desks)
	assert.NotContains(t, s.exceptions("2026-10"), "thin-margin R1", "nothing was changed")

	whole := want[client.BookRehearsal](t, 200)(c.RehearseBook(ctx, client.BookRehearsalRequest{Text: &draft, Period: "2026-10"}))
	before := len(s.exceptions("2026-10"))
	assert.Equal(t, []int{before, before + 1}, []int{whole.Before, whole.After})
	s.publish(draft, 1)
	sw := s.sweep("2026-10")
	assert.Equal(t, 1, sw.Difference.Flagged)
	assert.Len(t, s.exceptions("2026-10"), whole.After)

	// A draft that also declares a new feed and a measure of another meaning is
	// held against the published rule as it is.
	shaped := strings.Replace(strings.Replace(draft, "feeds:\n", "feeds:\n  visits: {date: day, subjects: {rep: rep}}\n", 1),
		"revenue: {title: Revenue, sum: sales.net", "revenue: {title: Revenue, sum: sales.cost", 1)
	r = want[client.Rehearsal](t, 200)(c.Rehearse(ctx, client.RehearsalRequest{Text: &shaped, Rule: "behind", Period: "2026-10"}))
	assert.Equal(t, []int{2, 3}, []int{r.Published.Flagged, r.Tally.Flagged}, "R2 and R3; with costs for revenue R1, too")

	// Dials and cuts moved without a draft; bad ones are refused with the reason.
	r = want[client.Rehearsal](t, 200)(c.Rehearse(ctx,
		client.RehearsalRequest{Rule: "thin-margin", Period: "2026-10", Cuts: &[]client.CutMove{{Band: 0, High: true, Value: "22.01%"}}}))
	assert.Equal(t, client.Turned{Regraded: 1}, r.Turned)
	for says, ask := range map[string]client.RehearsalRequest{
		"did you mean thin-margin?":                           {Rule: "thin-margn", Period: "2026-10"},
		"there is no dial":                                    {Rule: "behind", Period: "2026-10", Dials: &map[string]string{"flor": "3%"}},
		"the dial floor cannot be 3%: it is out of its range": {Rule: "behind", Period: "2026-10", Dials: &map[string]string{"floor": "3%"}},
		"did you mean 24%?":                                   {Rule: "behind", Period: "2026-10", Dials: &map[string]string{"floor": "24"}},
		"has no band 9":                                       {Rule: "behind", Period: "2026-10", Cuts: &[]client.CutMove{{Band: 8, Value: "3%"}}},
		"no number can fall in this band": {Rule: "thin-margin", Period: "2026-10",
			Cuts: &[]client.CutMove{{Band: 0, High: true, Value: "90%"}}},
		"there is no rep \"R9\"": {Rule: "behind", Period: "2026-10", Key: ptr("R9")},
		"a what-if changes figures, and silence looks at dated lines": {Rule: "quiet", Period: "2026-10", Key: ptr("R1")},
	} {
		assert.Contains(t, *refused(t, 422, "not-rehearsed")(c.Rehearse(ctx, ask)).Detail, says)
	}
	bad := "oskel: 2"
	refused(t, 422, "rulebook-refused")(c.Rehearse(ctx, client.RehearsalRequest{Text: &bad, Rule: "x", Period: "2026-10"}))
	if r := want[client.Rehearsal](t, 200)(c.Rehearse(ctx,
		client.RehearsalRequest{Rule: "behind", Period: "2026-10", Key: ptr("R2"), WhatIf: &map[string]string{"revenue": "1000"}})); assert.NotNil(t, r.WhatIf) {
		assert.Equal(t, client.WhatIf{Outcome: "clear"}, *r.WhatIf, "exactly its target")
	}
	refused(t, 403, "not-allowed")(s.as("rea").PutDraft(ctx, client.NewDraft{Text: draft}))
}

// Explained findings are counted in the look back.
func TestLookBackCountsWhatWasExplained(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	id := s.caseOf("rob", "R2").Id
	want[[]client.Case](t, 200)(onCase(s.as("rob"), id, toTake))
	want[[]client.Case](t, 200)(onCase(s.as("rob"), id, toSettle("explained")))
	r := want[client.Rehearsal](t, 200)(s.as("ana").Rehearse(ctx, client.RehearsalRequest{Rule: "thin-margin", Period: "2026-10", LookBack: ptr(1)}))
	assert.Equal(t, []int{1, 1}, []int{r.Back[0].Flagged, r.Back[0].Explained})
}

// The rulebook's life: drafts by person, the second of two told, revisions
// compared and restored, a dial turned everywhere, comments kept.
func TestRulebooksLife(t *testing.T) {
	t.Parallel()
	s := small(t)
	commented := strings.Replace(smallBook, "floor: {value: 22%", "floor: {value:   22%", 1) + "# the end, kept\n"
	s.publish(commented, 1)
	c := s.as("ana")
	d := want[client.Draft](t, 200)(c.GetDraft(ctx))
	assert.Equal(t, []any{commented, 2, 0}, []any{d.Text, d.BasedOn, d.Version})
	d = want[client.Draft](t, 200)(c.PutDraft(ctx, client.NewDraft{Text: "half done", BasedOn: 2}))
	assert.Equal(t, 1, d.Version)
	refused(t, 412, "changed-meanwhile")(c.PutDraft(ctx, client.NewDraft{Text: "from an old window", BasedOn: 2}))
	assert.Equal(t, commented, want[client.Draft](t, 200)(s.as("lea").GetDraft(ctx)).Text, "a draft is one's own")
	want[client.Draft](t, 200)(c.PutDraft(ctx, client.NewDraft{Text: "done", BasedOn: 2, Version: 1}))
	r, err := c.DeleteDraft(ctx)
	require.NoError(t, err)
	assert.Equal(t, 204, r.StatusCode)

	turned := want[client.Revision](t, 201)(c.ChangeDial(ctx, "floor", client.DialChange{Value: "25%", Note: "Tighter", BasedOn: 2}))
	assert.Equal(t, []string{"dial floor: 22% becomes 25%"}, turned.Differences)
	now := want[client.Rulebook](t, 200)(c.GetRulebook(ctx))
	assert.Equal(t, strings.Replace(commented, "value:   22%", "value:   25%", 1), now.Text)
	p := refused(t, 409, "overtaken")(s.as("lea").ChangeDial(ctx, "floor", client.DialChange{Value: "30%", Note: "Mine", BasedOn: 2}))
	assert.Contains(t, (*p.Faults)[0].Text, "dial floor: 22% becomes 25%")
	refused(t, 422, "not-rehearsed")(c.ChangeDial(ctx, "floor", client.DialChange{Value: "90%", Note: "Too far", BasedOn: 3}))
	refused(t, 403, "not-allowed")(s.as("rea").ChangeDial(ctx, "floor", client.DialChange{Value: "30%", Note: "Mine", BasedOn: 3}))

	placed := want[client.RulebookText](t, 200)(c.PlaceDial(ctx, client.PlaceDial{Text: now.Text, Name: "floor", Value: "23%"}))
	assert.Equal(t, strings.Replace(commented, "value:   22%", "value:   23%", 1), placed.Text)
	refused(t, 422, "not-rehearsed")(c.PlaceDial(ctx, client.PlaceDial{Text: now.Text, Name: "flor", Value: "23%"}))

	compared := want[client.Comparison](t, 200)(c.CompareRulebook(ctx, client.CompareRequest{With: ptr(2)}))
	assert.Equal(t, []string{"dial floor: 22% becomes 25%"}, compared.Words)
	assert.Contains(t, compared.Text, "-  floor: {value:   22%")
	restored := want[client.Revision](t, 201)(c.RestoreRevision(ctx, 2, client.Restoration{Note: "Too tight", BasedOn: 3}))
	assert.Equal(t, 4, restored.Number)
	assert.Equal(t, commented, want[client.Rulebook](t, 200)(c.GetRulebook(ctx)).Text)
	assert.Equal(t, []string{"measure margin", "rule thin-margin", "rule behind"},
		want[[]string](t, 200)(c.ListUses(ctx, &client.ListUsesParams{Name: "revenue"})))
	assert.Equal(t, []string{"rule thin-margin"}, want[[]client.Dial](t, 200)(c.ListDials(ctx))[0].Uses)

	// A grade looks otherwise everywhere at once.
	style := client.GradeChange{Label: "Have a look", Tone: "blue", Shape: "square", Note: "Calmer", BasedOn: 4}
	refused(t, 403, "not-allowed")(s.as("rea").ChangeGrade(ctx, "look", style))
	refused(t, 422, "not-rehearsed")(c.ChangeGrade(ctx, "lok", style))
	restyled := want[client.Revision](t, 201)(c.ChangeGrade(ctx, "look", style))
	assert.Equal(t, []any{5, []string{"grade look: changed"}}, []any{restyled.Number, restyled.Differences})
	refused(t, 409, "overtaken")(s.as("lea").ChangeGrade(ctx, "act", client.GradeChange{Label: "Act", Tone: "red", Shape: "cross", Note: "Mine", BasedOn: 4}))
	grades := want[client.Rulebook](t, 200)(c.GetRulebook(ctx)).Grades
	assert.Equal(t, client.Grade{Name: "look", Label: "Have a look", Tone: "blue", Shape: "square", Cell: "shape"}, grades[len(grades)-1])

	// A failing example refuses the publishing.
	broken := strings.Replace(commented, "{clear: rest}]}", "{clear: rest}]}\n    examples: [{margin: 22%, is: look}]", 1)
	p = refused(t, 422, "rulebook-refused")(c.PublishRevision(ctx, client.NewRevision{Text: broken, Note: "x", BasedOn: at(5)}))
	assert.Contains(t, (*p.Faults)[0].Text, "the example expects look, and the rule says clear")
}

// One rule at several levels and over pairs: swept, listed, routed, explained,
// reviewed like any other.
func TestLevelsAreSwept(t *testing.T) {
	t.Parallel()
	s := small(t)
	book := strings.Replace(smallBook, "rules:\n", `rules:
  - name: levels
    title: Margin by level
    judges: [rep, rep.territory, whole]
    shows: [revenue]
    threshold: {of: margin, bands: [{grade: look, below: 23%}, {clear: rest}]}
`, 1)
	s.publish(book, 1)
	s.sweep("2026-10")
	found := s.exceptions("2026-10")
	for key, sentence := range map[string]string{"levels R1": "Margin rate is 22.0%, below 23%.", "levels North": "Margin rate is 22.0%, below 23%.",
		"levels South": "Margin rate is 10.0%, below 23%.", "levels all": "Margin rate is 16.0%, below 23%."} {
		require.Contains(t, found, key)
		assert.Equal(t, sentence, found[key].Sentence)
	}
	assert.Equal(t, []string{"rep.territory", "north"}, []string{found["levels North"].Kind, found["levels North"].Desk})
	detail := want[client.ExceptionDetail](t, 200)(s.as("rea").GetException(ctx, found["levels North"].Id, nil))
	assert.Equal(t, "North", detail.Attributes["territory"])
	assert.Len(t, detail.History.Points, 13)
	up := want[client.Ranking](t, 200)(s.as("rea").GetRanking(ctx, "levels",
		&client.GetRankingParams{Period: "2026-10", By: ptr("rep.territory"), Key: ptr("South")}))
	assert.Equal(t, []any{2, 1}, []any{up.Judged, *up.Place})
	s.sweep("2026-10")
	assert.Equal(t, found["levels North"].Id, s.exceptions("2026-10")["levels North"].Id, "a group keeps its code")
}

func TestRehearseFromTheCommandLine(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	file := filepath.Join(t.TempDir(), "draft.yaml")
	require.NoError(t, os.WriteFile(file, []byte(strings.Replace(demo.Rulebook, "below: 18%", "below: 24%", 1)), 0o644))
	code, out, errs := s.oskel("ines", "rehearse", "-period", "2026-10", "-rule", "thin-margin", "-dial", "margin_floor=25%", "-periods", "3",
		"-what-if", "R-17", "-set", "margin_rate=30%")
	assert.Equal(t, 0, code, errs)
	assert.Contains(t, out, "clear → look  R-08")
	assert.Contains(t, out, "If so, R-17: clear")
	assert.Contains(t, errs, "Nothing was changed.")
	code, out, errs = s.oskel("ines", "rehearse", "-period", "2026-10", file)
	assert.Equal(t, 1, code)
	assert.Contains(t, errs+out, "no number can fall in this band")
	require.NoError(t, os.WriteFile(file, []byte(strings.Replace(demo.Rulebook, "below: 18%", "below: 17%", 1)), 0o644))
	code, out, errs = s.oskel("ines", "rehearse", "-period", "2026-10", file)
	assert.Equal(t, 0, code, errs)
	assert.Regexp(t, `thin-margin +rep +1 +1 +0 +0 +1`, out)
	code, out, _ = s.oskel("ines", "rehearse", "-period", "2026-10", "-solve", "margin_floor", "-about", "5")
	assert.Equal(t, 0, code)
	assert.Regexp(t, `25\.[0-9]%.*nearest`, out)
	code, out, _ = s.oskel("ines", "dial", "list")
	assert.Equal(t, 0, code)
	assert.Regexp(t, `margin_floor +22% +19% +40% +rule thin-margin`, out)
	code, out, _ = s.oskel("ines", "rulebook", "uses", "far_out")
	assert.Equal(t, 0, code)
	assert.Contains(t, out, "rule discount-hand")
	code, out, _ = s.oskel("ines", "rulebook", "revisions")
	assert.Equal(t, 0, code)
	assert.Contains(t, out, "REVISION")
	code, _, errs = s.oskel("ines", "rulebook", "compare", "1", file)
	assert.Equal(t, 0, code)
	assert.Contains(t, errs, "rule thin-margin: changed")
	code, _, errs = s.oskel("nell", "dial", "set", "-note", "x", "margin_floor", "24%")
	assert.Equal(t, 3, code, errs)
	code, _, errs = s.oskel("ines", "rulebook", "restore", "x")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "revision")
}

// An earlier revision is published again from the command line, as a new one.
func TestAnEarlierRevisionFromTheCommandLine(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.publish(strings.Replace(smallBook, "value: 22%", "value: 24%", 1), 1)
	floor := func() string { return want[[]client.Dial](t, 200)(s.as("ana").ListDials(ctx))[0].Value }
	assert.Equal(t, "24%", floor())
	code, _, errs := s.oskel("rea", "rulebook", "restore", "-note", "Back to the old floor", "1")
	assert.Equal(t, 3, code, errs)
	assert.Equal(t, "24%", floor())
	code, _, errs = s.oskel("ana", "rulebook", "restore", "-note", "Back to the old floor", "1")
	assert.Equal(t, 0, code, errs)
	assert.Contains(t, errs, "revision 3")
	assert.Equal(t, "22%", floor())
}

// A person who has never seen the rulebook file makes a rule, tries it,
// publishes it; and one who prefers the file finds what is wrong in it.
func TestMakeTryAndPublishARule(t *testing.T) {
	t.Parallel()
	s := small(t)
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("ana", password, "/rules"), p.Sees("Each month, for every rep"), p.ClickText("My draft"), p.Sees("no change yet"), p.Sees("Rehearsal"))
	do(t, p.ClickText("New rule"), p.Sees("flagged of"), p.Sees("Based on revision 1; 1 change"))
	field := func(label, value string) error {
		return p.Set(`[aria-label="`+label+`"]`, value)
	}
	do(t, field("Measure", "margin"), p.Sees("margin"), field("below, band 1", "30"), p.Sees("did you mean 30%?"))
	do(t, field("below, band 1", "23%"), p.Sees("2 flagged of 2 judged; the published rulebook has no such rule."), p.Sees("Bera Made-Up"))
	do(t, field("Only where", `rep.territory is "South"`), p.Sees("1 flagged of 1 judged"))
	do(t, p.ClickText("an example"), field("Inputs of example 1", "margin 23%"), p.Sees("Based on revision 1; 1 change"),
		field("Inputs of example 1", "margin 22%"), p.Sees("the example expects clear, and the rule says look"))
	do(t, field("Inputs of example 1", "margin 23%"), p.Until("!document.body.innerText.includes('example expects')"))
	do(t, p.Do("[role=slider]", "e.focus()"), p.Press("ArrowUp"), p.Until("document.querySelector('[aria-label=\"below, band 1\"]').value !== '23%'"))
	do(t, field("below, band 1", "23%"), field("Key of the subject", "R2"), field("Its figures", "margin 40%"), p.ClickText("Ask"),
		p.Sees("R2 would be"), p.Until("document.body.innerText.match(/would be\\s+clear/)"))
	found, err := p.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)
	do(t, p.Until("!document.querySelector('.button-main').disabled"), p.ClickText("Publish …"), p.Sees("rule new-rule: added"), p.Sees("flags by all rules"))
	do(t, p.Type("[role=dialog] input", "A floor for the south"), p.ClickIn("[role=dialog]", "Publish"), p.Until("location.pathname === '/rules'"),
		p.Sees("New rule"))
	do(t, p.ClickText("Revisions"), p.Sees("A floor for the south"), p.Sees("rule new-rule: added"))

	do(t, p.Go("/rules/draft?as=file"), p.Sees("No errors"))
	do(t, p.Edit("of: margin", "of: margni"), p.Sees("did you mean margin?"))
	found, err = p.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)

	// Somebody else publishes in between: told, with the difference, and nothing lost.
	do(t, p.Edit("of: margni", "of: margin"), p.Edit("below: 18%", "below: 17%"), p.Sees("rule thin-margin: changed"))
	want[client.Revision](t, 201)(s.as("lea").ChangeDial(ctx, "floor", client.DialChange{Value: "25%", Note: "Tighter", BasedOn: 2}))
	do(t, p.Until("!document.querySelector('.button-main').disabled"), p.ClickText("Publish …"), p.Type("[role=dialog] input", "Mine"),
		p.ClickIn("[role=dialog]", "Publish"), p.Sees("lea has published revision 3 since"), p.Sees("22% becomes 25%"))
	value, err := browser.Value[string](p, "document.querySelector('.cm-content').innerText")
	require.NoError(t, err)
	assert.Contains(t, value, "below: 17%")
}

// A rule is turned into each family by form, and every field of the form comes
// into the file.
func TestEveryFamilyByForm(t *testing.T) {
	t.Parallel()
	s := small(t)
	p := screen(t, s, 1280, 800)
	// A field by its label, or by its id with #.
	put := func(field, value string) error {
		if !strings.HasPrefix(field, "#") {
			field = "[aria-label='" + field + "']"
		}
		return p.Set(field, value)
	}
	do(t, p.SignIn("ana", password, "/rules/draft?rule=thin-margin&period=2026-10"), p.Sees("flagged of"))
	for _, c := range []struct {
		steps [][2]string
		kept  []string
	}{
		{[][2]string{{"#no-data", "look"}, {"#persists", "1 of 2"}, {"At stake", "revenue"}, {"Compared with", "earlier(OF)"}, {"Compared as", "change"},
			{"below, band 1", "-20%"}, {"below, band 2", "-10%"}},
			[]string{"no_data: look", "persists: 1 of 2", "stake: revenue", "earlier(margin)", "as: change", "below: -20%", "below: -10%"}},
		{[][2]string{{"Family", "choose"}, {"Condition 1 of choice 1", "margin below 20%"}, {"How many of choice 1", "none"}, {"Grade of choice 1", "act"}},
			[]string{"choose:", "grade: act", "none:", "margin below 20%", "persists: 1 of 2"}},
		{[][2]string{{"Family", "outlier: robust score"}, {"Measure", "revenue"}, {"Among", "rep.territory"}, {"Beyond", "floor"}, {"Beyond", "3"},
			{"Side", "low"}, {"Grade", "act"}},
			[]string{"outlier:", "of: revenue", "among: rep.territory", "beyond: 3", "by: robust score", "side: low", "grade: act", "no_data: look"}},
		{[][2]string{{"Family", "window: silence"}, {"Grade", "act"}}, []string{"window:", "silence: sales", "at_least: 60 days", "grade: act"}},
		{[][2]string{{"Family", "bands"}, {"Measure", "revenue"}, {"below, band 1", "500"}}, []string{"of: revenue", "below: 500", "clear: rest"}},
	} {
		for _, step := range c.steps {
			do(t, put(step[0], step[1]))
		}
		var rule string
		kept := assert.Eventually(t, func() bool {
			draft := want[client.Draft](t, 200)(s.as("ana").GetDraft(ctx))
			_, rule, _ = strings.Cut(draft.Text, "name: thin-margin")
			rule, _, _ = strings.Cut(rule, "name: behind")
			return !slices.ContainsFunc(c.kept, func(k string) bool { return !strings.Contains(rule, k) })
		}, 60*time.Second, 100*time.Millisecond)
		require.True(t, kept, "%q in %s", c.kept, rule)
	}
	assert.Empty(t, want[client.CheckReport](t, 200)(s.as("ana").CheckRulebook(ctx,
		client.RulebookText{Text: want[client.Draft](t, 200)(s.as("ana").GetDraft(ctx)).Text})).Problems)
}

func TestDialsAndRevisionsPages(t *testing.T) {
	t.Parallel()
	s := small(t)
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("ana", password, "/rules/dials?period=2026-10"), p.Sees("Used by: rule thin-margin."), p.Sees("At 22%"))
	do(t, p.Set("input[type=range]", "25"), p.Sees("At 25%"), p.Sees("Thin margin: 1 newly"))
	do(t, p.ClickText("Find the value"), p.Sees("a month over the last six"))
	found, err := p.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)
	do(t, p.Set("input[type=range]", "24"), p.Type("input[maxlength]", "Tighter"), p.ClickText("Publish floor = 24%"), p.Sees("Revision 2 is published."))
	do(t, p.Go("/rules/revisions?revision=1"), p.Sees("dial floor: 22% becomes 24%"), p.Type("input[maxlength]", "As it was"),
		p.ClickText("Restore revision 1"), p.Sees("As it was"), p.Sees("dial floor: 24% becomes 22%"))
	found, err = p.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)
}

// A cut that is a dial is dragged in the draft, and everything that uses the
// dial follows; a cut at which two bands meet moves both.
func TestCutsAreMovedInTheDrawing(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.publish(strings.Replace(smallBook, "{grade: act, below: 18%}, {grade: look, below: floor}, {clear: rest}",
		"{grade: act, below: 18%}, {grade: look, at_least: 18%, below: floor}, {clear: rest}", 1), 1)
	p := screen(t, s, 1280, 800)
	nudge := func(cut string) error {
		return p.Do(`[role=slider][aria-valuetext="`+cut+`"]`, "e.dispatchEvent(new KeyboardEvent('keydown', {key: 'ArrowUp', bubbles: true}))")
	}
	do(t, p.SignIn("ana", password, "/rules/draft?rule=thin-margin&period=2026-10"), p.Sees("flagged of"),
		p.Until("document.querySelectorAll('[role=slider]').length === 2"))
	do(t, nudge("22%"), p.Sees("This cut is the dial floor."), p.Sees("Based on revision 2; 1 change"),
		p.Until("!document.querySelector('[role=slider][aria-valuetext=\"22%\"]')"))
	do(t, nudge("18%"), p.Sees("2 changes"), p.Until("document.querySelector('[aria-label=\"below, band 1\"]').value !== '18%'"))
	moved, err := browser.Value[bool](p, "document.querySelector('[aria-label=\"below, band 1\"]').value === document.querySelector('[aria-label=\"at "+
		"least, band 2\"]').value")
	require.NoError(t, err)
	assert.True(t, moved, "both bands end where the cut is now")
	do(t, p.Sees("2 changes saved"))
	draft := want[client.Draft](t, 200)(s.as("ana").GetDraft(ctx))
	assert.NotContains(t, draft.Text, "floor: {value: 22%")
}

// A grade is given another mark in one place, and every mark follows.
func TestGradesPage(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("ana", password, "/rules/grades?grade=look"), p.Sees("Rules that give it: thin-margin, behind, quiet."), p.Sees("It looks so:"))
	do(t, p.Click("input[value=diamond]"), p.Click("input[value=red]"), p.Sees("Act now already looks so."), p.Click("input[value=square]"),
		p.Sees("It will look so:"))
	found, err := p.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)
	do(t, p.Set("fieldset input", "Have a look"), p.Type("form input", "Plainer"), p.ClickText("Restyle and publish"), p.Sees("Revision 2 is published"))
	do(t, p.Go("/exceptions?period=2026-10"), p.Sees("Have a look"), p.Until("document.querySelector('[data-row] svg rect')"))
}

func TestGradesFromTheCommandLine(t *testing.T) {
	t.Parallel()
	s := small(t)
	code, _, errs := s.oskel("ana", "grade", "change", "-tone", "blue", "-note", "Calmer", "look")
	assert.Equal(t, 0, code, errs)
	assert.Contains(t, errs, "grade look: changed")
	code, out, _ := s.oskel("ana", "grade", "list")
	assert.Equal(t, 0, code)
	assert.Regexp(t, `look +Look +blue +triangle`, out)
	code, _, errs = s.oskel("ana", "grade", "change", "-tone", "pink", "-note", "Calmer", "look")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "tone")
	code, _, _ = s.oskel("ana", "grade", "change", "look")
	assert.Equal(t, 2, code)
}

// A draft may declare more than the published rulebook: it is rehearsed on the
// data there are, and what is new has none.
func TestADraftOfAnotherShape(t *testing.T) {
	t.Parallel()
	s := small(t)
	ask := func(text, rule string) client.Rehearsal {
		return want[client.Rehearsal](t, 200)(s.as("ana").Rehearse(ctx, client.RehearsalRequest{Text: &text, Rule: rule, Period: "2026-10"}))
	}
	more := smallBook
	for _, change := range [][2]string{
		{"kinds:\n", "kinds:\n  shop: {}\n"},
		{"notes: [order_no]", "labels: [channel], notes: [order_no]"},
		{"numbers: {net: money, cost: money}", "numbers: {cost: money, net: money}"},
		{"feeds:\n", "feeds:\n  returns: {title: Returns, date: day, subjects: {rep: rep, shop: shop}, numbers: {net: money}}\n"},
		{"measures:\n", "measures:\n  returned: {sum: returns.net, unit: money}\n  by_phone: {sum: sales.net, where: channel is \"phone\", unit: money}\n " +
			" otherwise_sold: {sum: sales.net, where: not (channel is \"phone\"), unit: money}\n"},
		{"rules:\n", "rules:\n  - {name: sent-back, judges: rep, no_data: look, threshold: {of: returned, bands: [{grade: act, above: 10}, {clear: " +
			"rest}]}}\n  - {name: phoned, judges: rep, threshold: {of: by_phone, bands: [{grade: act, above: 10}, {clear: rest}]}}\n  - {name: " +
			"sold-otherwise, judges: rep, threshold: {of: otherwise_sold, bands: [{grade: act, above: 999.9999}, {clear: rest}]}}\n"},
	} {
		require.Contains(t, more, change[0])
		more = strings.Replace(more, change[0], change[1], 1)
	}
	as, same := ask(smallBook, "thin-margin"), ask(more, "thin-margin")
	assert.Equal(t, as.Tally, same.Tally)
	assert.Equal(t, as.Flagged, same.Flagged)
	empty := ask(more, "sent-back").Tally
	assert.Equal(t, []int{0, 0, 3}, []int{empty.NoData, empty.Flagged, empty.NotJudged["no lines in the period"]},
		"there is no line of returns at all, and R4 has left")
	assert.Equal(t, 3, ask(more, "phoned").Tally.NoData)
	otherwise := ask(more, "sold-otherwise")
	require.Len(t, otherwise.Flagged, 1)
	assert.Equal(t, "R1", otherwise.Flagged[0].Key, "it sold 1000 and R2 999.9999")
	// Published, it is what the data are read in; the file of old lacks nothing.
	s.publish(more, 1)
	s.load("feed", "sales", "day,order_no,rep,net,cost,channel\n2026-10-12,P1,R3,40,1,phone\n")
	assert.Equal(t, 1, ask(more, "phoned").Tally.Flagged)
	s.load("feed", "sales", salesHead+"2026-10-13,P2,R3,40,1\n")
	refused(t, 422, "file-refused")(s.send("feed", "sales", "day,order_no,rep,net,cost,chanel\n2026-10-14,P3,R3,40,1,phone\n"))
}

// What a rule only lists loads no desk, in a draft and as published.
func TestListedRulesLoadNoDesk(t *testing.T) {
	t.Parallel()
	s := small(t)
	loads := func(text string) (before, after, flagged int) {
		r := want[client.BookRehearsal](t, 200)(s.as("ana").RehearseBook(ctx, client.BookRehearsalRequest{Text: &text, Period: "2026-10"}))
		for _, d := range r.Desks {
			before += d.Before
			after += d.After
		}
		return before, after, r.After
	}
	listed := strings.Replace(smallBook, "  - name: behind\n", "  - name: behind\n    cases: none\n", 1)
	before, after, flagged := loads(listed)
	behind := 2 // R2 and R3
	assert.Equal(t, []int{flagged, flagged - behind}, []int{before, after}, "as many are flagged, and fewer go to desks")
	s.publish(listed, 1)
	before, after, _ = loads(smallBook)
	assert.Equal(t, []int{flagged - behind, flagged}, []int{before, after})
}
