package figures

import (
	"context"
	"fmt"
	"reflect"
	"slices"
	"sync"

	"oskel/core/ledger"
	"oskel/core/measure"
	"oskel/core/rulebook"
)

// keptLayouts is of how many grids the figures are remembered, and of each the last layout: who
// scrolls neither computes nor sorts anew for each page, who sorts or tries computes nothing.
const keptLayouts = 4

// layoutKey is what a layout hangs on beside what is asked: a snapshot and a revision are never
// changed, only followed by others.
type layoutKey struct {
	snapshot *ledger.Snapshot
	revision int
	draft    string
	where    string
}

// Of is what a layout is made of: a revision's book, which may have formulas beside, at a data
// version, 0 the newest; or a draft's, told by its text, of the newest data, which is held in
// the shape of the published book.
type Of struct {
	Book      *rulebook.Book
	Revision  int
	Version   int64
	Draft     string
	Where     string // of which lines the book is narrowed to; "" is all
	Published *rulebook.Book
}

// keptFigures are computed by who asks first; who asks meanwhile waits at their lock.
type keptFigures struct {
	key     layoutKey
	of      measure.Ask // what they are of: its level, measures, periods, groups and what lies across
	mu      sync.Mutex
	figures *measure.Figures
	ask     measure.Ask // of the last layout, but for the page
	layout  *measure.Layout
}

// TooLarge says that a table has more cells than are computed at once.
type TooLarge struct{ Rows, Columns, Most int }

func (t *TooLarge) Error() string {
	return fmt.Sprintf("%d rows of %d columns are %d cells; at most %d are computed at once. "+
		"Ask for fewer periods or measures, or a level with fewer rows", t.Rows, t.Columns, t.Rows*t.Columns, t.Most)
}

// mostAcross bounds how many are laid across a table, the total among them.
const mostAcross = 120

// TooWide says that more are laid across a table than can be shown at once.
type TooWide struct{ Across, Most int }

func (t *TooWide) Error() string {
	return fmt.Sprintf("%d columns lie across; at most %d are shown at once. Lay across an attribute that gathers them", t.Across, t.Most)
}

// LayOut lends the grid that is asked of a book. One borrows a grid at a time. One of more cells
// than most is refused before it is begun.
func (k *Keeper) LayOut(ctx context.Context, of Of, a measure.Ask, most int, work func(*measure.Layout) error) error {
	e, err := k.engineOf(ctx, of)
	if err != nil {
		return err
	}
	rows, columns := e.Size(a.Level), len(a.Measures)*len(a.Periods)
	if a.Across.Kind != "" {
		if columns = len(e.Across(a)) + 1; columns > mostAcross {
			return &TooWide{columns, mostAcross}
		}
	}
	if rows*columns > most {
		return &TooLarge{rows, columns, most}
	}
	a.Offset, a.Limit = 0, 0
	kept := k.keptFigures(layoutKey{e.Snapshot, of.Revision, of.Draft, of.Where}, a)
	kept.mu.Lock()
	defer kept.mu.Unlock()
	if kept.figures == nil {
		figures := e.Figures(a)
		if ctx.Err() != nil { // what was given up must not be kept
			return ctx.Err()
		}
		kept.figures = figures
	}
	kept.figures.Engine().Until(func() bool { return ctx.Err() != nil })
	// Asks are compared as they are: nobody is not all, and what reads alike need not be.
	if kept.layout == nil || !reflect.DeepEqual(kept.ask, a) {
		layout := kept.figures.LayOut(a)
		if ctx.Err() != nil {
			return ctx.Err()
		}
		kept.ask, kept.layout = a, layout
	}
	if err := work(kept.layout); err != nil {
		return err
	}
	return ctx.Err()
}

func (k *Keeper) engineOf(ctx context.Context, of Of) (*measure.Engine, error) {
	if of.Published != nil {
		return k.EngineFor(ctx, of.Published, of.Book)
	}
	return k.EngineAt(ctx, of.Book, of.Version)
}

// keptFigures finds what is kept of a grid, or makes room for it. Grids of data that nobody
// holds any more go first.
func (k *Keeper) keptFigures(key layoutKey, ask measure.Ask) *keptFigures {
	k.laying.Lock()
	defer k.laying.Unlock()
	k.layouts = slices.DeleteFunc(k.layouts, func(l *keptFigures) bool {
		return l.key.snapshot != key.snapshot && l.key.snapshot.Version < key.snapshot.Version
	})
	i := slices.IndexFunc(k.layouts, func(l *keptFigures) bool { return l.key == key && l.of.SameFigures(ask) })
	kept := &keptFigures{key: key, of: ask}
	if i >= 0 {
		kept = k.layouts[i]
		k.layouts = slices.Delete(k.layouts, i, i+1)
	}
	k.layouts = append([]*keptFigures{kept}, k.layouts...)
	k.layouts = k.layouts[:min(len(k.layouts), keptLayouts)]
	return kept
}
