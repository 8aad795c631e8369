// Package measure turns definitions into figures: a value for every subject
// of a kind in a month.
//
// Values are computed in floating point together with a bound on their error,
// so that whoever compares one can tell when it is too near the cut; Exact
// then gives the true rational.
package measure

import (
	"fmt"
	"math"
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
)

func (w Why) String() string {
	return [...]string{"", "no lines in the period", "division by zero", "the sum is beyond 900 trillion"}[w]
}

// Column is a measure for every subject of a kind in one month. Value[c] is
// within Error[c] of the true value where Why[c] is Present, and void
// otherwise.
type Column struct {
	Value []float64
	Error []float64
	Why   []Why
}

// Aggregator gives base sums of lines. A subject without a line that has a
// value has a count of 0. An error is about all of the month: its sums are
// void.
type Aggregator interface {
	Sums(feed, figure, kind string, m calendar.Month) ([]amount.Amount, []uint32, error)
	Counts(feed, kind string, m calendar.Month) ([]uint32, error)
}

// Engine computes the measures of one book over one snapshot, and keeps what
// it computed. It is for one goroutine.
type Engine struct {
	Book     *rulebook.Book
	Snapshot *ledger.Snapshot
	base     Aggregator
	columns  map[key]*Column
	sums     map[key]*sums
}

type key struct {
	measure, kind string
	month         calendar.Month
}

type sums struct {
	amounts []amount.Amount
	counts  []uint32
	why     Why // of all subjects
}

// New is an engine over the columns of a snapshot.
func New(book *rulebook.Book, snapshot *ledger.Snapshot) *Engine {
	return &Engine{Book: book, Snapshot: snapshot, base: memory{book, snapshot}, columns: map[key]*Column{}, sums: map[key]*sums{}}
}

// Subjects is how many codes a kind has.
func (e *Engine) Subjects(kind string) int {
	if r := e.Snapshot.Registers[kind]; r != nil {
		return len(r.Keys)
	}
	return 0
}

// memory aggregates the columns of a snapshot.
type memory struct {
	book     *rulebook.Book
	snapshot *ledger.Snapshot
}

func (a memory) find(feed, kind string, m calendar.Month) (c *ledger.Chunk, column, subjects int, err error) {
	f := a.snapshot.Feeds[feed]
	if r := a.snapshot.Registers[kind]; r != nil {
		subjects = len(r.Keys)
	}
	if f == nil {
		return nil, 0, subjects, nil
	}
	column = ledger.Column(f.Subjects, a.book.Feed(feed).SubjectColumn(kind))
	if column < 0 {
		return nil, 0, subjects, fmt.Errorf("the lines of %s name no %s", feed, kind)
	}
	return f.Chunk(m), column, subjects, nil
}

func (a memory) Sums(feed, figure, kind string, m calendar.Month) ([]amount.Amount, []uint32, error) {
	c, column, subjects, err := a.find(feed, kind, m)
	if err != nil || c == nil {
		return make([]amount.Amount, subjects), make([]uint32, subjects), err
	}
	return c.Sums(column, ledger.Column(a.snapshot.Feeds[feed].Numbers, figure), subjects)
}

func (a memory) Counts(feed, kind string, m calendar.Month) ([]uint32, error) {
	c, column, subjects, err := a.find(feed, kind, m)
	if err != nil || c == nil {
		return make([]uint32, subjects), err
	}
	return c.Counts(column, subjects), nil
}

// Column computes a measure for every subject of a kind in a month. The
// measure must be of the book, and checked.
func (e *Engine) Column(measure, kind string, m calendar.Month) *Column {
	k := key{measure, kind, m}
	if c := e.columns[k]; c != nil {
		return c
	}
	var c *Column
	if def := e.Book.Measure(measure); def.Formula != nil {
		c = e.Formula(def.Formula.Tree, kind, m)
	} else {
		c = e.baseColumn(k)
	}
	e.columns[k] = c
	return c
}

func (e *Engine) baseSums(k key) *sums {
	if s := e.sums[k]; s != nil {
		return s
	}
	def := e.Book.Measure(k.measure)
	s := &sums{}
	var err error
	if def.Count != "" {
		s.counts, err = e.base.Counts(def.Count, k.kind, k.month)
		s.amounts = make([]amount.Amount, len(s.counts))
		for i, n := range s.counts {
			s.amounts[i] = amount.FromInt(int64(n))
		}
	} else {
		s.amounts, s.counts, err = e.base.Sums(def.Sum.Feed, def.Sum.Figure, k.kind, k.month)
	}
	if err != nil {
		s.why = BeyondRange
	}
	e.sums[k] = s
	return s
}

// halfUlp bounds the relative error of one rounding; twice the unit roundoff,
// so that products of bounds need no second thought.
const halfUlp = 0x1p-52

func (e *Engine) baseColumn(k key) *Column {
	s := e.baseSums(k)
	c := newColumn(len(s.amounts))
	for i, a := range s.amounts {
		switch {
		case s.why != Present:
			c.Why[i] = s.why
		case s.counts[i] == 0:
			c.Why[i] = NoLines
		default:
			c.Value[i] = a.Float()
			c.Error[i] = math.Abs(c.Value[i]) * halfUlp
		}
	}
	return c
}

func newColumn(n int) *Column {
	return &Column{make([]float64, n), make([]float64, n), make([]Why, n)}
}

// Formula computes a formula for every subject. Arithmetic with a missing
// value is missing, with the reason of the first missing part.
func (e *Engine) Formula(n *lang.Node, kind string, m calendar.Month) *Column {
	size := e.Subjects(kind)
	switch n.Op {
	case lang.Number:
		return constant(n.Number, size)
	case lang.Name:
		if d := e.Book.Dial(n.Text); d != nil {
			return constant(d.Value, size)
		}
		return e.Column(n.Text, kind, m)
	case lang.Negate:
		in := e.Formula(n.Parts[0], kind, m)
		out := newColumn(size)
		for i := range out.Value {
			out.Value[i], out.Error[i], out.Why[i] = -in.Value[i], in.Error[i], in.Why[i]
		}
		return out
	}
	a, b := e.Formula(n.Parts[0], kind, m), e.Formula(n.Parts[1], kind, m)
	out := newColumn(size)
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
			out.Value[i], out.Error[i] = x+y, ex+ey
		case lang.Minus:
			out.Value[i], out.Error[i] = x-y, ex+ey
		case lang.Times:
			out.Value[i], out.Error[i] = x*y, math.Abs(x)*ey+math.Abs(y)*ex+ex*ey
		case lang.Divide:
			if math.Abs(y) <= ey {
				e.settle(out, i, n, kind, m)
				continue
			}
			q := x / y
			out.Value[i], out.Error[i] = q, (ex+math.Abs(q)*ey)/(math.Abs(y)-ey)
		}
		out.Error[i] += math.Abs(out.Value[i]) * halfUlp
	}
	return out
}

// settle computes one value exactly where floating point cannot tell a small
// divisor from zero.
func (e *Engine) settle(out *Column, i int, n *lang.Node, kind string, m calendar.Month) {
	r, why := e.ExactFormula(n, kind, uint32(i), m)
	if out.Why[i] = why; why == Present {
		out.Value[i], _ = r.Float64()
		out.Error[i] = math.Abs(out.Value[i]) * halfUlp
	}
}

func constant(a amount.Amount, n int) *Column {
	c := newColumn(n)
	v := a.Float()
	for i := range c.Value {
		c.Value[i], c.Error[i] = v, math.Abs(v)*halfUlp
	}
	return c
}

// Exact is the true value of a measure for one subject, or why it is missing.
func (e *Engine) Exact(measure, kind string, code uint32, m calendar.Month) (*big.Rat, Why) {
	if def := e.Book.Measure(measure); def.Formula != nil {
		return e.ExactFormula(def.Formula.Tree, kind, code, m)
	}
	s := e.baseSums(key{measure, kind, m})
	switch {
	case s.why != Present:
		return nil, s.why
	case s.counts[code] == 0:
		return nil, NoLines
	}
	return s.amounts[code].Rat(), Present
}

// ExactFormula is the true value of a formula for one subject.
func (e *Engine) ExactFormula(n *lang.Node, kind string, code uint32, m calendar.Month) (*big.Rat, Why) {
	switch n.Op {
	case lang.Number:
		return n.Number.Rat(), Present
	case lang.Name:
		if d := e.Book.Dial(n.Text); d != nil {
			return d.Value.Rat(), Present
		}
		return e.Exact(n.Text, kind, code, m)
	case lang.Negate:
		r, why := e.ExactFormula(n.Parts[0], kind, code, m)
		if why != Present {
			return nil, why
		}
		return new(big.Rat).Neg(r), Present
	}
	a, why := e.ExactFormula(n.Parts[0], kind, code, m)
	if why != Present {
		return nil, why
	}
	b, why := e.ExactFormula(n.Parts[1], kind, code, m)
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
