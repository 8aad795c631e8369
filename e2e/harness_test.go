package e2e

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/stretchr/testify/require"

	"oskel/console"
	"oskel/internal/app"
	"oskel/internal/cli"
	"oskel/internal/client"
	"oskel/internal/demo"
	"oskel/internal/people"
	"oskel/internal/pgserver"
	"oskel/internal/trial"
)

// One PostgreSQL serves all tests of the package; each service has a database
// of its own.
var server *pgserver.Server

// scratch is a directory for the whole run, gone after it.
var scratch string

func TestMain(m *testing.M) {
	server, scratch = trial.Start()
	code := m.Run()
	stopChromium()
	stopDemo()
	server.Stop()
	os.RemoveAll(scratch)
	os.Exit(code)
}

// long has a test left to `make long`, which CI runs after `make test`.
func long(t *testing.T) {
	if testing.Short() {
		t.Skip("make long runs it")
	}
}

// today is the day of all tests.
var today = time.Date(2026, time.November, 25, 12, 0, 0, 0, time.UTC)

// service is a running service with people of every role: ana (analyst), rea
// (reviewer of the desk north), rob (reviewer of south), lea (lead).
type service struct {
	t        testing.TB
	url      string
	stop     func()
	database string
	mu       sync.Mutex
	tokens   map[string]string // by person, so that passwords are hashed once
	home     string            // of its commands, so that those of others do not sign it out
	demo     bool              // whether it is the demo that tests share
}

const password = "a long password"

var databases atomic.Int64

// newService is a service of its own with the cast and nothing else.
func newService(t testing.TB) *service { return bare.service(t) }

// world is a database that is made once and copied for each service: its
// tables, the cast with a token for each, and what its maker puts in.
type world struct {
	make     func(*service)
	once     sync.Once
	database string
	tokens   map[string]string
}

var (
	bare    = &world{make: func(*service) {}}
	smaller = &world{make: func(s *service) {
		s.publish(smallBook, 0)
		s.load("register", "rep", smallReps)
		s.load("targets", "rep", smallTargets)
		s.load("feed", "sales", smallSales)
	}}
)

func (w *world) service(t testing.TB) *service {
	w.once.Do(func() {
		s := startService(t, func(ctx context.Context, s *people.Service) error {
			for _, p := range trial.Cast {
				if err := s.Add(ctx, p, password); err != nil {
					return err
				}
			}
			return nil
		})
		w.make(s)
		for _, p := range trial.Cast {
			s.as(p.Name)
		}
		s.stop()
		w.database, w.tokens = s.database[strings.LastIndex(s.database, "/")+1:], s.tokens
	})
	require.NotEmpty(t, w.database, "the world could not be made")
	s := run(t, newDatabase(t, w.database), nil)
	s.tokens = maps.Clone(w.tokens)
	return s
}

func startService(t testing.TB, first func(context.Context, *people.Service) error) *service {
	return run(t, newDatabase(t, ""), first)
}

// newDatabase is the URL of a new database, a copy of another's where a template is stated.
func newDatabase(t testing.TB, template string) string {
	return trial.Database(t, server.URL, fmt.Sprintf("e2e%d", databases.Add(1)), template)
}

// beside is a second service on the same database.
func (s *service) beside(t *testing.T) *service {
	other := run(t, s.database, nil)
	t.Cleanup(other.stop)
	return other
}

func run(t testing.TB, database string, first func(context.Context, *people.Service) error) *service {
	return runAs(t, database, func(o *options) { o.FirstPeople = first })
}

// options are those of a service, and the switches of one that is tried.
type options struct {
	app.Options
	app.Switches
}

// runAs is a service with other options than the tests'.
func runAs(t testing.TB, database string, edit func(*options)) *service {
	s := &service{t: t, tokens: map[string]string{}, database: database}
	ready, ended := make(chan string, 1), make(chan error, 1)
	o := options{Options: app.Options{
		Addr: "127.0.0.1:0", Database: s.database, Console: console.Files(),
		Now:   func() time.Time { return today },
		Ready: func(_ context.Context, url string) error { ready <- url; return nil },
	}}
	edit(&o)
	running, cancel := context.WithCancel(app.With(context.Background(), o.Switches))
	forgetClock(s.database)
	go func() { ended <- app.Run(running, o.Options) }()
	select {
	case s.url = <-ready:
	case err := <-ended:
		t.Fatal(err)
	}
	s.stop = sync.OnceFunc(func() {
		cancel()
		if err := <-ended; err != nil {
			t.Error(err)
		}
	})
	return s
}

// forgetClock has the first look at a clock that a test sets be no leap.
func forgetClock(database string) {
	if c, err := pgx.Connect(ctx, database); err == nil {
		c.Exec(ctx, "delete from clock") //nolint:errcheck // an empty database has none
		c.Close(ctx)                     //nolint:errcheck // it is gone then
	}
}

// small is a service with the small world loaded: see world_test.go.
func small(t *testing.T) *service {
	s := smaller.service(t)
	t.Cleanup(s.stop)
	s.home = t.TempDir()
	return s
}

var (
	demoOnce sync.Once
	demoMade *service
)

// demoService is the demo, loaded and swept, shared by the tests that only
// read it or work on cases of their own.
func demoService(t *testing.T) *service {
	demoOnce.Do(func() {
		// What the demo's plan would sweep, the tests sweep themselves.
		s := runAs(t, newDatabase(t, ""), func(o *options) { o.FirstPeople, o.Idle = demo.AddPeople, true })
		dir := filepath.Join(os.TempDir(), fmt.Sprintf("oskel-demo-%d", os.Getpid()))
		require.NoError(t, demo.Write(dir, 1))
		defer os.RemoveAll(dir)
		require.NoError(t, cli.PrepareDemo(context.Background(), io.Discard, s.url, dir))
		for _, name := range []string{"ines", "tor", "nell"} {
			s.as(name)
		}
		demoMade = s
	})
	require.NotNil(t, demoMade, "the demo could not be made")
	// Each test signs in and out by itself.
	return &service{t: t, url: demoMade.url, database: demoMade.database, tokens: maps.Clone(demoMade.tokens), home: t.TempDir(), demo: true}
}

func stopDemo() {
	if demoMade != nil {
		demoMade.t = &testing.B{}
		demoMade.stop()
	}
}

// pool reaches into the service's database.
func (s *service) pool(t *testing.T) *pgxpool.Pool {
	pool, err := pgxpool.New(ctx, s.database)
	require.NoError(t, err)
	t.Cleanup(pool.Close)
	return pool
}

// as is a client signed in as a person, with the demo's password for the
// demo's people.
func (s *service) as(name string) *client.Client {
	s.mu.Lock()
	defer s.mu.Unlock()
	if token := s.tokens[name]; token != "" {
		return s.with(token)
	}
	pass := demo.Password
	for _, p := range trial.Cast {
		if p.Name == name {
			pass = password
		}
	}
	c, err := client.NewClient(s.url, held)
	require.NoError(s.t, err)
	token := want[client.Token](s.t, 201)(c.CreateToken(context.Background(), client.NewToken{Name: name, Password: pass}))
	s.tokens[name] = token.Token
	return s.with(token.Token)
}

func (s *service) with(token string) *client.Client {
	c, err := client.NewClient(s.url, held, client.WithRequestEditorFn(func(_ context.Context, r *http.Request) error {
		r.Header.Set("Authorization", "Bearer "+token)
		return nil
	}))
	require.NoError(s.t, err)
	return c
}

// want reads an answer that must have a status.
func want[T any](t testing.TB, status int) func(*http.Response, error) T {
	return func(r *http.Response, err error) T {
		t.Helper()
		require.NoError(t, err)
		defer r.Body.Close()
		body, err := io.ReadAll(r.Body)
		require.NoError(t, err)
		require.Equal(t, status, r.StatusCode, "%s", body)
		var out T
		if len(body) > 0 {
			require.NoError(t, json.Unmarshal(body, &out), "%s", body)
		}
		return out
	}
}

// refused reads a problem of a status and type.
func refused(t testing.TB, status int, kind string) func(*http.Response, error) client.Problem {
	return func(r *http.Response, err error) client.Problem {
		t.Helper()
		p := want[client.Problem](t, status)(r, err)
		require.Equal(t, "urn:oskel:"+kind, p.Type)
		require.Equal(t, "application/problem+json", r.Header.Get("Content-Type"))
		require.NotNil(t, p.Detail)
		return p
	}
}

var ctx = context.Background()

func (s *service) publish(text string, basedOn int) client.Revision {
	return want[client.Revision](s.t, 201)(s.as("ana").PublishRevision(ctx, client.NewRevision{Text: text, Note: "test", BasedOn: at(basedOn)}))
}

func (s *service) send(into, name, body string, edit ...func(*client.CreateIntakeParams)) (*http.Response, error) {
	file := name + ".csv"
	params := &client.CreateIntakeParams{Into: client.CreateIntakeParamsInto(into), Name: name, File: &file}
	for _, e := range edit {
		e(params)
	}
	return s.as("ana").CreateIntakeWithBody(ctx, params, "text/csv", strings.NewReader(body))
}

// again takes in lines that are there already.
func again(p *client.CreateIntakeParams) {
	yes := true
	p.AllowDuplicates = &yes
}

func replace(month string) func(*client.CreateIntakeParams) {
	return func(p *client.CreateIntakeParams) { p.Replace = &month }
}

func (s *service) load(into, name, body string, edit ...func(*client.CreateIntakeParams)) client.Intake {
	return want[client.Intake](s.t, 201)(s.send(into, name, body, edit...))
}

func (s *service) sweep(period string) client.Sweep { return s.sweepAs("ana", period) }

func (s *service) sweepAs(person, period string) client.Sweep {
	s.t.Helper()
	r, err := s.as(person).CreateSweep(ctx, client.NewSweep{Period: period})
	require.NoError(s.t, err)
	status := r.StatusCode
	out := want[client.Sweep](s.t, status)(r, err)
	require.Equal(s.t, out.Unchanged, status == 200)
	require.Less(s.t, status, 300)
	return out
}

func (s *service) exceptions(period string) map[string]client.Exception {
	s.t.Helper()
	person := "ana"
	if s.demo {
		person = "ines"
	}
	page := want[client.ExceptionPage](s.t, 200)(s.as(person).ListExceptions(ctx, &client.ListExceptionsParams{Period: period}))
	out := map[string]client.Exception{}
	for _, e := range page.Items {
		out[e.Rule+" "+e.Key] = e
	}
	return out
}

// oskel runs one command against the service; the person signs in first.
func (s *service) oskel(person string, args ...string) (code int, out, errs string) {
	s.t.Helper()
	return s.oskelReading(person, "", args...)
}

// oskelReading runs a command with something on standard input.
func (s *service) oskelReading(person, stdin string, args ...string) (code int, out, errs string) {
	s.t.Helper()
	var o, e bytes.Buffer
	ctx := cli.KeepIn(ctx, s.home)
	if person != "" {
		pass := password
		if s.demo {
			pass = demo.Password
		}
		require.Equal(s.t, 0, cli.Main(ctx, []string{"sign-in", "-server", s.url, person}, strings.NewReader(pass+"\n"), &o, &e), e.String())
	}
	o.Reset()
	e.Reset()
	code = cli.Main(ctx, append(args, "-server", s.url), strings.NewReader(stdin), &o, &e)
	return code, o.String(), e.String()
}

func at(n int) *int { return &n }

func itoa(n int64) string { return strconv.FormatInt(n, 10) }
