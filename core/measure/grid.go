package measure

import (
	"cmp"
	"math/big"
	"slices"
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

// Layout is a grid laid out whole, of which pages are asked. Like the engine
// it is for one goroutine.
type Layout struct {
	of      *levelColumns
	groups  []gathering
	places  [][]standingPlace
	most    []int
	entries []gridEntry
	whole   []Cell
}

// LayOut computes and sorts a grid. Subjects without any figure in it are left
// out. Missing figures sort last either way, ties by key. A subtotal is the
// figure of the group as such, a ratio of its sums; subjects stand in the group
// they belong to on the last day asked for.
func (e *Engine) LayOut(a Ask) *Layout {
	var heads []Head
	for _, m := range a.Measures {
		for _, p := range a.Periods {
			heads = append(heads, Head{m, p})
		}
	}
	l := &Layout{of: e.columnsOf(heads, a.Level), groups: e.gather(a, heads)}
	codes := l.of.matching(strings.ToLower(a.Text))
	inner := func(int) uint32 { return 0 }
	if n := len(l.groups); n > 0 {
		inner = func(code int) uint32 { return l.groups[n-1].codes[code] }
	}
	for k, c := range l.of.columns {
		places, most := placed(c, codes, e.Book.Measure(heads[k].Measure).GoodDown, inner)
		l.places, l.most = append(l.places, places), append(l.most, most)
	}
	slices.SortFunc(codes, func(x, y int) int {
		for _, group := range l.groups {
			if p, q := group.codes[x], group.codes[y]; p != q {
				return cmp.Compare(group.keys[p], group.keys[q])
			}
		}
		return a.compare(l.of, x, y)
	})
	l.entries = layOut(codes, l.groups)
	l.whole = e.columnsOf(heads, Level{}).row(0).Cells
	return l
}

// Engine is the one whose figures are laid out.
func (l *Layout) Engine() *Engine { return l.of.e }

// Page is a page of a grid laid out.
func (l *Layout) Page(offset, limit int) Grid {
	g := Grid{Heads: l.of.heads, Places: l.most, Whole: l.whole, Total: len(l.entries)}
	end := min(len(l.entries), offset+limit)
	for _, entry := range l.entries[min(offset, end):end] {
		if entry.depth > 0 {
			row := l.groups[entry.depth-1].of.row(entry.code)
			row.Depth = entry.depth
			g.Rows = append(g.Rows, row)
			continue
		}
		row := l.of.row(entry.code)
		for k := range row.Cells {
			place := l.places[k][entry.code]
			row.Cells[k].Place, row.Cells[k].Worst = place.Place, place.Worst
		}
		g.Rows = append(g.Rows, row)
	}
	return g
}

// Grid computes a page of a grid, see LayOut.
func (e *Engine) Grid(a Ask) Grid { return e.LayOut(a).Page(a.Offset, a.Limit) }

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

func (e *Engine) gather(a Ask, heads []Head) []gathering {
	var out []gathering
	last := e.Slot(a.Level, a.Periods[len(a.Periods)-1])
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

// standingPlace is one code's place in a column.
type standingPlace struct {
	Place int
	Worst bool
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

func (a Ask) compare(of *levelColumns, x, y int) int {
	order := 0
	if a.Sort < 0 {
		order = strings.Compare(of.names[x], of.names[y])
	} else {
		c := of.columns[a.Sort]
		switch here, there := c.Why[x] == Present, c.Why[y] == Present; {
		case here && there:
			order = cmp.Compare(c.Value[x], c.Value[y])
		case here:
			return -1
		case there:
			return 1
		}
	}
	if a.Descending {
		order = -order
	}
	if order == 0 {
		order = strings.Compare(of.keys[x], of.keys[y])
	}
	return order
}

// placed gives the dense places of some codes in a column within their groups,
// 1 the best; most is the largest number of places in any group.
func placed(c *Column, codes []int, down bool, group func(int) uint32) (places []standingPlace, most int) {
	places = make([]standingPlace, len(c.Value))
	lists := map[uint32][]int{}
	for _, code := range codes {
		if c.Why[code] == Present {
			lists[group(code)] = append(lists[group(code)], code)
		}
	}
	for _, order := range lists {
		slices.SortFunc(order, func(x, y int) int {
			if down {
				return cmp.Compare(c.Value[x], c.Value[y])
			}
			return cmp.Compare(c.Value[y], c.Value[x])
		})
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
