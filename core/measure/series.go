package measure

import (
	"math/big"

	"oskel/core/lang"
	"oskel/core/stats"
)

// Series are the figures of all codes of a level over some periods, the oldest
// first. Periods that the calendar does not have are nil columns.
type Series struct {
	Measure string
	Slots   []Slot
	Columns []*Column
	engine  *Engine
}

// Series is a measure in the n periods up to that of a slot, it included.
func (e *Engine) Series(measure string, s Slot, n int) *Series {
	var slots []Slot
	for k := n - 1; k >= 0; k-- {
		p, ok := e.Book.Calendar.Before(s.Period, k)
		if !ok {
			p.Unit = 0
		}
		slots = append(slots, e.slotOr(s, p.Unit != 0, func() Slot { return e.at(s, p) }))
	}
	return e.series(measure, slots)
}

// Years is a measure in the same period of the n years before that of a slot,
// and in its own, which is last.
func (e *Engine) Years(measure string, s Slot, n int) *Series {
	slots := make([]Slot, n+1)
	slots[n] = s
	for k := 1; k <= n; k++ {
		before, ok := e.before(s, k, true)
		slots[n-k] = e.slotOr(s, ok, func() Slot { return before })
	}
	return e.series(measure, slots)
}

// slotOr is a slot, or a void one of the same level where there is none.
func (e *Engine) slotOr(s Slot, ok bool, slot func() Slot) Slot {
	if ok {
		return slot()
	}
	return Slot{Level: s.Level}
}

func (e *Engine) series(measure string, slots []Slot) *Series {
	out := &Series{Measure: measure, Slots: slots, engine: e}
	var known []Slot
	for _, s := range slots {
		if s.Period.Unit != 0 {
			known = append(known, s)
		}
	}
	e.Ahead([]string{measure}, known)
	name := lang.Node{Op: lang.Name, Text: measure}
	for _, s := range slots {
		if s.Period.Unit == 0 {
			out.Columns = append(out.Columns, e.missing(s, NoPeriod))
			continue
		}
		out.Columns = append(out.Columns, e.past(&name, s))
	}
	return out
}

// Has says whether a code has a value in period k.
func (v *Series) Has(k int, code uint32) bool { return v.Columns[k].Why[code] == Present }

// Interval is where the value of a code in period k lies, if it has one.
func (v *Series) Interval(k int, code uint32) stats.Interval {
	return stats.Around(v.Columns[k].Value[code], v.Columns[k].Error[code])
}

// Exact is the value of a code in period k, or nil.
func (v *Series) Exact(k int, code uint32) *big.Rat {
	if !v.Has(k, code) {
		return nil
	}
	r, _ := v.engine.Exact(v.Measure, code, v.Slots[k])
	return r
}
