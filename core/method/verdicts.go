package method

import (
	"cmp"
	"iter"
	"math"
	"slices"

	"oskel/core/measure"
)

// Outcome is what a rule says of a subject.
type Outcome uint8

// The outcomes. A subject outside the rule's scope is not spoken of.
const (
	OutOfScope Outcome = iota
	Clear
	Breach
	NoData
	NotJudged
)

func (o Outcome) String() string {
	return [...]string{"out of scope", "clear", "breach", "no data", "not judged"}[o]
}

// Reasons why a subject is not judged; those why it has no data come from
// package measure.
const (
	NotActive     = "not active in the period"
	Stopped       = "skipped: an earlier rule flagged it"
	BelowBase     = "below the minimum"
	NoTarget      = "no target"
	NoComparison  = "the comparison value is not above zero"
	FewPeers      = "too few peers"
	NoSpread      = "no spread among the peers"
	NotPositive   = "not above zero, so it has no logarithm"
	LittlePast    = "not enough history"
	FlatPast      = "no spread in its history"
	BaselineOpen  = "the baseline is not over"
	BaselineFar   = "too much time has passed since the baseline"
	NeverSeen     = "never seen"
	FewGaps       = "too few gaps for a usual gap"
	NoEvent       = "no event whose window closed in the period"
	NothingBefore = "nothing before to compare with"
	NoWindow      = "no such window ended in the period"
	NoLines       = "no lines in the period"

	NotPersisting = "not in enough of the last periods" // of what is clear
)

// Verdict is what a rule says of one subject.
type Verdict struct {
	Outcome Outcome
	Grade   string // of a breach, and of no data where the rule gives it one
	Good    string // of what is clear: the grade that praises it
	Why     string // of no data and not judged
}

// Flagged says whether the verdict needs a look: a breach, or no data to
// which the rule gives a grade.
func (v Verdict) Flagged() bool { return v.Grade != "" }

// Given is the grade that a verdict gives, flagged or praised; "" is none.
func (v Verdict) Given() string { return cmp.Or(v.Grade, v.Good) }

// Mark is a verdict in a few bytes, since a rule may judge 200,000 subjects
// again while one drags a cut: grade and why are places in the result's words.
type Mark struct {
	outcome          Outcome
	grade, good, why uint16
}

// Verdicts are what a rule says of every code of a level. words[0] is "".
type Verdicts struct {
	marks  []Mark
	words  []string
	praise []string  // the grades that are no flags
	held   []float64 // NaN where nothing was held against a cut
}

// NewVerdicts says nothing yet of n codes. Who is given one of the grades that praise is clear.
func NewVerdicts(n int, praise ...string) Verdicts {
	v := Verdicts{marks: make([]Mark, n), words: []string{""}, praise: praise, held: make([]float64, n)}
	for i := range v.held {
		v.held[i] = math.NaN()
	}
	return v
}

// Mark makes a verdict small.
func (r *Verdicts) Mark(v Verdict) Mark {
	if v.Outcome == Breach && slices.Contains(r.praise, v.Grade) {
		v.Outcome, v.Grade, v.Good = Clear, "", v.Grade
	}
	return Mark{v.Outcome, r.word(v.Grade), r.word(v.Good), r.word(v.Why)}
}

func (r *Verdicts) word(s string) uint16 {
	i := slices.Index(r.words, s)
	if i < 0 {
		i = len(r.words)
		r.words = append(r.words, s)
	}
	return uint16(i)
}

// Set says something of a code.
func (r *Verdicts) Set(code int, v Verdict) { r.marks[code] = r.Mark(v) }

// noData marks codes whose figure is missing, by the reason.
func (r *Verdicts) noData(grade string) func(why measure.Why) Mark {
	var known [256]Mark
	return func(why measure.Why) Mark {
		if known[why].outcome != NoData {
			known[why] = r.Mark(Verdict{Outcome: NoData, Why: why.String(), Grade: grade})
		}
		return known[why]
	}
}

// Bytes is about how much memory they take.
func (r *Verdicts) Bytes() int { return 256 + 16*len(r.marks) }

// Len is how many codes the level has.
func (r *Verdicts) Len() int { return len(r.marks) }

// Verdict is what the rule says of one code.
func (r *Verdicts) Verdict(code uint32) Verdict {
	m := r.marks[code]
	return Verdict{m.outcome, r.words[m.grade], r.words[m.good], r.words[m.why]}
}

// Put says something of a code by a mark that was made before.
func (r *Verdicts) Put(code int, m Mark) { r.marks[code] = m }

// PutAll says the same of all.
func (r *Verdicts) PutAll(m Mark) {
	for i := range r.marks {
		r.marks[i] = m
	}
}

// Open lists the codes that are clear so far, in rising order; what is marked
// while it runs is passed over.
func (r *Verdicts) Open() iter.Seq[int] {
	return func(yield func(int) bool) {
		for code := range r.marks {
			if r.marks[code].outcome == Clear && !yield(code) {
				return
			}
		}
	}
}

// Outcome is what is said of a code, without grade and reason.
func (r *Verdicts) Outcome(code int) Outcome { return r.marks[code].outcome }

// IsFlagged says whether a code needs a look.
func (r *Verdicts) IsFlagged(code uint32) bool { return r.marks[code].grade != 0 }

// Hold notes what was held against the cuts; NaN is nothing.
func (r *Verdicts) Hold(code int, held float64) { r.held[code] = held }

// All lists them by code.
func (r *Verdicts) All() iter.Seq2[uint32, Verdict] {
	return func(yield func(uint32, Verdict) bool) {
		for code := range r.marks {
			if !yield(uint32(code), r.Verdict(uint32(code))) {
				return
			}
		}
	}
}

// Flagged lists the codes that need a look, in rising order.
func (r *Verdicts) Flagged() (codes []uint32) {
	for code, m := range r.marks {
		if m.grade != 0 {
			codes = append(codes, uint32(code))
		}
	}
	return codes
}

// Marked lists the codes that are given a grade, flagged or praised, in rising order.
func (r *Verdicts) Marked() (codes []uint32) {
	for code, m := range r.marks {
		if m.grade != 0 || m.good != 0 {
			codes = append(codes, uint32(code))
		}
	}
	return codes
}

// Held is what was held against the cuts; NaN where nothing was.
func (r *Verdicts) Held(code uint32) float64 { return r.held[code] }
