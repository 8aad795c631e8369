// The command bench measures Oskel against its peers in one run: hand-written
// SQL in the same PostgreSQL, a bare COPY of the same file, and one pass of
// memory. It checks that both sides agree and prints the table; see
// docs/benchmarks.md.
package main

import (
	"context"
	"flag"
	"fmt"
	"log"
	"os"
	"path/filepath"
	"runtime"
	"runtime/pprof"
	"time"

	"github.com/jackc/pgx/v5"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/ledger"
	"oskel/core/measure"
	"oskel/core/method"
	"oskel/core/rulebook"
	"oskel/internal/books"
	"oskel/internal/figures"
	"oskel/internal/intake"
	"oskel/internal/pgserver"
	"oskel/internal/store"
	"oskel/internal/sweep"
)

type result struct {
	what, bar    string
	ours, theirs time.Duration
	note         string
}

var results []result

var (
	profile = flag.String("profile", "", "write CPU profiles of the first sweep to this `file`, of the sixty rules to file.sixty and file.again, of "+
		"their sweeps to file.swept, file.sweptagain and file.sweptlater, of rehearsals to file.rehearsals")
	alone = flag.Bool("rehearsals", false, "measure rehearsals alone")
)

func main() {
	log.SetFlags(0)
	lines := flag.Int("lines", 1_000_000, "order lines")
	files := flag.String("files", "", "only write the data and its rulebook into this `directory`, to be looked at in a service")
	flag.Parse()
	if *files != "" {
		check(os.MkdirAll(*files, 0o755))
		_, err := writeData(*files, *lines)
		check(err)
		check(os.WriteFile(filepath.Join(*files, "rulebook.yaml"), []byte(wholeBook()), 0o644))
		return
	}
	dir, err := os.MkdirTemp("/tmp", "oskel-bench-")
	check(err)
	check(os.Chmod(dir, 0o755))
	defer os.RemoveAll(dir)
	ctx := context.Background()
	fmt.Printf("Making %d lines\n", *lines)
	file, err := writeData(dir, *lines)
	check(err)
	pg, err := pgserver.Start(ctx, pgserver.Options{Dir: filepath.Join(dir, "pg")})
	check(err)
	defer pg.Stop()
	s, err := store.Open(ctx, pg.URL)
	check(err)
	defer s.Close()
	conn, err := pgx.Connect(ctx, pg.URL)
	check(err)
	// Room to sort and hash in, without which a plan for ten million lines goes to disk.
	_, err = conn.Exec(ctx, "set work_mem = '1GB'")
	check(err)

	b := books.New(s)
	_, err = b.Publish(ctx, books.Publication{Author: "bench", Text: wholeBook(), Note: "bench"})
	check(err)
	in := intake.New(s, b, time.Now)
	for _, kind := range []string{"rep", "customer", "product"} {
		load(ctx, in, "register", kind, filepath.Join(dir, kind+".csv"))
	}
	benchIntake(ctx, conn, in, file)
	loadOthers(ctx, conn, in, dir)
	if !*alone {
		benchScans(ctx, conn, s, b, *lines)
	}
	benchRehearsals(ctx, conn, pg.URL, s, b)
	if !*alone {
		benchSweeps(ctx, conn, s, b, in, dir, *lines)
	}
	fmt.Printf("\n%d lines, %s, %d cores, %s\n\n", *lines, runtime.Version(), runtime.NumCPU(), time.Now().Format("2 Jan 2006"))
	fmt.Println("| what | bar | Oskel | peer | ratio |\n| --- | --- | ---: | ---: | ---: |")
	for _, r := range results {
		fmt.Println(r.row())
	}
}

// add keeps results, and says each as it comes: a run takes long.
func add(rs ...result) {
	for _, r := range rs {
		results = append(results, r)
		fmt.Fprintln(os.Stderr, r.row())
	}
}

func (r result) row() string {
	if r.theirs == 0 {
		return fmt.Sprintf("| %s | %s | %s | | |", r.what, r.bar, r.note)
	}
	return fmt.Sprintf("| %s | %s | %s | %s | %.2f |", r.what, r.bar, round(r.ours), round(r.theirs), float64(r.theirs)/float64(r.ours))
}

func check(err error) {
	if err != nil {
		log.Fatal("bench: ", err)
	}
}

func round(d time.Duration) string {
	if d < 100*time.Millisecond {
		return d.Round(10 * time.Microsecond).String()
	}
	return d.Round(time.Millisecond).String()
}

func timed(work func()) time.Duration {
	began := time.Now()
	work()
	return time.Since(began)
}

// profiled is work whose profile is written where one is asked for.
func profiled(ending string, work func()) func() {
	if *profile == "" {
		return work
	}
	return func() {
		f, err := os.Create(*profile + ending)
		check(err)
		check(pprof.StartCPUProfile(f))
		defer pprof.StopCPUProfile()
		work()
	}
}

// best is the shortest of some runs, for work too short to trust one.
func best(runs int, prepared func() func()) time.Duration {
	least := time.Hour
	for range runs {
		least = min(least, timed(prepared()))
	}
	return least
}

func load(ctx context.Context, in *intake.Service, into, name, path string) {
	f, err := os.Open(path)
	check(err)
	defer f.Close()
	_, err = in.Load(ctx, intake.Request{Into: into, Name: name, File: path, Author: "bench", Body: f})
	check(err)
}

// benchIntake holds the checked, durable intake against a bare COPY of the
// same file into an equally typed table.
func benchIntake(ctx context.Context, conn *pgx.Conn, in *intake.Service, file string) {
	_, err := conn.Exec(ctx, "create table bare (day date, rep int, customer int, product int, quantity numeric(19,4), net numeric(19,4), cost "+
		"numeric(19,4), discount numeric(19,4))")
	check(err)
	bare := timed(func() {
		f, err := os.Open(file)
		check(err)
		defer f.Close()
		_, err = conn.PgConn().CopyFrom(ctx, f, "copy bare from stdin (format csv, header)")
		check(err)
	})
	ours := timed(func() { load(ctx, in, "feed", "sales", file) })
	add(result{"intake against bare COPY", "≥ 0.8", ours, bare, ""})
	_, err = conn.Exec(ctx, "create index on bare (day); analyze bare")
	check(err)
}

// loadOthers takes in the returns and visits, here and into bare tables.
func loadOthers(ctx context.Context, conn *pgx.Conn, in *intake.Service, dir string) {
	for name, columns := range map[string]string{"returns": "day date, rep int, customer int, product int, net numeric(19,4)",
		"visits": "day date, rep int, customer int, minutes numeric(19,4)"} {
		path := filepath.Join(dir, name+".csv")
		load(ctx, in, "feed", name, path)
		_, err := conn.Exec(ctx, "create table bare_"+name+" ("+columns+")")
		check(err)
		f, err := os.Open(path)
		check(err)
		_, err = conn.PgConn().CopyFrom(ctx, f, "copy bare_"+name+" from stdin (format csv, header)")
		check(err)
		check(f.Close())
	}
	_, err := conn.Exec(ctx, "create index on bare_returns (product, day); create index on bare_returns (customer, day); create index on bare_visits "+
		"(rep, day); analyze bare_returns; analyze bare_visits")
	check(err)
}

func benchScans(ctx context.Context, conn *pgx.Conn, s *store.Store, b *books.Service, lines int) {
	_, published, err := b.Published(ctx)
	check(err)
	before := heap()
	keeper := figures.New(s)
	var snapshot *ledger.Snapshot
	last := calendar.Date(2026, 10, 1).Month()
	sweeps := sweep.New(s, b, keeper, func() time.Time { return time.Date(2026, 11, 25, 0, 0, 0, 0, time.UTC) })
	reading := timed(func() { snapshot, err = keeper.Snapshot(ctx, published); check(err) })
	memory := float64(heap()-before) / float64(lines)
	flagged := 0
	engine := measure.New(published, snapshot)
	judging := timed(func() {
		for i := range published.Rules {
			if !published.Rules[i].On {
				continue
			}
			flagged += judge.Judge(engine, &published.Rules[i], published.Rules[i].Levels[0], calendar.MonthPeriod(last)).Tally().Flagged
		}
	})
	first := timed(profiled("", func() {
		_, _, err = sweeps.Sweep(ctx, sweep.Ask{Period: calendar.MonthPeriod(last), Author: "bench"})
		check(err)
	}))
	add(
		result{"memory, bytes a line", "≤ 48", 0, 0, fmt.Sprintf("%.1f", memory)},
		result{"reading the ledger from PostgreSQL", "", 0, 0, round(reading)},
		result{fmt.Sprintf("judging, %d rules, first", len(published.Rules)-len(rulesInSQL)-len(sixty)), "", 0, 0, round(judging)},
		result{fmt.Sprintf("first sweep, %d exceptions recorded with evidence", flagged), "", 0, 0, round(first)})

	var passed amount.Amount
	limit := best(3, func() func() { return func() { passed = onePass(snapshot) } })
	if passed == 0 {
		log.Fatal("bench: the pass of memory read nothing")
	}
	add(result{"one pass of memory over the columns", "", 0, 0, round(limit)})
	benchSixty(ctx, conn, published, snapshot)
	for _, kind := range []string{"rep", "customer", "product"} {
		var ours, theirs amount.Amount
		// Fresh chunks each time, so that nothing is remembered.
		t := best(3, fresh(snapshot, func(s *ledger.Snapshot) {
			ours = scan(measure.New(published, s), kind, "net", "cost", "discount", "orders")
		}))
		u := timed(func() {
			theirs = query(ctx, conn, fmt.Sprintf("select count(*), sum(a + b + c + n) from (select sum(net) a, sum(cost) b, sum(discount) c, count(*) n "+
				"from bare group by date_trunc('month', day), %s) x", kind))
		})
		agree("three sums and a count by month x "+kind, ours, theirs)
		add(result{"three sums and a count, month x " + kind + ", against SQL", "≥ 50", t, u, ""})
		if kind == "rep" {
			add(result{"the same against one pass", "≥ 0.25", t, limit, ""})
		}
	}
	var ours, theirs amount.Amount
	t := best(3, fresh(snapshot, func(s *ledger.Snapshot) { ours = scan(measure.New(published, s), "rep", "buyers") }))
	u := timed(func() {
		theirs = query(ctx, conn, "select count(*), sum(n) from (select count(distinct customer) n from bare group by date_trunc('month', day), rep) x")
	})
	agree("distinct customers by month x rep", ours, theirs)
	add(result{"distinct customers, month x rep, against SQL", "≥ 50", t, u, ""})

	// SQL that takes longer than this is given up: the ratio is then a lower bound.
	patience, enough := context.WithTimeout(ctx, 2*time.Minute)
	defer enough()
	two := timed(func() {
		// One against its own history, one by the usual gap between orders.
		tolerant(patience, conn, `select count(*), 0 from (select customer, m, s, percentile_cont(0.5) within group (order by h) usual
			from (select a.customer, a.m, a.s, b.s h from (select customer, date_trunc('month', day) m, sum(net) s from bare group by 1, 2) a
			join (select customer, date_trunc('month', day) m, sum(net) s from bare group by 1, 2) b on b.customer = a.customer and b.m < a.m
				and b.m >= a.m - interval '12 months'
			where a.m = '2026-10-01') x group by 1, 2, 3) y where s < 0.5 * usual`)
		tolerant(patience, conn, `select count(*), 0 from (select customer, percentile_cont(0.5) within group (order by gap) usual, max(day) last
			from (select customer, day, day - lag(day) over (partition by customer order by day) gap from (select distinct customer, day from bare) d) g
				group by customer having count(gap) >= 3) x
			where date '2026-10-31' - last > 2.5 * usual`)
	})
	add(result{"cold start to first sweep, against two rules in SQL", "≥ 1", reading + first, two, ""})

	sums := func(n int) func() func() {
		return fresh(part(snapshot, n), func(s *ledger.Snapshot) { scan(measure.New(published, s), "rep", "net", "cost", "discount", "orders") })
	}
	large, small := rivals(sums(1), sums(10))
	add(growth("ten times the lines", "≤ 11", large, small))
	twice, problems := rulebook.Read([]byte(wholeBook()), method.All())
	if len(problems) > 0 {
		log.Fatal("bench: ", problems[0])
	}
	on := 0
	for _, r := range twice.Rules {
		if r.On {
			on++
			r.Name += "-allow-duplicates"
			twice.Rules = append(twice.Rules, r)
		}
	}
	judgeAll := func(book *rulebook.Book) func() func() {
		return fresh(snapshot, func(s *ledger.Snapshot) { judge.All(measure.New(book, s), calendar.MonthPeriod(last)) })
	}
	most, fewer := rivals(judgeAll(twice), judgeAll(published))
	add(growth(fmt.Sprintf("%d rules instead of %d on the same measures", 2*on, on), "≤ 1.3", most, fewer))
}

// rivals is the shortest of some runs of each, in turn, so that a machine that
// grows slower is slower for both.
func rivals(one, other func() func()) (a, b time.Duration) {
	a, b = time.Hour, time.Hour
	for range 21 {
		a, b = min(a, timed(one())), min(b, timed(other()))
	}
	return a, b
}

// fresh prepares work on a snapshot that remembers nothing; the preparing is not timed.
func fresh(s *ledger.Snapshot, work func(s *ledger.Snapshot)) func() func() {
	return func() func() {
		again := forget(s)
		return func() { work(again) }
	}
}

func growth(what, bar string, more, less time.Duration) result {
	return result{"growth: " + what + ", times the time", bar, 0, 0, fmt.Sprintf("%.2f (%s, %s)", float64(more)/float64(less), round(more), round(less))}
}

func heap() uint64 {
	runtime.GC()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return m.HeapAlloc
}

// scan adds measures up over all months and subjects of a kind.
func scan(e *measure.Engine, kind string, names ...string) amount.Amount {
	var slots []measure.Slot
	for _, c := range e.Snapshot.Feeds["sales"].Chunks {
		slots = append(slots, e.Slot(measure.Level{Kind: kind}, calendar.MonthPeriod(c.Month)))
	}
	e.Ahead(names, slots)
	var total amount.Amount
	for _, s := range slots {
		for _, name := range names {
			for _, t := range e.Totals(name, s).All() {
				total += t.Amount
			}
		}
	}
	return total
}

// forget is the snapshot without what its chunks remember.
func forget(s *ledger.Snapshot) *ledger.Snapshot { return part(s, 1) }

// part is the snapshot with every n-th of its lines left, as a prefix of each
// chunk.
func part(s *ledger.Snapshot, n int) *ledger.Snapshot {
	out := &ledger.Snapshot{Version: s.Version, Registers: s.Registers, Targets: s.Targets, Feeds: map[string]*ledger.Feed{}}
	for name, feed := range s.Feeds {
		f := *feed
		f.Chunks = nil
		for _, c := range feed.Chunks {
			k := c.Days.Len() / n
			d := &ledger.Chunk{Month: c.Month, Days: c.Days}
			if n > 1 {
				d.Days = ledger.Days{}
				for i, day := range c.Days.All() {
					if i < k {
						d.Days.Add(day)
					}
				}
			}
			for _, column := range c.Subjects {
				d.Subjects = append(d.Subjects, column[:k])
			}
			for _, column := range c.Numbers {
				d.Numbers = append(d.Numbers, column[:k])
			}
			f.Chunks = append(f.Chunks, d)
		}
		out.Feeds[name] = &f
	}
	return out
}

// onePass adds up the columns of sales that month x rep needs.
func onePass(s *ledger.Snapshot) (sum amount.Amount) {
	for _, c := range s.Feeds["sales"].Chunks {
		sum += passOver(c.Subjects[:1], c.Numbers[1:])
	}
	return sum
}

// passOfAll adds up the columns that the sixty rules need: all but quantities and minutes.
func passOfAll(s *ledger.Snapshot) (sum amount.Amount) {
	for name, f := range s.Feeds {
		for _, c := range f.Chunks {
			switch name {
			case "sales":
				sum += passOver(c.Subjects, c.Numbers[1:])
			case "visits":
				sum += passOver(c.Subjects, nil)
			default:
				sum += passOver(c.Subjects, c.Numbers)
			}
		}
	}
	return sum
}

func passOver(subjects [][]uint32, numbers [][]amount.Amount) (sum amount.Amount) {
	for _, column := range numbers {
		for _, v := range column {
			sum += v
		}
	}
	for _, column := range subjects {
		for _, v := range column {
			sum += amount.Amount(v)
		}
	}
	return sum
}

func query(ctx context.Context, conn *pgx.Conn, sql string) amount.Amount {
	var n int64
	var sum string
	check(conn.QueryRow(ctx, "select c, s::text from ("+sql+") q(c, s)").Scan(&n, &sum))
	a, err := amount.Parse(sum)
	check(err)
	return a
}

// tolerant asks a query that may run out of time; the connection is gone then.
func tolerant(ctx context.Context, conn *pgx.Conn, sql string) {
	other, err := pgx.ConnectConfig(ctx, conn.Config())
	if err != nil && ctx.Err() != nil {
		return
	}
	check(err)
	defer other.Close(context.Background()) //nolint:errcheck // it may be closed already
	if _, err := other.Exec(ctx, sql); err != nil && ctx.Err() == nil {
		check(err)
	}
}

func agree(what string, ours, theirs amount.Amount) {
	if ours != theirs {
		log.Fatalf("bench: %s: the answers differ: %s and %s", what, ours, theirs)
	}
}
