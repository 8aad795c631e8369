package e2e

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

// sweptMonth is what a plain loop keeps of a month that was swept.
type sweptMonth struct {
	flagged map[string]string // by rep, the grade
	ever    map[string]bool   // by rep, whether any sweep of the month has flagged it
	changed int64             // the last sweep that changed who is flagged
	version int64
	against int64 // the sweep of the month before that it was held against
	id      int64
}

// However corrections and sweeps follow one another, over whatever months, an
// exception is raised, standing or cleared as the definition says, the same
// again changes nothing, and a subject has one case at a desk.
func TestAnySequenceOfSweeps(t *testing.T) {
	t.Parallel()
	for _, seed := range []uint64{1, 2} {
		t.Run(fmt.Sprint("seed ", seed), func(t *testing.T) {
			s := newService(t)
			defer s.stop()
			book, _, _ := strings.Cut(smallBook, "  - name: behind")
			_, tail, _ := strings.Cut(smallBook, "desks:\n")
			s.publish(book+"desks:\n"+tail, 0)
			s.load("register", "rep", smallReps)
			rng := rand.New(rand.NewPCG(seed, 11))
			months := []string{"2026-07", "2026-08", "2026-09", "2026-10"}
			now := map[string]map[string]string{} // what a sweep would flag, by month and rep
			swept := map[string]*sweptMonth{}
			version, unchanged := int64(1), 0
			for step := range 40 {
				m := rng.IntN(len(months))
				month := months[m]
				if step < len(months) {
					m, month = step, months[step]
				}
				if now[month] == nil || rng.IntN(3) == 0 {
					rows, grades := correction(rng, month, step)
					version = s.load("feed", "sales", salesHead+rows, replace(month)).Id
					now[month] = grades
					continue
				}
				before := swept[months[max(0, m-1)]]
				if m == 0 || before == nil {
					before = &sweptMonth{}
				}
				got := s.sweep(month)
				known := swept[month]
				same := known != nil && known.version == version && known.against == before.id
				for _, earlier := range months[:m] { // streaks hang on all of them
					same = same && (swept[earlier] == nil || swept[earlier].changed < known.id)
				}
				require.Equal(t, same, got.Unchanged, "step %d, %s", step, month)
				if same {
					unchanged++
					continue
				}
				kept := &sweptMonth{flagged: maps.Clone(now[month]), ever: map[string]bool{}, version: version, against: before.id, id: got.Id}
				if known != nil {
					maps.Copy(kept.ever, known.ever)
					kept.changed = known.changed
				}
				if was := (&sweptMonth{}); known != nil || len(kept.flagged) > 0 {
					if known != nil {
						was = known
					}
					if !slices.Equal(slices.Sorted(maps.Keys(was.flagged)), slices.Sorted(maps.Keys(kept.flagged))) {
						kept.changed = got.Id
					}
				}
				want := map[string]string{}
				for rep, grade := range kept.flagged {
					want[rep] = "raised " + grade
					if before.flagged[rep] != "" {
						want[rep] = "standing " + grade
					}
				}
				for _, gone := range slices.Concat(slices.Collect(maps.Keys(before.flagged)), slices.Collect(maps.Keys(kept.ever))) {
					if want[gone] == "" {
						want[gone] = "cleared"
					}
				}
				streaks := map[string]int{}
				for rep := range kept.flagged {
					kept.ever[rep] = true
					for streaks[rep] = 1; m >= streaks[rep] && swept[months[m-streaks[rep]]] != nil && swept[months[m-streaks[rep]]].flagged[rep] != ""; {
						streaks[rep]++
					}
				}
				swept[month] = kept
				for _, x := range s.exceptions(month) {
					if x.State != "cleared" {
						require.Equal(t, streaks[x.Key], *x.Streak, "step %d, %s in %s", step, x.Key, month)
					}
				}
				require.Equal(t, want, listed(s, month), "step %d, sweep %d of %s", step, got.Id, month)
				counts := map[string]int{}
				for _, state := range want {
					word, _, _ := strings.Cut(state, " ")
					counts[word]++
				}
				require.Equal(t, [3]int{counts["raised"], counts["standing"], counts["cleared"]}, [3]int{got.Raised, got.Standing, got.Cleared})
				oneCaseEach(t, s)
				if step%5 == 0 {
					require.Empty(t, s.verification(t, got.Id).Wrong, "step %d", step)
				}
			}
			assert.Empty(t, s.examined(t))
			assert.Positive(t, unchanged)
		})
	}
}

// correction makes a month's lines anew: each rep is clear, flagged, or has
// none.
func correction(rng *rand.Rand, month string, step int) (rows string, grades map[string]string) {
	grades = map[string]string{}
	for rep := 1; rep <= 3; rep++ {
		cost := []int{70, 78, 79, 82, 83, 90, 0}[rng.IntN(7)] // margins of 30, 22, 21, 18, 17 and 10 %, or no line
		key := fmt.Sprint("R", rep)
		switch {
		case cost == 0:
			continue
		case cost > 82:
			grades[key] = "act"
		case cost > 78:
			grades[key] = "look"
		}
		rows += fmt.Sprintf("%s-15,S%d-%d,%s,100,%d\n", month, step, rep, key, cost)
	}
	return rows + fmt.Sprintf("%s-20,S%d,R4,100,10\n", month, step), grades // R4 has left by September
}

func listed(s *service, month string) map[string]string {
	out := map[string]string{}
	for _, x := range s.exceptions(month) {
		out[x.Key] = strings.TrimSpace(string(x.State) + " " + map[bool]string{false: x.Grade}[x.State == "cleared"])
	}
	return out
}

// oneCaseEach sees that no subject has two unsettled cases at a desk.
func oneCaseEach(t *testing.T, s *service) {
	all := want[client.CasePage](t, 200)(s.as("lea").ListCases(ctx, &client.ListCasesParams{})).Items
	seen := map[string]int64{}
	for _, c := range all {
		if c.State == "settled" {
			continue
		}
		k := c.Desk + " " + c.Key
		require.Zero(t, seen[k], "%s has the cases %d and %d", k, seen[k], c.Id)
		seen[k] = c.Id
	}
}
