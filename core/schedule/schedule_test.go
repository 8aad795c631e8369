package schedule_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"oskel/core/calendar"
	"oskel/core/method"
	"oskel/core/rulebook"
	"oskel/core/schedule"
)

const head = `oskel: 1
calendar: {time_zone: Europe/Berlin, holidays: {2026-12-02: Founders}}
kinds: {rep: {}}
feeds:
  sales: {date: day, subjects: {rep: rep}, numbers: {net: money}}
  returns: {date: day, subjects: {rep: rep}, numbers: {net: money}}
grades: [{name: act, tone: red, shape: diamond}]
measures: {revenue: {sum: sales.net, unit: money}}
rules:
  - {name: low, judges: rep, threshold: {of: revenue, bands: [{grade: act, below: 10}, {clear: rest}]}}
  - {name: week, judges: rep, each: week, threshold: {of: revenue, bands: [{grade: act, below: 10}, {clear: rest}]}}
desks: [{name: one}]
routes: [{otherwise: one}]
sweeps:
`

func planned(t require.TestingT, plan string) *rulebook.Book {
	book, problems := rulebook.Read([]byte(head+"  - "+plan+"\n"), method.All())
	require.Empty(t, problems)
	return book
}

func moment(t require.TestingT, s string) time.Time {
	zone, err := time.LoadLocation("Europe/Berlin")
	require.NoError(t, err)
	at, err := time.ParseInLocation("2006-01-02 15:04", s, zone)
	require.NoError(t, err)
	return at
}

// Each row is a moment and what becomes of November 2026 (and, before it, October) then.
func TestTurns(t *testing.T) {
	const waits = "{each: month, after: 2 working days, at: \"06:30\", waits_for: [sales, returns], at_the_latest: 5 working days, when_outdated: %s, " +
		"looks_back: 2 periods}"
	nothing, both := []string{}, []string{"sales", "returns"}
	lines := schedule.Standing{Lines: true}
	swept := schedule.Standing{Lines: true, Swept: true}
	stale := func(at string) schedule.Standing {
		return schedule.Standing{Lines: true, Swept: true, Outdated: moment(t, at)}
	}
	for _, c := range []struct {
		at, outdated string
		is           schedule.Standing
		came         []string
		state        schedule.State
		waits        string
	}{
		// November ends on a Monday; the 2nd of December is a holiday, so that the second working day is the 3rd.
		{"2026-12-03 06:29", "on request", lines, both, schedule.Coming, ""},
		{"2026-12-03 06:30", "on request", lines, both, schedule.Due, ""},
		{"2026-12-03 06:30", "on request", lines, []string{"sales"}, schedule.Waiting, "returns"},
		{"2026-12-08 06:29", "on request", lines, nothing, schedule.Waiting, "sales returns"},
		{"2026-12-08 06:30", "on request", lines, nothing, schedule.Due, "sales returns"},
		{"2026-12-08 06:30", "on request", schedule.Standing{}, nothing, schedule.Empty, "sales returns"},
		{"2026-12-03 06:30", "on request", swept, nothing, schedule.Done, ""},
		{"2026-12-03 06:30", "at once", schedule.Standing{Lines: true, Closed: true}, both, schedule.Shut, ""},
		{"2026-12-09 12:00", "on request", stale("2026-12-09 11:00"), both, schedule.Outdated, ""},
		{"2026-12-09 12:00", "at once", stale("2026-12-09 11:00"), both, schedule.Due, ""},
		{"2026-12-10 01:59", "at night", stale("2026-12-09 11:00"), both, schedule.Night, ""},
		{"2026-12-10 02:00", "at night", stale("2026-12-09 11:00"), both, schedule.Due, ""},
		{"2026-12-10 02:01", "at night", stale("2026-12-10 02:00"), both, schedule.Night, ""},
		{"2026-12-10 02:00", "at night", stale("2026-12-10 01:00"), both, schedule.Due, ""},
	} {
		name := fmt.Sprintf("%s, %s, %+v", c.at, c.outdated, c.is)
		book := planned(t, fmt.Sprintf(waits, c.outdated))
		november, _ := book.Calendar.Parse("2026-11")
		turns := schedule.Turns(book, moment(t, c.at), func(calendar.Period) schedule.Standing { return c.is }, func(feed string, _ calendar.Period) bool {
			return strings.Contains(strings.Join(c.came, " "), feed)
		})
		require.Len(t, turns, 3, name)
		assert.Equal(t, "2026-10, 2026-11, 2026-12", fmt.Sprintf("%s, %s, %s", book.Calendar.String(turns[0].Period), book.Calendar.String(turns[1].Period),
			book.Calendar.String(turns[2].Period)), "the last two, and the one that runs")
		turn := turns[1]
		assert.Equal(t, november, turn.Period, name)
		assert.Equal(t, c.state, turn.State, name)
		assert.Equal(t, c.waits, strings.Join(turn.Waits, " "), name)
		assert.True(t, moment(t, "2026-12-03 06:30").Equal(turn.At), name)
		assert.True(t, moment(t, "2026-12-08 06:30").Equal(turn.Latest), name)
	}
}

// In the week in which clocks change a plan at half past two comes once, and a plan
// that waits for nothing says no latest.
func TestClocksThatChange(t *testing.T) {
	book := planned(t, `{each: week, after: 7 days, at: "02:30", looks_back: 1 period}`)
	for _, c := range []struct{ today, at string }{
		{"2026-04-01 12:00", "2026-04-05 02:30"}, {"2026-03-23 12:00", "2026-03-29 03:30"}, {"2026-10-19 12:00", "2026-10-25 02:30"},
	} {
		turns := schedule.Turns(book, moment(t, c.today), func(calendar.Period) schedule.Standing { return schedule.Standing{Lines: true} }, nil)
		require.Len(t, turns, 2)
		assert.Equal(t, c.at, turns[0].At.Format("2006-01-02 15:04"), c.today)
		assert.Zero(t, turns[0].Latest)
	}
}

// What is due once stays due until it is swept: no moment later says otherwise.
func TestDueStaysDue(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		working := rapid.SampledFrom([]string{"days", "working days"})
		after, latest := rapid.IntRange(1, 9).Draw(t, "after"), rapid.IntRange(0, 9).Draw(t, "later")
		noun := working.Draw(t, "noun")
		book := planned(t, fmt.Sprintf(`{each: month, after: %d %s, at: "%02d:00", waits_for: [sales], at_the_latest: %d %s, looks_back: 12 periods}`,
			after+1, noun, rapid.IntRange(0, 23).Draw(t, "hour"), after+latest+1, noun))
		came := rapid.Bool().Draw(t, "came")
		now := moment(t, "2026-11-30 00:00")
		october, _ := book.Calendar.Parse("2026-10")
		before := schedule.Coming
		for range 40 {
			now = now.Add(time.Duration(rapid.IntRange(0, 40).Draw(t, "hours")) * time.Hour)
			for _, turn := range schedule.Turns(book, now, func(calendar.Period) schedule.Standing { return schedule.Standing{Lines: true} },
				func(string, calendar.Period) bool { return came }) {
				if turn.Period != october {
					continue
				}
				order := map[schedule.State]int{schedule.Coming: 0, schedule.Waiting: 1, schedule.Due: 2}
				require.GreaterOrEqual(t, order[turn.State], order[before])
				require.False(t, came && turn.State == schedule.Waiting)
				require.False(t, turn.Latest.Before(turn.At))
				before = turn.State
			}
		}
	})
}

// What runs is swept so far, where the plan says so, when there is a day with lines that
// was not judged yet; what was swept so far alone is swept in whole when it has ended.
func TestWhatRunsIsSweptToDate(t *testing.T) {
	const plan = `{each: month, after: 2 days, at: "06:00", to_date: true, looks_back: 1 period}`
	state := func(plan, at string, is schedule.Standing) string {
		turns := schedule.Turns(planned(t, plan), moment(t, at), func(calendar.Period) schedule.Standing { return is }, nil)
		last := turns[len(turns)-1]
		return fmt.Sprint(last.State, " ", last.ToDate)
	}
	day := func(n int) calendar.Day { return calendar.Date(2026, 11, n) }
	stands := func(swept, newest calendar.Day) schedule.Standing {
		return schedule.Standing{Lines: true, ToDate: swept, Newest: newest}
	}
	assert.Equal(t, "coming false", state(plan, "2026-11-01 12:00", stands(schedule.Never, schedule.Never)), "of its first day nothing is over")
	assert.Equal(t, "coming false", state(plan, "2026-11-02 05:59", stands(schedule.Never, day(1))))
	assert.Equal(t, "due true", state(plan, "2026-11-02 06:00", stands(schedule.Never, day(1))))
	assert.Equal(t, "coming false", state(plan, "2026-11-02 09:00", stands(day(1), day(1))))
	assert.Equal(t, "due true", state(plan, "2026-11-30 06:00", stands(day(1), day(20))))
	assert.Equal(t, "closed false", state(plan, "2026-11-03 06:00", schedule.Standing{Lines: true, Closed: true, ToDate: schedule.Never, Newest: day(2)}))
	assert.Equal(t, "coming false", state(strings.Replace(plan, "to_date: true, ", "", 1), "2026-11-03 06:00", stands(schedule.Never, day(2))))
	ended := func(at string) schedule.Turn {
		return schedule.Turns(planned(t, plan), moment(t, at), func(calendar.Period) schedule.Standing { return stands(day(20), day(29)) }, nil)[0]
	}
	assert.Equal(t, schedule.Coming, ended("2026-12-02 05:00").State)
	assert.Equal(t, schedule.Due, ended("2026-12-02 06:00").State)
	assert.False(t, ended("2026-12-02 06:00").ToDate)
}
