package record_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"oskel/core/calendar"
	"oskel/core/record"
)

// What stands of a rule is what would be recorded if it were judged again and found the
// same, and nothing is left of it to be taken for gone.
func TestStandsIsWhatJudgingAgainRecords(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		apart := rapid.Bool().Draw(t, "apart")
		here, before := map[record.Key]record.Flag{}, map[record.Key]record.Flag{}
		found := map[string]record.Found{}
		var subjects []string
		for i := range rapid.IntRange(1, 6).Draw(t, "subjects") {
			subject := fmt.Sprint("R", i)
			subjects = append(subjects, subject)
			f := record.Found{PerEvent: apart, Flagged: rapid.Bool().Draw(t, "flagged"), Grade: "look"}
			if f.Flagged && apart {
				f.Events = slices.Compact(slices.Sorted(slices.Values(rapid.SliceOfN(rapid.Map(rapid.IntRange(1, 4),
					func(n int) calendar.Day { return calendar.Day(n) }), 1, 3).Draw(t, "events"))))
			}
			found[subject] = f
			whole := record.Key{Rule: "r", Level: "rep", Subject: subject}
			if !apart && rapid.Bool().Draw(t, "before") {
				before[whole] = *rapid.SampledFrom([]*record.Flag{up, stood, cleared}).Draw(t, "flag")
			}
			event := whole
			event.Event = calendar.Day(rapid.IntRange(1, 4).Draw(t, "day"))
			if apart && rapid.Bool().Draw(t, "here") {
				here[event] = *up // of an event that may have gone since
			}
		}
		// A sweep records what it finds.
		first := record.NewBook(here, before)
		for _, subject := range subjects {
			for _, s := range first.Subject("r", "rep", subject, found[subject]) {
				here[s.Key] = record.Flag{State: s.State, Grade: s.Grade, Streak: s.Streak, Own: s.Flagged || s.WasFlagged}
			}
		}
		// The next finds the same.
		judged, stands := record.NewBook(here, before), record.NewBook(here, before)
		var expected []record.Step
		for _, subject := range subjects {
			expected = append(expected, judged.Subject("r", "rep", subject, found[subject])...)
		}
		got := stands.Stands("r", "rep")
		slices.SortStableFunc(expected, func(a, b record.Step) int { return strings.Compare(a.Key.Subject, b.Key.Subject) })
		assert.Equal(t, expected, got)
		assert.Empty(t, stands.Stands("r", "customer"))
		assert.Equal(t, judged.Rest(), stands.Rest())
		assert.Empty(t, stands.Rest())
	})
}
