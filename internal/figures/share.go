package figures

import (
	"context"
	"slices"

	"oskel/core/amount"
	"oskel/core/ledger"
	"oskel/core/measure"
	"oskel/core/rulebook"
)

// mostShared bounds what the shared engine may keep, in bytes.
const mostShared = 768 << 20

// Share lends an engine over the newest data for a book that need not be
// published: what it computes is kept for the next one who asks, as far as
// the two books agree, so that a draft that is turned and tried answers at
// once. One borrows it at a time.
func (k *Keeper) Share(ctx context.Context, published, book *rulebook.Book, work func(*measure.Engine) error) error {
	snapshot, err := k.Snapshot(ctx, published)
	if err != nil {
		return err
	}
	k.lend.Lock()
	defer k.lend.Unlock()
	if !rulebook.SameShape(published, book) && !holds(published, book) && stores(published, book) {
		// It matches lines by notes that nothing published is matched by.
		if snapshot, err = k.inShape(ctx, book, snapshot.Version); err != nil {
			return err
		}
		return work(engine(ctx, book, snapshot))
	}
	if !rulebook.SameShape(published, book) {
		return work(engine(ctx, book, reshape(published, book, snapshot)))
	}
	if k.shared == nil || k.shared.Snapshot != snapshot || k.shared.Weight() > mostShared {
		k.shared = measure.New(book, snapshot)
	}
	e := k.shared.With(book)
	e.Until(func() bool { return ctx.Err() != nil })
	err = work(e)
	if k.shared = e; ctx.Err() != nil { // what was given up must not be kept
		k.shared = nil
	}
	return err
}

// reshape is a snapshot in the shape of a book that declares other kinds or
// feeds: columns that both have are shared, and what only the book has is
// empty.
func reshape(from, to *rulebook.Book, s *ledger.Snapshot) *ledger.Snapshot {
	out := &ledger.Snapshot{Version: s.Version, Registers: map[string]*ledger.Register{}, Feeds: map[string]*ledger.Feed{}, Targets: s.Targets}
	for i := range to.Kinds {
		k := &to.Kinds[i]
		if old := s.Registers[k.Name]; old != nil {
			out.Registers[k.Name] = old
		} else {
			out.Registers[k.Name] = ledger.NewRegister(k.Name, nil, nil)
		}
	}
	for i := range to.Feeds {
		def := &to.Feeds[i]
		f := &ledger.Feed{Name: def.Name}
		old, before := s.Feeds[def.Name], from.Feed(def.Name)
		for _, c := range def.Subjects {
			f.Subjects = append(f.Subjects, c.Column)
		}
		for _, c := range def.Numbers {
			f.Numbers = append(f.Numbers, c.Column)
		}
		known := old != nil && before != nil
		if known {
			known = before.Date == def.Date
		}
		same := map[string]bool{} // columns of subjects: one that named another kind's has other codes
		for _, c := range def.Subjects {
			same[c.Column] = known && before.SubjectColumn(c.Kind) == c.Column
		}
		for _, name := range def.Texts() {
			label := &ledger.Label{Column: name, Words: []string{""}}
			if known {
				for _, l := range old.Labels {
					if l.Column == name {
						label = l
					}
				}
			}
			f.Labels = append(f.Labels, label)
		}
		if known {
			for _, c := range old.Chunks {
				f.Chunks = append(f.Chunks, rechunk(c, old, f, same))
			}
		}
		out.Feeds[def.Name] = f
	}
	return out
}

func rechunk(c *ledger.Chunk, old, f *ledger.Feed, same map[string]bool) *ledger.Chunk {
	out := &ledger.Chunk{Month: c.Month, Days: c.Days}
	for _, name := range f.Subjects {
		if k := ledger.Column(old.Subjects, name); k >= 0 && same[name] {
			out.Subjects = append(out.Subjects, c.Subjects[k])
		} else {
			out.Subjects = append(out.Subjects, slices.Repeat([]uint32{ledger.Nobody}, c.Days.Len()))
		}
	}
	for _, name := range f.Numbers {
		if k := ledger.Column(old.Numbers, name); k >= 0 {
			out.Numbers = append(out.Numbers, c.Numbers[k])
		} else {
			out.Numbers = append(out.Numbers, slices.Repeat([]amount.Amount{amount.Missing}, c.Days.Len()))
		}
	}
	for _, l := range f.Labels {
		column := make([]uint32, c.Days.Len())
		for i, have := range old.Labels {
			if have.Column == l.Column {
				column = c.Labels[i]
			}
		}
		out.Labels = append(out.Labels, column)
	}
	return out
}
