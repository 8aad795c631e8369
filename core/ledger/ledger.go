// Package ledger holds lines, registers and targets in columns, as they are
// read: an immutable Snapshot of one data version.
//
// Lines lie in chunks of one feed and month, in date order; chunks are shared
// between snapshots, so that an intake replaces only those of its months.
// Subjects are numbered by code from 0, per kind; a code never changes its
// subject. Readers need no lock.
package ledger

import (
	"math"
	"slices"
	"sync"

	"oskel/core/amount"
	"oskel/core/calendar"
)

// Snapshot is everything that is known at one data version.
type Snapshot struct {
	Version   int64
	Registers map[string]*Register // by kind
	Feeds     map[string]*Feed     // by name
	Targets   map[SheetKey]*Sheet

	pairs pairsKept
	index cache
}

// Feed is the lines of one feed: the names of its columns, and its chunks by
// rising month.
type Feed struct {
	Name     string
	Subjects []string
	Numbers  []string
	Labels   []*Label
	Chunks   []*Chunk
}

// Label is a label column's dictionary: a line's code stands for a word. Code
// 0 is no word. Words are only ever added.
type Label struct {
	Column string
	Words  []string
}

// Nobody stands in a column of subjects where a line names none: it came
// before the feed had the column.
const Nobody = math.MaxUint32

// Chunk is the lines of one feed and month. All columns have as many lines as
// Days. Numbers hold amount.Missing where a line has no value, subjects Nobody
// where it names none.
type Chunk struct {
	Month    calendar.Month
	Days     Days
	Subjects [][]uint32
	Numbers  [][]amount.Amount
	Labels   [][]uint32

	once    sync.Once
	known   []facts
	nobody  []bool // by subject column: some line names nobody
	memo    memo[*Totals]
	orders  memo[*Order]
	daySets memo[*DaySets]
}

// Memo keeps what was computed from a chunk: chunks never change, so it holds
// for ever. Two who compute the same at once both do so; one result is kept.
// When a chunk remembers more than several times its own size, it forgets, and
// computes anew what is still asked for.
func (c *Chunk) Memo(key any, compute func() *Totals) *Totals {
	if t, ok := c.memo.get(key); ok {
		return t
	}
	return c.memo.put(key, compute(), leastRemembered+timesRemembered*c.size())
}

// Remembers says whether something was kept under a key.
func (c *Chunk) Remembers(key any) bool {
	_, ok := c.memo.get(key)
	return ok
}

// size is about how many bytes the columns take.
func (c *Chunk) size() int {
	return c.Days.Len() * (4*len(c.Subjects) + 8*len(c.Numbers) + 4*len(c.Labels))
}

// names says whether every line names a subject in a column.
func (c *Chunk) names(subject int) bool {
	c.learn()
	return !c.nobody[subject]
}

func (c *Chunk) learn() {
	c.once.Do(func() {
		c.known = make([]facts, len(c.Numbers))
		c.nobody = make([]bool, len(c.Subjects))
		for k, codes := range c.Subjects {
			c.nobody[k] = slices.Contains(codes, Nobody)
		}
	})
}

// HasLines says whether the feed has a line from first to last.
func (f *Feed) HasLines(first, last calendar.Day) bool {
	for _, c := range f.Chunks {
		if c.Month.First() > last || c.Month.Last() < first {
			continue
		}
		if from, to := c.Between(max(first, c.Month.First()), min(last, c.Month.Last())); from < to {
			return true
		}
	}
	return false
}

// Days are the first and the last day with a line; ok is false where there is none.
func (f *Feed) Days() (first, last calendar.Day, ok bool) {
	for _, c := range f.Chunks {
		n := c.Days.Len()
		if n == 0 {
			continue
		}
		if !ok {
			first, ok = c.Month.First()+calendar.Day(c.Days.Of(0))-1, true
		}
		last = c.Month.First() + calendar.Day(c.Days.Of(n-1)) - 1
	}
	return first, last, ok
}

// Within is the one chunk that has lines of some days, first and last among
// them, if all its lines are; else nil.
func (f *Feed) Within(first, last calendar.Day) (only *Chunk) {
	for _, c := range f.Chunks {
		switch {
		case c.Month.Last() < first || c.Month.First() > last:
		case only != nil, c.Month.First() < first, c.Month.Last() > last:
			return nil
		default:
			only = c
		}
	}
	return only
}

// Column finds a column by name among names, or -1.
func Column(names []string, name string) int {
	for i, n := range names {
		if n == name {
			return i
		}
	}
	return -1
}

// Never stands for an open end of a register's active days.
const Never calendar.Day = -1 << 31

// Register lists the subjects of one kind by code.
type Register struct {
	Kind       string
	Keys       []string
	Names      []string
	Attributes map[string]*Attribute

	active []Spell            // by code; nil where all are active for ever
	spells map[uint32][]Spell // of subjects that are active in other days than one stretch; none is never

	once  sync.Once
	codes map[string]uint32 // when first asked for: nothing that is computed needs it
}

// Spell is a stretch of days in which a subject is active, both ends included;
// Never is an open end.
type Spell struct{ First, Last calendar.Day }

func (s Spell) meets(first, last calendar.Day) bool {
	return (s.First == Never || s.First <= last) && (s.Last == Never || s.Last >= first)
}

// NewRegister is a register of keys and names of equal length, all active for ever.
func NewRegister(kind string, keys, names []string) *Register {
	return &Register{Kind: kind, Keys: keys, Names: names, Attributes: map[string]*Attribute{}}
}

// Code is the code of a key.
func (r *Register) Code(key string) (uint32, bool) {
	r.once.Do(func() {
		r.codes = make(map[string]uint32, len(r.Keys))
		for i, k := range r.Keys {
			r.codes[k] = uint32(i)
		}
	})
	c, ok := r.codes[key]
	return c, ok
}

// Active says whether the subject was active on any day from first to last.
func (r *Register) Active(code uint32, first, last calendar.Day) bool {
	if spells, ok := r.spells[code]; ok {
		return slices.ContainsFunc(spells, func(s Spell) bool { return s.meets(first, last) })
	}
	return r.active == nil || r.active[code].meets(first, last)
}

// Throughout says whether a subject is active on every day from first to last.
func (r *Register) Throughout(code uint32, first, last calendar.Day) bool {
	if _, ok := r.spells[code]; !ok {
		return r.active == nil || r.active[code].meets(first, first) && r.active[code].meets(last, last)
	}
	for day := first; day <= last; day++ {
		if !r.Active(code, day, day) {
			return false
		}
	}
	return true
}

// AllActive says whether every subject is active for ever.
func (r *Register) AllActive() bool { return r.active == nil && r.spells == nil }

// ActiveDays are the days in which a subject is active, from the first to the last.
func (r *Register) ActiveDays(code uint32) Spell {
	if r.active == nil {
		return Spell{Never, Never}
	}
	return r.active[code]
}

// SetActive says in which days a subject is active.
func (r *Register) SetActive(code uint32, days Spell) {
	if r.active == nil {
		if days == (Spell{Never, Never}) {
			return
		}
		r.active = slices.Repeat([]Spell{{Never, Never}}, len(r.Keys))
	}
	r.active[code] = days
}

// SetRows says when a subject is active by the rows its register holds of it,
// each from its day until the next: in its own active days, a blank end being
// open whatever stood before. The first row speaks for all days before it.
// Without a row a subject is never active.
func (r *Register) SetRows(code uint32, rows []ActiveRow) {
	if len(rows) == 1 {
		r.SetActive(code, rows[0].Active)
		return
	}
	spells := []Spell{}
	for i, row := range rows {
		s := row.Active
		if i > 0 && (s.First == Never || s.First < row.From) {
			s.First = row.From
		}
		if i+1 < len(rows) && (s.Last == Never || s.Last >= rows[i+1].From) {
			s.Last = rows[i+1].From - 1
		}
		switch n := len(spells); {
		case s.First != Never && s.Last != Never && s.First > s.Last: // never in force
		case n > 0 && spells[n-1].Last != Never && s.First == spells[n-1].Last+1:
			spells[n-1].Last = s.Last
		default:
			spells = append(spells, s)
		}
	}
	if len(spells) > 0 {
		r.SetActive(code, Spell{spells[0].First, spells[len(spells)-1].Last})
	}
	if len(spells) != 1 {
		if r.spells == nil {
			r.spells = map[uint32][]Spell{}
		}
		r.spells[code] = spells
	}
}

// ActiveRow is one row of a register: from when it holds, Never from the beginning, and
// in which days it says that its subject is active.
type ActiveRow struct {
	From   calendar.Day
	Active Spell
}

// SheetKey names a target sheet.
type SheetKey struct{ Kind, Measure string }

// Sheet holds targets by month and subject code; amount.Missing, or a code
// beyond the column, is no target.
type Sheet struct {
	Months map[calendar.Month][]amount.Amount
}

// Target is the target of a subject in a month, if there is one.
func (s *Sheet) Target(m calendar.Month, code uint32) (amount.Amount, bool) {
	if s == nil || int(code) >= len(s.Months[m]) {
		return 0, false
	}
	a := s.Months[m][code]
	return a, a != amount.Missing
}

// Set records a target.
func (s *Sheet) Set(m calendar.Month, code uint32, a amount.Amount) {
	column := s.Months[m]
	for int(code) >= len(column) {
		column = append(column, amount.Missing)
	}
	column[code] = a
	s.Months[m] = column
}
