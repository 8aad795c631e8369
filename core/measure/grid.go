package measure

import (
	"cmp"
	"math/big"
	"slices"
	"strings"

	"oskel/core/calendar"
	"oskel/core/lang"
)

// Ask is a question for a grid: figures of a level's subjects, in columns of
// measures and periods.
type Ask struct {
	Level      Level
	Measures   []string
	Periods    []calendar.Period
	Text       string            // in key or name; "" is all
	Where      *lang.Node        // of the newest period: for whom it holds; nil is all
	Only       []string          // these keys alone, in order, whether active or not; nil is all that are active
	Figures    bool              // those alone who have a figure
	Also       []string          // these keys, in order, are listed without a figure too, active or not
	Marked     []string          // these keys, in order, are marked
	Severity   []int             // of the most serious mark of each, 0 the most
	Sort       int               // a column, or ByName, or ByMarks: the more serious the larger
	Top        int               // the first so many, as they are sorted; 0 is all
	Descending bool              // within their groups, where there are some
	Groups     []Level           // gather rows under subtotals of these, the widest first
	Across     Level             // columns are those of this level, of another kind, and the total: of one measure in one period
	Lines      []calendar.Period // of each row and measure these figures too, to be drawn
	Limit      int
	Offset     int
}

// What rows are sorted by beside columns.
const (
	ByName  = -1
	ByMarks = -2
)

// Head is one column of a grid. Across is whose it is, of a level across.
type Head struct {
	Measure string
	Period  calendar.Period
	Across  *Side
}

// Side is one of a level across.
type Side struct {
	Code      uint32
	Key, Name string
}

// Spread is how the figures of a column lie, of the subjects that are listed: percentiles of
// type 7. Of none it is nil.
type Spread struct{ Low, P5, Median, P95, High, Mean float64 }

// Cell is one figure: exact, or why it is missing. Place is its dense place in
// its column among all that match, or with groups among those of the innermost
// one; 1 the best.
type Cell struct {
	Value *big.Rat
	Float float64
	Why   Why
	Place int
	Worst bool // the last place of three or more
	Tied  bool // others share the place
}

// GridRow is the figures of one subject, or with a Depth from 1 the subtotal
// of a group, which precedes its members.
type GridRow struct {
	Level     Level
	Depth     int
	Code      uint32
	Key, Name string
	Cells     []Cell
	Lines     [][]Cell // by measure and period, of what is to be drawn; without exact values
}

// Grid answers an Ask: one page of rows, the whole's figures, and how many
// rows there are, subtotals too. Places holds, by column, how many different
// places there are. Without is how many of those who match have no figure in any column,
// listed or not.
type Grid struct {
	Heads   []Head
	Rows    []GridRow
	Whole   []Cell
	Places  []int
	Spreads []*Spread
	Total   int
	Without int
}

// Figures are the columns of a grid, of all subjects, whoever is listed and however they are
// sorted. Like the engine they are for one goroutine.
type Figures struct {
	of     *levelColumns
	groups []gathering
	whole  []Cell
	last   placing
}

// placing is how some codes stand in each column: their places, how many of these there are,
// and how the figures lie.
type placing struct {
	codes   []int // in order of code
	places  [][]gridPlace
	most    []int
	spreads []*Spread
}

// Layout is a grid laid out whole, of which pages are asked. Like the engine
// it is for one goroutine.
type Layout struct {
	*Figures
	placing
	entries []gridEntry
	without int
	lines   []calendar.Period
}

// LayOut computes and sorts a grid: all who are active in one of the periods, or have a
// figure. Missing figures sort last either way, ties by key. A subtotal is the
// figure of the group as such, a ratio of its sums; subjects stand in the group
// they belong to on the last day asked for.
func (e *Engine) LayOut(a Ask) *Layout { return e.Figures(a).LayOut(a) }

// Figures computes the columns that are asked for, by level, measures, periods, groups and what
// lies across; the rest of the ask says how they are laid out.
func (e *Engine) Figures(a Ask) *Figures {
	heads := e.heads(a)
	return &Figures{of: e.columnsOf(heads, a.Level, a.Across), groups: e.gatherings(a, heads),
		whole: e.columnsOf(heads, Level{}, a.Across).row(0).Cells}
}

// SameFigures tells whether two asks are of the same columns.
func (a Ask) SameFigures(b Ask) bool {
	return a.Level == b.Level && a.Across == b.Across && slices.Equal(a.Measures, b.Measures) && slices.Equal(a.Periods, b.Periods) &&
		slices.Equal(a.Groups, b.Groups)
}

// stand gives how some codes stand. Who is listed seldom changes while one sorts and tries, so
// that the last answer is remembered.
func (f *Figures) stand(codes []int) placing {
	if f.last.places != nil && slices.Equal(f.last.codes, codes) {
		return f.last
	}
	out := placing{codes: slices.Clone(codes)}
	inner := func(int) uint32 { return 0 }
	if n := len(f.groups); n > 0 {
		inner = func(code int) uint32 { return f.groups[n-1].codes[code] }
	}
	for k, c := range f.of.columns {
		places, most := placed(c, codes, f.of.e.Book.Measure(f.of.heads[k].Measure).GoodDown, f.of.exactly(k), inner)
		out.places, out.most, out.spreads = append(out.places, places), append(out.most, most), append(out.spreads, spreadOf(c, codes))
	}
	if !f.of.e.Stopped() {
		f.last = out
	}
	return out
}

// LayOut lists and sorts as is asked.
func (f *Figures) LayOut(a Ask) *Layout {
	codes, without := f.of.matching(a)
	l := &Layout{Figures: f, placing: f.stand(codes), without: without, lines: a.Lines}
	order := a.order(l.of, codes)
	slices.SortFunc(codes, func(x, y int) int {
		for _, group := range l.groups {
			if p, q := group.codes[x], group.codes[y]; p != q {
				return cmp.Compare(group.keys[p], group.keys[q])
			}
		}
		return order(x, y)
	})
	if a.Top > 0 {
		codes = codes[:min(a.Top, len(codes))]
	}
	l.entries = layOut(codes, l.groups)
	return l
}

// Lists are the keys of a level that have a row on some page, subtotals too: of its subjects
// those among some keys, in order, since they may be many.
func (l *Layout) Lists(level Level, among []string) map[string]bool {
	out := map[string]bool{}
	for _, entry := range l.entries {
		of := l.of
		if entry.depth > 0 {
			of = l.groups[entry.depth-1].of
		}
		if of.level != level {
			continue
		}
		key := of.keys[entry.code]
		if _, found := slices.BinarySearch(among, key); found || entry.depth > 0 {
			out[key] = true
		}
	}
	return out
}

// Engine is the one whose figures are laid out.
func (f *Figures) Engine() *Engine { return f.of.e }

// Page is a page of a grid laid out.
func (l *Layout) Page(offset, limit int) Grid {
	g := Grid{Heads: l.of.heads, Places: l.most, Spreads: l.spreads, Whole: l.whole, Total: len(l.entries), Without: l.without}
	end := min(len(l.entries), offset+limit)
	for _, entry := range l.entries[min(offset, end):end] {
		if entry.depth > 0 {
			row := l.groups[entry.depth-1].of.row(entry.code)
			row.Depth, row.Lines = entry.depth, l.groups[entry.depth-1].of.linesOf(entry.code, l.lines)
			g.Rows = append(g.Rows, row)
			continue
		}
		row := l.of.row(entry.code)
		row.Lines = l.of.linesOf(entry.code, l.lines)
		for k := range row.Cells {
			place := l.places[k][entry.code]
			row.Cells[k].Place, row.Cells[k].Worst, row.Cells[k].Tied = place.Place, place.Worst, place.Tied
		}
		g.Rows = append(g.Rows, row)
	}
	return g
}

// Grid computes a page of a grid, see LayOut.
func (e *Engine) Grid(a Ask) Grid { return e.LayOut(a).Page(a.Offset, a.Limit) }

// heads are the columns that are asked for: of a level across those who have a figure by
// themselves, in order of their names, and the total.
func (e *Engine) heads(a Ask) (heads []Head) {
	if a.Across.Kind != "" {
		m, p := a.Measures[0], a.Periods[0]
		for _, side := range e.Across(a) {
			heads = append(heads, Head{m, p, &side})
		}
		return append(heads, Head{Measure: m, Period: p})
	}
	for _, m := range a.Measures {
		for _, p := range a.Periods {
			heads = append(heads, Head{Measure: m, Period: p})
		}
	}
	return heads
}

// levelColumns are a grid's columns at one level.
type levelColumns struct {
	e           *Engine
	level       Level
	heads       []Head
	slots       []Slot
	columns     []*Column
	keys, names []string
	cross       *crossing // nil where columns are of the level itself
	rows        map[int][]Cell
}

// mostRows bounds how many rows of exact figures are remembered, and mostRemembered their cells:
// some pages of what is looked at.
const mostRows, mostRemembered = 2_000, 100_000

func (e *Engine) columnsOf(heads []Head, l, across Level) *levelColumns {
	of := &levelColumns{e: e, level: l, heads: heads}
	of.keys, of.names = e.Names(l)
	if across.Kind != "" {
		of.crossed(across)
		return of
	}
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

// matching lists the codes that are asked for, and counts those among them who have no
// figure, whether these are listed or not.
func (of *levelColumns) matching(a Ask) (codes []int, without int) {
	text := strings.ToLower(a.Text)
	bears := func(code int) bool {
		return text == "" || strings.Contains(strings.ToLower(of.keys[code]), text) || strings.Contains(strings.ToLower(of.names[code]), text)
	}
	holds := func(int) bool { return true }
	if a.Where != nil {
		holds = of.e.Holds(a.Where, of.e.Slot(of.level, a.Periods[len(a.Periods)-1]))
	}
	listed := of.active()
	among := func(keys []string, code int) bool {
		_, found := slices.BinarySearch(keys, of.keys[code])
		return found
	}
	for code := range of.keys {
		some := slices.ContainsFunc(of.columns, func(c *Column) bool { return c.Why[code] == Present })
		also := !some && among(a.Also, code)
		switch {
		case !bears(code), !holds(code), a.Only != nil && !among(a.Only, code), a.Only == nil && !some && !also && !listed(code):
			continue
		case !some:
			without++
		}
		if some || also || !a.Figures {
			codes = append(codes, code)
		}
	}
	return codes, without
}

// active tells who is active in one of the periods.
func (of *levelColumns) active() func(code int) bool {
	var in []func(code uint32) bool
	for k, slot := range of.slots {
		if slices.ContainsFunc(of.slots[:k], func(s Slot) bool { return s.Period == slot.Period }) {
			continue
		}
		active := of.e.Active(slot)
		if active == nil {
			return func(int) bool { return true }
		}
		in = append(in, active)
	}
	return func(code int) bool {
		return slices.ContainsFunc(in, func(active func(uint32) bool) bool { return active(uint32(code)) })
	}
}

// exactly answers for the exact figures of a column.
func (of *levelColumns) exactly(k int) func(code int) *big.Rat {
	return func(code int) *big.Rat {
		at, slot, ok := of.where(k, code)
		if !ok {
			return nil
		}
		v, _ := of.e.Exact(of.heads[k].Measure, at, slot)
		return v
	}
}

// where is whose figure a cell shows, as code and slot; false where there is none such.
func (of *levelColumns) where(k, code int) (uint32, Slot, bool) {
	if of.cross == nil {
		return uint32(code), of.slots[k], true
	}
	return of.cross.where(of, k, code)
}

func (of *levelColumns) row(code int) GridRow {
	row := GridRow{Level: of.level, Code: uint32(code), Key: of.keys[code], Name: of.names[code]}
	if cells, known := of.rows[code]; known {
		row.Cells = slices.Clone(cells) // their places are of one layout
		return row
	}
	for k, c := range of.columns {
		cell := Cell{Float: c.Value[code], Why: c.Why[code]}
		if cell.Why == Present {
			cell.Value = of.exactly(k)(code)
		}
		row.Cells = append(row.Cells, cell)
	}
	if of.e.Stopped() {
		return row // it may not be whole
	}
	if of.rows == nil || len(of.rows) >= mostRows || (len(of.rows)+1)*len(of.columns) > mostRemembered {
		of.rows = map[int][]Cell{}
	}
	of.rows[code] = slices.Clone(row.Cells)
	return row
}

// gathering is one depth of groups: which group each code of the rows' level
// belongs to, and the groups' own figures.
type gathering struct {
	codes []uint32
	keys  []string
	of    *levelColumns
}

func (e *Engine) gatherings(a Ask, heads []Head) []gathering {
	var out []gathering
	last := e.Slot(a.Level, a.Periods[len(a.Periods)-1])
	for _, group := range a.Groups {
		level, codes := e.group(last, group.Kind, group.By)
		if codes == nil {
			continue
		}
		of := e.columnsOf(heads, level, a.Across)
		out = append(out, gathering{codes, of.keys, of})
	}
	return out
}

// gridPlace is one code's place in a column.
type gridPlace struct {
	Place int
	Worst bool
	Tied  bool
}

// gridEntry is a row of a grid: a code, or, from depth 1 on, the subtotal of a group by its code.
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

// order compares codes as is asked: by name, or by the figures of a column as
// they truly are, the missing ones last either way. Ties go by key.
func (a Ask) order(of *levelColumns, codes []int) func(x, y int) int {
	by := func(x, y int) int { return strings.Compare(of.names[x], of.names[y]) }
	there := func(int) bool { return true }
	if a.Sort == ByMarks {
		severity := make([]int, len(of.keys))
		for code, key := range of.keys {
			severity[code] = -1
			if at, marked := slices.BinarySearch(a.Marked, key); marked {
				severity[code] = a.Severity[at]
			}
		}
		there = func(code int) bool { return severity[code] >= 0 }
		by = func(x, y int) int { return cmp.Compare(severity[y], severity[x]) }
	}
	if a.Sort >= 0 {
		a.Sort = min(a.Sort, len(of.columns)-1) // of a level across it is not known before how many there are
		c := of.columns[a.Sort]
		there = func(code int) bool { return c.Why[code] == Present }
		present := slices.DeleteFunc(slices.Clone(codes), func(code int) bool { return !there(code) })
		place := make([]int, len(c.Value))
		for k, p := range c.Rank(present, of.exactly(a.Sort)) {
			place[present[k]] = p
		}
		by = func(x, y int) int { return cmp.Compare(place[x], place[y]) }
	}
	return func(x, y int) int {
		switch p, q := there(x), there(y); {
		case p != q && p:
			return -1
		case p != q:
			return 1
		case p:
			if order := by(x, y); order != 0 && a.Descending {
				return -order
			} else if order != 0 {
				return order
			}
		}
		return strings.Compare(of.keys[x], of.keys[y])
	}
}

// placed gives the dense places of some codes in a column within their groups,
// 1 the best; most is the largest number of places in any group.
func placed(c *Column, codes []int, down bool, exact func(int) *big.Rat, group func(int) uint32) (places []gridPlace, most int) {
	places = make([]gridPlace, len(c.Value))
	lists := map[uint32][]int{}
	for _, code := range codes {
		if c.Why[code] == Present {
			lists[group(code)] = append(lists[group(code)], code)
		}
	}
	for _, order := range lists {
		ranks := c.Rank(order, exact)
		last, many := ranks[len(ranks)-1], make([]int, ranks[len(ranks)-1]+1)
		for _, rank := range ranks {
			many[rank]++
		}
		for k, code := range order {
			place := last - ranks[k] + 1
			if down {
				place = ranks[k] + 1
			}
			places[code] = gridPlace{place, len(order) > 2 && last > 0 && place == last+1, many[ranks[k]] > 1}
		}
		most = max(most, last+1)
	}
	return places, most
}
