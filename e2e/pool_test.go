package e2e

import (
	"fmt"
	"io"
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

// Everything works with one connection, all at once: nothing takes a second one while
// it holds a transaction.
func TestAPoolOfOne(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	one := run(t, s.database+"?pool_max_conns=1", nil)
	defer one.stop()
	one.tokens = s.tokens
	ana, lea := one.as("ana"), one.as("lea")
	id := s.caseOf("lea", "R3").Id
	does := func(r *http.Response, err error) {
		if !assert.NoError(t, err) {
			return
		}
		defer r.Body.Close()
		text, _ := io.ReadAll(r.Body)
		assert.Less(t, r.StatusCode, 500, "%s %s: %s", r.Request.Method, r.Request.URL, text)
	}
	by := "rep"
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		var wait sync.WaitGroup
		for i := range 4 {
			for _, work := range []func(){
				func() {
					does(ana.PublishRevision(ctx, client.NewRevision{Text: strings.Replace(smallBook, "title: Small", fmt.Sprint("title: Small ", i), 1), Note: "x",
						BasedOn: at(1)}))
				},
				func() { does(ana.CreateSweep(ctx, client.NewSweep{Period: "2026-10"})) },
				func() {
					does(ana.CreateIntakeWithBody(ctx, &client.CreateIntakeParams{Into: "feed", Name: "sales", AllowDuplicates: ptr(true)}, "text/csv",
						strings.NewReader(fmt.Sprintf("%s2026-10-%02d,P%d,R1,5,4\n", salesHead, 1+i, i))))
				},
				func() {
					does(ana.CreateIntakeWithBody(ctx, &client.CreateIntakeParams{Into: "register", Name: "rep"}, "text/csv", strings.NewReader(smallReps)))
				},
				func() {
					does(lea.GetTable(ctx, &client.GetTableParams{Measures: "revenue,cost", By: &by, Period: "2026-10"}))
				},
				func() {
					does(lea.ExportTable(ctx, &client.ExportTableParams{Measures: "revenue", By: &by, Period: "2026-10"}))
				},
				func() { does(lea.ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-10"})) },
				func() { does(lea.ExportExceptions(ctx, &client.ExportExceptionsParams{Period: "2026-10"})) },
				func() { does(lea.GetException(ctx, 1, nil)) },
				func() { does(lea.ListCases(ctx, &client.ListCasesParams{})) },
				func() { does(onCase(lea, id, toTake)) },
				func() { does(onCase(lea, id, toReturn)) },
				func() { does(onCase(lea, id, toSay("x"))) },
				func() {
					does(lea.ChangePerson(ctx, "rob", client.PersonChange{DisplayName: "Rob", Role: "reviewer", Desks: []string{"south"}}))
				},
				func() { does(lea.ListAudit(ctx, &client.ListAuditParams{})) },
				func() { does(lea.GetOverview(ctx, &client.GetOverviewParams{Period: "2026-10"})) },
				func() { does(ana.PutDraft(ctx, client.NewDraft{Text: smallBook, BasedOn: 1})) },
				func() { does(one.token("rea", password)) },
			} {
				wait.Go(work)
			}
		}
		wait.Wait()
	}()
	select {
	case <-ended:
	case <-time.After(90 * time.Second):
		require.Fail(t, "it hangs")
	}
}

// Loads that wait, and one that takes all it can, leave the desk quick: nobody waits
// for a connection behind them.
func TestTheDeskBesideWaitingLoads(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	tight := run(t, s.database+"?pool_max_conns=2", nil)
	defer tight.stop()
	tight.tokens = s.tokens
	ana, rea := tight.as("ana"), tight.as("rea")
	sent, done := make(chan struct{}), make(chan error, 10)
	var hold []*io.PipeWriter
	for i := range 10 {
		r, w := io.Pipe()
		hold = append(hold, w)
		go func() {
			answer, err := ana.CreateIntakeWithBody(ctx, &client.CreateIntakeParams{Into: "feed", Name: "sales", AllowDuplicates: ptr(true)}, "text/csv", r)
			if err == nil {
				answer.Body.Close()
				if answer.StatusCode != 201 {
					err = fmt.Errorf("%s", answer.Status)
				}
			}
			done <- err
		}()
		go func() {
			fmt.Fprintf(w, "%s2026-10-05,W%d,R1,5,4\n", salesHead, i)
			sent <- struct{}{}
		}()
	}
	for range 10 {
		<-sent // all are on their way, and none has ended
	}
	for range 20 {
		began := time.Now()
		want[client.CasePage](t, 200)(rea.ListCases(ctx, &client.ListCasesParams{Mine: ptr(true)}))
		want[client.Person](t, 200)(rea.GetSession(ctx))
		assert.Less(t, time.Since(began), 10*time.Second)
	}
	for _, path := range []string{"/healthz", "/readyz"} {
		r, err := http.Get(tight.url + path)
		require.NoError(t, err)
		r.Body.Close()
		assert.Equal(t, 200, r.StatusCode, path)
	}
	for _, w := range hold {
		w.Close()
	}
	for range 10 {
		assert.NoError(t, <-done)
	}
}
