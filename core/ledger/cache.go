package ledger

import "sync"

// leastKept is how many bytes of indexes a snapshot may keep beside those that its
// lines are worth.
const leastKept = 64 << 20

// cache keeps what was made of the lines of a snapshot, which never change, up to a
// size; when there is more it is forgotten, and made anew when it is asked for.
type cache struct {
	mu   sync.Mutex
	all  map[any]any
	size int
}

// Keep finds what is kept under a key, or makes and keeps it. Two who make the same
// at once both do so; one result is kept. It is safe for concurrent use.
func (s *Snapshot) Keep(key any, make func() (made any, bytes int, whole bool)) any {
	s.index.mu.Lock()
	known, ok := s.index.all[key]
	s.index.mu.Unlock()
	if ok {
		return known
	}
	made, bytes, whole := make()
	if !whole {
		return made // whoever made it gave up on the way
	}
	s.index.mu.Lock()
	defer s.index.mu.Unlock()
	if known, ok := s.index.all[key]; ok {
		return known
	}
	if s.index.size += bytes; s.index.all == nil || s.index.size > leastKept+2*s.size() {
		s.index.all, s.index.size = map[any]any{}, bytes
	}
	s.index.all[key] = made
	return made
}

// size is about how many bytes the columns of all chunks take.
func (s *Snapshot) size() (n int) {
	for _, f := range s.Feeds {
		for _, c := range f.Chunks {
			n += c.size()
		}
	}
	return n
}
