package sweep

import (
	"context"
	"sync"

	"oskel/core/calendar"
	"oskel/core/record"
	"oskel/internal/store"
)

// States and streaks of a period hang on all periods of its grain before it, whatever
// order sweeps come in.

// chain says of the periods of one grain which sweep was the last to change who is flagged.
type chain map[calendar.Day]int64

// broken is the newest period before one that was changed after a sweep of that one; false
// where none was, so that all the sweep compared with still stands.
func (c chain) broken(of calendar.Key, sweep int64) (at calendar.Key, is bool) {
	for day, changed := range c {
		if day < of.Start && changed > sweep && (!is || day > at.Start) {
			at, is = calendar.Key{Grain: of.Grain, Start: day}, true
		}
	}
	return at, is
}

// chains keeps the chain of each grain for as long as there is no newer sweep. The zero
// value is ready.
type chains struct {
	mu    sync.Mutex
	sweep int64
	of    map[string]chain
}

// chainOf reads the chain of a grain as it is after the last sweep of all.
func (s *Service) chainOf(ctx context.Context, grain string, last int64) (chain, error) {
	s.chains.mu.Lock()
	known := s.chains.of[grain]
	if s.chains.sweep != last {
		known = nil
	}
	s.chains.mu.Unlock()
	if known != nil {
		return known, nil
	}
	all, err := s.store.Changed(ctx, grain)
	if err != nil {
		return nil, err
	}
	s.chains.mu.Lock()
	defer s.chains.mu.Unlock()
	if s.chains.sweep != last {
		s.chains.sweep, s.chains.of = last, map[string]chain{}
	}
	s.chains.of[grain] = all
	return all, nil
}

// leaver reads what sweeps left; *store.Store and *store.Tx are some.
type leaver interface {
	FlagsLeft(ctx context.Context, k calendar.Key, before int64) (map[store.FlagLeft]bool, bool, error)
}

// follow counts anew for how many periods in a row flags have been up in a period, through
// those before it as the sweeps before a number left them.
func follow(ctx context.Context, from leaver, c calendar.Calendar, p calendar.Period, before int64, flags map[record.Key]record.Flag) error {
	up := map[record.Key]record.Flag{}
	for k, f := range flags {
		if k.Event == 0 && f.State != record.Cleared {
			f.Streak = 1
			up[k] = f
		}
	}
	for n := 1; len(up) > 0; n++ {
		earlier, ok := c.Before(p, n)
		if !ok {
			break
		}
		left, swept, err := from.FlagsLeft(ctx, c.Key(earlier), before)
		if err != nil {
			return err
		}
		for k, f := range up {
			if swept && left[store.FlagLeft{Rule: k.Rule, Kind: k.Level, Key: k.Subject}] {
				f.Streak++
				up[k] = f
				continue
			}
			flags[k] = f
			delete(up, k)
		}
	}
	for k, f := range up {
		flags[k] = f
	}
	return nil
}
