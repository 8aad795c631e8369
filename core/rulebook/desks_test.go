package rulebook_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/calendar"
	"oskel/core/method"
	"oskel/core/rulebook"
)

// What a desk may state of its days and steps, and what not: each with its place.
func TestDesks(t *testing.T) {
	read := func(desk string) (*rulebook.Book, []string) {
		text := "oskel: 1\nkinds: {rep: {}}\ngrades: [{name: act, tone: red, shape: diamond}]\ndesks:\n  - {name: north, " + desk + "}\n"
		b, problems := rulebook.Read([]byte(text), method.All())
		var out []string
		for _, p := range problems {
			out = append(out, p.Path+": "+p.Text)
		}
		return b, out
	}
	ten := ""
	for i := range 10 {
		ten += fmt.Sprintf("{step: s%d, after: %d working days, tell: [leads]}, ", i, i)
	}
	_, problems := read("overdue: [" + ten + "]")
	assert.Empty(t, problems)
	_, problems = read("due: {act: 250 working days}, remind: 60 working days")
	assert.Empty(t, problems)
	b, problems := read("remind: 2 working days, calendar: {working_days: [sunday, monday], holidays: {2026-12-08: Harbour day, 2026-01-06: A}}, " +
		"overdue: [{step: a, after: 0 working days, tell: [holder, members, leads, ann]}, {step: b, after: 1 working day, hand_to: tor}]")
	require.Empty(t, problems)
	d := b.Desk("north")
	assert.Equal(t, 2, d.Remind)
	assert.Equal(t, []rulebook.DeskStep{{Name: "a", Tell: []string{"holder", "members", "leads", "ann"}}, {Name: "b", After: 1, HandTo: "tor"}}, d.Overdue)
	c := b.CalendarOf(d)
	assert.True(t, c.Working(calendar.Date(2026, 11, 1)), "a Sunday")
	assert.False(t, c.Working(calendar.Date(2026, 11, 3)), "a Tuesday")
	assert.Equal(t, "A", c.Holidays[0].Name, "by day")
	assert.Equal(t, b.Calendar, b.CalendarOf(nil))
	assert.Equal(t, []string{"ann", "tor"}, b.PersonsNamed())
	advice := b.AdvisePeople(map[string][]string{"tor": nil, "ann": {"north"}})
	assert.Empty(t, advice)
	advice = b.AdvisePeople(map[string][]string{"thor": nil, "ann": {"north"}})
	require.Len(t, advice, 1)
	assert.Contains(t, advice[0].Text, `the step "b" names an account that there is not: "tor"; did you mean thor?`)

	for desk, says := range map[string]string{
		"remind: 0 working days":                                       "desks.north.remind: expected a number of working days",
		"remind: 2 days":                                               "expected a number of working days",
		"remind: 61 working days":                                      "expected a number of working days",
		"calendar: {working_days: []}":                                 "state at least one day",
		"calendar: {holidays: {soon: A}}":                              "expected a day such as",
		"calendar: {zone: UTC}":                                        "zone",
		"overdue: [{after: 1 working day, tell: [holder]}]":            "step",
		"overdue: [{step: reminder, after: 1 working day, tell: [b]}]": "name the step otherwise",
		"overdue: [{step: a, tell: [holder]}]":                         "say after how many working days",
		"overdue: [{step: a, after: 1 working day}]":                   "say whom it is told or handed to",
		"overdue: [{step: a, after: 1 day, tell: [holder]}]":           "expected a number of working days",
		"overdue: [{step: a, after: 1 working day, tell: [b, b]}]":     `"b" is told twice`,
		"overdue: [{step: a, after: 1 working day, tell: [b]}, {step: a, after: 2 working days, tell: [b]}]": "is there twice",
		"overdue: [{step: a, after: 1 working day, tell: [b]}, {step: c, after: 1 working day, tell: " +
			"[b]}]": `each step comes later than the one before it, and "a" comes after 1`,
		"overdue: [" + strings.Repeat("{step: a, after: 1 working day, tell: [b]}, ", 11) + "]": "at most 10 steps",
		"due: {acts: 2 working days}":  "unknown grade",
		"due: {act: 251 working days}": "expected a number of working days",
	} {
		_, problems := read(desk)
		assert.Contains(t, strings.Join(problems, "\n"), says, desk)
	}
}
