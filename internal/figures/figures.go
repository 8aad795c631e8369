// Package figures keeps the snapshot of the data at hand that everything is
// computed from.
package figures

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"

	"oskel/core/calendar"
	"oskel/core/ledger"
	"oskel/core/measure"
	"oskel/core/rulebook"
	"oskel/internal/store"
)

// Keeper holds the newest snapshot, refreshing what intakes touched. It is
// safe for concurrent use; snapshots it gave out stay as they are.
type Keeper struct {
	store *store.Store
	mu    sync.Mutex
	book  *rulebook.Book
	held  *ledger.Snapshot

	past     *ledger.Snapshot // the earlier version asked for last
	pastBook *rulebook.Book

	other     *ledger.Snapshot // the newest, in the shape of another book than the published one
	otherBook *rulebook.Book

	lend   sync.Mutex
	shared *measure.Engine // of Share

	laying  sync.Mutex
	layouts []*keptFigures // the last asked for first
}

// New is a keeper over a store; it reads nothing before it is asked.
func New(s *store.Store) *Keeper { return &Keeper{store: s} }

// Snapshot is the newest data version in the shape of a book.
func (k *Keeper) Snapshot(ctx context.Context, book *rulebook.Book) (*ledger.Snapshot, error) {
	k.mu.Lock()
	defer k.mu.Unlock()
	version, err := k.store.DataVersion(ctx)
	if err != nil {
		return nil, err
	}
	before := k.held
	if before != nil && !rulebook.SameShape(k.book, book) {
		before = nil
	}
	if before != nil && before.Version == version {
		return before, nil
	}
	fresh, err := k.store.ReadLedger(ctx, book, version, before)
	if err != nil {
		return nil, err
	}
	k.book, k.held = book, fresh
	return fresh, nil
}

// EngineFor computes the measures of an earlier revision's book over the newest
// data. What is held in the shape of the published book stays held; of it is
// taken what the earlier book declares too, and only the rest is read.
func (k *Keeper) EngineFor(ctx context.Context, published, book *rulebook.Book) (*measure.Engine, error) {
	now, err := k.Snapshot(ctx, published)
	if err != nil {
		return nil, err
	}
	if rulebook.SameShape(published, book) {
		return engine(ctx, book, now), nil
	}
	if holds(published, book) {
		return engine(ctx, book, reshape(published, book, now)), nil
	}
	other, err := k.inShape(ctx, book, now.Version)
	if err != nil {
		return nil, err
	}
	return engine(ctx, book, other), nil
}

// inShape is a version in the shape of another book than the published one; the
// last is kept.
func (k *Keeper) inShape(ctx context.Context, book *rulebook.Book, version int64) (*ledger.Snapshot, error) {
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.other == nil || k.other.Version != version || !rulebook.SameShape(k.otherBook, book) {
		other, err := k.store.ReadLedger(ctx, book, version, nil)
		if err != nil {
			return nil, err
		}
		k.other, k.otherBook = other, book
	}
	return k.other, nil
}

// holds says whether a snapshot in the shape of a book has all kinds, attributes and
// columns that another reads.
func holds(book, other *rulebook.Book) bool {
	return declares(book, other, func(f *rulebook.Feed, text string) bool { return slices.Contains(f.Texts(), text) })
}

// stores says whether what is kept by a book's declarations has all that another
// reads.
func stores(book, other *rulebook.Book) bool { return declares(book, other, (*rulebook.Feed).Stored) }

func declares(book, other *rulebook.Book, text func(f *rulebook.Feed, column string) bool) bool {
	for i := range other.Kinds {
		k := book.Kind(other.Kinds[i].Name)
		for _, a := range other.Kinds[i].Attributes {
			if k == nil || k.Attribute(a.Name) == nil || k.Attribute(a.Name).Type != a.Type {
				return false
			}
		}
	}
	for i := range other.Feeds {
		of := &other.Feeds[i]
		f := book.Feed(of.Name)
		if f == nil || f.Date != of.Date {
			return false
		}
		for _, s := range of.Subjects {
			if f.SubjectColumn(s.Kind) != s.Column {
				return false
			}
		}
		for _, n := range of.Numbers {
			if f.Figure(n.Column) == nil {
				return false
			}
		}
		for _, l := range of.Texts() {
			if !text(f, l) {
				return false
			}
		}
	}
	return true
}

// Engine computes the measures of a book over the newest data.
func (k *Keeper) Engine(ctx context.Context, book *rulebook.Book) (*measure.Engine, error) {
	snapshot, err := k.Snapshot(ctx, book)
	if err != nil {
		return nil, err
	}
	return engine(ctx, book, snapshot), nil
}

// engine is one that gives up when the request it works for is gone.
func engine(ctx context.Context, book *rulebook.Book, snapshot *ledger.Snapshot) *measure.Engine {
	e := measure.New(book, snapshot)
	e.Until(func() bool { return ctx.Err() != nil })
	return e
}

// ErrVersion says that there is no such data version.
var ErrVersion = errors.New("there is no such data version")

// EngineAt computes the measures of a book over an earlier data version; 0 is
// the newest. What has changed since is read, unless it was the last version
// asked for; the rest is shared with the newest.
func (k *Keeper) EngineAt(ctx context.Context, book *rulebook.Book, version int64) (*measure.Engine, error) {
	now, err := k.Snapshot(ctx, book)
	if err != nil || version == 0 || version == now.Version {
		return engine(ctx, book, now), err
	}
	if version < 0 || version > now.Version {
		return nil, fmt.Errorf("%w as %d; the newest is %d", ErrVersion, version, now.Version)
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.past == nil || k.past.Version != version || !rulebook.SameShape(k.pastBook, book) {
		past, err := k.store.ReadLedger(ctx, book, version, now)
		if err != nil {
			return nil, err
		}
		k.past, k.pastBook = past, book
	}
	return engine(ctx, book, k.past), nil
}

// EngineOf computes the measures of an earlier revision's book over the data version of
// its time. What is held in the shape of the published book stays held.
func (k *Keeper) EngineOf(ctx context.Context, published, book *rulebook.Book, version int64) (*measure.Engine, error) {
	if rulebook.SameShape(published, book) {
		e, err := k.EngineAt(ctx, published, version)
		if err != nil {
			return nil, err
		}
		return engine(ctx, book, e.Snapshot), nil
	}
	past, err := k.inShape(ctx, book, version)
	if err != nil {
		return nil, err
	}
	return engine(ctx, book, past), nil
}

// LastDay is the newest day on which any feed has a line.
func LastDay(s *ledger.Snapshot) (calendar.Day, bool) {
	last := ledger.Never
	for _, f := range s.Feeds {
		if n := len(f.Chunks); n > 0 {
			chunk := f.Chunks[n-1]
			last = max(last, chunk.Month.First()+calendar.Day(chunk.Days.Of(chunk.Days.Len()-1))-1)
		}
	}
	return last, last != ledger.Never
}

// HasLines says whether any feed has lines from first to last.
func HasLines(s *ledger.Snapshot, first, last calendar.Day) bool {
	for _, f := range s.Feeds {
		if f.HasLines(first, last) {
			return true
		}
	}
	return false
}
