// Package trial lets one room be tried by itself: on a real PostgreSQL, with a rulebook,
// data and people, and without a service around it. Only tests import it.
package trial

import (
	"context"
	"fmt"
	"os"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"oskel/core/calendar"
	"oskel/internal/books"
	"oskel/internal/figures"
	"oskel/internal/intake"
	"oskel/internal/people"
	"oskel/internal/pgserver"
	"oskel/internal/review"
	"oskel/internal/store"
	"oskel/internal/sweep"
)

var server *pgserver.Server

// Start starts a PostgreSQL for all tests of a package, in a new directory, and has
// passwords hashed cheaply. Whoever starts it stops it and removes the directory; where it
// cannot be started the tests end.
func Start() (s *pgserver.Server, dir string) {
	people.HashCheaply()
	dir, err := os.MkdirTemp(Home(), "oskel-trial-")
	if err == nil {
		err = os.Chmod(dir, 0o755) //nolint:gosec // the user postgres enters it
	}
	if err == nil {
		s, err = pgserver.Start(context.Background(), pgserver.Options{Dir: dir, Lax: true})
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "trial:", err)
		os.Exit(1)
	}
	return s, dir
}

// Home is where the databases of tests lie: in memory where there is plenty of it, since
// half of what a new database costs is its files, and else on the disk.
func Home() string {
	const memory, plenty = "/dev/shm", 6 << 30
	var fs syscall.Statfs_t
	if err := syscall.Statfs(memory, &fs); err == nil && fs.Bavail*uint64(fs.Bsize) > plenty { //nolint:gosec // a block has a size
		return memory
	}
	return "/tmp"
}

// Run is the TestMain of a package that tries one room.
func Run(m *testing.M) {
	var dir string
	server, dir = Start()
	code := m.Run()
	server.Stop()
	os.RemoveAll(dir)
	os.Exit(code)
}

// Rooms are those of a service, over a database of their own. The clock stands until a
// test moves it.
type Rooms struct {
	t      testing.TB
	url    string // of the database
	Store  *store.Store
	Books  *books.Service
	Intake *intake.Service
	Sweeps *sweep.Service
	Review *review.Service
	Clock  time.Time
}

// October is the month of the small world that has ended last.
var October = calendar.MonthPeriod(calendar.MonthOf(2026, 10))

var (
	templateOnce sync.Once
	template     string
	databases    atomic.Int64
)

// Small is a copy of the small world: two reps behind their target, one of the desk north
// and one of south, and all that is needed to sweep them. The template is made once, a
// copy takes some 40 ms.
func Small(t testing.TB) *Rooms {
	templateOnce.Do(func() {
		r := open(t, "")
		for _, p := range Cast {
			require.NoError(t, r.Store.AddPerson(t.Context(), p, nil, nil))
		}
		_, err := r.Books.Publish(t.Context(), books.Publication{Author: "ana", Text: Book, BasedOn: books.Unknown})
		require.NoError(t, err)
		r.Load("register", "rep", Reps)
		r.Load("targets", "rep", Targets)
		r.Load("feed", "sales", Sales)
		r.Store.Close()
		template = fmt.Sprintf("room%d", databases.Load())
	})
	require.NotEmpty(t, template, "the small world could not be made")
	r := open(t, template)
	t.Cleanup(r.Store.Close)
	return r
}

// Database makes a database beside another and says its URL; with a template it is a copy
// of that one.
func Database(t testing.TB, beside, name, template string) string {
	create := "create database " + name
	if template != "" {
		create += " template " + template
	}
	conn, err := pgx.Connect(t.Context(), beside)
	require.NoError(t, err)
	defer conn.Close(t.Context()) //nolint:errcheck // it has done its work
	// Whoever made the template may not have left it to the last connection yet.
	require.Eventually(t, func() bool {
		_, err = conn.Exec(t.Context(), create)
		return err == nil || !strings.Contains(err.Error(), "being accessed by other users")
	}, time.Minute, 10*time.Millisecond)
	require.NoError(t, err)
	return beside[:strings.LastIndex(beside, "/")+1] + name
}

func open(t testing.TB, template string) *Rooms {
	url := Database(t, server.URL, fmt.Sprintf("room%d", databases.Add(1)), template)
	s, err := store.Open(t.Context(), url)
	require.NoError(t, err)
	r := &Rooms{t: t, url: url, Store: s, Clock: time.Date(2026, time.November, 25, 12, 0, 0, 0, time.UTC)}
	now := func() time.Time { return r.Clock }
	r.Books = books.New(s)
	r.Intake = intake.New(s, r.Books, now)
	r.Sweeps = sweep.New(s, r.Books, figures.New(s), now)
	r.Review = review.New(s, r.Books, now)
	return r
}

// Beside is the store of a second service on the same database.
func (r *Rooms) Beside() *store.Store {
	r.t.Helper()
	s, err := store.Open(r.t.Context(), r.url)
	require.NoError(r.t, err)
	r.t.Cleanup(s.Close)
	return s
}

// Load takes a file in.
func (r *Rooms) Load(into, name, csv string) store.Intake {
	r.t.Helper()
	in, err := r.Intake.Load(r.t.Context(), intake.Request{Into: into, Name: name, File: name + ".csv", Author: "ana", Sure: true, Body: strings.NewReader(csv)})
	require.NoError(r.t, err)
	return in
}

// Sweep sweeps a period and opens the cases.
func (r *Rooms) Sweep(p calendar.Period) store.Sweep {
	r.t.Helper()
	out, _, err := r.Sweeps.Sweep(r.t.Context(), sweep.Ask{Period: p, Author: "ana", Cases: true})
	require.NoError(r.t, err)
	return out
}

// Case is the case of a rep as it is now.
func (r *Rooms) Case(rep string) store.Case {
	r.t.Helper()
	all, err := r.Store.Cases(r.t.Context(), store.CaseFilter{Text: rep, Limit: 10})
	require.NoError(r.t, err)
	require.Len(r.t, all, 1, "cases of %s", rep)
	return all[0]
}

// Person is one of the Cast.
func (r *Rooms) Person(name string) store.Person {
	r.t.Helper()
	p, err := r.Store.Person(r.t.Context(), name)
	require.NoError(r.t, err)
	return p
}

// Cast is one person of each role, and a reviewer of each desk.
var Cast = []store.Person{
	{Name: "ana", Title: "Ana", Role: people.Analyst},
	{Name: "rea", Title: "Rea", Role: people.Reviewer, Desks: []string{"north"}},
	{Name: "rob", Title: "Rob", Role: people.Reviewer, Desks: []string{"south"}},
	{Name: "lea", Title: "Lea", Role: people.Lead},
}
