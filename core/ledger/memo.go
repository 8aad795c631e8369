package ledger

import "sync"

// What a chunk may remember, in bytes: so much, and so many times its size.
const (
	leastRemembered = 1 << 20
	timesRemembered = 4
)

// memo keeps what was made by key, up to a size. It is safe for concurrent use.
type memo[T interface{ bytes() int }] struct {
	mu   sync.RWMutex
	all  map[any]T
	size int
}

func (m *memo[T]) get(key any) (T, bool) {
	m.mu.RLock()
	defer m.mu.RUnlock()
	t, ok := m.all[key]
	return t, ok
}

// put keeps what was made, unless another came before, and returns what is kept.
func (m *memo[T]) put(key any, t T, most int) T {
	m.mu.Lock()
	defer m.mu.Unlock()
	if before, ok := m.all[key]; ok {
		return before
	}
	if m.size += t.bytes(); m.all == nil || m.size > most {
		m.all, m.size = map[any]T{}, t.bytes()
	}
	m.all[key] = t
	return t
}

// bytes is about how much memory totals take, with what is made of them where it is kept.
// Counts that others share are counted with each.
func (t *Totals) bytes() int {
	n := 128 + 4*len(t.Codes) + 4*len(t.Counts) + 8*len(t.Amounts)
	if t.keeps() {
		n += 17 * t.Size
	}
	return n
}
