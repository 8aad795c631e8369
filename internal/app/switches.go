package app

import (
	"context"
	"time"
)

// Switches change how a service runs for those who try it; a service has none.
type Switches struct {
	Idle    bool          // scheduled sweeps and reminders are off
	NoDelay bool          // wrong passwords slow no sign-in down
	Look    time.Duration // how often the schedule is looked at; 0 is lookEvery
}

// lookEvery is how often a service looks for sweeps and reminders that are due.
const lookEvery = 15 * time.Second

// switchesKey is where a context carries switches.
type switchesKey struct{}

// With has a service that runs in the context have switches.
func With(ctx context.Context, s Switches) context.Context {
	return context.WithValue(ctx, switchesKey{}, s)
}

func switchesOf(ctx context.Context) Switches {
	s, _ := ctx.Value(switchesKey{}).(Switches)
	if s.Look == 0 {
		s.Look = lookEvery
	}
	return s
}
