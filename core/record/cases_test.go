package record_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"oskel/core/calendar"
	"oskel/core/casework"
	"oskel/core/method"
	"oskel/core/record"
	"oskel/core/rulebook"
)

const desksBook = `oskel: 1
title: Desks
kinds: {rep: {}}
feeds: {sales: {date: day, subjects: {rep: rep}, numbers: {net: money}}}
grades: [{name: act, label: Act, tone: red, shape: diamond}, {name: look, label: Look, tone: amber, shape: triangle}]
measures: {net: {sum: sales.net, unit: money}}
rules: [{name: low, title: Low, judges: rep, threshold: {of: net, bands: [{grade: act, below: 1}, {clear: rest}]}}]
desks: [{name: north, title: North, due: {act: 1 working day, look: 3 working days}}, {name: south, title: South, closes: when cleared}]
routes: [{otherwise: north}]
`

var (
	october = calendar.MonthPeriod(calendar.Date(2026, 10, 1).Month())
	monday  = calendar.Date(2026, 11, 2)
)

func desks(t require.TestingT, open bool, cases ...*casework.Case) *record.Desks {
	book, problems := rulebook.Read([]byte(desksBook), method.All())
	require.Empty(t, problems)
	return &record.Desks{Book: book, Period: october, Today: monday, Open: open, Cases: cases, Items: map[int64][]record.Item{}}
}

// arrival is what a sweep records of rep 7 by rule low.
func arrival(grade, desk string, held int64, was bool) record.Flagged {
	severity := map[string]int{"act": 0, "look": 1, "": 2}[grade]
	return record.Flagged{Item: record.Item{Rule: "low", Period: calendar.Key{Grain: "month", Start: calendar.Date(2026, 10, 1)},
		Grade: or(grade, "look"), Severity: severity, Flagged: grade != "", Desk: desk},
		Kind: "rep", Code: 7, Sentence: "So it is.", WasFlagged: was, Case: held}
}

func or(a, b string) string {
	if a == "" {
		return b
	}
	return a
}

func known(id int64, desk, grade string, due calendar.Day) *casework.Case {
	return &casework.Case{ID: id, Kind: "rep", Code: 7, Grade: grade, Severity: map[string]int{"act": 0, "look": 1}[grade], Due: due,
		Standing: casework.Standing{Desk: desk, State: casework.Taken, Holder: "nell"}}
}

func trail(d *record.Desks) (what []string) {
	for _, e := range d.Trail {
		what = append(what, string(e.What))
	}
	return what
}

func TestWhatIsFoundGoesToItsDesk(t *testing.T) {
	t.Run("opened, and joined by the next", func(t *testing.T) {
		d := desks(t, true)
		second := arrival("act", "north", 0, false)
		second.Event = 5
		homes := d.Assign([]record.Flagged{arrival("look", "north", 0, false), second, arrival("", "north", 0, false), arrival("look", "", 0, false)})
		require.Len(t, d.Opened, 1)
		c := d.Opened[0]
		assert.Equal(t, []*casework.Case{c, c, nil, nil}, homes)
		assert.Equal(t, "act", c.Grade, "the more serious")
		assert.Equal(t, calendar.Date(2026, 11, 3), c.Due)
		assert.Equal(t, []string{"opened", "joined"}, trail(d))
		assert.Equal(t, "Low, Oct 2026: So it is.", d.Trail[0].Text)
	})
	t.Run("not while cases are not opened", func(t *testing.T) {
		d := desks(t, false)
		assert.Equal(t, []*casework.Case{nil}, d.Assign([]record.Flagged{arrival("look", "north", 0, false)}))
		assert.Empty(t, d.Opened)
	})
	t.Run("not for what is listed only", func(t *testing.T) {
		d := desks(t, true, known(1, "north", "look", monday))
		listed := arrival("act", "north", 0, false)
		listed.NoCase = true
		assert.Equal(t, []*casework.Case{nil}, d.Assign([]record.Flagged{listed}))
		assert.Empty(t, d.Opened)
		assert.Equal(t, "look", d.Cases[0].Grade)
	})
	t.Run("worse, and due the sooner", func(t *testing.T) {
		c := known(1, "north", "look", calendar.Date(2026, 11, 20))
		d := desks(t, true, c)
		d.Items[1] = []record.Item{arrival("look", "north", 1, true).Item}
		d.Assign([]record.Flagged{arrival("act", "north", 1, true)})
		assert.Equal(t, []string{"regraded"}, trail(d))
		assert.Equal(t, "Look becomes Act, due 3 Nov 2026", d.Trail[0].Text)
		assert.Equal(t, []*casework.Case{c}, d.Changed)
		assert.Equal(t, "nell", c.Holder)
	})
	t.Run("milder, and due by the milder grade", func(t *testing.T) {
		c := known(1, "north", "act", calendar.Date(2026, 11, 1))
		d := desks(t, true, c)
		d.Assign([]record.Flagged{arrival("look", "north", 1, true)})
		assert.Equal(t, calendar.Date(2026, 11, 5), c.Due)
	})
	t.Run("what has cleared moves no case", func(t *testing.T) {
		c := known(1, "north", "look", monday)
		d := desks(t, true, c)
		d.Assign([]record.Flagged{arrival("", "south", 1, true)})
		assert.Equal(t, "north", c.Desk)
		assert.NotContains(t, trail(d), "moved")
	})
	t.Run("worse, but due sooner already", func(t *testing.T) {
		c := known(1, "north", "look", calendar.Date(2026, 11, 1))
		d := desks(t, true, c)
		d.Assign([]record.Flagged{arrival("act", "north", 1, true)})
		assert.Equal(t, calendar.Date(2026, 11, 1), c.Due)
	})
	t.Run("cleared, back again", func(t *testing.T) {
		c := known(1, "north", "act", monday)
		d := desks(t, true, c)
		d.Assign([]record.Flagged{arrival("", "north", 1, true)})
		assert.True(t, c.Cleared)
		assert.False(t, c.State == casework.Settled)
		assert.Equal(t, "act", c.Grade)
		d = desks(t, true, c)
		d.Assign([]record.Flagged{arrival("act", "north", 1, false)})
		assert.False(t, c.Cleared)
		assert.Equal(t, []string{"joined"}, trail(d))
	})
	t.Run("closed by its desk, once", func(t *testing.T) {
		c := known(1, "south", "act", monday)
		d := desks(t, true, c)
		d.Assign([]record.Flagged{arrival("", "south", 1, true)})
		assert.True(t, c.State == casework.Settled)
		assert.Equal(t, []string{"cleared", "settled"}, trail(d))
		again := known(1, "south", "act", monday)
		again.Cleared = true // somebody opened it again on purpose
		d = desks(t, true, again)
		d.Assign([]record.Flagged{arrival("", "south", 1, false)})
		assert.False(t, again.State == casework.Settled)
		assert.Empty(t, d.Changed)
	})
	t.Run("moved along, to nobody", func(t *testing.T) {
		c := known(1, "south", "act", monday)
		d := desks(t, true, c)
		homes := d.Assign([]record.Flagged{arrival("act", "north", 1, true)})
		assert.Equal(t, []*casework.Case{nil}, homes)
		assert.Equal(t, "north", c.Desk)
		assert.Equal(t, casework.Open, c.State)
		assert.Equal(t, "from South to North, by the current routes", d.Trail[0].Text)
	})
	t.Run("left behind where another keeps the case", func(t *testing.T) {
		c := known(1, "south", "act", monday)
		d := desks(t, true, c)
		other := arrival("look", "south", 1, true).Item
		other.Rule = "other"
		d.Items[1] = []record.Item{other, arrival("act", "south", 1, true).Item}
		homes := d.Assign([]record.Flagged{arrival("act", "north", 1, true)})
		require.Len(t, d.Opened, 1)
		assert.Equal(t, d.Opened[0], homes[0])
		assert.Equal(t, []string{"left", "opened", "regraded"}, trail(d))
		assert.Equal(t, "look", c.Grade, "what is left in it")
	})
	t.Run("of a settled case, it stays there", func(t *testing.T) {
		d := desks(t, true)
		assert.Equal(t, []*casework.Case{nil}, d.Assign([]record.Flagged{arrival("act", "north", 9, false)}))
		assert.Empty(t, d.Trail)
	})
}

// Whatever arrives: a subject has at most one unsettled case a desk, and taking
// the same again changes nothing.
func TestOneCaseASubjectAndDesk(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var found []record.Flagged
		for i := range rapid.IntRange(1, 8).Draw(t, "found") {
			a := arrival(rapid.SampledFrom([]string{"act", "look", ""}).Draw(t, "grade"), rapid.SampledFrom([]string{"north", "south"}).Draw(t, "desk"), 0, false)
			a.Code, a.Event = uint32(rapid.IntRange(1, 2).Draw(t, "code")), calendar.Day(i)
			found = append(found, a)
		}
		d := desks(t, true)
		homes := d.Assign(found)
		seen := map[[2]any]bool{}
		for i, c := range d.Opened {
			c.ID = int64(i + 1)
			assert.False(t, seen[[2]any{c.Code, c.Desk}])
			seen[[2]any{c.Code, c.Desk}] = true
		}
		again := desks(t, true, d.Opened...)
		for i, c := range homes {
			assert.Equal(t, found[i].Flagged, c != nil)
			if c != nil {
				found[i].Case, found[i].WasFlagged = c.ID, true
				assert.Equal(t, found[i].Desk, c.Desk)
				assert.LessOrEqual(t, c.Severity, found[i].Severity)
				again.Items[c.ID] = append(again.Items[c.ID], found[i].Item)
			}
		}
		for _, home := range again.Assign(found) {
			assert.Nil(t, home)
		}
		assert.Empty(t, again.Opened)
		assert.Empty(t, again.Changed)
		assert.Empty(t, again.Trail)
	})
}
