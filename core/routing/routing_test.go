package routing_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/method"
	"oskel/core/routing"
	"oskel/core/rulebook"
)

const text = `oskel: 1
calendar: {working_days: [monday, tuesday, wednesday, thursday], holidays: {2026-11-03: Harbour Day}}
kinds: {rep: {attributes: {territory: text, size: number}}, product: {attributes: {family: text}}}
feeds: {sales: {date: day, subjects: {rep: rep, product: product}, numbers: {net: money}}}
grades: [{name: act}, {name: look, tone: blue}]
measures: {revenue: {sum: sales.net, unit: money}}
rules:
  - {name: low, judges: [rep, rep.territory, rep x product, whole], threshold: {of: revenue, bands: [{grade: act, below: 5}, {clear: rest}]}}
desks: [{name: range}, {name: north, due: {act: 2 working days}}, {name: large}, {name: all}, {name: home}]
routes:
  - {when: 'kind is "rep x product" and product.family is "Rope"', to: range}
  - {when: 'kind is "whole"', to: all}
  - {when: 'rep.territory is "North" and grade is "act" and rule is "low"', to: north}
  - {when: rep.size at least 10, to: large}
  - {otherwise: home}
`

func book(t *testing.T) *rulebook.Book {
	book, problems := rulebook.Read([]byte(text), method.All())
	require.Empty(t, problems)
	return book
}

// The first route that matches takes an item; what it has no attribute for
// does not match.
func TestTheFirstRouteThatMatches(t *testing.T) {
	b := book(t)
	of := func(values map[string]lang.Value) lang.Lookup {
		return func(name string) lang.Value { return values[name] }
	}
	word := func(s string) lang.Value { return lang.Value{Type: lang.TextType, Text: s} }
	north := map[string]lang.Value{"rep.territory": word("North"), "rep.size": lang.ParseValue(lang.NumberType, "10")}
	rope := map[string]lang.Value{"rep.territory": word("North"), "product.family": word("Rope")}
	for _, c := range []struct {
		kind, grade string
		values      map[string]lang.Value
		desk        string
	}{
		{"rep", "act", north, "north"},
		{"rep", "look", north, "large"},
		{"rep.territory", "act", map[string]lang.Value{"rep.territory": word("North")}, "north"},
		{"rep.territory", "look", map[string]lang.Value{"rep.territory": word("North")}, "home"},
		{"rep x product", "act", rope, "range"},
		{"rep", "act", rope, "north"},
		{"whole", "act", nil, "all"},
		{"rep", "act", nil, "home"},
	} {
		assert.Equal(t, c.desk, routing.Desk(b, routing.Item{Kind: c.kind, Rule: "low", Grade: c.grade, Attributes: of(c.values)}), "%+v", c)
	}
	assert.Empty(t, routing.Desk(&rulebook.Book{}, routing.Item{Attributes: of(nil)}))
}

// Due days are working days from the day after: a week of four days, with a
// holiday in it, and five where the desk states nothing.
func TestDueInWorkingDays(t *testing.T) {
	b := book(t)
	thursday := calendar.Date(2026, 10, 29)
	for _, c := range []struct{ desk, grade, due string }{
		{"north", "act", "2026-11-04"}, // Monday 2 and Wednesday 4: Tuesday is a holiday
		{"north", "look", "2026-11-10"},
		{"home", "act", "2026-11-10"},
		{"nowhere", "act", "2026-11-10"},
	} {
		assert.Equal(t, c.due, routing.Due(b, b.Desk(c.desk), c.grade, thursday).String(), "%s on %s", c.grade, c.desk)
	}
}

const stepsBook = `oskel: 1
calendar: {working_days: [monday, tuesday, wednesday, thursday, friday], holidays: {2026-11-09: Harbour day}}
kinds: {rep: {}}
feeds: {sales: {date: day, subjects: {rep: rep}, numbers: {net: money}}}
grades: [{name: act, tone: red, shape: diamond}]
measures: {net: {sum: sales.net, unit: money}}
rules: [{name: low, judges: rep, threshold: {of: net, bands: [{grade: act, below: 1}, {clear: rest}]}}]
desks:
  - {name: north, due: {act: 2 working days}, remind: 1 working day, overdue: [{step: nudge, after: 0 working days, tell: [holder]}, {step: up,
      after: 2 working days, tell: [leads], hand_to: tor}]}
  - {name: south, due: {act: 2 working days}, calendar: {working_days: [sunday, monday, tuesday, wednesday, thursday], holidays: {}}}
routes: [{otherwise: north}]
`

// A desk's own weekdays and holidays are in place of the organisation's.
func TestDueInTheDesksOwnDays(t *testing.T) {
	b, problems := rulebook.Read([]byte(stepsBook), method.All())
	require.Empty(t, problems)
	thursday := calendar.Date(2026, 11, 5)
	assert.Equal(t, "2026-11-10", routing.Due(b, b.Desk("north"), "act", thursday).String(), "Friday, and Tuesday after the holiday")
	assert.Equal(t, "2026-11-09", routing.Due(b, b.Desk("south"), "act", thursday).String(), "Sunday and Monday")
	assert.Equal(t, "2026-11-13", routing.Due(b, nil, "act", thursday).String(), "five of the organisation's days")
}

// Which due days have come to which step, day by day.
func TestStepsOfADesk(t *testing.T) {
	b, problems := rulebook.Read([]byte(stepsBook), method.All())
	require.Empty(t, problems)
	assert.Empty(t, routing.Steps(b, b.Desk("south"), calendar.Date(2026, 11, 5)))
	at := func(today, due calendar.Day) string {
		for _, s := range routing.Steps(b, b.Desk("north"), today) {
			if due <= s.Latest {
				return s.Name
			}
		}
		return ""
	}
	due := calendar.Date(2026, 11, 6) // a Friday; Monday is off
	for day, step := range map[int]string{3: "", 4: "", 5: "reminder", 6: "reminder", 7: "nudge", 8: "nudge", 9: "nudge", 10: "nudge", 11: "up",
		12: "up", 30: "up"} {
		assert.Equal(t, step, at(calendar.Date(2026, 11, day), due), "on 2026-11-%02d", day)
	}
	// A desk that works one day a week, and steps that are long after.
	slow := &rulebook.Desk{Calendar: &rulebook.DeskCalendar{WorkDays: []time.Weekday{time.Sunday}}, Overdue: []rulebook.DeskStep{{Name: "late", After: 250}}}
	today := calendar.Date(2026, 11, 8) // a Sunday
	latest := routing.Steps(b, slow, today)[0].Latest
	own := b.CalendarOf(slow)
	assert.LessOrEqual(t, own.AddWorking(latest, 250), today)
	assert.Greater(t, own.AddWorking(latest+1, 250), today)

	// It never goes down again, and what was due earlier is never behind.
	rapid.Check(t, func(t *rapid.T) {
		rank := map[string]int{"": 0, "reminder": 1, "nudge": 2, "up": 3}
		today := calendar.Date(2026, 11, 1) + calendar.Day(rapid.IntRange(0, 60).Draw(t, "today"))
		due := today + calendar.Day(rapid.IntRange(-40, 10).Draw(t, "due"))
		assert.GreaterOrEqual(t, rank[at(today+1, due)], rank[at(today, due)])
		assert.GreaterOrEqual(t, rank[at(today, due-1)], rank[at(today, due)])
	})
}
