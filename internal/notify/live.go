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
	ears   map[chan Event]bool
	closed bool
}

// Most is how many may listen at once, and behind how many events one may be: who is
// further behind misses some.
const (
	Most   = 500
	behind = 64
)

// ErrFull says that as many listen as may.
var ErrFull = errors.New("as many listen to what happens as may at once; try again later")

// Listen is a channel of events, closed when there will be no more; leave ends it.
func (l *Live) Listen() (events <-chan Event, leave func(), err error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if len(l.ears) >= Most {
		return nil, nil, ErrFull
	}
	ear := make(chan Event, behind)
	if l.closed {
		close(ear)
		return ear, func() {}, nil
	}
	if l.ears == nil {
		l.ears = map[chan Event]bool{}
	}
	l.ears[ear] = true
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
