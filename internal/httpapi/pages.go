package httpapi

import (
	"sync"
	"time"

	"oskel/core/calendar"
	"oskel/internal/httpapi/contract"
	"oskel/internal/store"
)

// pages keeps pages of lists for as long as nothing they are made of changes: many look
// at the same. The zero value is ready.
type pages struct {
	mu   sync.Mutex
	kept map[pageKey]*pageOnce
}

// pageKey is all that a page hangs on: what the database was at, what was asked, and the day.
type pageKey struct {
	at    store.Pulse
	of    store.ExceptionFilter
	today calendar.Day // a period that was swept so far may have ended since
}

// pageOnce is a page that is made once, by who asks first, and how it was last written. Outcomes of
// cases stand in it too, so that what is written is good only until the next change of a case.
type pageOnce struct {
	mu      sync.Mutex
	page    *contract.ExceptionPage
	trail   int64 // of the trails of cases, when it was written
	at      time.Time
	written []byte
}

// writtenHolds is how long what was written counts at the most: two changes of cases may
// come to be seen in the other order than they were numbered in.
const writtenHolds = time.Second

// mostPages is how many are kept, of at most so many rows each: some fifty megabytes. When
// there are more, all are forgotten; longer pages, which programs ask for, are made anew.
const (
	mostPages = 100
	longPage  = 200
)

// of makes a page, unless it is kept, and writes it, unless it is as it was written last;
// who asks meanwhile waits for that.
func (p *pages) of(k pageKey, trail int64, make func() (*contract.ExceptionPage, error), write func(*contract.ExceptionPage) ([]byte, error)) ([]byte, error) {
	if k.of.Limit > longPage {
		page, err := make()
		if err != nil {
			return nil, err
		}
		return write(page)
	}
	p.mu.Lock()
	if p.kept == nil || len(p.kept) >= mostPages {
		p.kept = map[pageKey]*pageOnce{}
	}
	one := p.kept[k]
	if one == nil {
		one = &pageOnce{}
		p.kept[k] = one
	}
	p.mu.Unlock()
	one.mu.Lock()
	defer one.mu.Unlock()
	if one.page == nil {
		page, err := make()
		if err != nil {
			return nil, err
		}
		one.page = page
	}
	if one.written == nil || one.trail < trail || time.Since(one.at) > writtenHolds {
		text, err := write(one.page)
		if err != nil {
			return nil, err
		}
		one.written, one.trail, one.at = text, trail, time.Now()
	}
	return one.written, nil
}
