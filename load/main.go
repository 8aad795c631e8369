// The command load has many people work on one desk at once, and says how fast they
// are answered beside a bare handler that runs one indexed query, in one run.
package main

import (
	"context"
	"flag"
	"fmt"
	"log"
	"log/slog"
	"os"
	"path/filepath"
	"runtime"
	"runtime/pprof"
	"time"

	"oskel/internal/app"
	"oskel/internal/people"
	"oskel/internal/pgserver"
	"oskel/internal/store"
)

var (
	howMany  = flag.Int("people", 200, "people at work")
	cases    = flag.Int("cases", 10_000, "cases on their desk")
	duration = flag.Duration("for", time.Minute, "how long they work")
	lines    = flag.Int("lines", 1_000_000, "lines of each of ten files that are loaded at once, while ten people work; 0 loads none")
	list     = flag.Int("list", 0, "instead, record so many exceptions with their cases, and have the people look at their list")
	soaking  = flag.Duration("soak", 0, "instead, work on the demo in all ways for so long, and tell each minute what the service holds")
	profile  = flag.String("profile", "", "write a CPU profile of the work to this `file`")
)

const password = "a password for the load"

func main() {
	log.SetFlags(0)
	flag.Parse()
	slog.SetLogLoggerLevel(slog.LevelWarn)
	if *soaking > 0 {
		soakFor(*soaking)
		return
	}
	if *list > 0 {
		*cases = *list
	}
	dir, err := os.MkdirTemp("/tmp", "oskel-load-")
	check(err)
	check(os.Chmod(dir, 0o755))
	defer os.RemoveAll(dir)
	ctx, stop := context.WithCancel(context.Background())
	pg, err := pgserver.Start(ctx, pgserver.Options{Dir: filepath.Join(dir, "pg")})
	check(err)
	defer pg.Stop()

	ready, ended := make(chan string, 1), make(chan error, 1)
	fmt.Printf("Adding %d people\n", *howMany)
	go func() {
		ended <- app.Run(ctx, app.Options{
			Addr: "127.0.0.1:0", Database: pg.URL, FirstPeople: addPeople,
			Ready: func(_ context.Context, url string) error { ready <- url; return nil },
		})
	}()
	var url string
	select {
	case url = <-ready:
	case err := <-ended:
		check(err)
	}
	defer func() { stop(); check(<-ended) }()
	w := &world{url: url}
	fmt.Printf("Filling a desk with %d cases\n", *cases)
	swept := w.fill()
	w.signIn()

	bare := w.bare(ctx, pg.URL, min(*duration, 10*time.Second))
	if *list > 0 {
		w.lists(ctx, pg.URL, bare, swept)
		return
	}
	if *profile != "" {
		f, err := os.Create(*profile)
		check(err)
		check(pprof.StartCPUProfile(f))
	}
	work := w.work(*duration)
	pprof.StopCPUProfile()
	w.hold(ctx, pg.URL)
	beside := newMeasured()
	if *lines > 0 {
		fmt.Printf("Loading ten files of %d lines\n", *lines)
		beside = w.beside(*lines)
	}

	fmt.Printf("\n%d people on %d cases for %s, %s, %d cores, %s\n\n", *howMany, *cases, *duration, runtime.Version(), runtime.NumCPU(),
		time.Now().Format("2 Jan 2006"))
	fmt.Println("| what | requests a second | p50 | p99 | longest | errors |\n| --- | ---: | ---: | ---: | ---: | ---: |")
	bare.print("a bare handler with one indexed query")
	work.print("the desk, all")
	for _, op := range operations {
		work.only(op).print(op)
	}
	beside.print(fmt.Sprintf("ten people's desk while ten files of %d lines are loaded", *lines))
	fmt.Printf("\nAgainst the bare handler: %.2f. Cases that another person had taken first: %d. Taken twice: none.\n", work.rate()/bare.rate(), work.lost)
}

// addPeople adds an analyst and the reviewers.
func addPeople(ctx context.Context, s *people.Service) error {
	if err := s.Add(ctx, store.Person{Name: "ana", Title: "Ana", Role: people.Analyst}, password); err != nil {
		return err
	}
	for i := range *howMany {
		if err := s.Add(ctx, store.Person{Name: reviewer(i), Title: fmt.Sprintf("Reviewer %d", i), Role: people.Reviewer, Desks: []string{"desk"}},
			password); err != nil {
			return err
		}
	}
	return nil
}

func reviewer(i int) string { return fmt.Sprintf("reviewer-%d", i) }

func check(err error) {
	if err != nil {
		log.Fatal("load: ", err)
	}
}
