package method_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/calendar"
	"oskel/core/judge"
)

// Each window of a kind that ends in a period is judged on its own, by its first day; as a
// share of the period only the days in both count, and where the period is such a window
// it is the only one.
func TestWindowsOfAPeriodEachByItself(t *testing.T) {
	rule := "each: quarter, window: {during: fair, of: net, above: 40%, grade: act}"
	two := strings.Replace(head, "fair_26b, kind: fair, from: 2026-09-28, to: 2026-09-30", "fair_26c, kind: fair, from: 2026-11-04, to: 2026-11-05", 1)
	book, problems, _ := judge.ReadBook([]byte(two + "  - {name: x, judges: shop, " + rule + "}\n"))
	require.Empty(t, problems)
	e := world(t, book, 2, line{"sales", "2026-10-07", 0, 0, "80", ""}, line{"sales", "2026-11-05", 0, 0, "10", ""}, line{"sales", "2026-12-05", 0, 0, "10", ""},
		line{"sales", "2026-10-07", 1, 0, "45", ""}, line{"sales", "2026-11-05", 1, 0, "55", ""})
	p, _ := book.Calendar.Parse("2026-Q4")
	r := judge.Judge(e, &book.Rules[0], book.Rules[0].Levels[0], p)
	assert.Equal(t, "act; act", said(r))
	fair, other := calendar.Date(2026, 10, 6), calendar.Date(2026, 11, 4)
	assert.Equal(t, [][]calendar.Day{{fair}, {fair, other}}, [][]calendar.Day{r.Events(0), r.Events(1)})
	assert.Equal(t, "2026-11-04", judge.EvidenceOn(e, r, 1, other).Events.Windows[0].First)
	assert.Contains(t, sentence(e, r, 0), "from 6 Oct 2026 to 8 Oct 2026 is 80, 80.0% of the quarter")

	began := strings.Replace(head, "from: 2026-10-06, to: 2026-10-08", "from: 2026-09-29, to: 2026-10-02", 1)
	book, problems, _ = judge.ReadBook([]byte(began + "  - {name: x, judges: shop, window: {during: fair, of: net, above: 49%, grade: act}}\n"))
	require.Empty(t, problems)
	e = world(t, book, 2, line{"sales", "2026-09-29", 0, 0, "800", ""}, line{"sales", "2026-10-02", 0, 0, "49", ""}, line{"sales", "2026-10-20", 0, 0, "51", ""},
		line{"sales", "2026-10-02", 1, 0, "50", ""}, line{"sales", "2026-10-20", 1, 0, "50", ""})
	r = found(e, october)
	assert.Equal(t, "clear; act", said(r), "what was sold in September is no part of October")
	assert.Nil(t, r.Events(1), "a single window is of the period")
	assert.Contains(t, sentence(e, r, 1), "from 1 Oct 2026 to 2 Oct 2026 is 50,")

	outer := strings.Replace(head, "from: 2026-10-06, to: 2026-10-08", "from: 2026-09-20, to: 2026-10-10", 1) // fair_26b ends inside it
	book, problems, _ = judge.ReadBook([]byte(outer +
		"  - {name: x, judges: shop, each: fair, window: {during: fair, of: net, as: change, above: 50%, grade: act}}\n"))
	require.Empty(t, problems)
	e = world(t, book, 1, line{"sales", "2026-09-10", 0, 0, "28", ""}, line{"sales", "2026-10-01", 0, 0, "42", ""})
	p, _ = book.Calendar.Parse("fair_26")
	assert.Equal(t, "act", said(judge.Judge(e, &book.Rules[0], book.Rules[0].Levels[0], p)), "21 days at 2 a day against 1, not the inner three at none")
}

// The peers of a shift are active on all days compared, were there before, and have a line
// then; with too few of them nothing is judged.
func TestPeersOfAShift(t *testing.T) {
	rule := "window: {shift: sales, number: net, after: returns, days: 5 days, beyond: 30%, peers: yes, grade: act}"
	var all []line
	for shop := range 8 {
		if shop != 4 {
			all = append(all, line{"sales", "2026-08-05", shop, 0, "10", ""})
		}
		after := "50"
		if shop >= 5 {
			after = "100"
		}
		if shop < 7 { // the seventh has no line in the days compared
			all = append(all, line{"sales", "2026-10-06", shop, 0, "100", ""}, line{"sales", "2026-10-15", shop, 0, after, ""})
		}
	}
	all = append(all, line{"returns", "2026-10-10", 0, 0, "1", ""}) // all fall by half but 5 and 6; 4 is new
	of := func(rule string, active ...int) string {
		e := world(t, read(t, rule), 8, all...)
		for _, left := range active {
			e.Snapshot.Registers["shop"].SetActive(uint32(left), calendarSpell("2020-01-01", "2026-10-12"))
		}
		r := found(e, october)
		return strings.Split(said(r), "; ")[0] + ": " + sentence(e, r, 0)
	}
	assert.Contains(t, of(rule), "-50.0% of it the others' too", "of 1, 2, 3, 5 and 6 the middle one falls by half")
	assert.Contains(t, of(rule, 2, 3), "0.0% of it the others' too", "2 and 3 have left: 1, 5 and 6 are compared")
	assert.Contains(t, of(rule, 2, 3, 1), "not judged (too few peers)", "5 and 6 are two")
	assert.Contains(t, of(strings.Replace(rule, "peers: yes", "peers: yes, least_peers: 2", 1), 2, 3, 1), "act: ")
}

// A cut of a shift belongs to what is flagged or not, as the rule says.
func TestCutsOfAShift(t *testing.T) {
	lines := []line{{"sales", "2026-10-05", 0, 0, "50", ""}, {"sales", "2026-10-15", 0, 0, "40", ""}, {"returns", "2026-10-10", 0, 0, "1", ""},
		{"sales", "2026-10-05", 1, 0, "50", ""}, {"sales", "2026-10-15", 1, 0, "60", ""}, {"returns", "2026-10-10", 1, 0, "1", ""}}
	for cut, want := range map[string]string{"beyond: 20%": "clear; clear", "at_least: 20%": "act; clear", "at_least: 20%, side: both": "act; act",
		"at_least: 20.01%": "clear; clear", "less_than: 20%": "act; clear", "at_most: 20%": "act; act", "at_most: 19.99%": "act; clear"} {
		assert.Equal(t, want, said(found(world(t, read(t, "window: {shift: sales, number: net, after: returns, days: 5 days, "+cut+", grade: act}"), 2,
			lines...), october)), cut)
	}
	assert.Contains(t, problems("window: {shift: sales, after: returns, days: 5 days, beyond: 20%, at_least: 20%, grade: act}"),
		"state one of 'beyond' and 'at_least', a change that is flagged, and 'less_than' and 'at_most', a change that should have come")
}

// What closes in a month without lines is of the next one that has some.
func TestWhatClosesInAMonthWithoutLines(t *testing.T) {
	lines := []line{{"sales", "2026-07-25", 0, 0, "1", ""}, {"sales", "2026-10-25", 0, 0, "1", ""}}
	e := world(t, read(t, "window: {unanswered: sales, by: returns, within: 10 days, grade: act}"), 1, lines...)
	assert.Equal(t, "not judged (window open until 4 Aug 2026)", said(found(e, october-3)))
	r := found(e, october)
	assert.Equal(t, "act", said(r))
	assert.Equal(t, []calendar.Day{calendar.Date(2026, 7, 25)}, r.Events(0))
	assert.Equal(t, "not judged (no lines in the period)", said(found(e, october-2)))
	lines = append(lines, line{"returns", "2026-08-20", 0, 0, "1", ""})
	e = world(t, read(t, "window: {unanswered: sales, by: returns, within: 10 days, grade: act}"), 1, lines...)
	assert.Equal(t, "act", said(found(e, october-2)), "August has a line now")
	assert.Equal(t, "not judged (window open until 4 Nov 2026)", said(found(e, october)), "it is reported once")
	shifted := []line{{"sales", "2026-07-20", 0, 0, "10", ""}, {"returns", "2026-07-28", 0, 0, "1", ""}, {"sales", "2026-10-20", 0, 0, "1", ""}}
	e = world(t, read(t, "window: {shift: sales, number: net, after: returns, days: 10 days, beyond: 30%, grade: act}"), 1, shifted...)
	assert.Equal(t, []calendar.Day{calendar.Date(2026, 7, 28)}, found(e, october).Events(0))
}

// Of several bursts the largest is told, with its own days.
func TestTheLargestBurstIsTold(t *testing.T) {
	var lines []line
	for _, day := range []string{"01", "02", "20", "21", "21", "22"} {
		lines = append(lines, line{"returns", "2026-10-" + day, 0, 0, "1", ""})
	}
	e := world(t, read(t, "window: {burst: returns, at_least: 2 lines, within: 3 days, grade: act}"), 1, lines...)
	r := found(e, october)
	assert.Contains(t, sentence(e, r, 0), "20 Oct 2026 to 22 Oct 2026")
	assert.Equal(t, "4", judge.EvidenceFor(e, r, 0).Figures[0].Value.RatString())
	assert.Equal(t, "2", judge.EvidenceOn(e, r, 0, calendar.Date(2026, 10, 2)).Figures[0].Value.RatString())
}
