package people

import (
	"context"
	"fmt"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var (
	outside, desk = Origin{Address: "192.0.2.1"}, Origin{Address: "192.0.2.2"}
	wrong, right  = func() error { return ErrWrong }, func() error { return nil }
)

// taken is how long an attempt takes.
func taken(t *testing.T, a *attempts, name string, from Origin, attempt func() error) time.Duration {
	began := time.Now()
	err := a.make(t.Context(), name, from, attempt)
	require.Equal(t, attempt(), err)
	return time.Since(began)
}

// Who tries 326 wrong passwords waits longer and longer; nobody else does.
func TestWrongPasswordsSlowDown(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		a := newAttempts(time.Now, sleep)
		var all time.Duration
		for i := range 326 {
			one := taken(t, a, "rea", outside, wrong)
			if i < 3 {
				assert.Zero(t, one, "everybody mistypes")
			}
			assert.LessOrEqual(t, one, longestDelay)
			all += one
		}
		assert.Greater(t, all, 40*time.Minute)
		assert.Zero(t, taken(t, a, "rea", desk, right), "the account is not locked elsewhere")
		assert.Zero(t, taken(t, a, "rea", Origin{outside.Address, "hers"}, right), "nor in her own browser there")
		assert.Equal(t, longestDelay, taken(t, a, "rob", outside, wrong), "the address is slow for all accounts")
		assert.Equal(t, longestDelay, taken(t, a, "rea", outside, right), "slow, and let in")
		time.Sleep(forgotten)
		assert.Zero(t, taken(t, a, "rob", outside, wrong), "forgotten")
		assert.Zero(t, taken(t, a, "rob", outside, wrong), "and counted anew")
	})
}

// A stolen browser is slowed down as any place is.
func TestAKnownBrowserIsSlowedDownToo(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		a, hers := newAttempts(time.Now, sleep), Origin{outside.Address, "hers"}
		for range 20 {
			taken(t, a, "rea", hers, wrong)
		}
		assert.Equal(t, longestDelay, taken(t, a, "rea", hers, right))
		assert.Zero(t, taken(t, a, "rea", hers, right), "the right password ends it")
	})
}

// Attempts side by side gain nothing: a place makes them one after the other, and
// turns away who comes when enough wait.
func TestAttemptsAtOnce(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		a := newAttempts(time.Now, sleep)
		for range 10 {
			taken(t, a, "rea", outside, wrong)
		}
		errs := make(chan error, 100)
		began := time.Now()
		for range 100 {
			go func() { errs <- a.make(t.Context(), "rea", outside, wrong) }()
		}
		busy := 0
		for range 100 {
			if err := <-errs; err == ErrBusy {
				busy++
			}
		}
		assert.Equal(t, 94, busy)
		assert.Equal(t, 6*longestDelay, time.Since(began))

		// Many accounts from one address: so many at once, slow once it has failed much.
		for i := range 40 {
			taken(t, a, fmt.Sprint("somebody", i), outside, wrong)
		}
		began = time.Now()
		for i := range 72 {
			go func() { errs <- a.make(t.Context(), fmt.Sprint("other", i), outside, wrong) }()
		}
		for range 72 {
			assert.Equal(t, ErrWrong, <-errs)
		}
		assert.Equal(t, 72/8*longestDelay, time.Since(began))
	})
}

// Who leaves gives up the turn.
func TestAnAttemptThatIsAbandoned(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		a := newAttempts(time.Now, sleep)
		for range 10 {
			taken(t, a, "rea", outside, wrong)
		}
		ctx, cancel := context.WithCancel(t.Context())
		cancel()
		for range 20 {
			assert.ErrorIs(t, a.make(ctx, "rea", outside, right), context.Canceled)
		}
		assert.Equal(t, longestDelay, taken(t, a, "rea", outside, right))
	})
}

// The places that are kept are bounded; those that fail now are the last to go.
func TestPlacesAreBounded(t *testing.T) {
	clock := time.Unix(1e9, 0)
	a := newAttempts(func() time.Time { return clock }, func(context.Context, time.Duration) error { return nil })
	for i := range mostPlaces + 10 {
		clock = clock.Add(time.Second)
		require.Equal(t, ErrWrong, a.make(t.Context(), "rea", Origin{Address: fmt.Sprint(i)}, wrong))
		assert.LessOrEqual(t, len(a.places), mostPlaces)
	}
	last := "rea\x00" + fmt.Sprint(mostPlaces+9)
	assert.Equal(t, 1, a.places[last].count)
}
