// Package jobs does what is done without anybody asking: the sweeps that the rulebook
// plans. Jobs are kept in the database: of several services one does each, and what a
// service had begun when it ended another takes up.
package jobs

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"
	"github.com/riverqueue/river/rivertype"

	"oskel/core/calendar"
	"oskel/internal/store"
	"oskel/internal/sweep"
)

// longest is how long one sweep may take.
const longest = 10 * time.Minute

// Queue works off the jobs, and adds those that are due.
type Queue struct {
	pool   *pgxpool.Pool
	client *river.Client[pgx.Tx]
	sweeps *sweep.Service
	also   func(context.Context) error
}

// OnTick is done whenever sweeps that are due are looked for; it is told before Run.
func (q *Queue) OnTick(do func(context.Context) error) { q.also = do }

// Open makes the queue's tables where they are not there yet. Until Run nothing is
// done.
func Open(ctx context.Context, database string, sweeps *sweep.Service) (*Queue, error) {
	quiet := slog.New(quietHandler{slog.Default().Handler()})
	q := &Queue{sweeps: sweeps}
	var err error
	q.pool, err = store.OpenQueue(ctx, database, func(pool *pgxpool.Pool) error {
		steps, err := rivermigrate.New(riverpgxv5.New(pool), &rivermigrate.Config{Schema: store.QueueSchema, Logger: quiet})
		if err == nil {
			_, err = steps.Migrate(ctx, rivermigrate.DirectionUp, nil)
		}
		return err
	})
	if err != nil {
		return nil, err
	}
	workers := river.NewWorkers()
	river.AddWorker(workers, &sweeper{sweeps: sweeps})
	q.client, err = river.NewClient(riverpgxv5.New(q.pool), &river.Config{
		Schema: store.QueueSchema, Logger: quiet, PollOnly: true, Workers: workers,
		Queues:     map[string]river.QueueConfig{river.QueueDefault: {MaxWorkers: 1}}, // sweeps happen one after the other
		JobTimeout: longest, RescueStuckJobsAfter: longest + time.Minute, RetryPolicy: retryPolicy{},
	})
	if err != nil {
		q.pool.Close()
		return nil, fmt.Errorf("opening the queue of jobs: %w", err)
	}
	return q, nil
}

// Run works off jobs until ctx ends, and looks for sweeps that are due every so often and
// whenever something has changed.
func (q *Queue) Run(ctx context.Context, every time.Duration, changed <-chan struct{}) {
	defer q.pool.Close()
	if err := q.client.Start(context.WithoutCancel(ctx)); err != nil {
		slog.Error("starting the queue of jobs", "error", err)
		return
	}
	defer func() {
		end, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
		defer cancel()
		if err := q.client.StopAndCancel(end); err != nil {
			slog.Warn("stopping the queue of jobs", "error", err)
		}
	}()
	tick := time.NewTicker(every)
	defer tick.Stop()
	leapt := false
	for {
		err := q.look(ctx)
		held := errors.Is(err, sweep.ErrClock)
		switch {
		case held && !leapt: // once a leap
			slog.Warn("waiting for a lead's word", "error", err)
		case err != nil && !held && ctx.Err() == nil && !store.Lost(err):
			slog.Error("looking for sweeps that are due", "error", err)
		}
		if leapt = held; q.also != nil && !held {
			if err := q.also(ctx); err != nil && ctx.Err() == nil && !store.Lost(err) {
				slog.Error("reminding of what is due", "error", err)
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		case <-changed: // something may be due, or out of date, at once
		}
	}
}

// Close ends a queue that is not to run.
func (q *Queue) Close() { q.pool.Close() }

// Reconnect drops connections to a server that was lost.
func (q *Queue) Reconnect() { q.pool.Reset() }

// reviveSQL takes up again what has been under way for a while though nobody sweeps: whoever
// does holds a lock, which a service that was killed has let go. A sweep that only begins to is
// found to be done by the second.
var reviveSQL = fmt.Sprintf(`with free as (select from public.locks where id = %d for update skip locked)
	update %s.river_job set state = 'available', scheduled_at = now()
	where kind = $1 and state = 'running' and attempted_at < now() - interval '20 seconds' and exists (select from free)`, store.LockSweep, store.QueueSchema)

// look adds a job for each sweep that is due and has none.
func (q *Queue) look(ctx context.Context) error {
	if _, err := q.pool.Exec(ctx, reviveSQL, sweepArgs{}.Kind()); err != nil {
		return err
	}
	due, err := q.sweeps.Due(ctx)
	for _, k := range due {
		if _, err := q.client.Insert(ctx, sweepArgs{k.Grain, k.Start.String()}, nil); err != nil {
			return err
		}
	}
	if err != nil {
		return err
	}
	for more := true; more && err == nil && ctx.Err() == nil; {
		more, err = q.sweeps.Confirm(ctx)
	}
	return err
}

// Failures say why sweeps that are due have failed so far, by their periods, and that
// they are tried again.
func (q *Queue) Failures(ctx context.Context) (map[calendar.Key]string, error) {
	jobs, err := q.client.JobList(ctx, river.NewJobListParams().Kinds(sweepArgs{}.Kind()).States(rivertype.JobStateRetryable).First(100))
	if err != nil {
		return nil, err
	}
	out := map[calendar.Key]string{}
	for _, job := range jobs.Jobs {
		var args sweepArgs
		if json.Unmarshal(job.EncodedArgs, &args) != nil || len(job.Errors) == 0 {
			continue
		}
		if k, err := args.key(); err == nil {
			out[k] = job.Errors[len(job.Errors)-1].Error
		}
	}
	return out, nil
}

// sweepArgs are the period of a sweep.
type sweepArgs struct {
	Grain string `json:"grain"`
	Start string `json:"start"`
}

// Kind implements river.JobArgs.
func (sweepArgs) Kind() string { return "sweep" }

// InsertOpts has a period in the queue once.
func (sweepArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{UniqueOpts: river.UniqueOpts{ByArgs: true,
		ByState: []rivertype.JobState{rivertype.JobStateAvailable, rivertype.JobStatePending, rivertype.JobStateRunning, rivertype.JobStateRetryable,
			rivertype.JobStateScheduled}}}
}

func (a sweepArgs) key() (calendar.Key, error) {
	day, err := calendar.ParseDay(a.Start)
	return calendar.Key{Grain: a.Grain, Start: day}, err
}

// retryPolicy tries again after a second, two, four, and so on up to ten minutes.
type retryPolicy struct{}

// NextRetry implements river.ClientRetryPolicy.
func (retryPolicy) NextRetry(job *rivertype.JobRow) time.Time {
	return time.Now().Add(min(time.Second<<min(len(job.Errors), 10), 10*time.Minute))
}

// sweeper does one planned sweep that the queue hands out.
type sweeper struct {
	river.WorkerDefaults[sweepArgs]
	sweeps *sweep.Service
}

// Work implements river.Worker.
func (w *sweeper) Work(ctx context.Context, job *river.Job[sweepArgs]) error {
	k, err := job.Args.key()
	if err != nil {
		return river.JobCancel(err)
	}
	err = w.sweeps.SweepDue(ctx, k)
	if errors.Is(err, store.ErrClosed) || errors.Is(err, sweep.ErrClock) {
		return river.JobCancel(err) // closed in between; opened again it is found again
	}
	return err
}

// lost are what the texts of errors have in them by which the database is away.
var lost = []string{"failed to connect", "conn closed", "SQLSTATE 57P", "SQLSTATE 08", "connection refused", "connection reset", "broken pipe", "EOF"}

// quietHandler lets nothing of the queue through that is no warning, nor that the database
// is away, which whoever keeps it says.
type quietHandler struct{ slog.Handler }

func (h quietHandler) Enabled(ctx context.Context, l slog.Level) bool {
	return l >= slog.LevelWarn && h.Handler.Enabled(ctx, l)
}

func (h quietHandler) Handle(ctx context.Context, r slog.Record) error {
	away := false
	r.Attrs(func(a slog.Attr) bool {
		err, is := a.Value.Any().(error)
		text := a.Value.String()
		away = away || is && store.Lost(err) || slices.ContainsFunc(lost, func(sign string) bool { return strings.Contains(text, sign) })
		return !away
	})
	if away {
		return nil
	}
	return h.Handler.Handle(ctx, r)
}

func (h quietHandler) WithAttrs(a []slog.Attr) slog.Handler {
	return quietHandler{h.Handler.WithAttrs(a)}
}

func (h quietHandler) WithGroup(name string) slog.Handler {
	return quietHandler{h.Handler.WithGroup(name)}
}
