package routing_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

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
		assert.Equal(t, c.due, routing.Due(b.Calendar, b.Desk(c.desk), c.grade, thursday).String(), "%s on %s", c.grade, c.desk)
	}
}
