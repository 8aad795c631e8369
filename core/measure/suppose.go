package measure

import (
	"math/big"
	"slices"
)

// supposedKey names a figure that is supposed to be another one.
type supposedKey struct {
	measure string
	slot    Slot
	code    uint32
}

func supposedKeyOf(measure string, s Slot, code uint32) supposedKey {
	s.Ended = false
	return supposedKey{measure, s, code}
}

// Supposing is an engine of the same book and snapshot in which some figures of one
// code in one slot are others; nil is missing. What is made of them follows, of
// groups and peers too; sums of lines at other levels stay as they are.
func (e *Engine) Supposing(s Slot, code uint32, figures map[string]*big.Rat) *Engine {
	out := New(e.Book, e.Snapshot)
	out.stop, out.paired, out.totals = e.stop, e.paired, e.totals
	out.hypothetical = map[supposedKey]*big.Rat{}
	for name, v := range figures {
		out.hypothetical[supposedKeyOf(name, s, code)] = v
	}
	return out
}

// suppose puts what is supposed into a column.
func (e *Engine) suppose(c *Column, measure string, s Slot) *Column {
	if len(e.hypothetical) == 0 {
		return c
	}
	own := false
	for k, v := range e.hypothetical {
		if k != supposedKeyOf(measure, s, k.code) || int(k.code) >= len(c.Value) {
			continue
		}
		if !own {
			c, own = &Column{slices.Clone(c.Value), slices.Clone(c.Error), slices.Clone(c.Why), false}, true
		}
		if v == nil {
			c.Why[k.code] = NoLines
			continue
		}
		f, _ := v.Float64()
		c.Why[k.code] = Present
		c.set(int(k.code), f, 0, 1)
	}
	return c
}
