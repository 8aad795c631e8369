package e2e

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/calendar"
	"oskel/internal/client"
)

// arrival is one intake as a plain loop would keep it.
type arrival struct {
	id          int64
	mode        string // append, replace or correct
	first, last calendar.Day
	lines       []arrived
	months      []string
	takenBack   bool
}

type arrived struct {
	day   calendar.Day
	rep   int
	order string
	cents int64
}

// replayed is what counts: the arrivals that were not taken back, one after the
// other.
func replayed(all []*arrival) (lines []arrived) {
	for _, a := range all {
		if a.takenBack {
			continue
		}
		lines = slices.DeleteFunc(lines, func(l arrived) bool {
			return a.mode == "replace" && l.day >= a.first && l.day <= a.last ||
				a.mode == "correct" && slices.ContainsFunc(a.lines, func(n arrived) bool { return n.order == l.order })
		})
		lines = append(lines, a.lines...)
	}
	slices.SortStableFunc(lines, func(a, b arrived) int { return int(a.day - b.day) })
	return lines
}

// summed says of each month and rep the sum, the count, the first and the last
// of its lines.
func summed(lines []arrived) map[string]string {
	out := map[string]string{}
	cells := map[string][]arrived{}
	for _, l := range lines {
		k := fmt.Sprintf("%s R%d", l.day.Month(), l.rep)
		cells[k] = append(cells[k], l)
	}
	for k, of := range cells {
		sum := int64(0)
		for _, l := range of {
			sum += l.cents
		}
		out[k] = fmt.Sprintf("%d %d %d %d", sum, len(of), of[0].cents, of[len(of)-1].cents)
	}
	return out
}

// Whatever is added, replaced, corrected and taken back in whatever order, what
// counts is what the intakes left would have made one after the other; and
// every earlier data version stays as it was.
func TestAnySequenceOfIntakes(t *testing.T) {
	t.Parallel()
	for _, seed := range []uint64{1, 2} {
		t.Run(fmt.Sprint("seed ", seed), func(t *testing.T) {
			s := newService(t)
			defer s.stop()
			s.publish(strings.Replace(smallBook, "measures:\n",
				"measures:\n  lines: {count: sales, unit: count}\n  opening: {first: sales.net, unit: money}\n  closing: {last: sales.net, unit: money}\n", 1), 0)
			s.load("register", "rep", smallReps)
			rng := rand.New(rand.NewPCG(seed, 9))
			begin := calendar.Date(2026, 8, 1)
			var all []*arrival
			versions := map[int64]map[string]string{1: {}}
			seen := func(version int64) map[string]string {
				table := want[client.Table](t, 200)(s.as("rea").GetTable(ctx,
					&client.GetTableParams{Measures: "revenue,lines,opening,closing", By: ptr("rep"), Period: "2026-10", Periods: ptr(3), Version: &version}))
				out := map[string]string{}
				for _, r := range table.Rows {
					for m := range 3 {
						var parts []string
						for k := range 4 {
							for i, c := range table.Columns {
								if c.Period == fmt.Sprintf("2026-%02d", 8+m) && c.Measure == []string{"revenue", "lines", "opening", "closing"}[k] && r.Cells[i].Exact != nil {
									parts = append(parts, *r.Cells[i].Exact)
								}
							}
						}
						if len(parts) > 0 {
							out[fmt.Sprintf("2026-%02d %s", 8+m, r.Key)] = strings.Join(parts, " ")
						}
					}
				}
				return out
			}
			refusals := 0
			for range 30 {
				version := int64(0)
				if len(all) > 2 && rng.IntN(2) == 0 {
					version = takeOneBack(t, s, rng, all, &refusals)
				} else {
					a := &arrival{mode: []string{"append", "append", "replace", "correct"}[rng.IntN(4)]}
					within := 92
					if a.mode == "replace" {
						a.first = begin + calendar.Day(rng.IntN(85))
						a.last = a.first + calendar.Day(rng.IntN(2)*6) // a day, or the week it starts
						if a.last > a.first {
							a.first -= calendar.Day((int(a.first.Time().Weekday()) + 6) % 7)
							a.last = a.first + 6
						}
						begin, within = a.first, int(a.last-a.first)+1
					}
					for i := range 1 + rng.IntN(5) {
						order := fmt.Sprint("N", len(all), "-", i)
						if a.mode == "correct" && rng.IntN(3) > 0 {
							order = fmt.Sprint("N", rng.IntN(len(all)+1), "-", rng.IntN(3))
						}
						a.lines = append(a.lines, arrived{begin + calendar.Day(rng.IntN(within)), 1 + rng.IntN(3), order, int64(len(all)*100 + i + 1)})
					}
					begin = calendar.Date(2026, 8, 1)
					version = sendArrival(t, s, a)
					all = append(all, a)
				}
				if version == 0 {
					continue
				}
				versions[version] = summed(replayed(all))
				require.Equal(t, versions[version], seen(version), "version %d", version)
			}
			for version, then := range versions {
				assert.Equal(t, then, seen(version), "version %d, looked at later", version)
			}
			assert.Positive(t, refusals)
		})
	}
}

func sendArrival(t *testing.T, s *service, a *arrival) int64 {
	text := salesHead
	for _, l := range a.lines {
		text += fmt.Sprintf("%s,%s,R%d,%d,1\n", l.day, l.order, l.rep, l.cents)
	}
	in := s.load("feed", "sales", text, func(p *client.CreateIntakeParams) {
		switch a.mode {
		case "replace":
			period := a.first.String()
			if a.last > a.first {
				c := calendar.Calendar{}
				period = c.String(c.Of(calendar.Weekly, a.first))
			}
			p.Replace = &period
		case "correct":
			p.Correct = ptr("order_no")
		}
	})
	a.id, a.months = in.Id, in.Months
	return in.Id
}

// takeOneBack tries to take back one arrival; it is refused exactly where a
// later one that still counts may have replaced some of its lines.
func takeOneBack(t *testing.T, s *service, rng *rand.Rand, all []*arrival, refusals *int) int64 {
	at := rng.IntN(len(all))
	for i := len(all) - 1; i >= 0 && rng.IntN(4) > 0; i-- { // mostly the newest that is left
		if at = i; !all[i].takenBack {
			break
		}
	}
	a := all[at]
	blocked := a.takenBack
	for _, later := range all[at+1:] {
		blocked = blocked || !later.takenBack && later.mode != "append" &&
			slices.ContainsFunc(later.months, func(m string) bool { return slices.Contains(a.months, m) })
	}
	if blocked {
		refused(t, 400, "not-possible")(s.as("ana").RevertIntake(ctx, a.id))
		*refusals++
		return 0
	}
	a.takenBack = true
	return want[client.Intake](t, 200)(s.as("ana").RevertIntake(ctx, a.id)).Id
}
