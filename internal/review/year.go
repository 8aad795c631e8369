package review

import (
	"context"
	"sync"
	"time"

	"oskel/internal/store"
)

// yearHolds is how long the findings of a year are kept: what came of thousands of cases is
// not counted for each page of one that is read.
const yearHolds = 10 * time.Second

// yearFindings are what came of cases by rule in a year, as they were a moment ago.
type yearFindings struct {
	mu  sync.Mutex
	all map[string][]store.RuleFinding
	at  time.Time
}

// YearFindings are what came of the cases with exceptions of each rule in a year, ten
// seconds old at most.
func (s *Service) YearFindings(ctx context.Context) (map[string][]store.RuleFinding, error) {
	y := &s.year
	y.mu.Lock()
	defer y.mu.Unlock()
	if y.all != nil && time.Since(y.at) < yearHolds {
		return y.all, nil
	}
	at := time.Now()
	all, err := s.store.YearFindings(ctx)
	if err == nil {
		y.all, y.at = all, at
	}
	return all, err
}
