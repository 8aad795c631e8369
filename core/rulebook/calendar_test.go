package rulebook_test

import (
	"math/big"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/calendar"
	"oskel/core/method"
	. "oskel/core/rulebook"
)

const calendarBook = `oskel: 1
calendar:
  working_days: [sunday, monday, tuesday, wednesday, thursday]
  holidays: {2026-05-04: Harbour Day, 2026-01-01: New Year}
  windows:
    - {name: fair-2026, title: Fair, kind: fair, from: 2026-04-10, to: 2026-04-19}
    - {name: fair-2025, kind: fair, from: 2025-04-10, to: 2025-04-19}
kinds:
  rep: {attributes: {territory: text, team: {within: territory}, desk: {type: text, within: team}}}
feeds:
  sales: {date: day, subjects: {rep: rep}, numbers: {net: money EUR, fee: money USD}}
measures:
  net: {sum: sales.net, unit: money EUR}
  days: {days: working, unit: days}
  a_day: {formula: net / days, unit: money EUR}
`

func TestCalendarsAreRead(t *testing.T) {
	book, problems := Read([]byte(calendarBook), method.All())
	require.Empty(t, problems)
	c := book.Calendar
	assert.Equal(t, []string{"fair-2025", "fair-2026"}, []string{c.Windows[0].Name, c.Windows[1].Name}, "by first day")
	assert.Equal(t, "New Year", c.Holidays[0].Name)
	assert.Equal(t, 20, c.WorkingDays(calendar.Date(2026, time.May, 1), calendar.Date(2026, time.May, 31)), "21 from Sunday to Thursday, less a holiday")
	assert.Equal(t, []string{"territory", "team", "desk"}, book.Kind("rep").Above("desk"))
	assert.Equal(t, "Calendar years; weeks by ISO 8601; worked on Sunday, Monday, Tuesday, Wednesday, Thursday.", book.CalendarWords())
	assert.Equal(t, "EUR 12.50", Format(twelveAndAHalf(), "money EUR", 2))
	assert.Equal(t, "12.50", Show(&Measure{Unit: "money EUR", Places: 2}, twelveAndAHalf()), "the heading has the currency")
	weeks, problems := Read([]byte(strings.Replace(calendarBook, "  working_days:",
		"  week_years: {pattern: 4-5-4, end_on: friday, nearest_end_of: january}\n  working_days:", 1)), method.All())
	require.Empty(t, problems)
	assert.Equal(t, calendar.WeekYears{Pattern: [3]int{4, 5, 4}, EndsOn: time.Friday, EndsIn: time.January, Nearest: true}, *weeks.Calendar.Weeks)
	assert.Contains(t, weeks.CalendarWords(), "4-5-4 in each quarter, ending on the Friday nearest to the end of January")
	fiscal, problems := Read([]byte(strings.Replace(calendarBook, "calendar:",
		"calendar:\n  fiscal_year_starts: \"02-01\"\n  year_named_after: start\n  weeks_from: sunday", 1)), method.All())
	require.Empty(t, problems)
	assert.Contains(t, fiscal.CalendarWords(), "Years from February, named after the calendar year in which each begins; weeks from Sunday")
	assert.Equal(t, []string{"calendar: changed"}, Difference(book, fiscal))
	assert.Empty(t, Difference(book, book))
}

func TestCalendarsThatCannotBe(t *testing.T) {
	for edit, complaint := range map[string]string{
		"2026-05-04: Harbour Day=>4 May: Harbour Day": "calendar.holidays.4 May: expected a day such as 2026-12-25 and its name",
		"to: 2026-04-19=>to: 2026-04-01":              "the window ends on 2026-04-01, before it begins on 2026-04-10",
		"name: fair-2025=>name: fair-2026":            `the window "fair-2026" is defined twice`,
		"from: 2025-04-10=>from: 2026-04-10": "fair-2026 and fair-2025 are both windows of the kind fair that " +
			"begin on 10 Apr 2026",
		"from: 2025-04-10=>from: yesterday":                                              `expected a day such as 2026-10-31, found "yesterday"`,
		"working_days: [sunday,=>working_days: [sonday,":                                 `"sonday" is not one of`,
		"calendar:=>calendar:\n  week_years: {pattern: 4-4-5}":                           "state either 'last_in' or 'nearest_end_of'",
		"calendar:=>calendar:\n  weeks_from: monday\n  week_years: {last_in: december}":  "'week_years' already says where years and weeks begin",
		"territory: text=>territory: {within: desk}":                                     "in a circle: territory -> desk -> team -> territory",
		"within: team=>within: teams":                                                    `unknown attribute "teams"; did you mean team?`,
		"net: {sum: sales.net, unit: money EUR}=>net: {sum: sales.net, unit: money USD}": "in money EUR, and the measure is declared in money USD",
		"days: working=>days: sunny":                                                     `"sunny" is not one of all, working`,
	} {
		from, to, _ := strings.Cut(edit, "=>")
		text := strings.Replace(calendarBook, from, to, 1)
		require.NotEqual(t, calendarBook, text, edit)
		_, problems := Read([]byte(text), method.All())
		require.NotEmpty(t, problems, edit)
		var all []string
		for _, p := range problems {
			all = append(all, p.String())
		}
		assert.Contains(t, strings.Join(all, "\n"), complaint, edit)
	}
	_, problems := Read([]byte(strings.Replace(calendarBook, "  a_day: {formula: net / days, unit: money EUR}",
		"  fee: {sum: sales.fee, unit: money USD}\n  both: {formula: net + fee, unit: money EUR}", 1)), method.All())
	require.Len(t, problems, 1)
	assert.Contains(t, problems[0].String(), "adding money EUR and money USD makes no sense")
}

func twelveAndAHalf() *big.Rat { return big.NewRat(25, 2) }
