package sweep_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/calendar"
	"oskel/core/casework"
	"oskel/internal/books"
	"oskel/internal/store"
	"oskel/internal/sweep"
	"oskel/internal/trial"
)

func TestMain(m *testing.M) { trial.Run(m) }

// flagged are the reps on record of October, with their grades.
func flagged(t *testing.T, r *trial.Rooms) map[string]string {
	_, book, err := r.Books.Published(t.Context())
	require.NoError(t, err)
	list, _, err := r.Sweeps.Exceptions(t.Context(), book, store.ExceptionFilter{Period: book.Calendar.Key(trial.October), Limit: 100})
	require.NoError(t, err)
	out := map[string]string{}
	for _, e := range list {
		out[e.Key] = e.State + ": " + e.Value + " against " + e.Comparison
	}
	return out
}

// The target met exactly is met, and a cent below it is not.
func TestOnTheCut(t *testing.T) {
	r := trial.Small(t)
	r.Sweep(trial.October)
	assert.Equal(t, map[string]string{"N1": "raised: 999.99 against 1,000.00", "S1": "raised: 400 against 1,000"}, flagged(t, r))
}

// Nothing new is not swept again; whatever the verdicts depend on is new.
func TestSweptAgain(t *testing.T) {
	r := trial.Small(t)
	first := r.Sweep(trial.October)
	again := func() (store.Sweep, bool) {
		out, same, err := r.Sweeps.Sweep(t.Context(), sweep.Ask{Period: trial.October, Author: "lea", Cases: true})
		require.NoError(t, err)
		return out, same
	}
	out, same := again()
	assert.True(t, same)
	assert.Equal(t, first.ID, out.ID)

	r.Load("targets", "rep", "rep,month,revenue\nS1,2026-10,400\n")
	second, same := again()
	assert.False(t, same, "a target is another")
	assert.Equal(t, "cleared: 400 against 400", flagged(t, r)["S1"])
	assert.Equal(t, casework.Open, r.Case("S1").State, "a person settles it")

	revision, err := r.Books.Latest(t.Context())
	require.NoError(t, err)
	_, err = r.Books.Publish(t.Context(), books.Publication{Author: "ana", Text: trial.Book + "# a remark\n", BasedOn: revision.Number})
	require.NoError(t, err)
	third, same := again()
	assert.False(t, same, "the revision is another")
	assert.Greater(t, third.ID, second.ID)
}

// A period that runs, or of which there are no lines, is not swept.
func TestRefused(t *testing.T) {
	r := trial.Small(t)
	month := func(m time.Month) calendar.Period { return calendar.MonthPeriod(calendar.MonthOf(2026, m)) }
	for want, ask := range map[error]sweep.Ask{
		sweep.ErrNotEnded: {Period: month(11)},
		sweep.ErrNoLines:  {Period: month(9)},
		sweep.ErrToDate:   {Period: trial.October, ToDate: true},
	} {
		_, _, err := r.Sweeps.Sweep(t.Context(), ask)
		assert.ErrorIs(t, err, want)
	}
	assert.Empty(t, flagged(t, r))
}

// A closed period keeps what it says, until it is opened again with a reason.
func TestClosed(t *testing.T) {
	r := trial.Small(t)
	assert.ErrorIs(t, r.Sweeps.Close(t.Context(), trial.October, "lea", "", false), sweep.ErrUnswept)
	r.Sweep(trial.October)
	assert.ErrorIs(t, r.Sweeps.Close(t.Context(), trial.October, "lea", "", true), sweep.ErrWaiting, "its cases wait")
	require.NoError(t, r.Sweeps.Close(t.Context(), trial.October, "lea", "", false))
	ask := sweep.Ask{Period: trial.October, Author: "ana"}
	_, _, err := r.Sweeps.Sweep(t.Context(), ask)
	assert.ErrorIs(t, err, store.ErrClosed)

	key := calendar.Calendar{}.Key(trial.October)
	assert.ErrorIs(t, r.Sweeps.Reopen(t.Context(), key, " "), sweep.ErrReason)
	require.NoError(t, r.Sweeps.Reopen(t.Context(), key, "A late invoice."))
	_, _, err = r.Sweeps.Sweep(t.Context(), ask)
	assert.NoError(t, err)
}
