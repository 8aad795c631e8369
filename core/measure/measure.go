// Package measure turns definitions into figures: a value for every subject,
// group or the whole, in a period.
//
// Values are computed in floating point together with a bound on their error,
// so that whoever compares one can tell when it is too near the cut; Exact
// then gives the true rational.
package measure

import (
	"cmp"
	"math"
	"math/big"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/ledger"
	"oskel/core/rulebook"
	"oskel/core/stats"
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
		"the base is not above zero", "there is no such period", "not enough history", "no target", "by its formula", "no such group in the period", "no spread", "a negative weight", "too large"}[w]
}

// Column is a measure for every code of a slot. Value[c] is within Error[c] of
// the true value where Why[c] is Present, and void otherwise.
type Column struct {
	Value []float64
	Error []float64
	Why   []Why

	// Decimal says that each value is the float64 nearest to a decimal so small
	// that no two share one: floats then compare as the true values do.
	Decimal bool
}

// Engine computes the measures of one book over one snapshot, and keeps what
// it computed. It is for one goroutine.
type Engine struct {
	Book     *rulebook.Book
	Snapshot *ledger.Snapshot
	base     Aggregator
	stop     func() bool
	asked    uint // how often something was settled exactly
	kept
	dials  map[any]string              // what is known of a measure's or a formula's dials, in this book
	begins map[*lang.Node]calendar.Day // from which day on what a formula reads has lines

	supposed map[supposedKey]*big.Rat // of an engine that asks what if; nil is missing

	given       Given // of an engine that is told its figures
	givenTarget amount.Amount
	givenSlot   Slot
}

// kept is what an engine has computed.
type kept struct {
	columns  map[key]*Column
	formulas map[formulaKey]*Column
	peerages map[peerKey]*big.Rat // exact figures of groups of peers
	gathered map[key][]*big.Rat   // exact figures of groups, made of their subjects' values
	totals   map[key]*ledger.Totals
	held     map[key][]amount.Amount // targets
	paired   map[Level]*ledger.Pairs
	codes    map[Level]map[string]uint32 // of the keys of groups and pairs
	seen     map[seenKey][]calendar.Day  // last days
	there    map[Slot][]bool
	events   map[eventsKey]*Events
	drawn    map[drawnKey][]drawnValue
	stood    map[formulaKey]map[uint32]*standing
	exacts   map[exactKey]exactValue // of measures that take many steps
	steps    map[string]int          // how many a measure takes, written out
}

// exactKey names the exact value of a measure for one code.
type exactKey struct {
	key
	code uint32
}

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

type seenKey struct {
	feed   string
	column int
	asOf   calendar.Day
}

type peerKey struct {
	formulaKey
	group uint32
}

type formulaKey struct {
	node  *lang.Node
	slot  Slot
	dials string
}

// New is an engine over the columns of a snapshot.
func New(book *rulebook.Book, snapshot *ledger.Snapshot) *Engine {
	e := &Engine{Book: book, Snapshot: snapshot, dials: map[any]string{}, begins: map[*lang.Node]calendar.Day{}, kept: kept{
		columns: map[key]*Column{}, formulas: map[formulaKey]*Column{}, peerages: map[peerKey]*big.Rat{}, gathered: map[key][]*big.Rat{},
		totals: map[key]*ledger.Totals{}, held: map[key][]amount.Amount{}, paired: map[Level]*ledger.Pairs{}, codes: map[Level]map[string]uint32{}, seen: map[seenKey][]calendar.Day{}, there: map[Slot][]bool{}, events: map[eventsKey]*Events{}, drawn: map[drawnKey][]drawnValue{}, stood: map[formulaKey]map[uint32]*standing{}, exacts: map[exactKey]exactValue{}, steps: map[string]int{},
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
	out.totals, out.held, out.paired, out.seen, out.there, out.events = e.totals, e.held, e.paired, e.seen, e.there, e.events
	if rulebook.SameMeasures(e.Book, book) {
		out.columns, out.gathered = e.columns, e.gathered
		if rulebook.SameNodes(e.Book, book) {
			out.formulas, out.peerages, out.drawn, out.stood = e.formulas, e.peerages, e.drawn, e.stood
		}
	}
	return out
}

// Apart is an engine of the same book and snapshot that shares nothing else with
// this one, for another goroutine.
func (e *Engine) Apart() *Engine {
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

// rounding bounds the relative error of one operation; twice the unit
// roundoff, so that products of bounds need no second thought.
const rounding = 0x1p-52

// baseColumn is shared by all who ask for figures of the same totals.
func (e *Engine) baseColumn(def *rulebook.Measure, s Slot) *Column {
	t := e.baseTotals(def, s)
	return t.Made(func() any { return columnOf(t, def.Aggregate == "average") }).(*Column)
}

func columnOf(t *ledger.Totals, average bool) *Column {
	c := newColumn(t.Size)
	void := NoLines
	if t.Beyond {
		void = BeyondRange
	}
	for i := range c.Why {
		c.Why[i] = void
	}
	if t.Beyond {
		return c
	}
	c.Decimal = !average
	for code, of := range t.All() {
		c.Why[code] = Present
		if average {
			c.set(int(code), of.Amount.Float()/float64(of.Count), 0, 2)
		} else {
			c.decimal(int(code), of.Amount)
		}
	}
	return c
}

func newColumn(n int) *Column {
	return &Column{Value: make([]float64, n), Error: make([]float64, n), Why: make([]Why, n)}
}

// set stores a value whose error is bound plus that of so many roundings, and a
// little for the roundings of the bound itself.
func (c *Column) set(i int, v, bound, roundings float64) {
	c.Value[i], c.Error[i] = v, (bound+roundings*math.Abs(v)*rounding)*(1+0x1p-45)
}

// decimal stores a decimal. Whole numbers have no error where their ten-thousandths
// are a float64 too: beyond that two roundings come together.
func (c *Column) decimal(i int, a amount.Amount) {
	c.Value[i] = a.Float()
	if a%amount.Scale != 0 || a > 1<<53 || a < -1<<53 {
		c.Error[i] = math.Abs(c.Value[i]) * rounding
	}
	c.Decimal = c.Decimal && a < mostDecimal && a > -mostDecimal
}

// mostDecimal bounds the decimals that floats tell apart: to the left of it
// floats lie nearer together than ten-thousandths do.
const mostDecimal = 1 << 51

// Formula computes a formula for every code of a slot. Arithmetic with a
// missing value is missing, with the reason of the first missing part.
func (e *Engine) Formula(n *lang.Node, s Slot) *Column {
	if n.Op == lang.Name && e.Book.Dial(n.Text) == nil {
		return e.Column(n.Text, s)
	}
	k := e.formulaKey(n, s)
	c := e.formulas[k]
	if c == nil {
		switch n.Op {
		case lang.Number:
			c = constant(n.Number, e.Size(s.Level))
		case lang.Name:
			c = constant(e.Book.Dial(n.Text).Value, e.Size(s.Level))
		default:
			c = e.compute(n, s)
			e.bounded(c, n, s)
		}
		c = e.masked(c, s)
		e.formulas[k] = c
	}
	return c
}

// mostDigits is how many binary digits before the point a figure may have: floats have no
// room for many more.
const mostDigits = 1000

// bounded settles exactly what is so large that floats may have no room for it.
func (e *Engine) bounded(c *Column, n *lang.Node, s Slot) {
	for i, v := range c.Value {
		if c.Why[i] == Present && !(math.Abs(v) < 0x1p998) {
			c.Value[i], c.Error[i] = 0, 0
			e.settle(c, i, n, s)
		}
	}
}

func tooLarge(r *big.Rat) bool { return r.Num().BitLen()-r.Denom().BitLen() > mostDigits }

func (e *Engine) compute(n *lang.Node, s Slot) *Column {
	switch n.Op {
	case lang.Call:
		return functions[n.Text].column(e, n, s)
	case lang.Choose:
		return e.choose(n, s)
	case lang.Negate:
		in := e.Formula(n.Parts[0], s)
		out := newColumn(len(in.Value))
		out.Decimal = in.Decimal
		for i, v := range in.Value {
			out.Value[i], out.Error[i], out.Why[i] = -v, in.Error[i], in.Why[i]
		}
		return out
	}
	return e.arithmetic(n, s, e.Formula(n.Parts[0], s), e.Formula(n.Parts[1], s))
}

// arithmetic combines two columns by a node's operation.
func (e *Engine) arithmetic(n *lang.Node, s Slot, a, b *Column) *Column {
	out := newColumn(len(a.Value))
	for i := range out.Value {
		if out.Why[i] = a.Why[i]; out.Why[i] == Present {
			out.Why[i] = b.Why[i]
		}
		if out.Why[i] != Present {
			continue
		}
		x, y, ex, ey := a.Value[i], b.Value[i], a.Error[i], b.Error[i]
		switch n.Op {
		case lang.Plus:
			out.set(i, x+y, ex+ey, 1)
		case lang.Minus:
			out.set(i, x-y, ex+ey, 1)
		case lang.Times:
			out.set(i, x*y, math.Abs(x)*ey+math.Abs(y)*ex+ex*ey, 1)
		default:
			if math.Abs(y) <= ey {
				e.settle(out, i, n, s)
				continue
			}
			q := x / y
			out.set(i, q, (ex+math.Abs(q)*ey)/(math.Abs(y)-ey), 1)
		}
	}
	return out
}

// settle computes one value exactly, where floating point cannot tell which
// way it falls.
func (e *Engine) settle(out *Column, i int, n *lang.Node, s Slot) {
	if e.asked++; e.asked%64 == 0 && e.Stopped() {
		out.Why[i] = NoLines // it is void from now on
		return
	}
	r, why := e.ExactFormula(n, uint32(i), s)
	if out.Why[i] = why; why == Present {
		v, _ := r.Float64()
		out.set(i, v, 0, 1)
	}
}

func constant(a amount.Amount, n int) *Column {
	c := newColumn(n)
	c.Decimal = true
	for i := range c.Value {
		c.decimal(i, a)
	}
	return c
}

// compare holds two values against one another: in floating point where their
// errors allow, else exactly.
func compare(x, ex, y, ey float64, exact func() int) int {
	if d := x - y; math.Abs(d) > ex+ey+(math.Abs(x)+math.Abs(y))*rounding {
		if d < 0 {
			return -1
		}
		return 1
	}
	return exact()
}

// Compare holds the values of two codes against one another, exactly where
// floating point cannot tell them apart.
func (c *Column) Compare(a, b int, exact func(code int) *big.Rat) int {
	if c.Decimal {
		return cmp.Compare(c.Value[a], c.Value[b])
	}
	return compare(c.Value[a], c.Error[a], c.Value[b], c.Error[b], func() int { return exact(a).Cmp(exact(b)) })
}

// exactly answers for the exact values that an expression is known to have.
func (e *Engine) exactly(n *lang.Node, s Slot) func(code int) *big.Rat {
	return func(code int) *big.Rat {
		v, _ := e.ExactFormula(n, uint32(code), s)
		return v
	}
}

// Near is the values of some codes, with the exact ones for when they are
// needed.
func (c *Column) Near(codes []int, exact func(code int) *big.Rat) stats.Near {
	n := stats.Near{Values: make([]float64, len(codes)), Exact: func(i int) *big.Rat { return exact(codes[i]) }}
	for i, code := range codes {
		n.Values[i] = c.Value[code]
		n.Error = max(n.Error, c.Error[code])
	}
	return n
}

// Tester answers a condition over measures, code by code: no comparison with a
// missing value holds, 'is not' included; 'is missing' asks for it.
func (e *Engine) Tester(n *lang.Node, s Slot) func(code int) bool {
	switch n.Op {
	case lang.And:
		left, right := e.Tester(n.Parts[0], s), e.Tester(n.Parts[1], s)
		return func(code int) bool { return left(code) && right(code) }
	case lang.Or:
		left, right := e.Tester(n.Parts[0], s), e.Tester(n.Parts[1], s)
		return func(code int) bool { return left(code) || right(code) }
	case lang.Not:
		inner := e.Tester(n.Parts[0], s)
		return func(code int) bool { return !inner(code) }
	}
	a := e.Formula(n.Parts[0], s)
	switch n.Op {
	case lang.IsMissing:
		return func(code int) bool { return a.Why[code] != Present }
	case lang.NotMissing:
		return func(code int) bool { return a.Why[code] == Present }
	}
	against := func(part int) func(code int) (c int, ok bool) {
		b := e.Formula(n.Parts[part], s)
		return func(code int) (c int, ok bool) {
			if a.Why[code] != Present || b.Why[code] != Present {
				return 0, false
			}
			return compare(a.Value[code], a.Error[code], b.Value[code], b.Error[code], func() int {
				x, _ := e.ExactFormula(n.Parts[0], uint32(code), s)
				y, _ := e.ExactFormula(n.Parts[part], uint32(code), s)
				return x.Cmp(y)
			}), true
		}
	}
	first := against(1)
	if n.Op == lang.Between {
		second := against(2)
		return func(code int) bool {
			c, ok := first(code)
			high, also := second(code)
			return ok && also && c >= 0 && high <= 0
		}
	}
	holds := map[lang.Op]func(c int) bool{
		lang.Is: func(c int) bool { return c == 0 }, lang.IsNot: func(c int) bool { return c != 0 },
		lang.Below: func(c int) bool { return c < 0 }, lang.AtMost: func(c int) bool { return c <= 0 },
		lang.Above: func(c int) bool { return c > 0 }, lang.AtLeast: func(c int) bool { return c >= 0 },
	}[n.Op]
	return func(code int) bool {
		c, ok := first(code)
		return ok && holds(c)
	}
}

func (e *Engine) choose(n *lang.Node, s Slot) *Column {
	size := e.Size(s.Level)
	out := newColumn(size)
	test, yes := e.Tester(n.Parts[0], s), e.Formula(n.Parts[1], s)
	var no *Column
	if len(n.Parts) > 2 {
		no = e.Formula(n.Parts[2], s)
	}
	for i := range size {
		from := no
		if test(i) {
			from = yes
		}
		if from == nil {
			out.Why[i] = Otherwise
			continue
		}
		out.Value[i], out.Error[i], out.Why[i] = from.Value[i], from.Error[i], from.Why[i]
	}
	return out
}

// Exact is the true value of a measure for one code, or why it is missing.
func (e *Engine) Exact(measure string, code uint32, s Slot) (*big.Rat, Why) {
	if a, told := e.given[measure]; told {
		if a == nil || !e.tells(s) {
			return nil, NoLines
		}
		return a, Present
	}
	def := e.Book.Measure(measure)
	if e.absent(code, s) {
		return nil, NotThere
	}
	if a, told := e.supposed[supposedKeyOf(measure, s, code)]; told {
		if a == nil {
			return nil, NoLines
		}
		return a, Present
	}
	if plain, gathers := def.Groups.Of(s.Level); gathers {
		return e.exactGathered(def, plain, code, s)
	}
	if def.Formula != nil {
		return e.exactMeasure(def, code, s)
	}
	if def.Days != "" {
		return e.days(def, s).Rat(), Present
	}
	t := e.baseTotals(def, s)
	if t.Beyond {
		return nil, BeyondRange
	}
	n, a := t.At(code)
	switch {
	case n == 0:
		return nil, NoLines
	case def.Aggregate == "average":
		return new(big.Rat).Quo(a.Rat(), big.NewRat(int64(n), 1)), Present
	}
	return a.Rat(), Present
}

// exactMeasure is the true value of a measure's formula, remembered where it takes many
// steps.
func (e *Engine) exactMeasure(def *rulebook.Measure, code uint32, s Slot) (*big.Rat, Why) {
	steps, known := e.steps[def.Name]
	if !known {
		steps = e.Book.Steps(def.Name)
		e.steps[def.Name] = steps
	}
	if steps <= manySteps {
		return e.ExactFormula(def.Formula.Tree, code, s)
	}
	k := exactKey{e.measureKey(def.Name, s), code}
	if v, ok := e.exacts[k]; ok {
		return v.value, v.why
	}
	v, why := e.ExactFormula(def.Formula.Tree, code, s)
	if len(e.exacts) >= mostExacts {
		clear(e.exacts)
	}
	e.exacts[k] = exactValue{v, why}
	return v, why
}

// ExactFormula is the true value of a formula for one code.
func (e *Engine) ExactFormula(n *lang.Node, code uint32, s Slot) (*big.Rat, Why) {
	if e.absent(code, s) {
		return nil, NotThere
	}
	v, why := e.exactNode(n, code, s)
	if why == Present && tooLarge(v) {
		return nil, TooLarge
	}
	return v, why
}

func (e *Engine) exactNode(n *lang.Node, code uint32, s Slot) (*big.Rat, Why) {
	switch n.Op {
	case lang.Number:
		return n.Number.Rat(), Present
	case lang.Name:
		if d := e.Book.Dial(n.Text); d != nil {
			return d.Value.Rat(), Present
		}
		return e.Exact(n.Text, code, s)
	case lang.Call:
		return functions[n.Text].exact(e, n, code, s)
	case lang.Choose:
		switch {
		case e.Tester(n.Parts[0], s)(int(code)):
			return e.ExactFormula(n.Parts[1], code, s)
		case len(n.Parts) == 2:
			return nil, Otherwise
		}
		return e.ExactFormula(n.Parts[2], code, s)
	case lang.Negate:
		r, why := e.ExactFormula(n.Parts[0], code, s)
		if why != Present {
			return nil, why
		}
		return new(big.Rat).Neg(r), Present
	}
	a, why := e.ExactFormula(n.Parts[0], code, s)
	if why != Present {
		return nil, why
	}
	b, why := e.ExactFormula(n.Parts[1], code, s)
	if why != Present {
		return nil, why
	}
	out := new(big.Rat)
	switch n.Op {
	case lang.Plus:
		out.Add(a, b)
	case lang.Minus:
		out.Sub(a, b)
	case lang.Times:
		out.Mul(a, b)
	default:
		if b.Sign() == 0 {
			return nil, ZeroBase
		}
		out.Quo(a, b)
	}
	return out, Present
}
