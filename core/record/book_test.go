package record_test

import (
	"maps"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"oskel/core/calendar"
	"oskel/core/record"
)

func key(subject string, event calendar.Day) record.Key {
	return record.Key{Rule: "r", Level: "customer", Subject: subject, Event: event}
}

// Events are flags of their own: one that is found again stands as it was raised,
// one that is found no more clears, and what the period before had of others is
// neither taken up nor cleared.
func TestEventsAreFlagsOfTheirOwn(t *testing.T) {
	here := map[record.Key]record.Flag{key("A", 10): {State: record.Raised, Grade: "look"}, key("A", 12): {State: record.Raised, Grade: "look"}}
	before := map[record.Key]record.Flag{key("A", 3): {State: record.Raised, Grade: "look"}, key("B", 4): {State: record.Raised, Grade: "look"}}
	b := record.NewBook(here, before)
	steps := b.Subject("r", "customer", "A", record.Found{Flagged: true, Grade: "look", PerEvent: true, Events: []calendar.Day{12, 20}})
	assert.Len(t, steps, 3)
	assert.Equal(t, []calendar.Day{10, 12, 20}, []calendar.Day{steps[0].Key.Event, steps[1].Key.Event, steps[2].Key.Event})
	assert.Equal(t, []record.State{record.Cleared, record.Raised, record.Raised}, []record.State{steps[0].State, steps[1].State, steps[2].State})
	assert.Equal(t, []record.Change{record.NoLonger, record.Same, record.NewlyFlagged}, []record.Change{steps[0].Change, steps[1].Change, steps[2].Change})
	assert.Empty(t, b.Subject("r", "customer", "B", record.Found{PerEvent: true}), "its event is of the period before")
	assert.Empty(t, b.Rest())
	assert.Empty(t, record.NewBook(nil, before).Rest(), "nor does it clear when its rule goes")
	gone := record.NewBook(here, nil).Rest()
	assert.Len(t, gone, 2)
	assert.Equal(t, record.Cleared, gone[0].State)
}

// What was on record without its event is the first that is found; when a rule
// turns to count events, those on record clear.
func TestEventsOfAnEarlierProgram(t *testing.T) {
	old := map[record.Key]record.Flag{key("A", 0): {State: record.Standing, Grade: "look"}}
	b := record.NewBook(old, old)
	steps := b.Subject("r", "customer", "A", record.Found{Flagged: true, Grade: "look", PerEvent: true, Events: []calendar.Day{12, 20}})
	assert.Len(t, steps, 2)
	assert.Equal(t, key("A", 12), steps[0].Key)
	assert.Equal(t, key("A", 0), steps[0].Was)
	assert.Equal(t, record.Same, steps[0].Change)
	assert.Equal(t, record.Raised, steps[0].State, "an event is of one period alone")
	assert.Equal(t, record.NewlyFlagged, steps[1].Change)

	counted := record.NewBook(map[record.Key]record.Flag{key("A", 12): {State: record.Raised, Grade: "look"}}, old)
	steps = counted.Subject("r", "customer", "A", record.Found{Flagged: true, Grade: "look"})
	assert.Len(t, steps, 2)
	assert.Equal(t, []record.State{record.Standing, record.Cleared}, []record.State{steps[0].State, steps[1].State})
}

// Whatever is on record and found: what is found is flagged once, all else that is
// on record here is cleared, nothing has two steps, and sweeping the same again
// changes nothing.
func TestEverythingOnRecordIsFollowedOnce(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		subjects := []string{"A", "B", "C"}
		draw := func(name string) map[record.Key]record.Flag {
			out := map[record.Key]record.Flag{}
			for range rapid.IntRange(0, 6).Draw(t, name) {
				k := key(rapid.SampledFrom(subjects).Draw(t, "subject"), calendar.Day(rapid.SampledFrom([]int{0, 10, 11}).Draw(t, "event")))
				out[k] = record.Flag{State: rapid.SampledFrom([]record.State{record.Raised, record.Standing, record.Cleared}).Draw(t, "state"), Grade: "look"}
			}
			return out
		}
		here, before := draw("here"), draw("before")
		now := map[string]record.Found{}
		apart := rapid.Bool().Draw(t, "apart")
		for _, s := range subjects[:2] { // C is gone
			f := record.Found{PerEvent: apart, Flagged: rapid.Bool().Draw(t, "flagged")}
			if f.Flagged {
				f.Grade = "look"
				if apart {
					f.Events = rapid.SampledFrom([][]calendar.Day{{10}, {11}, {10, 11}, {12}}).Draw(t, "events")
				}
			}
			now[s] = f
		}
		follow := func(here map[record.Key]record.Flag) (steps []record.Step) {
			b := record.NewBook(here, before)
			for _, s := range subjects[:2] {
				steps = append(steps, b.Subject("r", "customer", s, now[s])...)
			}
			return append(steps, b.Rest()...)
		}
		steps := follow(here)
		after, flagged := maps.Clone(here), 0
		for _, s := range steps {
			if s.Was != s.Key {
				delete(after, s.Was)
			}
		}
		seen := map[record.Key]bool{}
		for _, s := range steps {
			assert.False(t, seen[s.Key], s.Key)
			seen[s.Key] = true
			after[s.Key] = record.Flag{State: s.State, Grade: s.Grade}
			if s.Flagged {
				flagged++
			}
		}
		expected := 0
		for _, f := range now {
			expected += max(len(f.Events), map[bool]int{true: 1}[f.Flagged])
		}
		assert.Equal(t, expected, flagged)
		for k, f := range after {
			found := now[k.Subject]
			days := found.Events
			if found.Flagged && len(days) == 0 {
				days = []calendar.Day{0}
			}
			assert.Equal(t, slices.Contains(days, k.Event), f.State != record.Cleared, k)
		}
		for _, s := range follow(after) {
			assert.Contains(t, []record.Change{record.Same, ""}, s.Change)
			assert.Equal(t, after[s.Key].State, s.State)
		}
	})
}
