package judge_test

import (
	"fmt"
	"math/big"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/explain"
	"oskel/core/judge"
	"oskel/core/ledger"
	"oskel/core/measure"
	"oskel/core/method"
	"oskel/core/rulebook"
)

// The figures of the worked examples in docs/rulebook.md: in October 2026 R0
// sold 300, R1 200 and R2 100; R0 and R2 are in North.
var worked = []line{
	{0, "2025-10-09", "150", "75"}, {0, "2026-08-09", "100", "50"}, {0, "2026-09-09", "240", "120"}, {1, "2026-09-10", "400", "100"},
	{0, "2026-10-09", "300", "150"}, {1, "2026-10-10", "200", "50"}, {2, "2026-10-11", "100", "90"},
}

// held judges one rule and gives what was held against its bands, exactly, of
// each code; or why nothing was.
func held(t *testing.T, e *measure.Engine, r *judge.Result) []string {
	var out []string
	for code, v := range r.All() {
		if ev := judge.EvidenceFor(e, r, uint32(code)); ev.Held != nil {
			out = append(out, ev.Held.RatString())
		} else {
			out = append(out, v.Why)
		}
	}
	return out
}

// Every comparison against an example that a reader can check by hand.
func TestComparisonsByHand(t *testing.T) {
	none := "no comparison value: "
	for _, c := range []struct {
		against, as string
		want        []string
	}{
		{"250", "difference", []string{"50", "-50", "-150"}},
		{"250", "ratio", []string{"6/5", "4/5", "2/5"}},
		{"250", "change", []string{"1/5", "-1/5", "-3/5"}},
		{"target", "ratio", []string{"1", "4/5", method.NoTarget}},
		{"cost", "ratio", []string{"2", "4", "10/9"}},
		{"earlier(revenue)", "difference", []string{"60", "-200", none + "no lines in the period"}},
		{"earlier(revenue)", "change", []string{"1/4", "-1/2", none + "no lines in the period"}},
		{"earlier(revenue, 2)", "ratio", []string{"3", none + "no lines in the period", none + "no lines in the period"}},
		{"earlier(revenue, 1 year)", "change", []string{"1", none + "no lines in the period", none + "no lines in the period"}},
		{"history(revenue, 2, best, at least 1)", "ratio", []string{"5/4", "1/2", none + "not enough history"}},
		{"history(revenue, 2, worst, at least 1)", "ratio", []string{"3", "1/2", none + "not enough history"}},
		{"history(revenue, 2, average)", "difference", []string{"130", none + "not enough history", none + "not enough history"}},
		{"history(revenue, 2, median)", "difference", []string{"130", none + "not enough history", none + "not enough history"}},
		{"group_value(revenue, rep.territory)", "ratio", []string{"3/4", "1", "1/4"}},
		{"group_value(revenue)", "ratio", []string{"1/2", "1/3", "1/6"}},
		{"peers(revenue, average)", "ratio", []string{"3/2", "1", "1/2"}},
		{"peers(revenue, median, rep.territory)", "ratio", []string{"3/2", "1", "1/2"}},
		{"peers(revenue, percentile 75)", "ratio", []string{"6/5", "4/5", "2/5"}},
		{"\"revenue - 300\"", "ratio", []string{method.NoComparison, method.NoComparison, method.NoComparison}},
		{"\"revenue - 300\"", "difference", []string{"300", "300", "300"}},
	} {
		e := world(t, 3, fmt.Sprintf(`
  - {name: held, judges: rep, threshold: {of: revenue, against: %q, as: %s, bands: [{grade: act, below: %s}, {clear: rest}]}}
`, strings.Trim(c.against, `"`), c.as, map[string]string{"difference": "0", "ratio": "90%", "change": "0%"}[c.as]), worked...)
		sheet := &ledger.Sheet{Months: map[calendar.Month][]amount.Amount{}}
		sheet.Set(october, 0, amount.FromInt(300))
		sheet.Set(october, 1, amount.FromInt(250))
		e.Snapshot.Targets[ledger.SheetKey{Kind: "rep", Measure: "revenue"}] = sheet
		rule := e.Book.Rule("held")
		r := judge.Judge(e, rule, rule.Levels[0], calendar.MonthPeriod(october))
		assert.Equal(t, c.want, held(t, e, r), "%s as %s", c.against, c.as)
		for code, v := range r.All() {
			ev := judge.EvidenceFor(e, r, uint32(code))
			if ev.Held != nil {
				cut := map[string]*big.Rat{"difference": new(big.Rat), "ratio": big.NewRat(9, 10), "change": new(big.Rat)}[c.as]
				assert.Equal(t, ev.Held.Cmp(cut) < 0, v.Grade == "act", "%s as %s, R%d", c.against, c.as, code)
				assert.NotContains(t, explain.Sentence(e.Book, rule, calendar.MonthPeriod(october), v, ev), "%!")
			}
		}
	}
}

func TestPlacesInTheRange(t *testing.T) {
	e := world(t, 3, margin, worked...)
	book, err := e.Book.WithFormula("range_position(revenue)")
	require.NoError(t, err)
	book, err = book.WithFormula("percentile_rank(revenue, rep.territory)")
	require.NoError(t, err)
	e = measure.New(book, e.Snapshot)
	s := e.Slot(measure.Level{Kind: "rep"}, calendar.MonthPeriod(october))
	got := func(name string) (out []string) {
		c := e.Column(name, s)
		for code := range 3 {
			v, why := e.Exact(name, uint32(code), s)
			if why != measure.Present {
				out = append(out, why.String())
				continue
			}
			f, _ := v.Float64()
			assert.InDelta(t, f, c.Value[code], c.Error[code]+1e-15)
			out = append(out, v.RatString())
		}
		return out
	}
	assert.Equal(t, []string{"1", "1/2", "0"}, got("range_position(revenue)"))
	assert.Equal(t, []string{"1", "division by zero", "0"}, got("percentile_rank(revenue, rep.territory)"), "R1 is alone in the south")
}

// However near a value comes to a cut, the verdict is that of the rationals.
func TestHeldIsDecidedExactly(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		as := rapid.SampledFrom([]string{"ratio", "difference", "change"}).Draw(t, "as")
		y := rapid.Int64Range(1, 1e9).Draw(t, "yardstick")
		cut := rapid.Int64Range(-20000, 20000).Draw(t, "cut")
		// On the cut, or a ten-thousandth beside it.
		exact := new(big.Rat).Mul(big.NewRat(cut, 10000), big.NewRat(y, 10000))
		switch as {
		case "difference":
			exact = new(big.Rat).Add(big.NewRat(cut, 10000), big.NewRat(y, 10000))
		case "change":
			exact.Add(exact, big.NewRat(y, 10000))
		}
		v, err := amount.Parse(amount.RoundRat(exact, 4))
		require.NoError(t, err)
		v += amount.Amount(rapid.Int64Range(-1, 1).Draw(t, "beside"))
		if v == 0 {
			v = 1
		}
		bound := amount.Amount(cut).String()
		if as != "difference" {
			bound = rulebook.Bound{Number: amount.Amount(cut), Percent: true}.Text()
		}
		e := world(t, 1, fmt.Sprintf(`
  - {name: near, judges: rep, threshold: {of: revenue, against: cost, as: %s, bands: [{grade: act, below: %s}, {clear: rest}]}}
`, as, bound), line{0, "2026-10-05", v.String(), amount.Amount(y).String()})
		rule := e.Book.Rule("near")
		r := judge.Judge(e, rule, rule.Levels[0], calendar.MonthPeriod(october))
		want := new(big.Rat).Sub(v.Rat(), amount.Amount(y).Rat())
		switch as {
		case "ratio":
			want = new(big.Rat).Quo(v.Rat(), amount.Amount(y).Rat())
		case "change":
			want.Quo(want, amount.Amount(y).Rat())
		}
		assert.Equal(t, want.Cmp(amount.Amount(cut).Rat()) < 0, r.Verdict(0).Grade == "act", "%s %s against %s, cut %s", as, v, amount.Amount(y), bound)
	})
}

func TestLevelsEachOnTheirOwn(t *testing.T) {
	e := world(t, 3, `
  - {name: thin, judges: [rep, rep.territory, whole], threshold: {of: margin, bands: [{grade: act, below: 40%}, {grade: look, below: 55%}, {clear: rest}]}}
`, worked...)
	rule := e.Book.Rule("thin")
	var said []string
	for _, r := range judge.All(e, calendar.MonthPeriod(october)) {
		keys, _ := e.Names(r.Level)
		for code, v := range r.All() {
			if v.Outcome != judge.NoData && v.Outcome != judge.OutOfScope {
				said = append(said, r.Level.String()+" "+keys[code]+": "+v.Outcome.String()+" "+v.Grade)
			}
		}
	}
	// North: (400 - 240) / 400 is 40%, on the cut; the whole (600 - 290) / 600.
	assert.Equal(t, []string{"rep R0: breach look", "rep R1: clear ", "rep R2: breach act", "rep.territory North: breach look",
		"rep.territory South: clear ", "whole all: breach look"}, said)
	assert.Contains(t, e.Book.Words(rule), "for every rep, for every territory, and for the whole: Act now when margin rate is below 40%")
}

func TestChoices(t *testing.T) {
	e := world(t, 4, `
  - name: mixed
    judges: rep
    threshold:
      choose:
        - {grade: act, some: {at_least: 2, of: [revenue below 250, margin below 50%, 'rep.territory is "South"']}}
        - {grade: look, all: [revenue above 250, growth(revenue) above 20%]}
        - {grade: look, none: [revenue above 150]}
`, worked...)
	rule := e.Book.Rule("mixed")
	r := judge.Judge(e, rule, rule.Levels[0], calendar.MonthPeriod(october))
	var sentences []string
	for code, v := range r.All() {
		sentences = append(sentences, explain.Sentence(e.Book, rule, calendar.MonthPeriod(october), v, judge.EvidenceFor(e, r, uint32(code))))
	}
	assert.Equal(t, "breach look; breach act; breach act; no data (no lines in the period)", verdicts(r))
	assert.Equal(t, "Conditions met: revenue above 250; growth(revenue) above 20%: revenue 300, margin rate 50.0%.", sentences[0])
	assert.Contains(t, sentences[1], `rep.territory is "South"`)
	assert.Contains(t, e.Book.Words(rule), "Act now when at least 2 of these conditions are met: revenue below 250; margin below 50%")
}

func TestPersistenceStopsAndDates(t *testing.T) {
	e := world(t, 3, `
  - {name: sure, judges: rep, persists: 2 of 2, last_word: true, threshold: {of: revenue, bands: [{grade: act, above: 210}, {clear: rest}]}}
  - {name: after, judges: rep, threshold: {of: revenue, bands: [{grade: look, above: 0}, {clear: rest}]}}
  - {name: gone, judges: rep, valid_until: 2026-09-30, threshold: {of: revenue, bands: [{grade: look, above: 0}, {clear: rest}]}}
  - {name: coming, judges: rep, valid_from: 2026-10-31, threshold: {of: revenue, bands: [{grade: look, above: 0}, {clear: rest}]}}
`, worked...)
	all := judge.All(e, calendar.MonthPeriod(october))
	require.Len(t, all, 3)
	assert.Equal(t, "breach act; clear (not in enough of the last periods); clear",
		strings.ReplaceAll(verdicts(judge.Judge(e, e.Book.Rule("sure"), all[0].Level, calendar.MonthPeriod(october))), "clear; clear",
			"clear (not in enough of the last periods); clear"))
	assert.Equal(t, "not judged (skipped: an earlier rule flagged it); breach look; breach look", verdicts(all[1]))
	assert.Equal(t, "coming", all[2].Rule.Name)
	r := all[0]
	sentence := explain.Sentence(e.Book, r.Rule, calendar.MonthPeriod(october), r.Verdict(0), judge.EvidenceFor(e, r, 0))
	assert.Equal(t, "Revenue is 300, above 210. In 2 of the last 2 months; it is flagged from 2 on.", sentence)
}

const told = `
  - name: thin
    judges: rep
    where: rep.territory is not "South"
    base: {revenue: at least 100}
    threshold: {of: margin, bands: [{grade: act, below: 18%}, {grade: look, below: floor}, {clear: rest}]}
    examples:
      - {margin: 22%, is: clear}
      - {margin: 21.99%, is: look}
      - {revenue: 100, cost: 82, is: look}
      - {revenue: 99.99, cost: 90, is: not judged}
      - {margin: missing, is: no data}
      - {margin: 1%, rep.territory: North, is: act}
  - name: target
    judges: rep
    threshold: {of: revenue, against: target, as: ratio, bands: [{grade: act, below: 100%}, {clear: rest}]}
    examples:
      - {revenue: 48000, target: 48000, is: clear}
      - {revenue: 47999.9999, target: 48000, is: act}
      - {revenue: 1, target: missing, is: not judged}
  - name: grown
    judges: rep.territory
    threshold: {of: revenue, against: "earlier(revenue, 1 year)", as: change, bands: [{grade: look, below: -10%}, {clear: rest}]}
    examples:
      - {revenue: 90, comparison: 100, is: clear}
      - {revenue: 89.9999, comparison: 100, is: look}
  - {name: far, judges: rep, outlier: {of: margin, by: robust score, beyond: 3.5, side: low, grade: look}, examples: [{score: -3.5, is: clear},
      {score: -3.5001, is: look}]}
  - {name: quiet, judges: rep, window: {silence: sales, at_least: 60 days, grade: look}, examples: [{days: 59, is: clear}, {days: 60 days, is: look}]}
`

// Examples are run at each check: one that fails is a problem with its place.
func TestStatedExamples(t *testing.T) {
	book, problems, _ := judge.ReadBook([]byte(head + told))
	require.Empty(t, problems)
	require.Len(t, book.Rules, 5)
	for old, c := range map[string]struct{ new, says string }{
		"{margin: 22%, is: clear}": {"{margin: 22%, is: look}",
			"rules.thin.examples[1]: the example expects look, and the rule says clear"},
		"{revenue: 48000, target: 48000, is: clear}":  {"{revenue: 48000, is: clear}", "the example does not say the target"},
		"{revenue: 90, comparison: 100, is: clear}":   {"{revenue: 90, is: clear}", "the example does not say the comparison"},
		"{margin: 21.99%, is: look}":                  {"{revenue: 500, is: look}", "does not say enough: nothing of cost"},
		"{score: -3.5, is: clear}":                    {"{margin: 3%, is: clear}", "says the score"},
		"{margin: 1%, rep.territory: North, is: act}": {"{margin: 1%, rep.territory: South, is: act}", "expects act, and the rule says out of scope"},
		"{revenue: 47999.9999, target: 48000, is: act}": {"{revenue: 47999.9999, target: 48000, is: alarm}",
			`expected a grade, or clear, no data or not judged, found "alarm"`},
		"{revenue: 89.9999, comparison: 100, is: look}":      {"{revnue: 1, is: look}", "did you mean revenue?"},
		"{margin: missing, is: no data}":                     {"{margin: 22, is: clear}", "did you mean 22%?"},
		"{revenue: 1, target: missing, is: not judged}":      {"{revenue: 1, target: missing}", "'is' is missing"},
		"[{days: 59, is: clear}, {days: 60 days, is: look}]": {"[{days: some, is: clear}]", "expected a number"},
	} {
		_, problems, _ := judge.ReadBook([]byte(strings.Replace(head+told, old, c.new, 1)))
		require.NotEmpty(t, problems, old)
		assert.Contains(t, fmt.Sprint(problems), c.says, old)
	}
}

// A rehearsal: who flips, who is near, what was, what if, and for how many.
func TestRehearsal(t *testing.T) {
	e := world(t, 3, `
  - {name: big, judges: rep, threshold: {of: revenue, bands: [{grade: act, above: 250}, {clear: rest}]}}
  - {name: thin, judges: rep, threshold: {of: margin, bands: [{grade: look, below: floor}, {clear: rest}]}}
`, worked...)
	rule := e.Book.Rule("big")
	before := judge.Judge(e, rule, rule.Levels[0], calendar.MonthPeriod(october))
	moved, err := e.Book.WithCuts("big", rulebook.CutMove{At: amount.FromInt(150)})
	require.NoError(t, err)
	draft := e.With(moved)
	after := judge.Judge(draft, moved.Rule("big"), rule.Levels[0], calendar.MonthPeriod(october))
	flips := judge.Flips(before, after)
	require.Len(t, flips, 1)
	assert.Equal(t, []any{uint32(1), "", "act"}, []any{flips[0].Code, flips[0].Before.Grade, flips[0].After.Grade})
	assert.Len(t, judge.Flips(nil, after), 2, "of a new rule all are new")
	near := after.NearCut(2)
	assert.Equal(t, []uint32{1, 2}, []uint32{near[0].Code, near[1].Code}, "200 and 100 lie 50 from 150")
	back := judge.LookBack(draft, moved.Rule("big"), rule.Levels[0], calendar.MonthPeriod(october), 3)
	assert.Equal(t, []int{0, 2, 2}, []int{back[0].Flagged, back[1].Flagged, back[2].Flagged})
	assert.Equal(t, 2, back[2].Persisted)
	_, err = e.Book.WithCuts("big", rulebook.CutMove{High: true})
	assert.ErrorContains(t, err, "no such end")
	both := world(t, 3, `
  - {name: two, judges: rep, threshold: {of: revenue, bands: [{grade: act, below: 100}, {grade: look, at_least: 100, below: 250}, {clear: rest}]}}
`, worked...)
	_, err = both.Book.WithCuts("two", rulebook.CutMove{High: true, At: amount.FromInt(150)})
	assert.ErrorContains(t, err, "with that cut, two bands overlap from 100 and below 150")
	together, err := both.Book.WithCuts("two", rulebook.CutMove{High: true, At: amount.FromInt(150)}, rulebook.CutMove{Band: 1, At: amount.FromInt(150)})
	require.NoError(t, err)
	assert.Equal(t, "clear; breach look; breach act",
		verdicts(judge.Judge(both.With(together), together.Rule("two"), rule.Levels[0], calendar.MonthPeriod(october))))
	_, err = e.Book.WithCuts("thin", rulebook.CutMove{High: true})
	assert.ErrorContains(t, err, "ends at the dial floor")

	thin := e.Book.Rule("thin")
	r := judge.Judge(e, thin, thin.Levels[0], calendar.MonthPeriod(october))
	assert.Equal(t, "clear; clear; breach look", verdicts(r))
	v, refused := judge.WhatIf(e, r, 2, map[string]*big.Rat{"cost": big.NewRat(78, 1)})
	assert.Equal(t, []string{"clear", ""}, []string{v.Outcome.String(), refused}, "(100 - 78) / 100 is 22%")
	v, _ = judge.WhatIf(e, r, 0, map[string]*big.Rat{"margin": big.NewRat(1, 10)})
	assert.Equal(t, "look", v.Grade)
	v, _ = judge.WhatIf(e, r, 0, map[string]*big.Rat{"revenue": nil})
	assert.Equal(t, judge.NoData, v.Outcome)

	// R2's margin is 10%, R0's 50%, R1's 75%.
	best, tried := judge.SolveDial(e, "floor", []string{"thin"}, calendar.MonthPeriod(october), 1, 2, 0, amount.FromInt(1), amount.Scale/1000)
	assert.Equal(t, 2.0, best.Average)
	assert.True(t, best.Value > amount.Scale/2 && best.Value <= 3*amount.Scale/4, best.Value.String())
	for i := 1; i < len(tried); i++ {
		assert.GreaterOrEqual(t, tried[i].Average, tried[i-1].Average)
	}
	assert.Equal(t, amount.Amount(2200), e.Book.Dial("floor").Value, "the book itself stays as it is")
}

// A draft that defines a measure otherwise is not held against its own figures
// under the published name.
func TestEnginesShareOnlyWhatIsTheSame(t *testing.T) {
	e := world(t, 3, margin, worked...)
	s := e.Slot(measure.Level{Kind: "rep"}, calendar.MonthPeriod(october))
	assert.Equal(t, 300.0, e.Column("revenue", s).Value[0])
	other, problems := rulebook.Read([]byte(strings.Replace(head+margin, "revenue: {sum: sales.net,", "revenue: {sum: sales.cost,", 1)), method.All())
	require.Empty(t, problems)
	assert.Equal(t, 150.0, e.With(other).Column("revenue", s).Value[0])
	assert.Equal(t, 300.0, e.With(other).With(e.Book).Column("revenue", s).Value[0])
}

func TestAdvice(t *testing.T) {
	_, refused := rulebook.Read([]byte(strings.Replace(head+margin, "  rep: {attributes", "  whole: {attributes: {size: number}}\n  rep: {attributes",
		1)), method.All())
	assert.Contains(t, fmt.Sprint(refused), "'whole' stands for all subjects together")
	_, refused = rulebook.Read([]byte(strings.Replace(head, "  rep: {attributes", "  shop: {attributes: {town: text}}\n  rep: {attributes", 1)+`
  - {name: l, judges: rep, threshold: {of: margin, against: "group_value(margin, shop.town)", as: difference, bands: [{grade: act, below: 0%}, {clear: rest}]}}
`), method.All())
	assert.Contains(t, fmt.Sprint(refused), "group_value asks within shop.town, which is none of a rep")
	alike := strings.Replace(strings.Replace(head, "{name: act", "{shape: circle, name: act", 1), "{name: look", "{shape: circle, name: look", 1)
	_, problems, advice := judge.ReadBook([]byte(alike + `
  - {name: first, judges: rep, last_word: true, threshold: {of: margin, bands: [{grade: act, below: 30%}, {clear: rest}]}}
  - {name: hidden, judges: rep, threshold: {of: margin, bands: [{grade: look, below: 20%}, {clear: rest}]}}
  - {name: seen, judges: rep, threshold: {of: margin, bands: [{grade: look, below: 40%}, {clear: rest}]}}
`))
	require.Empty(t, problems)
	var said []string
	for _, a := range advice {
		said = append(said, a.Path+": "+a.Text)
	}
	assert.Equal(t, []string{"rules.hidden: never reached: first flags the same subjects first and skips later rules",
		"grades.look: looks like act, amber circle: their marks cannot be told apart", "dials.floor: used by nothing",
		"measures: used by no rule and no other measure, only to be looked at: orders, odd"}, said)
	for rule, says := range map[string]string{
		`{name: l, judges: rep, threshold: {of: revenue, bands: [{grade: act, at_least: 250, label: over 250},
		    {clear: rest}]}}`: `the label "over 250" contradicts its cut: the band is from 250 on`,
		`{name: l, judges: rep, threshold: {of: margin, bands: [{grade: act, below: 25%, label: up to 20%},
		    {clear: rest}]}}`: `contradicts its cut`,
		`{name: l, judges: [rep, rep], threshold: {of: margin, bands: [{grade: act, below: 25%},
		    {clear: rest}]}}`: `the rule already judges rep`,
		`{name: l, judges: whole, where: rep.territory is "North", threshold: {of: margin, bands: [{grade: act, below: 25%},
		    {clear: rest}]}}`: `the whole has no attribute "rep.territory"`,
		`{name: l, judges: rep, persists: 4 of 3, threshold: {of: margin, bands: [{grade: act, below: 25%},
		    {clear: rest}]}}`: `expected how many of the last periods`,
		`{name: l, judges: rep, threshold: {of: margin, against: 12, as: difference, bands: [{grade: act, below: 0%},
		    {clear: rest}]}}`: `did you mean 12%?`,
		`{name: l, judges: rep, threshold: {of: margin, against: revenue, as: ratio, bands: [{grade: act, below: 5%},
		    {clear: rest}]}}`: `holding against one another`,
		`{name: l, judges: rep, threshold: {choose: [{grade: act, all: [margin below 5,
		    revenu above 1]}]}}`: `did you mean revenue?`,
		`{name: l, judges: rep, threshold: {choose: [{grade: act, some: {at_least: 3,
		    of: [margin below 5%]}}]}}`: `at least 3 of 1 can never hold`,
		`{name: l, judges: rep, valid_from: 2026-05-01, valid_until: 2026-04-01, threshold: {of: margin, bands: [{grade: act, below: 25%},
		    {clear: rest}]}}`: `expected a day not before valid_from`,
	} {
		_, problems := rulebook.Read([]byte(head+"  - "+rule+"\n"), method.All())
		require.NotEmpty(t, problems, rule)
		assert.Contains(t, fmt.Sprint(problems), says, rule)
	}
}
