// Package measure turns definitions into figures: a value for every subject,
// group or the whole, in a period.
//
// Values are computed in floating point together with a bound on their error,
// so that whoever compares one can tell when it is too near the cut; Exact
// then gives the true rational.
package measure

import (
	"math/big"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/ledger"
	"oskel/core/rulebook"
)

// Why says why a value is missing.
type Why uint8

// The reasons. Present is no reason: the value is there.
const (
	Present Why = iota
	NoLines
	ZeroBase
	BeyondRange
	NoBase
	BaseNotPositive
	NoPeriod
	LittleHistory
	NoTarget
	Otherwise
	NotThere
	NoSpread
	NegativeWeight
	TooLarge
)

func (w Why) String() string {
	return [...]string{"", "no lines in the period", "division by zero", "the sum is beyond 900 trillion", "no base to compare with",
		"the base is not above zero", "there is no such period", "not enough history", "no target", "by its formula", "no such group in the period",
		"no spread", "a negative weight", "too large"}[w]
}

// Engine computes the measures of one book over one snapshot, and keeps what
// it computed. It is for one goroutine.
type Engine struct {
	Book     *rulebook.Book
	Snapshot *ledger.Snapshot
	base     Aggregator
	stop     func() bool
	asked    uint // how often something was settled exactly
	cache
	dials  map[any]string              // what is known of a measure's or a formula's dials, in this book
	begins map[*lang.Node]calendar.Day // from which day on what a formula reads has lines

	hypothetical map[supposedKey]*big.Rat // of an engine that asks what if; nil is missing

	given       Given // of an engine that is told its figures
	givenTarget amount.Amount
	givenSlot   Slot
}

// cache is what an engine has computed.
type cache struct {
	columns     map[key]*Column
	formulas    map[formulaKey]*Column
	peerFigures map[peerKey]*big.Rat // exact figures of groups of peers
	gathered    map[key][]*big.Rat   // exact figures of groups, made of their subjects' values
	totals      map[key]*ledger.Totals
	held        map[key][]amount.Amount // targets
	paired      map[Level]*ledger.Pairs
	codes       map[Level]map[string]uint32 // of the keys of groups and pairs
	seen        map[seenKey][]calendar.Day  // last days
	exists      map[Slot][]bool
	events      map[eventsKey]*Events
	shrunk      map[drawnKey][]drawnValue
	stood       map[formulaKey]map[uint32]*standing
	exacts      map[exactKey]exactValue // of measures that take many steps
	steps       map[string]int          // how many a measure takes, written out
}

// exactKey names the exact value of a measure for one code.
type exactKey struct {
	key
	code uint32
}

// exactValue is a rational number, nil with the reason where there is none.
type exactValue struct {
	value *big.Rat
	why   Why
}

// Exact values are remembered of measures that take more than so many steps, written out,
// and at most so many: each measure is computed once a question, however often it is named.
const (
	manySteps  = 48
	mostExacts = 1 << 16
)

// key names the column of a measure. Dials are the values of those that it
// hangs on, so that books which differ in them alone can share what they have
// in common.
type key struct {
	measure string
	slot    Slot
	dials   string
}

// seenKey names the days on which subjects were seen in a feed, by a column of subjects, as of a day.
type seenKey struct {
	feed   string
	column int
	asOf   calendar.Day
}

// peerKey names what a formula is over one group, by the code of the group's attribute.
type peerKey struct {
	formulaKey
	group uint32
}

// formulaKey names the column of a formula: the node itself, never its text, since two books may
// mean different things by the same words.
type formulaKey struct {
	node  *lang.Node
	slot  Slot
	dials string
}

// New is an engine over the columns of a snapshot.
func New(book *rulebook.Book, snapshot *ledger.Snapshot) *Engine {
	e := &Engine{Book: book, Snapshot: snapshot, dials: map[any]string{}, begins: map[*lang.Node]calendar.Day{}, cache: cache{
		columns: map[key]*Column{}, formulas: map[formulaKey]*Column{}, peerFigures: map[peerKey]*big.Rat{}, gathered: map[key][]*big.Rat{},
		totals: map[key]*ledger.Totals{}, held: map[key][]amount.Amount{}, paired: map[Level]*ledger.Pairs{}, codes: map[Level]map[string]uint32{},
		seen: map[seenKey][]calendar.Day{}, exists: map[Slot][]bool{}, events: map[eventsKey]*Events{}, shrunk: map[drawnKey][]drawnValue{},
		stood: map[formulaKey]map[uint32]*standing{}, exacts: map[exactKey]exactValue{}, steps: map[string]int{},
	}}
	e.base = Memory{e}
	return e
}

// dialsUnder writes the values of all dials that a formula hangs on, through
// the measures it names too.
func (e *Engine) dialsUnder(n *lang.Node) string {
	if text, ok := e.dials[n]; ok {
		return text
	}
	text := ""
	for _, name := range e.Book.DialsUnder(n) {
		text += name + "=" + e.Book.Dial(name).Value.String() + ";"
	}
	e.dials[n] = text
	return text
}

func (e *Engine) measureKey(measure string, s Slot) key {
	if text, ok := e.dials[measure]; ok {
		return key{measure, s, text}
	}
	e.dials[measure] = ""
	if f := e.Book.Measure(measure).Formula; f != nil {
		e.dials[measure] = e.dialsUnder(f.Tree)
	}
	return key{measure, s, e.dials[measure]}
}

func (e *Engine) formulaKey(n *lang.Node, s Slot) formulaKey {
	return formulaKey{n, s, e.dialsUnder(n)}
}

// Until makes the engine give up once stop says so: figures it computes from
// then on are void, and whoever set stop must ask before using any.
func (e *Engine) Until(stop func() bool) { e.stop = stop }

// Stopped says whether the engine has given up.
func (e *Engine) Stopped() bool { return e.stop != nil && e.stop() }

// With is an engine of another book over the same snapshot, which knows what
// this one has computed so far as the two books agree: aggregates of lines
// where all of them are the same, figures where all measures are, and what is
// made of single formulas where one book is a copy of the other. Dials may
// differ. Both are for one goroutine together.
func (e *Engine) With(book *rulebook.Book) *Engine {
	out := New(book, e.Snapshot)
	out.stop = e.stop
	if !rulebook.SameLines(e.Book, book) {
		return out
	}
	out.totals, out.held, out.paired, out.seen, out.exists, out.events = e.totals, e.held, e.paired, e.seen, e.exists, e.events
	if rulebook.SameMeasures(e.Book, book) {
		out.columns, out.gathered = e.columns, e.gathered
		if rulebook.SameNodes(e.Book, book) {
			out.formulas, out.peerFigures, out.shrunk, out.stood = e.formulas, e.peerFigures, e.shrunk, e.stood
		}
	}
	return out
}

// Fork is an engine of the same book and snapshot that shares nothing else with
// this one, for another goroutine.
func (e *Engine) Fork() *Engine {
	out := New(e.Book, e.Snapshot)
	out.stop = e.stop
	return out
}

// Weight is about how many bytes what was computed takes.
func (e *Engine) Weight() int {
	n := 0
	for _, c := range e.columns {
		n += 17 * len(c.Value)
	}
	for _, c := range e.formulas {
		n += 17 * len(c.Value)
	}
	for _, days := range e.seen {
		n += 8 * len(days)
	}
	for _, t := range e.totals {
		n += 16 * len(t.Counts)
	}
	for _, v := range e.events {
		n += v.bytes()
	}
	for _, codes := range e.codes {
		n += 64 * len(codes)
	}
	return n
}

// LastDays is the last day up to asOf on which each subject has a line of a
// feed. It is not to be written to.
func (e *Engine) LastDays(f *ledger.Feed, column, subjects int, asOf calendar.Day) []calendar.Day {
	k := seenKey{f.Name, column, asOf}
	if e.seen[k] == nil {
		e.seen[k] = f.LastDays(column, subjects, asOf)
	}
	return e.seen[k]
}

// Column computes a measure for every code of a slot. The measure must be of
// the book, and checked.
func (e *Engine) Column(measure string, s Slot) *Column {
	if a, told := e.given[measure]; told {
		return e.masked(e.givenColumn(a, s), s)
	}
	def := e.Book.Measure(measure)
	if def.Formula == nil {
		s.Ended = false // it is about what formulas compare
	}
	k := e.measureKey(measure, s)
	if c := e.columns[k]; c != nil {
		return c
	}
	var c *Column
	plain, gathers := def.Groups.Of(s.Level)
	switch {
	case gathers:
		c = e.gather(def, plain, s)
	case def.Formula != nil:
		c = e.Formula(def.Formula.Tree, s)
	case def.Days != "":
		c = constant(e.days(def, s), e.Size(s.Level))
	default:
		c = e.baseColumn(def, s)
	}
	c = e.suppose(e.masked(c, s), measure, s)
	e.columns[k] = c
	return c
}

func (e *Engine) baseTotals(def *rulebook.Measure, s Slot) *ledger.Totals {
	s.Ended = false
	k := key{measure: def.Name, slot: s}
	t := e.totals[k]
	if t == nil {
		t = e.base.Aggregate(def, s)
		e.totals[k] = t
	}
	return t
}

// Totals are an aggregate of lines for every code of a slot. The measure must be
// one; the totals are not to be written to.
func (e *Engine) Totals(measure string, s Slot) *ledger.Totals {
	return e.baseTotals(e.Book.Measure(measure), s)
}

// days is how many days, or working days, a slot has.
func (e *Engine) days(def *rulebook.Measure, s Slot) amount.Amount {
	n := int64(0)
	for _, days := range e.spans(s) {
		if def.Days == "working" {
			n += int64(e.Book.Calendar.WorkingDays(days.first, days.last))
		} else {
			n += int64(days.last-days.first) + 1
		}
	}
	return amount.FromInt(n)
}
