package sweep

import (
	"sync"

	"oskel/internal/store"
)

// counts keeps what was counted of lists, by the last sweep there was: a list that many
// look at is counted once. The zero value is ready.
type counts struct {
	mu   sync.Mutex
	kept map[countKey]*countOnce
}

// countKey is all that a count hangs on: the last sweep, the data, what is counted by and of whom.
type countKey struct {
	sweep int64
	data  int64 // the data version, where it hangs on that
	by    string
	of    store.ExceptionFilter
}

// countOnce is counted by who asks first; where that failed, by the next.
type countOnce struct {
	mu     sync.Mutex
	done   bool
	groups []store.ExceptionGroup
}

// mostCounts is how many are kept; when there are more, all are forgotten.
const mostCounts = 1000

// of counts, unless it was counted; who asks while it is counted waits for that.
func (c *counts) of(k countKey, count func() ([]store.ExceptionGroup, error)) ([]store.ExceptionGroup, error) {
	c.mu.Lock()
	if c.kept == nil || len(c.kept) >= mostCounts {
		c.kept = map[countKey]*countOnce{}
	}
	one := c.kept[k]
	if one == nil {
		one = &countOnce{}
		c.kept[k] = one
	}
	c.mu.Unlock()
	one.mu.Lock()
	defer one.mu.Unlock()
	if !one.done {
		groups, err := count()
		if err != nil {
			return nil, err
		}
		one.groups, one.done = groups, true
	}
	return one.groups, nil
}
