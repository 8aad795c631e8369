package e2e

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
	"oskel/internal/demo"
)

// Every story planted in the demo is found by its rule, with its grade, and
// not much else is flagged.
func TestStoriesAreFound(t *testing.T) {
	s := demoService(t)
	planted := map[string]bool{}
	for _, story := range demo.Stories() {
		t.Run(story.Title, func(t *testing.T) {
			found, flagged := s.exceptions(story.Period)[story.Rule+" "+story.Key]
			if story.Outcome == "not judged" {
				assert.False(t, flagged)
				sweeps := want[[]client.Sweep](t, 200)(s.as("ines").ListSweeps(ctx, &client.ListSweepsParams{Period: &story.Period}))
				for _, tally := range sweeps[0].Tallies {
					if tally.Rule == story.Rule {
						assert.Positive(t, tally.NotJudged[story.Why], "%v", tally.NotJudged)
					}
				}
				return
			}
			if story.Outcome == "clear" {
				assert.False(t, flagged)
				return
			}
			require.True(t, flagged)
			planted[found.Key] = true
			assert.Equal(t, story.Outcome, found.Outcome)
			assert.Equal(t, story.Grade, found.Grade)
			assert.NotEmpty(t, found.Sentence)
			assert.NotEqual(t, client.ExceptionStateCleared, found.State)
		})
	}
	others := 0
	for _, e := range s.exceptions("2026-10") {
		if e.State != client.ExceptionStateCleared && !planted[e.Key] {
			others++
		}
	}
	assert.LessOrEqual(t, others, 12, "flagged in October beside the stories, of some 1,200 subjects")
}

// The demo prepared again finds everything done.
func TestDemoTwiceChangesNothing(t *testing.T) {
	s := demoService(t)
	before := want[[]client.Intake](t, 200)(s.as("ines").ListIntakes(ctx))
	sweep := s.sweepAs("ines", "2026-10")
	assert.True(t, sweep.Unchanged)
	assert.Len(t, before, 7)
}
