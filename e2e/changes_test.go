package e2e

import (
	"bufio"
	"context"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

// listen reads a service's events until the test ends.
func (s *service) listen(t *testing.T) <-chan string {
	s.as("rea")
	asked, stop := context.WithCancel(ctx)
	t.Cleanup(stop)
	r, err := http.NewRequestWithContext(asked, "GET", s.url+"/api/changes", nil)
	require.NoError(t, err)
	r.Header.Set("Authorization", "Bearer "+s.tokens["rea"])
	answer, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	require.Equal(t, 200, answer.StatusCode)
	assert.Equal(t, "text/event-stream", answer.Header.Get("Content-Type"))
	events := make(chan string, 100)
	lines := bufio.NewScanner(answer.Body)
	require.True(t, lines.Scan(), "it says at once that it listens")
	go func() {
		defer close(events)
		defer answer.Body.Close()
		name := ""
		for lines.Scan() {
			if n, ok := strings.CutPrefix(lines.Text(), "event: "); ok {
				name = n
			} else if data, ok := strings.CutPrefix(lines.Text(), "data: "); ok {
				events <- name + " " + data
			}
		}
	}()
	return events
}

// hears waits for an event.
func hears(t *testing.T, events <-chan string, wanted string) {
	t.Helper()
	patience := time.After(time.Minute)
	for {
		select {
		case e, more := <-events:
			require.True(t, more, "the stream ended before %s", wanted)
			if e == wanted {
				return
			}
		case <-patience:
			t.Fatal("not heard: " + wanted)
		}
	}
}

// Whoever listens hears of what any service does, and how far a sweep is; the stages are
// on record with it. A service that stops ends its streams.
func TestChangesAreHeard(t *testing.T) {
	t.Parallel()
	s := small(t)
	other := s.beside(t)
	other.tokens = s.tokens
	here, there := s.listen(t), other.listen(t)
	s.sweep("2026-10")
	for _, stage := range []string{`"reading the data","number":1`, `"judging","number":2`, `"comparing with the record","number":3`,
		`"writing","number":4`, `"","number":0`} {
		hears(t, here, `sweeping {"period":"Oct 2026","stage":`+stage+`,"of":4}`)
	}
	hears(t, there, `changed {"what":"sweeps"}`)
	other.load("feed", "sales", salesHead+"2026-10-30,N1,R2,900,850\n")
	hears(t, here, `changed {"what":"intakes"}`)
	s.publish(strings.Replace(smallBook, "title: Small", "title: Smaller", 1), 1)
	hears(t, there, `changed {"what":"revisions"}`)
	s.sweep("2026-10")
	want[client.PeriodState](t, 200)(s.as("lea").ClosePeriod(ctx, client.NewClosing{Period: "2026-10"}))
	hears(t, there, `changed {"what":"closings"}`)
	period := "2026-10"
	made := want[[]client.Sweep](t, 200)(s.as("rea").ListSweeps(ctx, &client.ListSweepsParams{Period: &period}))[0]
	var stages []string
	for _, st := range *made.Stages {
		stages = append(stages, st.Stage)
	}
	assert.Equal(t, []string{"reading the data", "judging", "comparing with the record", "writing"}, stages)

	began := time.Now()
	other.stop()
	assert.Less(t, time.Since(began), 8*time.Second, "streams do not keep it")
	for range there {
	}
	code, _, _ := s.plain(t, "/api/changes", "")
	assert.Equal(t, 401, code)
}

// A sweep that whoever asked for has stopped leaves nothing.
func TestAStoppedSweepLeavesNothing(t *testing.T) {
	t.Parallel()
	s := small(t)
	db := s.pool(t)
	tx, err := db.Begin(ctx)
	require.NoError(t, err)
	_, err = tx.Exec(ctx, "lock table exceptions in access exclusive mode")
	require.NoError(t, err)
	events := s.listen(t)
	asked, stop := context.WithCancel(ctx)
	ended := make(chan error, 1)
	s.as("ana")
	go func() {
		_, err := s.as("ana").CreateSweep(asked, client.NewSweep{Period: "2026-10"})
		ended <- err
	}()
	hears(t, events, `sweeping {"period":"Oct 2026","stage":"comparing with the record","number":3,"of":4}`)
	stop()
	assert.Error(t, <-ended)
	hears(t, events, `sweeping {"period":"Oct 2026","stage":"","number":0,"of":4}`)
	require.NoError(t, tx.Rollback(ctx))
	assert.Empty(t, want[[]client.Sweep](t, 200)(s.as("rea").ListSweeps(ctx, &client.ListSweepsParams{})))
	assert.Equal(t, 4, s.sweep("2026-10").Raised)
}
