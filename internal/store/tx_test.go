package store_test

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/casework"
	"oskel/internal/store"
	"oskel/internal/trial"
)

func TestMain(m *testing.M) { trial.Run(m) }

// audited is a context whose work writes an entry of the audit.
func audited(t *testing.T, operation string) (context.Context, *store.Audited) {
	a := &store.Audited{AuditEntry: store.AuditEntry{Person: "rea", Way: "session", Operation: operation}}
	//lint:ignore SA1029 the keys of gin's contexts are texts
	return context.WithValue(t.Context(), store.AuditKey, a), a
}

func entries(t *testing.T, s *store.Store) (out []string) {
	all, err := s.Audit(t.Context(), store.AuditAsk{Most: 10})
	require.NoError(t, err)
	for _, e := range all {
		out = append(out, e.Operation+" "+e.Outcome)
	}
	return out
}

// The entry of the audit is written with the work and with nothing else: work that fails
// leaves neither, and work in two steps leaves one entry.
func TestTheAuditIsWrittenWithTheWork(t *testing.T) {
	r := trial.Small(t)
	r.Sweep(trial.October)
	c := r.Case("N1")
	comment := func(ctx context.Context, text string, fail error) error {
		return r.Store.InTx(ctx, 0, func(tx *store.Tx) error {
			if err := tx.AddCaseEvent(ctx, c.ID, "rea", casework.CaseCommented, text); err != nil {
				return err
			}
			return fail
		})
	}
	before := entries(t, r.Store)

	broken := errors.New("broken off")
	ctx, a := audited(t, "Vain")
	require.ErrorIs(t, comment(ctx, "in vain", broken), broken)
	assert.False(t, a.Written, "who audits still has to say that it was tried")
	assert.Equal(t, before, entries(t, r.Store))

	ctx, a = audited(t, "Comment")
	require.NoError(t, comment(ctx, "once", nil))
	require.NoError(t, comment(ctx, "twice", nil))
	assert.True(t, a.Written)
	assert.Equal(t, append([]string{"Comment done"}, before...), entries(t, r.Store))

	detail, err := r.Store.CaseDetail(t.Context(), c.ID, "rea")
	require.NoError(t, err)
	var said []string
	for _, e := range detail.Events {
		if e.What == casework.CaseCommented {
			said = append(said, e.Text)
		}
	}
	assert.Equal(t, []string{"once", "twice"}, said, "what failed left nothing")
}

// Of two services on one database, work under a lock is done by one after the other, and
// who no longer waits for it is let go.
func TestALockIsHeldToTheEnd(t *testing.T) {
	r := trial.Small(t)
	other := r.Beside()
	var inside atomic.Int32
	var wait sync.WaitGroup
	for i := range 20 {
		wait.Go(func() {
			err := []*store.Store{r.Store, other}[i%2].InTx(t.Context(), store.LockSweep, func(tx *store.Tx) error {
				inside.Add(1)
				defer inside.Add(-1)
				for range 10 { // long enough for another to come in
					if _, err := tx.IntakesSince(t.Context(), 0); err != nil || inside.Load() != 1 {
						return fmt.Errorf("%d at once: %w", inside.Load(), err)
					}
				}
				return nil
			})
			assert.NoError(t, err)
		})
	}
	wait.Wait()

	ctx, cancel := context.WithCancel(t.Context())
	require.NoError(t, r.Store.InTx(t.Context(), store.LockSweep, func(*store.Tx) error {
		for _, s := range []*store.Store{r.Store, other} {
			done := make(chan error)
			go func() { done <- s.InTx(ctx, store.LockSweep, func(*store.Tx) error { return nil }) }()
			defer func() { assert.ErrorIs(t, <-done, context.Canceled) }()
		}
		defer cancel()
		// Another lock is nobody's.
		return other.InTx(t.Context(), store.LockPublish, func(*store.Tx) error { return nil })
	}))
}
