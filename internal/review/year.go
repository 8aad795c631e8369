package review

import (
	"context"
	"sync"
	"time"

	"oskel/internal/store"
)

// yearFindings are what came of cases by rule in a year. They are kept for so many times as
// long as counting them took: what came of thousands of cases is not counted for each page
// of one that is read, and where there are few they are as they are.
type yearFindings struct {
	mu    sync.Mutex
	all   map[string][]store.RuleFinding
	until time.Time
}

const yearHolds = 50

// YearFindings are what came of the cases with exceptions of each rule in a year, as they
// were a moment ago.
func (s *Service) YearFindings(ctx context.Context) (map[string][]store.RuleFinding, error) {
	y := &s.year
	y.mu.Lock()
	defer y.mu.Unlock()
	began := time.Now()
	if y.all != nil && began.Before(y.until) {
		return y.all, nil
	}
	all, err := s.store.YearFindings(ctx)
	if err == nil {
		y.all, y.until = all, time.Now().Add(yearHolds*time.Since(began))
	}
	return all, err
}
