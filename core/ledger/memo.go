package ledger

import "sync"

// What a chunk may remember, in bytes: so much, and so many times its size.
const (
	leastRemembered = 1 << 20
	timesRemembered = 4
)

// memo keeps totals by key, up to a size. It is safe for concurrent use.
type memo struct {
	mu   sync.RWMutex
	all  map[any]*Totals
	size int
}

func (m *memo) get(key any) *Totals {
	m.mu.RLock()
	defer m.mu.RUnlock()
	return m.all[key]
}

// put keeps totals, unless others came before, and returns what is kept.
func (m *memo) put(key any, t *Totals, most int) *Totals {
	m.mu.Lock()
	defer m.mu.Unlock()
	if before := m.all[key]; before != nil {
		return before
	}
	if m.size += t.bytes(); m.all == nil || m.size > most {
		m.all, m.size = map[any]*Totals{}, t.bytes()
	}
	m.all[key] = t
	return t
}

// bytes is about how much memory totals take. Counts that others share are
// counted with each.
func (t *Totals) bytes() int { return 128 + 4*len(t.Codes) + 4*len(t.Counts) + 8*len(t.Amounts) }
