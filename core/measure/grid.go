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
	Text       string // in key or name; "" is all
	Sort       int    // a column, or -1 for the subjects' names
	Descending bool
	Limit      int
	Offset     int
}

// Head is one column of a grid.
type Head struct {
	Measure string
	Period  calendar.Period
}

// Cell is one figure: exact, or why it is missing. Place is its dense place in
// its column among all that match, 1 the best.
type Cell struct {
	Value *big.Rat
	Float float64
	Why   Why
	Place int
}

// GridRow is the figures of one subject.
type GridRow struct {
	Code      uint32
	Key, Name string
	Cells     []Cell
}

// Grid answers an Ask: one page of rows, the whole's figures, and how many
// rows match. Places holds, by column, how many different places there are.
type Grid struct {
	Heads  []Head
	Rows   []GridRow
	Whole  []Cell
	Places []int
	Total  int
}

// Grid computes a grid. Subjects without any figure in it are left out.
// Missing figures sort last either way, ties by key.
func (e *Engine) Grid(a Ask) Grid {
	var g Grid
	var columns, wholes []*Column
	var slots []Slot
	for _, m := range a.Measures {
		for _, p := range a.Periods {
			s := e.Slot(a.Level, p)
			g.Heads = append(g.Heads, Head{m, p})
			slots = append(slots, s)
			columns = append(columns, e.Column(m, s))
			wholes = append(wholes, e.Column(m, e.Slot(Level{}, p)))
		}
	}
	keys, names := e.Names(a.Level)
	text := strings.ToLower(a.Text)
	var codes []int
	for code := range keys {
		some := false
		for _, c := range columns {
			some = some || c.Why[code] == Present
		}
		if some && (text == "" || strings.Contains(strings.ToLower(keys[code]), text) || strings.Contains(strings.ToLower(names[code]), text)) {
			codes = append(codes, code)
		}
	}
	g.Total = len(codes)
	places := make([][]int, len(columns))
	for k, c := range columns {
		var most int
		places[k], most = e.placed(c, codes, e.Book.Measure(g.Heads[k].Measure).GoodDown)
		g.Places = append(g.Places, most)
	}
	sort.SliceStable(codes, func(i, j int) bool { return a.less(columns, keys, names, codes[i], codes[j]) })
	end := min(len(codes), a.Offset+a.Limit)
	for _, code := range codes[min(a.Offset, end):end] {
		row := GridRow{Code: uint32(code), Key: keys[code], Name: names[code]}
		for k, c := range columns {
			cell := Cell{Float: c.Value[code], Why: c.Why[code], Place: places[k][code]}
			if cell.Why == Present {
				cell.Value, _ = e.Exact(g.Heads[k].Measure, uint32(code), slots[k])
			}
			row.Cells = append(row.Cells, cell)
		}
		g.Rows = append(g.Rows, row)
	}
	for k, c := range wholes {
		cell := Cell{Float: c.Value[0], Why: c.Why[0]}
		if cell.Why == Present {
			cell.Value, _ = e.Exact(g.Heads[k].Measure, 0, e.Slot(Level{}, g.Heads[k].Period))
		}
		g.Whole = append(g.Whole, cell)
	}
	return g
}

func (a Ask) less(columns []*Column, keys, names []string, x, y int) bool {
	if a.Sort < 0 {
		if names[x] != names[y] {
			return (names[x] < names[y]) != a.Descending
		}
		return keys[x] < keys[y]
	}
	c := columns[a.Sort]
	here, there := c.Why[x] == Present, c.Why[y] == Present
	switch {
	case here != there:
		return here
	case here && c.Value[x] != c.Value[y]:
		return (c.Value[x] < c.Value[y]) != a.Descending
	}
	return keys[x] < keys[y]
}

// placed gives the dense places of some codes in a column, 1 the best.
func (e *Engine) placed(c *Column, codes []int, down bool) (places []int, most int) {
	places = make([]int, len(c.Value))
	var order []int
	for _, code := range codes {
		if c.Why[code] == Present {
			order = append(order, code)
		}
	}
	sort.Slice(order, func(i, j int) bool { return (c.Value[order[i]] < c.Value[order[j]]) == down })
	for i, code := range order {
		if i == 0 || c.Value[order[i-1]] != c.Value[code] {
			most++
		}
		places[code] = most
	}
	return places, most
}
