// Package method has the ways in which a rule may judge, one file each: the
// bands and conditions of thresholds, and the outlier and event-window methods
// that a rulebook may name. A file says what may be set, how subjects are
// marked, how one of them is recomputed exactly, and what is said of it; All
// lists the files once.
package method

import (
	"iter"
	"math"
	"math/big"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/ledger"
	"oskel/core/measure"
	"oskel/core/rulebook"
)

// Method is one way to judge.
type Method struct {
	rulebook.Method
	judge    func(w *Work) Found
	sentence func(book *rulebook.Book, rule *rulebook.Rule, v Verdict, ev *Evidence) string
	axis     func(book *rulebook.Book, rule *rulebook.Rule) Axis
}

// Work is one rule to be judged at a level in a slot: the codes that are still
// open are the method's to mark.
type Work struct {
	*Verdicts
	Engine *measure.Engine
	Rule   *rulebook.Rule
	Slot   measure.Slot
}

// Found is what a method knows of those it marked.
type Found interface {
	// Evidence adds, exactly, what led to the verdict of one code.
	Evidence(ev *Evidence, code uint32)
	// Cuts are where verdicts change in what is held, for the group of a code,
	// or for all with -1; none where there is no such place.
	Cuts(code int) []float64
	// Beside says who is compared with a code; nil is everybody.
	Beside(code int) func(other int) bool
}

// Eventful is what finds events of a day, each of which is a flag of its own.
type Eventful interface {
	Found
	// PerEvent says whether each event is flagged by itself, not so many of them
	// together.
	PerEvent() bool
	// Days are those of the events that flag a code, in order, each once.
	Days(code uint32) []calendar.Day
	// EvidenceOn is the evidence of the events of one day.
	EvidenceOn(ev *Evidence, code uint32, day calendar.Day)
}

// Breaking is what knows which of its cuts a flagged code has broken, where it has several
// on one side.
type Breaking interface {
	// Broken is the cut behind which a code would be flagged less, or not; false where
	// there is none.
	Broken(code uint32) (cut float64, ok bool)
}

// anyDay asks for the evidence of all events of a period.
const anyDay = calendar.Day(ledger.Never)

// Axis is in what what is held is said.
type Axis struct {
	Unit   rulebook.Unit
	Places int
	Title  string
}

// everyone is embedded by what compares all alike.
type everyone struct{}

func (everyone) Beside(int) func(other int) bool { return nil }

// Judge marks the open codes by the method of the rule.
func Judge(w *Work) Found { return Of(w.Rule).judge(w) }

// Sentence says in one sentence why a subject that was judged got its verdict.
func Sentence(book *rulebook.Book, rule *rulebook.Rule, v Verdict, ev *Evidence) string {
	return Of(rule).sentence(book, rule, v, ev)
}

// AxisOf says in what the values that a rule holds against its cuts are said.
func AxisOf(book *rulebook.Book, rule *rulebook.Rule) Axis { return Of(rule).axis(book, rule) }

// Open visits the codes that are still open; where the engine has given up it ends.
func (w *Work) Open() iter.Seq[int] {
	return func(yield func(int) bool) {
		n := 0
		for code := range w.Verdicts.Open() {
			if n++; n%256 == 0 && w.Engine.Stopped() || !yield(code) {
				return
			}
		}
	}
}

// prepare settles for each open code whether a column has a value for it, and
// whether it reaches the base.
func (w *Work) prepare(column *measure.Column) *measure.Column {
	missing := w.noData(w.Rule.NoData)
	for code := range w.Open() {
		if why := column.Why[code]; why != measure.Present {
			w.Put(code, missing(why))
		}
	}
	w.base()
	return column
}

// base leaves those unjudged who are too small to matter.
func (w *Work) base() {
	for _, base := range w.Rule.Base {
		at, below := w.Engine.Column(base.Measure, w.Slot), w.Mark(Verdict{Outcome: NotJudged, Why: BelowBase})
		for code := range w.Open() {
			if !w.reaches(base, at, code) {
				w.Put(code, below)
			}
		}
	}
}

func (w *Work) reaches(base rulebook.Base, at *measure.Column, code int) bool {
	if at.Why[code] != measure.Present {
		return false
	}
	c := compare(at.Value[code], at.Error[code], w.Engine.Book.Value(base.Bound), func() *big.Rat { return w.exact(base.Measure, code) })
	return c > 0 || c == 0 && base.Included
}

// exact is the exact value of a measure that a code has.
func (w *Work) exact(name string, code int) *big.Rat {
	v, _ := w.Engine.Exact(name, uint32(code), w.Slot)
	return v
}

// of is the measure that the rule's method looks at.
func (w *Work) of() string { return w.Rule.Says("of") }

// exactly answers for the exact values of the measure looked at.
func (w *Work) exactly() func(code int) *big.Rat {
	return func(code int) *big.Rat { return w.exact(w.of(), code) }
}

// breach is the mark of those that the rule flags.
func (w *Work) breach() Mark {
	return w.Mark(Verdict{Outcome: Breach, Grade: w.Rule.Says("grade")})
}

// compare holds a value against a cut: in floating point where its error
// allows, else exactly.
func compare(value, bound float64, cut amount.Amount, exact func() *big.Rat) int {
	at := cut.Float()
	if d := value - at; math.Abs(d) > bound+math.Abs(at)*0x1p-52 {
		if d < 0 {
			return -1
		}
		return 1
	}
	return exact().Cmp(cut.Rat())
}
