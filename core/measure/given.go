package measure

import (
	"math/big"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/ledger"
	"oskel/core/rulebook"
)

// Given is the values of measures that are stated rather than computed; nil is
// missing.
type Given map[string]*big.Rat

// NewGiven is an engine of one subject, "example", of every kind, whose
// figures in a month are those given; what can be computed from them is. target is its
// target for whatever measure is asked, or amount.Missing. At a level of
// groups the subject stands for the last code.
func NewGiven(book *rulebook.Book, level Level, m calendar.Month, given Given, target amount.Amount, attributes map[string]lang.Value) *Engine {
	s := &ledger.Snapshot{Registers: map[string]*ledger.Register{}, Feeds: map[string]*ledger.Feed{}, Targets: map[ledger.SheetKey]*ledger.Sheet{}}
	for i := range book.Kinds {
		k := &book.Kinds[i]
		r := ledger.NewRegister(k.Name, []string{"example"}, []string{"example"})
		for _, a := range k.Attributes {
			r.SetAttribute(a.Name, []lang.Value{attributes[k.Name+"."+a.Name]})
		}
		s.Registers[k.Name] = r
	}
	e := New(book, s)
	if level.Paired() {
		e.paired[level] = &ledger.Pairs{First: []uint32{0}, Second: []uint32{0}}
	}
	e.given, e.givenTarget, e.givenSlot = given, target, e.Slot(level, calendar.MonthPeriod(m))
	return e
}

// Given says whether the engine is one that is told its figures.
func (e *Engine) Given() bool { return e.given != nil }

// tells says whether a slot is the one that figures are given for; of others,
// such as the period before or the whole, nothing is known.
func (e *Engine) tells(s Slot) bool {
	s.Ended = false
	return s == e.givenSlot
}

// givenColumn is a stated value for every code.
func (e *Engine) givenColumn(v *big.Rat, s Slot) *Column {
	if v == nil || !e.tells(s) {
		return e.missing(s, NoLines)
	}
	c := newColumn(e.Size(s.Level))
	f, _ := v.Float64()
	for i := range c.Value {
		c.set(i, f, 0, 1) // any rational may be told
	}
	return c
}
