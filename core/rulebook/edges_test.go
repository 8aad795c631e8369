package rulebook_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/method"
	. "oskel/core/rulebook"
)

// Numbers that are asked to be whole are refused below, above, and where they are none.
func TestWholeNumbersHaveEnds(t *testing.T) {
	for places, sound := range map[string]bool{"0": true, "4": true, "-1": false, "5": false, "two": false, "1.5": false} {
		_, problems := Read([]byte(strings.Replace(small, "revenue: {sum: sales.net,", "revenue: {places: "+places+", sum: sales.net,", 1)), method.All())
		assert.Equal(t, sound, len(problems) == 0, "%s: %v", places, problems)
	}
	for due, sound := range map[string]bool{"1 working day": true, "2 working days": true, "2 days": false, "working days": false,
		"two working days": false, "251 working days": false} {
		_, problems := Read([]byte(strings.Replace(small, "act: 2 working days", "act: "+due, 1)), method.All())
		assert.Equal(t, sound, len(problems) == 0, "%s: %v", due, problems)
	}
}

// A month's target is spread over the month alone; a week's is not spread.
func TestWhatIsSpread(t *testing.T) {
	book, problems := Read([]byte(small), method.All())
	require.Empty(t, problems)
	october := calendar.MonthPeriod(calendar.MonthOf(2026, 10))
	months, parts, ok := book.SpreadTarget(amount.FromInt(100), october)
	require.True(t, ok)
	assert.Equal(t, []calendar.Month{calendar.MonthOf(2026, 10)}, months)
	assert.Equal(t, []amount.Amount{amount.FromInt(100)}, parts)
	for _, p := range []calendar.Period{{Unit: calendar.Daily, Number: 20000}, {Unit: calendar.Weekly, Number: 2900}, {Unit: calendar.Named}} {
		_, _, ok = book.SpreadTarget(amount.FromInt(100), p)
		assert.False(t, ok)
	}
	_, _, ok = book.SpreadTarget(amount.FromInt(100), calendar.Period{Unit: calendar.Yearly, Number: 2026})
	assert.True(t, ok)
}

// Rules that would feel a change are found through measures, each once; measures
// and desks of that name are none.
func TestRulesUnderAName(t *testing.T) {
	text := strings.Replace(small, "desks:", `  - name: also
    judges: rep
    threshold: {of: margin, bands: [{grade: act, below: 5%}, {clear: rest}]}
  - name: other
    judges: rep
    threshold: {of: cost, bands: [{grade: act, below: 5}, {clear: rest}]}
desks:`, 1)
	book, problems := Read([]byte(text), method.All())
	require.Empty(t, problems)
	assert.Equal(t, []string{"thin", "also"}, book.RulesUnder("revenue"))
	assert.Equal(t, []string{"other", "thin", "also"}, book.RulesUnder("cost"))
	assert.Equal(t, []string{"thin"}, book.RulesUnder("floor"))
	assert.Empty(t, book.RulesUnder("home"))
}
