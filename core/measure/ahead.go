package measure

import (
	"oskel/core/cores"
	"oskel/core/ledger"
	"oskel/core/rulebook"
)

// Ahead has the chunks compute, on all cores, what measures will ask of them
// for some slots: asking in turn then finds it remembered. Answers do not
// depend on it.
func (e *Engine) Ahead(measures []string, slots []Slot) {
	var work []func()
	seen := map[any]bool{}
	for _, name := range measures {
		for _, base := range e.Book.Inputs(name) {
			for _, s := range slots {
				work = append(work, e.ahead(e.Book.Measure(base), s, seen)...)
			}
		}
	}
	e.onAllCores(work)
}

// onAllCores does pieces of work that do not depend on one another.
func (e *Engine) onAllCores(work []func()) {
	if len(work) < 2 {
		return // a single one is as fast when it is asked for
	}
	for i, w := range work {
		work[i] = func() {
			if !e.Stopped() {
				w()
			}
		}
	}
	cores.Do(work...)
}

// chunksAhead has the chunks that are asked about compute, on all cores, what they
// keep: asking in turn then finds it.
func (e *Engine) chunksAhead(chunks []*ledger.Chunk, compute func(c *ledger.Chunk)) {
	work := make([]func(), len(chunks))
	for i, c := range chunks {
		work[i] = func() { compute(c) }
	}
	e.onAllCores(work)
}

// ahead lists what the chunks that lie within a slot do not remember yet.
func (e *Engine) ahead(m *rulebook.Measure, s Slot, seen map[any]bool) (work []func()) {
	f, def, column, ok := e.feedOf(m.Of.Feed, s.Level)
	if _, told := e.given[m.Name]; told || m.Days != "" || !ok || s.By != "" || s.Paired() || s.Joined > 0 || e.totals[key{measure: m.Name, slot: s}] != nil {
		return nil
	}
	mask, lasting := e.masker(m, f, def)
	if !lasting {
		return nil
	}
	number, others := e.counted(m, f, def)
	s.Ended = false
	scan := ledger.Scan{Subject: column, Size: e.Size(s.Level), Number: number}
	for _, c := range f.Chunks {
		if c.Month.First() < s.First || c.Month.Last() > s.Last || m.Aggregate == "distinct" && f.Within(s.First, s.Last) != c {
			continue
		}
		type part struct {
			c *ledger.Chunk
			k memoKey
		}
		k := part{c, memoKeyOf(m, scan)}
		if !seen[k] && !c.Remembers(k.k) {
			seen[k] = true
			work = append(work, func() { remembered(c, m, scan, mask, others) })
		}
	}
	return work
}
