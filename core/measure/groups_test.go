package measure_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/ledger"
	"oskel/core/measure"
	"oskel/core/method"
	"oskel/core/rulebook"
)

var territories = []line{
	{0, 0, "2026-10-15", "10", "0", 0}, {1, 0, "2026-10-20", "100", "0", 0}, {2, 1, "2026-10-01", "40", "0", 0}, {0, 1, "2026-09-01", "7", "0", 0},
}

// A group is there while a subject that is active, or that has a line, belongs
// to it; what is not there has no figure and is nobody's peer.
func TestAGroupThatIsNotThere(t *testing.T) {
	const measures = "  mean: {formula: \"peers(coalesce(revenue, 0), average)\", unit: money}\n  spot: {formula: \"rank(coalesce(revenue, 0))\", " +
		"groups: own figures, unit: count}\n"
	e := world(t, measures, territories)
	absent := "no such group in the period"
	assert.Equal(t, absent+"; 75; 75", say(e, "mean", areas, "2026-10"), "of North's 110 and South's 40, and of no third")
	assert.Equal(t, absent+"; 1; 2", say(e, "spot", areas, "2026-10"))
	keys, names := e.Names(areas)
	assert.Equal(t, []string{"without a territory", "North", "South"}, keys)
	assert.Equal(t, keys, names)

	register := e.Snapshot.Registers["rep"]
	register.SetAttribute("territory", []lang.Value{text("North"), text("North"), {}})
	e = measure.New(e.Book, e.Snapshot)
	assert.Equal(t, "75; 75", say(e, "mean", areas, "2026-10"), "now somebody is without one")
	assert.Equal(t, "40; 110", say(e, "revenue", areas, "2026-10"))
	code, ok := e.Code(areas, "without a territory")
	assert.True(t, ok)
	assert.Zero(t, code)

	// One who has left is no longer without a territory, unless lines say so.
	register.SetActive(2, ledger.Spell{First: ledger.Never, Last: calendar.Date(2026, 9, 30)})
	e = measure.New(e.Book, e.Snapshot)
	assert.Equal(t, "40; 110", say(e, "revenue", areas, "2026-10"), "it has a line in October")
	assert.Equal(t, absent+"; 0", say(e, "mean", areas, "2026-11"), "and none in November")
	register.SetActive(2, ledger.Spell{First: ledger.Never, Last: calendar.Date(2026, 11, 1)})
	e = measure.New(e.Book, e.Snapshot)
	assert.Equal(t, "0; 0", say(e, "mean", areas, "2026-11"), "the last day belongs to it")
}

// A commission of each rep is no matter of the group's own revenue: its total
// is the sum of the reps' where the measure says so.
func TestGroupsMadeOfTheirSubjects(t *testing.T) {
	measures := ""
	for i, how := range []string{"own figures", "sum of rep", "average of rep", "minimum of rep", "maximum of rep", "count of rep"} {
		measures += fmt.Sprintf("  c%d: {formula: \"when revenue above 20 then revenue * 10%% otherwise 0 * revenue\", groups: %s, unit: money}\n", i, how)
	}
	e := world(t, measures, territories)
	absent := "no such group in the period; "
	for i, want := range []string{"11; 4", "10; 4", "5; 4", "0; 4", "10; 4", "2; 1"} {
		assert.Equal(t, absent+want, say(e, fmt.Sprint("c", i), areas, "2026-10"), "of groups, %d", i)
	}
	for i, want := range []string{"15", "14", "4.666667", "0", "10", "3"} {
		assert.Equal(t, want, say(e, fmt.Sprint("c", i), whole, "2026-10"), "of the total, %d", i)
	}
	assert.Equal(t, "0; 10; 4", say(e, "c1", reps, "2026-10"), "of each rep it is its own")
	assert.Equal(t, "0; no lines in the period; no lines in the period", say(e, "c1", reps, "2026-09"))
	assert.Equal(t, "0", say(e, "c3", whole, "2026-09"), "who has no value counts for nothing")
	assert.Equal(t, "no lines in the period", say(e, "c5", whole, "2026-07"))

	pairs, complaint := e.Book.ParseLevel("rep.territory x customer.category")
	require.Empty(t, complaint)
	october, _ := e.Book.Calendar.Parse("2026-10")
	keys, _ := e.Names(pairs)
	found := map[string]string{}
	for code, key := range keys {
		if v, why := e.Exact("c1", uint32(code), e.Slot(pairs, october)); why == measure.Present {
			found[key] = amount.RoundRat(v, 0)
		}
	}
	assert.Equal(t, map[string]string{"North x Yard": "10", "South x Shop": "4"}, found, "of a group of pairs it is the sum of the pairs")
	g := e.Grid(measure.Ask{Level: reps, Measures: []string{"c1", "c0"}, Periods: []calendar.Period{october}, Groups: []measure.Level{areas}, Sort: -1, Limit: 10})
	assert.Equal(t, "14", g.Whole[0].Value.RatString())
	assert.Equal(t, "15", g.Whole[1].Value.RatString())
	assert.Equal(t, "10", g.Rows[0].Cells[0].Value.RatString(), "the subtotal of North")
}

// What changes with the group must say how its groups are made.
func TestGroupsMustBeStated(t *testing.T) {
	for formula, what := range map[string]string{
		"when revenue above 1 then revenue otherwise 0": "a choice", "rank(revenue)": "a place", "range_position(revenue)": "a place",
		"attainment(revenue)": "a target", "1 + target(revenue)": "a target",
	} {
		text := head + fmt.Sprintf("  x: {formula: %q, unit: money}\n", formula)
		_, problems := rulebook.Read([]byte(text), method.All())
		require.NotEmpty(t, problems, formula)
		assert.Contains(t, problems[0].Text, "the formula has "+what+" in it", formula)
		assert.Contains(t, problems[0].Text, "sum of rep")
		_, problems = rulebook.Reread([]byte(text), method.All())
		for _, p := range problems {
			assert.NotContains(t, p.Text, "must say how its groups", "what was published before it was asked is read")
		}
	}
	for groups, says := range map[string]string{"sum": "expected 'own figures'", "sum of reb": "did you mean rep?", "mean of rep": "expected 'own figures'"} {
		_, problems := rulebook.Read([]byte(head+fmt.Sprintf("  x: {formula: revenue, groups: %s, unit: money}\n", groups)), method.All())
		require.NotEmpty(t, problems, groups)
		assert.Contains(t, problems[0].Text, says)
	}
}

// What trailing adds up of windows is their days, none of those between, each
// once though windows overlap.
func TestTrailingWindowsLieApart(t *testing.T) {
	windows := "  windows:\n"
	for _, w := range []string{"a, from: 2026-03-01, to: 2026-03-10", "b, from: 2026-06-01, to: 2026-06-10", "c, from: 2026-06-08, to: 2026-06-20"} {
		windows += "    - {kind: fair, name: " + w + "}\n"
	}
	e := world(t, "", []line{
		{0, 0, "2026-03-01", "100", "50", 0}, {0, 0, "2026-03-10", "10", "5", 0}, {0, 0, "2026-03-11", "5000", "1", 0}, {0, 0, "2026-05-31", "7000", "1", 0},
		{0, 1, "2026-06-01", "200", "50", 0}, {0, 1, "2026-06-09", "20", "10", 0}, {0, 1, "2026-06-20", "2", "1", 0}, {0, 1, "2026-06-21", "9000", "1", 0},
	})
	text := "oskel: 1\ncalendar:\n  fiscal_year_starts: \"02-01\"\n" + windows + head[len("oskel: 1\ncalendar: {fiscal_year_starts: \"02-01\"}\n"):] +
		"  days: {days: all, unit: days}\n  sum3: {formula: \"trailing(revenue, 3)\", unit: money}\n  sum2: {formula: \"trailing(margin, 2)\", unit: " +
		"percent}\n  before: {formula: \"history(revenue, 2, sum)\", unit: money}\n  length: {formula: \"trailing(days, 3)\", unit: days}\n  aim: " +
		"{formula: \"trailing(target(revenue), 2)\", groups: own figures, unit: money}\n  who: {formula: \"trailing(customers, 3)\", unit: count}\n"
	book, problems := rulebook.Read([]byte(text), method.All())
	require.Empty(t, problems)
	e = measure.New(book, e.Snapshot)
	for name, want := range map[string]string{"sum3": "332", "sum2": "0.725225", "before": "330", "length": "30", "aim": "not enough history", "who": "2"} {
		assert.Equal(t, want, first(say(e, name, reps, "c")), name)
		assert.Equal(t, want, first(say(e, name, areas, "c"), "no such group in the period"), name)
		within(t, e, name, name, e.Slot(reps, calendar.Period{Unit: calendar.Named, Number: 2}))
	}
	assert.Equal(t, "there is no such period", first(say(e, "sum3", reps, "b")), "only one fair was before it")
}

// first is the first of several answers that is not one of those to leave out.
func first(all string, but ...string) string {
	for _, s := range splitAnswers(all) {
		if len(but) == 0 || s != but[0] {
			return s
		}
	}
	return ""
}

func splitAnswers(s string) (out []string) {
	for len(s) > 0 {
		i := 0
		for i < len(s) && s[i] != ';' {
			i++
		}
		out = append(out, s[:i])
		s = s[min(len(s), i+2):]
	}
	return out
}

// A sum of targets beyond the range of amounts is said, never wrapped around.
func TestTargetsBeyondTheRange(t *testing.T) {
	e := world(t, "  goal: {formula: \"target(revenue)\", groups: own figures, unit: money}\n  off: {formula: \"gap(revenue)\", groups: own figures, "+
		"unit: money}\n", territories)
	sheet := e.Snapshot.Targets[ledger.SheetKey{Kind: "rep", Measure: "revenue"}]
	october := calendar.MonthOf(2026, 10)
	for rep := range uint32(3) {
		sheet.Set(october, rep, amount.FromInt(600_000_000_000_000))
	}
	const out = "the sum is beyond 900 trillion"
	assert.Equal(t, out, say(e, "goal", whole, "2026-10"))
	assert.Equal(t, out, say(e, "off", whole, "2026-10"))
	assert.Equal(t, "no such group in the period; "+out+"; 600000000000000", say(e, "goal", areas, "2026-10"))
	p, _ := e.Book.Calendar.Parse("2026-10")
	within(t, e, "goal", "goal", e.Slot(areas, p))
	_, there := e.Target("revenue", 0, e.Slot(whole, p))
	assert.False(t, there)
	g := e.TargetGrid(measure.TargetAsk{Kind: "rep", Measure: "revenue", Months: []calendar.Month{october}})
	assert.Equal(t, "1800000000000000", g.Sums[0].RatString(), "the sheet's sum is exact")
}

// A line that names no subject in a column that came later counts in the total
// and for those it names.
func TestLinesBeforeASubjectColumn(t *testing.T) {
	e := world(t, "", []line{{0, 0, "2026-09-30", "5", "1", 0}, {0, 0, "2026-10-15", "10", "1", 1}, {1, 1, "2026-10-20", "100", "1", 1}})
	for _, c := range e.Snapshot.Feeds["sales"].Chunks {
		c.Subjects[1][0] = ledger.Nobody
	}
	level := func(s string) measure.Level {
		l, complaint := e.Book.ParseLevel(s)
		require.Empty(t, complaint)
		return l
	}
	none := "no lines in the period"
	customers := level("customer")
	for _, c := range []struct{ measure, want string }{
		{"revenue", none + "; 100; " + none + "; " + none}, {"orders", none + "; 1; " + none + "; " + none}, {"largest", none + "; 100; " + none + "; " + none},
		{"closing", none + "; 100; " + none + "; " + none}, {"by_phone", none + "; 100; " + none + "; " + none}, {"customers", none + "; 1; " + none + "; " + none},
	} {
		assert.Equal(t, c.want, say(e, c.measure, customers, "2026-10"), c.measure)
	}
	assert.Equal(t, "10; 100; "+none, say(e, "revenue", reps, "2026-10"))
	assert.Equal(t, "110", say(e, "revenue", whole, "2026-10"))
	assert.Equal(t, "1", say(e, "customers", whole, "2026-10"), "who is not named is no customer")
	assert.Equal(t, none, say(e, "to_yards", whole, "2026-10"), "and has no category")
	keys, _ := e.Names(level("rep x customer"))
	assert.Equal(t, []string{"rep1 x customer1"}, keys)
	assert.Equal(t, "100", say(e, "revenue", level("rep x customer"), "2026-10"))
	keys, _ = e.Names(level("rep x customer.category"))
	assert.Equal(t, []string{"rep1 x Shop"}, keys)
	last := e.LastDays(e.Snapshot.Feeds["sales"], 1, 4, calendar.Date(2026, 10, 31))
	assert.Equal(t, []calendar.Day{ledger.Never, calendar.Date(2026, 10, 20), ledger.Never, ledger.Never}, last)
}

// No two pairs share a key, whatever signs stand in the keys of their sides.
func TestPairKeysDoNotMeet(t *testing.T) {
	sides := []string{"A", "A x 2", "2 x 4", "4", "2", "A x", "x", "x B", "B", `A \x`, `\x`, "A  x", " x ", "A x 2 x 4"}
	seen := map[string]string{}
	for _, a := range sides {
		for _, b := range sides {
			key := rulebook.PairKey(a, b)
			assert.Empty(t, seen[key], "%q and %q", a, b)
			seen[key] = a + " and " + b
		}
	}
	assert.Equal(t, "R1 x P2", rulebook.PairKey("R1", "P2"))
}
