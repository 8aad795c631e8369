package main

import (
	"fmt"
	"slices"
	"sync"
	"time"
)

// measured is how long calls took, by operation.
type measured struct {
	mu     sync.Mutex
	took   map[string][]time.Duration
	failed map[string]int
	said   map[string]int // by what was answered in error
	lost   int
	length time.Duration
}

func newMeasured() *measured {
	return &measured{took: map[string][]time.Duration{}, failed: map[string]int{}, said: map[string]int{}}
}

func (m *measured) add(op string, took time.Duration, well bool, said string) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.took[op] = append(m.took[op], took)
	if !well {
		m.failed[op]++
		m.said[said]++
	}
}

func (m *measured) lose() {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.lost++
}

// done ends it, and says what went wrong.
func (m *measured) done(length time.Duration) *measured {
	m.length = length
	for said, n := range m.said {
		if fmt.Printf("%d x %s\n", n, said); n > 20 {
			break
		}
	}
	return m
}

func (m *measured) only(op string) *measured {
	return &measured{took: map[string][]time.Duration{op: m.took[op]}, failed: map[string]int{op: m.failed[op]}, length: m.length}
}

func (m *measured) all() (all []time.Duration, failed int) {
	for op, took := range m.took {
		all = append(all, took...)
		failed += m.failed[op]
	}
	slices.Sort(all)
	return all, failed
}

func (m *measured) rate() float64 {
	all, _ := m.all()
	return float64(len(all)) / m.length.Seconds()
}

func (m *measured) print(what string) {
	all, failed := m.all()
	if len(all) == 0 {
		return
	}
	at := func(share float64) time.Duration {
		return all[min(len(all)-1, int(share*float64(len(all))))].Round(100 * time.Microsecond)
	}
	fmt.Printf("| %s | %.0f | %s | %s | %s | %d |\n", what, m.rate(), at(0.5), at(0.99), at(1), failed)
}
