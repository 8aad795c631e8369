package measure

import (
	"math/big"
	"sort"
	"strings"

	"oskel/core/calendar"
)

// Ask is a question for a grid: figures of a level's subjects, in columns of
// measures and periods.
type Ask struct {
	Level      Level
	Measures   []string
	Periods    []calendar.Period
	Text       string  // in key or name; "" is all
	Sort       int     // a column, or -1 for the subjects' names
	Descending bool    // within their groups, where there are some
	Groups     []Level // gather rows under subtotals of these, the widest first
	Limit      int
	Offset     int
}

// Head is one column of a grid.
type Head struct {
	Measure string
	Period  calendar.Period
}

// Cell is one figure: exact, or why it is missing. Place is its dense place in
// its column among all that match, or with groups among those of the innermost
// one; 1 the best.
type Cell struct {
	Value *big.Rat
	Float float64
	Why   Why
	Place int
	Worst bool // the last place of three or more
}

// GridRow is the figures of one subject, or with a Depth from 1 the subtotal
// of a group, which precedes its members.
type GridRow struct {
	Level     Level
	Depth     int
	Code      uint32
	Key, Name string
	Cells     []Cell
}

// Grid answers an Ask: one page of rows, the whole's figures, and how many
// rows there are, subtotals too. Places holds, by column, how many different
// places there are.
type Grid struct {
	Heads  []Head
	Rows   []GridRow
	Whole  []Cell
	Places []int
	Total  int
}

// Grid computes a grid. Subjects without any figure in it are left out.
// Missing figures sort last either way, ties by key. A subtotal is the figure
// of the group as such, a ratio of its sums; subjects stand in the group they
// belong to on the last day asked for.
func (e *Engine) Grid(a Ask) Grid {
	var g Grid
	for _, m := range a.Measures {
		for _, p := range a.Periods {
			g.Heads = append(g.Heads, Head{m, p})
		}
	}
	of := e.columnsOf(g.Heads, a.Level)
	codes := of.matching(strings.ToLower(a.Text))
	groups := e.gather(a)
	inner := func(int) uint32 { return 0 }
	if n := len(groups); n > 0 {
		inner = func(code int) uint32 { return groups[n-1].codes[code] }
	}
	places := make([][]Cell, len(g.Heads))
	for k, c := range of.columns {
		var most int
		places[k], most = placed(c, codes, e.Book.Measure(g.Heads[k].Measure).GoodDown, inner)
		g.Places = append(g.Places, most)
	}
	sort.SliceStable(codes, func(i, j int) bool {
		x, y := codes[i], codes[j]
		for _, group := range groups {
			if p, q := group.codes[x], group.codes[y]; p != q {
				return group.keys[p] < group.keys[q]
			}
		}
		return a.less(of, x, y)
	})
	entries := layOut(codes, groups)
	g.Total = len(entries)
	end := min(len(entries), a.Offset+a.Limit)
	for _, entry := range entries[min(a.Offset, end):end] {
		if entry.depth > 0 {
			group := groups[entry.depth-1]
			row := group.of.row(entry.code)
			row.Depth = entry.depth
			g.Rows = append(g.Rows, row)
			continue
		}
		row := of.row(entry.code)
		for k := range row.Cells {
			row.Cells[k].Place, row.Cells[k].Worst = places[k][entry.code].Place, places[k][entry.code].Worst
		}
		g.Rows = append(g.Rows, row)
	}
	g.Whole = e.columnsOf(g.Heads, Level{}).row(0).Cells
	return g
}

// levelColumns are a grid's columns at one level.
type levelColumns struct {
	e           *Engine
	level       Level
	heads       []Head
	slots       []Slot
	columns     []*Column
	keys, names []string
}

func (e *Engine) columnsOf(heads []Head, l Level) *levelColumns {
	of := &levelColumns{e: e, level: l, heads: heads}
	of.keys, of.names = e.Names(l)
	var names []string
	for _, h := range heads {
		names, of.slots = append(names, h.Measure), append(of.slots, e.Slot(l, h.Period))
	}
	e.Ahead(names, of.slots)
	for k, h := range heads {
		of.columns = append(of.columns, e.Column(h.Measure, of.slots[k]))
	}
	return of
}

// matching lists the codes that have a figure and bear a text.
func (of *levelColumns) matching(text string) []int {
	var codes []int
	for code := range of.keys {
		some := false
		for _, c := range of.columns {
			some = some || c.Why[code] == Present
		}
		if some && (text == "" || strings.Contains(strings.ToLower(of.keys[code]), text) || strings.Contains(strings.ToLower(of.names[code]), text)) {
			codes = append(codes, code)
		}
	}
	return codes
}

func (of *levelColumns) row(code int) GridRow {
	row := GridRow{Level: of.level, Code: uint32(code), Key: of.keys[code], Name: of.names[code]}
	for k, c := range of.columns {
		cell := Cell{Float: c.Value[code], Why: c.Why[code]}
		if cell.Why == Present {
			cell.Value, _ = of.e.Exact(of.heads[k].Measure, uint32(code), of.slots[k])
		}
		row.Cells = append(row.Cells, cell)
	}
	return row
}

// gathering is one depth of groups: which group each code of the rows' level
// belongs to, and the groups' own figures.
type gathering struct {
	codes []uint32
	keys  []string
	of    *levelColumns
}

func (e *Engine) gather(a Ask) []gathering {
	var out []gathering
	last := e.Slot(a.Level, a.Periods[len(a.Periods)-1])
	var heads []Head
	for _, m := range a.Measures {
		for _, p := range a.Periods {
			heads = append(heads, Head{m, p})
		}
	}
	for _, group := range a.Groups {
		level, codes := e.group(last, group.Kind, group.By)
		if codes == nil {
			continue
		}
		of := e.columnsOf(heads, level)
		out = append(out, gathering{codes, of.keys, of})
	}
	return out
}

type gridEntry struct{ depth, code int }

// layOut puts the subtotal of each group before its members.
func layOut(codes []int, groups []gathering) []gridEntry {
	out := make([]gridEntry, 0, len(codes))
	for i, code := range codes {
		turned := i == 0
		for d, group := range groups {
			if turned = turned || group.codes[codes[i-1]] != group.codes[code]; turned {
				out = append(out, gridEntry{d + 1, int(group.codes[code])})
			}
		}
		out = append(out, gridEntry{0, code})
	}
	return out
}

func (a Ask) less(of *levelColumns, x, y int) bool {
	if a.Sort < 0 {
		if of.names[x] != of.names[y] {
			return (of.names[x] < of.names[y]) != a.Descending
		}
		return of.keys[x] < of.keys[y]
	}
	c := of.columns[a.Sort]
	here, there := c.Why[x] == Present, c.Why[y] == Present
	switch {
	case here != there:
		return here
	case here && c.Value[x] != c.Value[y]:
		return (c.Value[x] < c.Value[y]) != a.Descending
	}
	return of.keys[x] < of.keys[y]
}

// placed gives the dense places of some codes in a column within their groups,
// 1 the best; most is the largest number of places in any group.
func placed(c *Column, codes []int, down bool, group func(int) uint32) (places []Cell, most int) {
	places = make([]Cell, len(c.Value))
	lists := map[uint32][]int{}
	for _, code := range codes {
		if c.Why[code] == Present {
			lists[group(code)] = append(lists[group(code)], code)
		}
	}
	for _, order := range lists {
		sort.Slice(order, func(i, j int) bool { return (c.Value[order[i]] < c.Value[order[j]]) == down })
		place := 0
		for i, code := range order {
			if i == 0 || c.Value[order[i-1]] != c.Value[code] {
				place++
			}
			places[code].Place = place
		}
		for _, code := range order {
			places[code].Worst = len(order) > 2 && place > 1 && places[code].Place == place
		}
		most = max(most, place)
	}
	return places, most
}
