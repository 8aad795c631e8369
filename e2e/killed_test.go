package e2e

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

// faults is how often each fault is brought about at each work; make faults sets it.
var faults = flag.Int("faults", 1, "how often each fault is brought about at each work")

// campaign is a service with its own PostgreSQL on which faults are brought about.
type campaign struct {
	t           *testing.T
	binary, dir string
	password    string
	p           *process
	c           *client.Client
	n           int   // makes each piece of work another
	at          int64 // what the work is done to
	dice        *rand.Rand
	calm        map[string]time.Duration // how long each work takes undisturbed
}

const faultReps = 1500

func newCampaign(t *testing.T, dir string) *campaign {
	f := &campaign{t: t, binary: build(t), dir: dir, dice: rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 1)), calm: map[string]time.Duration{}}
	f.serve()
	told := regexp.MustCompile(`with the password (\w+);`).FindStringSubmatch(f.p.log.String())
	require.NotNil(t, told, f.p.log.String())
	f.password = told[1]
	f.sign()
	want[client.Revision](t, 201)(f.c.PublishRevision(ctx, client.NewRevision{Text: smallBook, Note: "x", BasedOn: at(0)}))
	var reps strings.Builder
	reps.WriteString(smallReps)
	for i := range faultReps {
		fmt.Fprintf(&reps, "X%04d,Made-Up %d,North,,\n", i, i)
	}
	require.NoError(t, f.send("register", "rep", reps.String()))
	require.NoError(t, f.send("feed", "sales", smallSales))
	var targets strings.Builder
	targets.WriteString("rep,month,revenue\n")
	for i := range faultReps { // that nobody meets
		fmt.Fprintf(&targets, "X%04d,2026-10,9999999\n", i)
	}
	require.NoError(t, f.send("targets", "rep", targets.String()))
	for _, w := range works {
		w.ready(f)
		began := time.Now()
		require.NoError(t, w.do(f), w.name)
		f.calm[w.name] = time.Since(began)
	}
	return f
}

func (f *campaign) serve() { f.p = serve(f.t, f.binary, f.dir) }

func (f *campaign) sign() {
	plain, err := client.NewClient(f.p.url)
	require.NoError(f.t, err)
	s := &service{t: f.t, url: f.p.url, tokens: map[string]string{}}
	require.Eventually(f.t, func() bool {
		r, err := plain.CreateToken(ctx, client.NewToken{Name: "lead", Password: f.password})
		if err != nil {
			return false
		}
		if r.StatusCode != 201 {
			r.Body.Close()
			return false
		}
		f.c = s.with(want[client.Token](f.t, 201)(r, nil).Token)
		return true
	}, time.Minute, 100*time.Millisecond, "the service is well again by itself")
}

// done turns an answer into whether it was told done.
func done(r *http.Response, err error) error {
	if err != nil {
		return err
	}
	defer r.Body.Close()
	text, _ := io.ReadAll(r.Body)
	if r.StatusCode >= 300 {
		return fmt.Errorf("%d: %s", r.StatusCode, text)
	}
	return nil
}

func (f *campaign) send(into, name, body string) error {
	return done(f.c.CreateIntakeWithBody(ctx, &client.CreateIntakeParams{Into: client.CreateIntakeParamsInto(into), Name: name}, "text/csv",
		strings.NewReader(body)))
}

// state is how many there are of what is done whole or not at all.
type state struct{ revisions, intakes, sweeps, settled int }

func (f *campaign) state() (s state) {
	f.patiently()
	s.revisions = len(want[[]client.Revision](f.t, 200)(f.c.ListRevisions(ctx)))
	s.intakes = len(want[[]client.Intake](f.t, 200)(f.c.ListIntakes(ctx)))
	sweeps := want[[]client.Sweep](f.t, 200)(f.c.ListSweeps(ctx, &client.ListSweepsParams{}))
	if len(sweeps) > 0 {
		s.sweeps = int(sweeps[0].Id) // identities of sweeps that were not are lost: only its growing counts
	}
	settled := client.ListCasesParamsState("settled")
	s.settled = want[client.CasePage](f.t, 200)(f.c.ListCases(ctx, &client.ListCasesParams{State: &settled, Limit: ptr(1)})).Total
	return s
}

// patiently waits until the database has answered for a while: the death of one that was
// killed may show only after an answer or two.
func (f *campaign) patiently() {
	well := time.Time{}
	require.Eventually(f.t, func() bool {
		r, err := f.c.ListRevisions(ctx)
		if err == nil {
			r.Body.Close()
		}
		if err != nil || r.StatusCode != 200 {
			well = time.Time{}
			return false
		}
		if well.IsZero() {
			well = time.Now()
		}
		return time.Since(well) > 200*time.Millisecond
	}, time.Minute, 20*time.Millisecond, "the database answers again by itself")
}

// work is done whole or not at all; ready prepares that there is something to do.
type work struct {
	name  string
	ready func(*campaign)
	do    func(*campaign) error
	count func(state) int
}

var works = []work{
	{"intake", func(*campaign) {}, func(f *campaign) error {
		f.n++
		var body strings.Builder
		body.WriteString(salesHead)
		for i := range 30_000 {
			fmt.Fprintf(&body, "2026-10-%02d,T%d-%d,X%04d,1,0.5\n", 1+i%31, f.n, i, i%faultReps)
		}
		return f.send("feed", "sales", body.String())
	}, func(s state) int { return s.intakes }},
	{"publishing", func(f *campaign) {
		f.at = int64(want[[]client.Revision](f.t, 200)(f.c.ListRevisions(ctx))[0].Number)
	}, func(f *campaign) error {
		f.n++
		return done(f.c.PublishRevision(ctx, client.NewRevision{Text: strings.Replace(smallBook, "title: Small", fmt.Sprint("title: Small ", f.n), 1),
			Note: "x", BasedOn: at(int(f.at))}))
	}, func(s state) int { return s.revisions }},
	{"sweep", func(f *campaign) {
		f.n++
		require.NoError(f.t, f.send("feed", "sales", fmt.Sprintf("%s2026-10-05,S%d,R1,%d,4\n", salesHead, f.n, f.n)))
	}, func(f *campaign) error {
		return done(f.c.CreateSweep(ctx, client.NewSweep{Period: "2026-10"}))
	}, func(s state) int { return s.sweeps }},
	{"settling", func(f *campaign) {
		open := want[client.CasePage](f.t, 200)(f.c.ListCases(ctx, &client.ListCasesParams{Limit: ptr(1)}))
		require.NotEmpty(f.t, open.Items)
		f.at = open.Items[0].Id
	}, func(f *campaign) error {
		return done(onCase(f.c, f.at, toSettle("explained")))
	}, func(s state) int { return s.settled }},
}

// fault is brought about while work is under way, and mended.
type fault struct {
	name  string
	bring func(*campaign)
	mend  func(*campaign)
}

var faultKinds = []fault{
	{"the service is killed", func(f *campaign) {
		require.NoError(f.t, f.p.cmd.Process.Kill())
		f.p.cmd.Wait()
	}, func(f *campaign) { f.serve(); f.sign() }},
	{"its PostgreSQL is killed", func(f *campaign) { require.NoError(f.t, syscall.Kill(postmaster(f.t, f.dir), syscall.SIGKILL)) },
		func(f *campaign) { f.sign() }},
	{"its PostgreSQL stands still for a second", func(f *campaign) {
		pid := postmaster(f.t, f.dir)
		all := append(children(pid), pid)
		for _, p := range all {
			syscall.Kill(p, syscall.SIGSTOP)
		}
		time.Sleep(time.Second)
		for _, p := range all {
			syscall.Kill(p, syscall.SIGCONT)
		}
	}, func(f *campaign) { f.sign() }},
	{"both are killed", func(f *campaign) {
		pid := postmaster(f.t, f.dir)
		require.NoError(f.t, f.p.cmd.Process.Kill())
		syscall.Kill(pid, syscall.SIGKILL)
		f.p.cmd.Wait()
	}, func(f *campaign) { f.serve(); f.sign() }},
}

func children(pid int) (out []int) {
	text, _ := os.ReadFile(fmt.Sprintf("/proc/%d/task/%d/children", pid, pid))
	for _, word := range strings.Fields(string(text)) {
		var n int
		if _, err := fmt.Sscan(word, &n); err == nil {
			out = append(out, n)
		}
	}
	return out
}

// Whatever is killed, or stands still, at any moment of any work: the work is there
// whole or not at all, what was told done is there, and all else is as it must be.
func TestFaults(t *testing.T) {
	long(t)
	t.Parallel()
	f := newCampaign(t, openDir(t))
	type tally struct{ whole, not, told int }
	table := map[string]*tally{}
	kinds := func(work int) []fault { return faultKinds }
	if *faults == 1 { // the short form: one at each work, the next one at the next
		kinds = func(work int) []fault { return faultKinds[work%2 : work%2+1] }
	}
	for range *faults {
		for i, w := range works {
			for _, fault := range kinds(i) {
				w.ready(f)
				before := w.count(f.state())
				done := make(chan error, 1)
				go func() { done <- w.do(f) }()
				time.Sleep(time.Duration(f.dice.Int64N(int64(f.calm[w.name])*2 + 1)))
				fault.bring(f)
				told := <-done
				fault.mend(f)
				row := table[w.name+" | "+fault.name]
				if row == nil {
					row = &tally{}
					table[w.name+" | "+fault.name] = row
				}
				switch after := w.count(f.state()); {
				case after > before:
					row.whole++
				default:
					row.not++
					assert.Error(t, told, "%s, %s: told done, and it is not there", w.name, fault.name)
				}
				if told == nil {
					row.told++
				}
				f.well(w.name + ", " + fault.name)
			}
		}
	}
	t.Log("| work | fault | times | whole | not at all | told done |")
	for i, w := range works {
		for _, fault := range kinds(i) {
			row := table[w.name+" | "+fault.name]
			t.Logf("| %s | %s | %d | %d | %d | %d |", w.name, fault.name, row.whole+row.not, row.whole, row.not, row.told)
		}
	}
}

// well asks the doctor.
func (f *campaign) well(after string) {
	for _, x := range want[[]client.Examined](f.t, 200)(f.c.GetDoctor(ctx)) {
		assert.Zero(f.t, x.Count, "after %s: not so: %s: %s", after, x.Rule, x.Wrong)
	}
}

// A disk that is full is said, keeps what was there, and once it has room again all
// is well without a restart.
func TestAFullDisk(t *testing.T) {
	long(t)
	t.Parallel()
	dir := openDir(t)
	if out, err := exec.Command("mount", "-t", "tmpfs", "-o", "size=260m,mode=755", "tmpfs", dir).CombinedOutput(); err != nil {
		t.Skipf("no small disk can be made here: %s", out)
	}
	t.Cleanup(func() { exec.Command("umount", "-l", dir).Run() })
	f := newCampaign(t, filepath.Join(dir, "data"))
	before := f.state()
	fill := filepath.Join(dir, "fill")
	filler, err := os.Create(fill)
	require.NoError(t, err)
	block := make([]byte, 1<<20)
	for err == nil {
		_, err = filler.Write(block)
	}
	filler.Close()
	require.True(t, errors.Is(err, syscall.ENOSPC), "%v", err)
	full := 0
	for range 3 * *faults {
		for _, w := range works[:1] {
			if err := w.do(f); err != nil && strings.Contains(err.Error(), "507") && strings.Contains(err.Error(), "disk") {
				full++
			}
		}
	}
	assert.Positive(t, full, "it is said")
	require.NoError(t, os.Remove(fill))
	f.sign()
	f.well("a full disk")
	for _, w := range works {
		w.ready(f)
		require.NoError(t, w.do(f), w.name)
	}
	after := f.state()
	assert.Greater(t, after.intakes, before.intakes)
	assert.Equal(t, before.settled+1, after.settled)
	f.well("room on the disk")
}

// Two services on one database, each at all works at once: nothing is done twice or
// half, neither errs, and both say the same.
func TestTwoServicesAtAllWorks(t *testing.T) {
	long(t)
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	other := s.beside(t)
	until := time.Now().Add(time.Duration(*faults) * 2 * time.Second)
	var wait sync.WaitGroup
	for i, one := range []*service{s, other} {
		ana, lea := one.as("ana"), one.as("lea")
		for j, work := range []func(n int) error{
			func(n int) error {
				return done(ana.CreateIntakeWithBody(ctx, &client.CreateIntakeParams{Into: "feed", Name: "sales"}, "text/csv",
					strings.NewReader(fmt.Sprintf("%s2026-10-%02d,B%d-%d,R1,%d,4\n", salesHead, 1+n%28, i, n, n))))
			},
			func(n int) error { return done(ana.CreateSweep(ctx, client.NewSweep{Period: "2026-10"})) },
			func(n int) error {
				all := want[[]client.Revision](t, 200)(ana.ListRevisions(ctx))
				return done(ana.PublishRevision(ctx, client.NewRevision{Text: strings.Replace(smallBook, "title: Small", fmt.Sprintf("title: Small %d-%d", i, n),
					1), Note: "x", BasedOn: at(all[0].Number)}))
			},
			func(n int) error {
				open := want[client.CasePage](t, 200)(lea.ListCases(ctx, &client.ListCasesParams{Limit: ptr(1)}))
				if len(open.Items) == 0 {
					return nil
				}
				return done(onCase(lea, open.Items[0].Id, toSettle("explained")))
			},
		} {
			wait.Go(func() {
				for n := 0; time.Now().Before(until); n++ {
					if err := work(n); err != nil {
						assert.Regexp(t, "^(409|422|412)", err.Error(), "service %d, work %d", i, j)
					}
				}
			})
		}
	}
	wait.Wait()
	assert.Empty(t, s.examined(t))
	by := "rep"
	tables := [2]client.Table{}
	for i, one := range []*service{s, other} {
		tables[i] = want[client.Table](t, 200)(one.as("lea").GetTable(context.Background(), &client.GetTableParams{Measures: "revenue", By: &by, Period: "2026-10"}))
	}
	assert.Equal(t, tables[0], tables[1])
}

// Killed while a planned sweep runs, or before it begins, the service takes it up again: in
// the end the period's sweep holds, once a state of the data, and all is well.
func TestKilledInAPlannedSweep(t *testing.T) {
	long(t)
	t.Parallel()
	dir := openDir(t)
	f := &campaign{t: t, binary: build(t), dir: dir, dice: rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 2))}
	f.serve()
	f.password = regexp.MustCompile(`with the password (\w+);`).FindStringSubmatch(f.p.log.String())[1]
	f.sign()
	month := time.Now().UTC().AddDate(0, 0, -time.Now().UTC().Day()) // the last day of the month that has ended
	period := month.Format("2006-01")
	want[client.Revision](t, 201)(f.c.PublishRevision(ctx,
		client.NewRevision{Text: smallBook + "sweeps:\n  - {each: month, after: 1 days, at: \"00:00\", when_outdated: at once, looks_back: 3 periods}\n",
			Note: "x", BasedOn: at(0)}))
	var reps strings.Builder
	reps.WriteString(smallReps)
	for i := range faultReps {
		fmt.Fprintf(&reps, "X%04d,Made-Up %d,North,,\n", i, i)
	}
	require.NoError(t, f.send("register", "rep", reps.String()))
	holds := func() bool {
		r, err := f.c.ListPeriods(ctx, &client.ListPeriodsParams{Until: &period, Count: ptr(1)})
		if err != nil || r.StatusCode != 200 {
			return false
		}
		all := want[[]client.PeriodState](t, 200)(r, nil)
		return len(all) == 1 && all[0].State == "swept"
	}
	for n := range 2 * *faults {
		var body strings.Builder
		body.WriteString(salesHead)
		for i := range faultReps { // each time other margins, so that all is judged and recorded anew
			fmt.Fprintf(&body, "%s,K%d-%d,X%04d,100,%d\n", month.Format(time.DateOnly), n, i, i, 50+(i+37*n)%50)
		}
		require.NoError(t, f.send("feed", "sales", body.String()))
		time.Sleep(time.Duration(f.dice.Int64N(int64(600 * time.Millisecond))))
		fault := faultKinds[n%2]
		fault.bring(f)
		fault.mend(f)
		require.Eventually(t, holds, 2*time.Minute, 50*time.Millisecond, "after %s, the %dth time", fault.name, n+1)
		f.well("a planned sweep, " + fault.name)
	}
	versions := map[int64]int{}
	for _, s := range want[[]client.Sweep](t, 200)(f.c.ListSweeps(ctx, &client.ListSweepsParams{Period: &period})) {
		assert.Equal(t, "the plan", s.By)
		versions[s.DataVersion]++
	}
	for version, n := range versions {
		assert.Equal(t, 1, n, "data version %d", version)
	}
}
