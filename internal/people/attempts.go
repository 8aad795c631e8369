package people

import (
	"context"
	"errors"
	"sync"
	"time"
)

// Origin is where an attempt to sign in comes from.
type Origin struct {
	Address string
	Browser string // one from which this person has signed in before; "" is none
}

// attempts slow down who fails, and nobody else: each account at each address, or
// in a browser that is known for it, and each address, has a queue of its own.
type attempts struct {
	now   func() time.Time
	sleep func(context.Context, time.Duration) error

	mu     sync.Mutex
	places map[string]*failures
}

// failures are those at one place, whose attempts take turns. It goes when nobody waits there and
// the last failure is long ago.
type failures struct {
	turn  chan struct{}
	here  int // attempts that are made or wait
	count int
	last  time.Time
}

const (
	// The delays double from the first to the longest.
	firstDelay, longestDelay = 250 * time.Millisecond, 8 * time.Second
	// Failures are forgotten after so long without another.
	forgotten = 15 * time.Minute
	// More places than this are not kept: those longest without a failure go.
	mostPlaces = 100_000
)

func newAttempts(now func() time.Time, sleep func(context.Context, time.Duration) error) *attempts {
	return &attempts{now: now, sleep: sleep, places: map[string]*failures{}}
}

func sleep(ctx context.Context, d time.Duration) error {
	t := time.NewTimer(d)
	defer t.Stop()
	select {
	case <-t.C:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

// make makes an attempt when its turn has come, and counts it where it fails.
func (a *attempts) make(ctx context.Context, name string, from Origin, attempt func() error) error {
	account := name + "\x00" + from.Address
	if from.Browser != "" {
		account = name + "\x00" + from.Browser
	}
	leave, delay, err := a.enter(ctx, account, ofAccount)
	if err != nil {
		return err
	}
	defer leave()
	if from.Browser == "" {
		leave, slow, err := a.enter(ctx, "\x00"+from.Address, ofAddress)
		if err != nil {
			return err
		}
		defer leave()
		delay = max(delay, slow)
	}
	if err := a.sleep(ctx, delay); err != nil {
		return err
	}
	err = attempt()
	switch {
	case err == nil:
		a.forget(account)
	case errors.Is(err, ErrWrong):
		a.failed(account)
		if from.Browser == "" {
			a.failed("\x00" + from.Address)
		}
	}
	return err
}

// queue says of a kind of place how many attempts are made at once, how many may wait
// beside them, and after how many failures the delays begin.
type queue struct{ atOnce, waiting, free int }

var ofAccount, ofAddress = queue{1, 5, 3}, queue{8, 64, 30}

// enter waits for the turn of a place; who comes when too many wait is told to come
// again.
func (a *attempts) enter(ctx context.Context, place string, q queue) (leave func(), delay time.Duration, err error) {
	a.mu.Lock()
	f := a.at(place)
	if f.turn == nil {
		f.turn = make(chan struct{}, q.atOnce)
	}
	if f.here >= q.atOnce+q.waiting {
		a.mu.Unlock()
		return nil, 0, ErrBusy
	}
	f.here++
	a.mu.Unlock()
	gone := func() {
		a.mu.Lock()
		f.here--
		a.mu.Unlock()
	}
	select {
	case f.turn <- struct{}{}:
		return func() { <-f.turn; gone() }, a.delay(place, q.free), nil
	case <-ctx.Done():
		gone()
		return nil, 0, ctx.Err()
	}
}

// at is a place's failures, under the lock.
func (a *attempts) at(place string) *failures {
	f := a.places[place]
	if f == nil {
		if len(a.places) >= mostPlaces {
			a.clear()
		}
		f = &failures{}
		a.places[place] = f
	}
	return f
}

// clear forgets what is old, or where nothing is, half of all; never a place where
// somebody waits.
func (a *attempts) clear() {
	for _, keep := range []time.Duration{forgotten, 0} {
		for place, f := range a.places {
			if f.here == 0 && a.now().Sub(f.last) >= keep {
				delete(a.places, place)
			}
			if keep == 0 && len(a.places) < mostPlaces/2 {
				return
			}
		}
		if len(a.places) < mostPlaces/2 {
			return
		}
	}
}

// delay is how long the next attempt of a place has to wait.
func (a *attempts) delay(place string, free int) time.Duration {
	a.mu.Lock()
	defer a.mu.Unlock()
	f := a.places[place]
	if f == nil || a.now().Sub(f.last) >= forgotten {
		return 0
	}
	d := time.Duration(0)
	for n := free; n < f.count && d < longestDelay; n++ {
		d = max(firstDelay, 2*d)
	}
	return min(d, longestDelay)
}

func (a *attempts) failed(place string) {
	a.mu.Lock()
	defer a.mu.Unlock()
	f := a.at(place)
	if a.now().Sub(f.last) >= forgotten {
		f.count = 0
	}
	f.count++
	f.last = a.now()
}

// forget is for a place from which the right password has come.
func (a *attempts) forget(place string) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if f := a.places[place]; f != nil {
		f.count = 0
	}
}
