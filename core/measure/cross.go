package measure

import (
	"cmp"
	"math"
	"math/big"
	"slices"

	"oskel/core/calendar"
	"oskel/core/stats"
)

// crossing is how the columns of a level across come by their figures: those of pairs, and on
// the whole's row and in the total's column those of either level.
type crossing struct {
	own   Slot // of the rows' level
	pairs Slot // of rows and columns; of the whole's row that of the columns
	codes [][]uint32
	keys  []string // of the pairs
}

const noPair = math.MaxUint32

// Across are those of an ask's level across who have a figure of its measure, in order of their
// names: the columns but for the total.
func (e *Engine) Across(a Ask) (out []Side) {
	keys, names := e.Names(a.Across)
	c := e.Column(a.Measures[0], e.Slot(a.Across, a.Periods[0]))
	for code := range keys {
		if c.Why[code] == Present {
			out = append(out, Side{uint32(code), keys[code], names[code]})
		}
	}
	slices.SortStableFunc(out, func(x, y Side) int { return cmp.Or(cmp.Compare(x.Name, y.Name), cmp.Compare(x.Key, y.Key)) })
	return out
}

// crossed fills in the columns of a level across. Who has no line with the other has no figure.
func (of *levelColumns) crossed(across Level) {
	e, h, n := of.e, of.heads[0], len(of.keys)
	x := &crossing{own: e.Slot(of.level, h.Period)}
	of.cross = x
	own := e.Column(h.Measure, x.own)
	if of.level.Kind == "" {
		x.pairs = e.Slot(across, h.Period)
	} else {
		x.pairs = e.Slot(Level{Kind: of.level.Kind, By: of.level.By, With: across.Kind, WithBy: across.By}, h.Period)
	}
	figures := e.Column(h.Measure, x.pairs)
	x.keys, _ = e.Names(x.pairs.Level)
	at := map[uint32]int{} // the column of each across
	for k, h := range of.heads {
		of.slots = append(of.slots, x.own)
		if h.Across == nil {
			of.columns, x.codes = append(of.columns, own), append(x.codes, nil)
			continue
		}
		at[h.Across.Code] = k
		c, codes := &Column{Value: make([]float64, n), Error: make([]float64, n), Why: make([]Why, n), Decimal: figures.Decimal}, make([]uint32, n)
		for i := range n {
			c.Why[i], codes[i] = NoLines, noPair
		}
		of.columns, x.codes = append(of.columns, c), append(x.codes, codes)
	}
	put := func(k int, code, pair uint32) {
		c := of.columns[k]
		c.Value[code], c.Error[code], c.Why[code], x.codes[k][code] = figures.Value[pair], figures.Error[pair], figures.Why[pair], pair
	}
	if of.level.Kind == "" {
		for code, k := range at {
			put(k, 0, code)
		}
		return
	}
	p := e.pairs(x.pairs.Level)
	for pair := range p.First {
		if k, shown := at[p.Second[pair]]; shown {
			put(k, p.First[pair], uint32(pair))
		}
	}
}

// Crossed are the marked keys, of pairs in order, that have a cell in a table across another
// level; and the level of these pairs. It asks nothing of the engine, which others may borrow.
func (l *Layout) Crossed(marked []string) (map[string]bool, Level) {
	out, level := map[string]bool{}, l.of.cross.pairs.Level
	for _, entry := range l.entries {
		if entry.depth > 0 {
			continue
		}
		for _, codes := range l.of.cross.codes {
			if codes == nil || codes[entry.code] == noPair {
				continue
			}
			if key := l.of.cross.keys[codes[entry.code]]; len(marked) > 0 {
				if _, is := slices.BinarySearch(marked, key); is {
					out[key] = true
				}
			}
		}
	}
	return out, level
}

func (x *crossing) where(of *levelColumns, k, code int) (uint32, Slot, bool) {
	if of.heads[k].Across == nil {
		return uint32(code), x.own, true
	}
	pair := x.codes[k][code]
	return pair, x.pairs, pair != noPair
}

// linesOf are the figures of a code in some periods, by measure; nil where none are asked for.
func (of *levelColumns) linesOf(code int, periods []calendar.Period) [][]Cell {
	if len(periods) == 0 || of.cross != nil {
		return nil
	}
	var out [][]Cell
	for k, h := range of.heads {
		if k > 0 && of.heads[k-1].Measure == h.Measure {
			continue
		}
		line := make([]Cell, len(periods))
		for i, p := range periods {
			c := of.e.Column(h.Measure, of.e.Slot(of.level, p))
			line[i] = Cell{Float: c.Value[code], Why: c.Why[code]}
		}
		out = append(out, line)
	}
	return out
}

// spreadOf is how the figures of some codes lie.
func spreadOf(c *Column, codes []int) *Spread {
	var values []float64
	sum := 0.0
	for _, code := range codes {
		if c.Why[code] == Present {
			values = append(values, c.Value[code])
			sum += c.Value[code]
		}
	}
	if len(values) == 0 {
		return nil
	}
	slices.Sort(values)
	at := func(hundredths int64) float64 {
		v, _ := stats.Percentile(values, big.NewRat(hundredths, 100))
		return v
	}
	return &Spread{values[0], at(5), at(50), at(95), values[len(values)-1], sum / float64(len(values))}
}
