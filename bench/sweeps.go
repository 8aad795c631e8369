package main

import (
	"bufio"
	"context"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"oskel/core/calendar"
	"oskel/internal/books"
	"oskel/internal/figures"
	"oskel/internal/intake"
	"oskel/internal/store"
	"oskel/internal/sweep"
)

// sixtyOn is the rulebook with the sixty on, and none beside them.
func sixtyOn() string {
	var s strings.Builder
	s.WriteString(book[:strings.Index(book, "rules:\n")] + "rules:\n")
	for _, v := range sixty {
		s.WriteString("  - " + strings.Replace(v.rule, "on: false, ", "", 1) + "\n")
	}
	return s.String() + tail
}

// writeMore writes some more lines, all of one month.
func writeMore(path string, lines int, first calendar.Day) error {
	rng := rand.New(rand.NewPCG(9, 9))
	customer, product := rand.NewZipf(rng, 1.1, 50, customers-1), rand.NewZipf(rng, 1.1, 20, products-1)
	return writeFile(path, func(w *bufio.Writer) {
		w.WriteString("day,rep,customer,product,quantity,net,cost,discount\n") //nolint:errcheck // Flush tells
		for i := range lines {
			net := 500 + rng.Int64N(60_000)
			cost := net * (700 + rng.Int64N(80)) / 1000
			discount := net * rng.Int64N(12) / 100
			fmt.Fprintf(w, "%s,%d,%d,%d,%d,%d.%02d,%d.%02d,%d.%02d\n", first+calendar.Day(i*20/lines), rng.IntN(reps), customer.Uint64(), product.Uint64(),
				1+rng.IntN(20), net/100, net%100, cost/100, cost%100, discount/100, discount%100)
		}
	})
}

// benchSweeps sweeps sixty rules as a service does, what is flagged recorded with its
// evidence: when it has just read all data, and again after intakes of one per cent
// more lines, of the month that is swept and of the next one.
func benchSweeps(ctx context.Context, conn *pgx.Conn, s *store.Store, b *books.Service, in *intake.Service, dir string, lines int) {
	// What other rules found of the period is not to be cleared here.
	_, err := conn.Exec(ctx, "truncate sweeps cascade")
	check(err)
	_, err = b.Publish(ctx, books.Publication{Author: "bench", Text: sixtyOn(), Note: "sixty rules", BasedOn: 1})
	check(err)
	_, book, err := b.Published(ctx)
	check(err)
	keeper := figures.New(s)
	reading := timed(func() { _, err = keeper.Snapshot(ctx, book); check(err) })
	sweeps := sweep.New(s, b, keeper, func() time.Time { return time.Date(2026, 11, 25, 0, 0, 0, 0, time.UTC) })
	var done store.Sweep
	one := func(ending string) time.Duration {
		return timed(profiled(ending, func() {
			done, _, err = sweeps.Sweep(ctx, sweep.Ask{Period: calendar.MonthPeriod(calendar.Date(2026, 10, 1).Month()), Author: "bench"})
			check(err)
		}))
	}
	first := one(".swept")
	add(result{fmt.Sprintf("sweep of sixty rules, %d exceptions recorded with evidence", done.Raised+done.Standing), "", 0, 0, round(first)})
	more := func(first calendar.Day) {
		path := filepath.Join(dir, "more.csv")
		check(writeMore(path, lines/100, first))
		load(ctx, in, "feed", "sales", path)
	}
	more(calendar.Date(2026, 10, 1))
	again := one(".sweptagain")
	add(
		result{fmt.Sprintf("after 1 %% more lines of that month, read and swept again, %d exceptions", done.Raised+done.Standing+done.Cleared), "", again, first, ""},
		result{"the same against a service that starts, reads all and sweeps", "", again, reading + first, ""})
	more(calendar.Date(2026, 11, 1))
	later := one(".sweptlater")
	add(result{"after 1 % more lines of the next month, read and swept again", "", later, first, ""})
}
