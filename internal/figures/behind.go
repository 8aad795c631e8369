package figures

import (
	"context"

	"oskel/core/measure"
	"oskel/internal/store"
)

// Lines are a page of the lines behind a figure, as people write them.
type Lines struct {
	measure.Behind
	Columns []string
	Rows    [][]string
}

// Behind reads a page of the lines that an aggregate counts for one code.
func (k *Keeper) Behind(ctx context.Context, e *measure.Engine, name string, s measure.Slot, code uint32, offset, limit int) (Lines, error) {
	out := Lines{Behind: e.Behind(name, s, code, offset, limit)}
	if ctx.Err() != nil {
		return out, ctx.Err()
	}
	var err error
	out.Columns, out.Rows, err = k.store.Lines(ctx, e.Book.Feed(e.Book.Measure(name).Of.Feed), e.Snapshot.Version, out.Behind)
	return out, err
}

// SubjectHistory lists every row that a register ever had of a subject, the
// newest intake first.
func (k *Keeper) SubjectHistory(ctx context.Context, kind, key string) ([]store.RegisterEntry, error) {
	return k.store.RegisterHistory(ctx, kind, key)
}
