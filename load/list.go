package main

import (
	"bytes"
	"context"
	"fmt"
	"math/rand/v2"
	"runtime"
	"strings"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
)

// recorded are the tables that a sweep writes its exceptions and cases to.
var recorded = []string{"cases", "case_events", "exceptions"}

// copied copies what a sweep recorded into tables of the same columns, indexes, checks and
// references, and says how long that took.
func copied(ctx context.Context, database string) time.Duration {
	conn, err := pgx.Connect(ctx, database)
	check(err)
	defer conn.Close(ctx)
	data := map[string][]byte{}
	for _, table := range recorded {
		var rows bytes.Buffer
		_, err := conn.PgConn().CopyTo(ctx, &rows, "copy "+table+" to stdout (format binary)")
		check(err)
		data[table] = rows.Bytes()
		_, err = conn.Exec(ctx, "create table bare_"+table+" (like "+table+" including all)")
		check(err)
	}
	rows, err := conn.Query(ctx, "select conrelid::regclass::text, pg_get_constraintdef(oid) from pg_constraint where contype = 'f' and "+
		"conrelid::regclass::text = any($1)", recorded)
	check(err)
	references, err := pgx.CollectRows(rows, pgx.RowToStructByPos[struct{ Table, Definition string }])
	check(err)
	for _, r := range references {
		definition := strings.NewReplacer("REFERENCES cases", "REFERENCES bare_cases").Replace(r.Definition)
		_, err := conn.Exec(ctx, "alter table bare_"+r.Table+" add "+definition)
		check(err)
	}
	began := time.Now()
	tx, err := conn.Begin(ctx)
	check(err)
	for _, table := range recorded {
		_, err := tx.Conn().PgConn().CopyFrom(ctx, bytes.NewReader(data[table]), "copy bare_"+table+" from stdin (format binary)")
		check(err)
	}
	check(tx.Commit(ctx))
	return time.Since(began)
}

// lists has everybody look at the list of a period with many exceptions.
func (w *world) lists(ctx context.Context, database string, bare *measured, swept time.Duration) {
	copying := copied(ctx, database)
	const length = 10 * time.Second
	looked := newMeasured()
	var wait sync.WaitGroup
	until := time.Now().Add(length)
	for i, token := range w.tokens {
		wait.Go(func() {
			dice := rand.New(rand.NewPCG(11, uint64(i)))
			for time.Now().Before(until) {
				began := time.Now()
				status, text, err := ask("GET", fmt.Sprintf("%s/api/exceptions?period=2026-10&state=flagged&limit=100&cursor=%d", w.url, 100*dice.IntN(5)), token, "", nil)
				looked.add("list", time.Since(began), err == nil && status == 200, string(text[:min(len(text), 300)]))
			}
		})
	}
	wait.Wait()
	looked.done(length)
	fmt.Printf("\n%d people on a list of %d exceptions for %s, %s, %d cores, %s\n\n", *howMany, *list, length, runtime.Version(), runtime.NumCPU(),
		time.Now().Format("2 Jan 2006"))
	fmt.Println("| what | requests a second | p50 | p99 | longest | errors |\n| --- | ---: | ---: | ---: | ---: | ---: |")
	bare.print("a bare handler with one indexed query")
	looked.print("a page of exceptions")
	b, _ := bare.all()
	l, _ := looked.all()
	p99 := func(all []time.Duration) time.Duration { return all[min(len(all)-1, len(all)*99/100)] }
	fmt.Printf("\np99 against that of the bare handler: %.1f. Recorded in %s, judging and all; a bare COPY of the same rows into such tables took %s: "+
		"%.2f times.\n",
		float64(p99(l))/float64(p99(b)), swept.Round(time.Millisecond), copying.Round(time.Millisecond), float64(swept)/float64(copying))
}
