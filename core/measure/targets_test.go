package measure_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/ledger"
	"oskel/core/measure"
)

// Who has a target in each month, who should and has none, and the sums, which
// do not depend on what is shown.
func TestTargetGridByHand(t *testing.T) {
	e := examples(t, "")
	months := []calendar.Month{calendar.MonthOf(2026, 9), calendar.MonthOf(2026, 10)}
	e.Snapshot.Registers["rep"].SetActive(2, ledger.Spell{First: ledger.Never, Last: calendar.Date(2026, 9, 30)})
	ask := measure.TargetAsk{Kind: "rep", Measure: "revenue", Months: months}
	g := e.TargetGrid(ask)
	assert.Equal(t, "[100/1 300/1]", fmt.Sprint(g.Sums), "rep2's target of 0 in October adds nothing")
	assert.Equal(t, []int{2, 1}, g.Missing, "in October rep2 is gone, and has one all the same")
	assert.Len(t, g.Rows, 3)
	assert.Equal(t, measure.TargetRow{Code: 2, Targets: []amount.Amount{amount.Missing, 0}, Active: []bool{true, false}, Missing: 1}, g.Rows[2])
	ask.Missing = true
	missing := e.TargetGrid(ask)
	assert.Equal(t, []uint32{1, 2}, []uint32{missing.Rows[0].Code, missing.Rows[1].Code})
	assert.Equal(t, g.Sums, missing.Sums)
	ask.Text = "REP1"
	assert.Len(t, e.TargetGrid(ask).Rows, 1)
	assert.Equal(t, []string{"revenue"}, e.TargetMeasures("rep"))
	assert.Empty(t, e.TargetMeasures("customer"))
}

// A longer period and a group add the targets that are there; a part of a
// month has none, and an attainment needs one above zero.
func TestTargetsOfGroupsAndPeriods(t *testing.T) {
	e := examples(t, "  goal: {formula: \"target(revenue)\", groups: own figures, unit: money}\n  attained: {formula: \"attainment(revenue)\", groups: "+
		"own figures, unit: percent}\n  lacking: {formula: \"gap(revenue)\", groups: own figures, unit: money}\n")
	assert.Equal(t, "300; no target; 0", say(e, "goal", reps, "2026-10"))
	assert.Equal(t, "400; no target; 0", say(e, "goal", reps, "2027-Q3"), "the quarter from August to October")
	assert.Equal(t, "no such group in the period; 300; 0", say(e, "goal", areas, "2026-10"), "of those without a territory, North and South")
	assert.Equal(t, "300", say(e, "goal", whole, "2026-10"))
	assert.Equal(t, "no target; no target; no target", say(e, "goal", reps, "2026-W41"))
	assert.Equal(t, "1; no target; division by zero", say(e, "attained", reps, "2026-10"))
	assert.Equal(t, "0; no target; 0", say(e, "lacking", reps, "2026-10"))
}

// A target of a month that is taken so far is spread over its working days, to the last
// cent, and what they have of it by then counts; months before have as many days of theirs.
func TestTargetsToDate(t *testing.T) {
	e := examples(t, "  goal: {formula: \"target(revenue)\", groups: own figures, unit: money}\n")
	toDate := func(day string) *measure.Engine {
		d, err := calendar.ParseDay(day)
		assert.NoError(t, err)
		return measure.New(e.Book.ToDateTo(d), e.Snapshot)
	}
	// October 2026 has 22 working days: 300 is 14 parts of 13.64 and 8 of 13.63.
	assert.Equal(t, "300; no target; 0", say(toDate("2026-10-31"), "goal", reps, "2026-10"), "all of it")
	assert.Equal(t, "300; no target; 0", say(toDate("2026-10-30"), "goal", reps, "2026-10"), "the 31st is a Saturday")
	assert.Equal(t, "286.37; no target; 0", say(toDate("2026-10-29"), "goal", reps, "2026-10"))
	assert.Equal(t, "13.64; no target; 0", say(toDate("2026-10-01"), "goal", reps, "2026-10"))
	assert.Equal(t, "27.28; no target; 0", say(toDate("2026-10-04"), "goal", reps, "2026-10"))
	// Of September's 100 over 22 days the first four are 4.55, as are 12 of them.
	assert.Equal(t, "18.2; no target; no target", say(toDate("2026-10-04"), "goal", reps, "2026-09"))
	assert.Equal(t, "no such group in the period; 27.28; 0", say(toDate("2026-10-04"), "goal", areas, "2026-10"))
	assert.Equal(t, "127.28; no target; 0", say(toDate("2026-10-04"), "goal", reps, "2027-Q3"), "from August on, of which September is whole")
	assert.Equal(t, "no target; no target; no target", say(toDate("2026-10-04"), "goal", reps, "2026-W40"), "a week begins no month")
	// A month in which nobody works is spread over all its days.
	off := *e.Book
	for d := calendar.Date(2026, 10, 1); d <= calendar.Date(2026, 10, 31); d++ {
		off.Calendar.Holidays = append(off.Calendar.Holidays, calendar.Holiday{Day: d})
	}
	assert.Equal(t, "9.68; no target; 0", say(measure.New(off.ToDateTo(calendar.Date(2026, 10, 1)), e.Snapshot), "goal", reps, "2026-10"))
}
