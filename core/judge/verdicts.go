package judge

import (
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
	NotActive   = "not active in the period"
	Stopped     = "an earlier rule has had the last word"
	BelowBase   = "below the base"
	NoTarget    = "no target"
	NoYardstick = "the yardstick is not above zero"
	FewPeers    = "too few peers"
	NoSpread    = "no spread among the peers"
	NeverSeen   = "never seen"
	NoLines     = "no lines in the period"

	NotPersisting = "not in enough of the last periods" // of what is clear
)

// Verdict is what a rule says of one subject.
type Verdict struct {
	Outcome Outcome
	Grade   string // of a breach, and of no data where the rule gives it one
	Why     string // of no data and not judged
}

// Flagged says whether the verdict needs a look: a breach, or no data to
// which the rule gives a grade.
func (v Verdict) Flagged() bool { return v.Grade != "" }

// mark is a verdict in a few bytes, since a rule may judge 200,000 subjects
// again while one drags a cut: grade and why are places in the result's words.
type mark struct {
	outcome    Outcome
	grade, why uint16
}

// verdicts are marks by code. words[0] is "".
type verdicts struct {
	marks []mark
	words []string
	held  []float64 // NaN where nothing was held against a cut
}

func newVerdicts(n int) verdicts {
	v := verdicts{marks: make([]mark, n), words: []string{""}, held: make([]float64, n)}
	for i := range v.held {
		v.held[i] = math.NaN()
	}
	return v
}

// mark makes a verdict small.
func (r *verdicts) mark(v Verdict) mark { return mark{v.Outcome, r.word(v.Grade), r.word(v.Why)} }

func (r *verdicts) word(s string) uint16 {
	i := slices.Index(r.words, s)
	if i < 0 {
		i = len(r.words)
		r.words = append(r.words, s)
	}
	return uint16(i)
}

func (r *verdicts) set(code int, v Verdict) { r.marks[code] = r.mark(v) }

// noData marks codes whose figure is missing, by the reason.
func (r *verdicts) noData(grade string) func(why measure.Why) mark {
	var known [256]mark
	return func(why measure.Why) mark {
		if known[why].outcome != NoData {
			known[why] = r.mark(Verdict{Outcome: NoData, Why: why.String(), Grade: grade})
		}
		return known[why]
	}
}

// Len is how many codes the level has.
func (r *verdicts) Len() int { return len(r.marks) }

// Verdict is what the rule says of one code.
func (r *verdicts) Verdict(code uint32) Verdict {
	m := r.marks[code]
	return Verdict{m.outcome, r.words[m.grade], r.words[m.why]}
}

// Verdicts are all of them by code.
func (r *verdicts) Verdicts() iter.Seq2[uint32, Verdict] {
	return func(yield func(uint32, Verdict) bool) {
		for code := range r.marks {
			if !yield(uint32(code), r.Verdict(uint32(code))) {
				return
			}
		}
	}
}

// Flagged lists the codes that need a look, in rising order.
func (r *verdicts) Flagged() (codes []uint32) {
	for code, m := range r.marks {
		if m.grade != 0 {
			codes = append(codes, uint32(code))
		}
	}
	return codes
}

// Held is what was held against the cuts; NaN where nothing was.
func (r *verdicts) Held(code uint32) float64 { return r.held[code] }
