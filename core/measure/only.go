package measure

import (
	"slices"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/ledger"
)

// Only is an engine over the lines of one code of a level alone, in the months of some
// slots: what it says of other levels are the code's parts. Lines of a feed that does
// not name such subjects are none of its.
func (e *Engine) Only(level Level, code uint32, slots ...Slot) *Engine {
	wanted := func(m calendar.Month) bool {
		return slices.ContainsFunc(slots, func(s Slot) bool { return m >= s.First.Month() && m <= s.Last.Month() })
	}
	out := &ledger.Snapshot{Version: e.Snapshot.Version, Registers: e.Snapshot.Registers, Targets: e.Snapshot.Targets, Feeds: map[string]*ledger.Feed{}}
	for name, f := range e.Snapshot.Feeds {
		only := *f
		only.Chunks = nil
		_, _, column, ok := e.joinedFeed(name, level)
		for _, c := range f.Chunks {
			switch {
			case !ok || !wanted(c.Month):
			case level.Kind == "":
				only.Chunks = append(only.Chunks, c)
			default:
				codes := e.codesOf(c, level, ledger.Some{Subject: column, Size: e.Size(level)})
				if part := chosen(c, codes, code); part != nil {
					only.Chunks = append(only.Chunks, part)
				}
			}
		}
		out.Feeds[name] = &only
	}
	engine := New(e.Book, out)
	engine.stop = e.stop
	return engine
}

// chosen is a chunk of the lines with one code; nil if there is none.
func chosen(c *ledger.Chunk, codes []uint32, code uint32) *ledger.Chunk {
	out := &ledger.Chunk{Month: c.Month, Subjects: make([][]uint32, len(c.Subjects)), Numbers: make([][]amount.Amount, len(c.Numbers)),
		Labels: make([][]uint32, len(c.Labels))}
	for i, day := range c.Days.All() {
		if codes[i] != code {
			continue
		}
		out.Days.Add(day)
		for k := range c.Subjects {
			out.Subjects[k] = append(out.Subjects[k], c.Subjects[k][i])
		}
		for k := range c.Numbers {
			out.Numbers[k] = append(out.Numbers[k], c.Numbers[k][i])
		}
		for k := range c.Labels {
			out.Labels[k] = append(out.Labels[k], c.Labels[k][i])
		}
	}
	if out.Days.Len() == 0 {
		return nil
	}
	return out
}

// Seeing are the codes of a level that have lines counted by a measure in a slot.
func (e *Engine) Seeing(measure string, s Slot) (codes []uint32) {
	for code := range e.Totals(measure, s).All() {
		codes = append(codes, code)
	}
	return codes
}
