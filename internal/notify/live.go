// Package notify tells whoever listens what happens while it happens.
package notify

import (
	"errors"
	"sync"
)

// Event is something that happened: that something changed, or how far a sweep is.
type Event struct {
	Name string // "changed" or "sweeping"
	Data any    // what can be written as JSON
}

// Live passes events on to all who listen. The zero value is ready; it is safe for
// concurrent use.
type Live struct {
	mu     sync.Mutex
	ears   map[chan Event]string // by whom
	closed bool
}

// Most is how many may listen at once, and Each how many times one may; behind how many
// events one may be: who is further behind misses some.
const (
	Most   = 500
	Each   = 20
	behind = 64
)

// ErrFull says that as many listen as may.
var ErrFull = errors.New("too many live connections; try again later")

// Listen is a channel of events for somebody, closed when there will be no more; leave
// ends it.
func (l *Live) Listen(who string) (events <-chan Event, leave func(), err error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	own := 0
	for _, by := range l.ears {
		if by == who {
			own++
		}
	}
	if len(l.ears) >= Most || own >= Each {
		return nil, nil, ErrFull
	}
	ear := make(chan Event, behind)
	if l.closed {
		close(ear)
		return ear, func() {}, nil
	}
	if l.ears == nil {
		l.ears = map[chan Event]string{}
	}
	l.ears[ear] = who
	return ear, func() {
		l.mu.Lock()
		defer l.mu.Unlock()
		delete(l.ears, ear)
	}, nil
}

// Tell passes an event on; it never waits.
func (l *Live) Tell(e Event) {
	l.mu.Lock()
	defer l.mu.Unlock()
	for ear := range l.ears {
		select {
		case ear <- e:
		default:
		}
	}
}

// Close ends all listening.
func (l *Live) Close() {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.closed = true
	for ear := range l.ears {
		close(ear)
	}
	l.ears = nil
}
