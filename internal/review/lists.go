package review

import (
	"context"
	"encoding/json"
	"sync"
	"time"

	"oskel/core/calendar"
	"oskel/internal/store"
)

// Page is one page of cases, with the counts of all that match.
type Page struct {
	Cases  []store.Case
	Counts store.CaseCounts
	Next   int // the offset of the next page; 0 if this is the last
	Groups []store.CaseGroup
}

// Cases lists a page of cases.
func (s *Service) Cases(ctx context.Context, f store.CaseFilter, today calendar.Day) (p Page, err error) {
	f.Limit++ // one more says whether there are more
	if p.Cases, err = s.store.Cases(ctx, f); err != nil {
		return p, err
	}
	if f.Limit--; len(p.Cases) > f.Limit {
		p.Cases, p.Next = p.Cases[:f.Limit], f.Offset+f.Limit
	}
	p.Counts, err = s.counts.of(filterKey(f, today), func() (store.CaseCounts, error) {
		return s.store.CountCases(ctx, f, today)
	})
	if err == nil && f.Group != "" {
		p.Groups, err = s.store.GroupCases(ctx, f, today)
	}
	return p, err
}

// filterKey tells filters apart by what they match, whatever the page.
func filterKey(f store.CaseFilter, today calendar.Day) string {
	f.Limit, f.Offset, f.Sort, f.Descending, f.Group = 0, 0, "", false, ""
	key, err := json.Marshal(struct {
		store.CaseFilter
		Today calendar.Day
	}{f, today})
	if err != nil {
		panic(err) // texts and numbers alone
	}
	return string(key)
}

// counted keeps large counts for a moment: a desk of ten thousand cases that hundreds
// look at would be counted by each of them. Who asks while it is counted waits for that.
type counted struct {
	mu   sync.Mutex
	kept map[string]*momentary
}

// momentary is a count that is made by who asks first and is good for countsHold.
type momentary struct {
	mu sync.Mutex
	store.CaseCounts
	at time.Time
}

const (
	// So long, and of so many, counts are kept.
	countsHold = 250 * time.Millisecond
	worthIt    = 1000
	// No more filters than this are kept.
	mostCounts = 1000
)

func (k *counted) of(filter string, count func() (store.CaseCounts, error)) (store.CaseCounts, error) {
	m := k.momentary(filter)
	m.mu.Lock()
	if small := !m.at.IsZero() && m.All < worthIt; small {
		m.mu.Unlock()
		return count()
	}
	defer m.mu.Unlock()
	if !m.at.IsZero() && time.Since(m.at) < countsHold {
		return m.CaseCounts, nil
	}
	at := time.Now() // of before it is counted
	n, err := count()
	if err == nil {
		m.CaseCounts, m.at = n, at
	}
	return n, err
}

func (k *counted) momentary(filter string) *momentary {
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.kept == nil || len(k.kept) >= mostCounts {
		k.kept = map[string]*momentary{}
	}
	m := k.kept[filter]
	if m == nil {
		m = &momentary{}
		k.kept[filter] = m
	}
	return m
}
