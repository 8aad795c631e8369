package e2e

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/ledger"
	"oskel/internal/books"
	"oskel/internal/client"
	"oskel/internal/store"
)

// A snapshot that takes what it can from the one before says what one says that is read
// anew, line by line, whatever intakes came between.
func TestWhatHasGrownIsAsReadAnew(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.publish(strings.Replace(smallBook, "notes: [order_no]", "labels: [branch], notes: [order_no]", 1), 1)
	db, err := store.Open(ctx, s.database)
	require.NoError(t, err)
	defer db.Close()
	_, book, err := books.New(db).Published(ctx)
	require.NoError(t, err)
	rng := rand.New(rand.NewPCG(3, 1))
	var near *ledger.Snapshot
	var standing []int64
	shared, grown := 0, 0
	for i := range 60 {
		var file strings.Builder
		file.WriteString("day,order_no,rep,net,cost,branch\n")
		month := 8 + rng.IntN(3)
		for range 1 + rng.IntN(4) {
			fmt.Fprintf(&file, "2026-%02d-%02d,N%d,R%d,%d,1,%s\n", month, 1+rng.IntN(28), rng.IntN(40), 1+rng.IntN(3), rng.IntN(900),
				[]string{"", "quay", fmt.Sprint("b", i)}[rng.IntN(3)])
		}
		switch what := rng.IntN(10); {
		case what == 0:
			standing = append(standing, s.load("feed", "sales", file.String(), replace(map[int]string{8: "2026-Q3", 9: "2026-09", 10: "2026-H2"}[month])).Id)
		case what == 1:
			standing = append(standing, s.load("feed", "sales", file.String(), func(p *client.CreateIntakeParams) { p.Correct = ptr("order_no") }).Id)
		case what <= 3 && len(standing) > 0: // refused where what came later replaces it
			k := rng.IntN(len(standing))
			r, err := s.as("ana").RevertIntake(ctx, standing[k])
			require.NoError(t, err)
			r.Body.Close()
			standing = slices.Delete(standing, k, k+1)
		default:
			standing = append(standing, s.load("feed", "sales", file.String()).Id)
		}
		version, err := db.DataVersion(ctx)
		require.NoError(t, err)
		anew, err := db.ReadLedger(ctx, book, version, nil)
		require.NoError(t, err)
		if rng.IntN(3) == 0 && near != nil { // several intakes are taken in at once
			continue
		}
		now, err := db.ReadLedger(ctx, book, version, near)
		require.NoError(t, err)
		require.Equal(t, linesOf(anew), linesOf(now), "after intake %d", version)
		if near != nil {
			for _, c := range near.Feeds["sales"].Chunks {
				for _, d := range now.Feeds["sales"].Chunks {
					if c == d {
						shared++
					} else if c.Month == d.Month && d.Days.Len() > c.Days.Len() {
						grown++
					}
				}
			}
			before, err := db.ReadLedger(ctx, book, near.Version, now)
			require.NoError(t, err)
			require.Equal(t, linesOf(near), linesOf(before), "as of version %d", near.Version)
		}
		near = now
	}
	assert.Greater(t, shared, 20)
	assert.Greater(t, grown, 20)
}

// linesOf are the lines of a snapshot's sales in their order.
func linesOf(s *ledger.Snapshot) (lines []string) {
	f := s.Feeds["sales"]
	for _, c := range f.Chunks {
		for i, day := range c.Days.All() {
			line := fmt.Sprint(c.Month, " ", day, " ", c.Subjects[0][i], " ", c.Numbers[0][i], " ", c.Numbers[1][i])
			for k := range f.Labels {
				line += " " + f.Labels[k].Words[c.Labels[k][i]]
			}
			lines = append(lines, line)
		}
	}
	return lines
}
