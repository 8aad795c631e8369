package judge

import (
	"math"
	"slices"

	"oskel/core/calendar"
	"oskel/core/measure"
	"oskel/core/method"
	"oskel/core/rulebook"
)

// Said is what one rule says of a subject, flagged or not, and how far that is from
// being otherwise.
type Said struct {
	*Result
	Code    uint32
	Verdict Verdict
	Held    float64 // what was held against the cuts; NaN where nothing was
	Cut     float64 // of what is flagged the cut that is broken, else the nearest; NaN where nothing was held, or the method has none in common with others
}

// Away is how far what was held lies from that cut, not below zero; NaN where
// either is not there.
func (s Said) Away() float64 { return math.Abs(s.Held - s.Cut) }

// Why is what each rule of the book that judges a level says of one of its subjects, in
// the period of the rule that a period is or holds last: in the order of the rulebook.
// Rules that are off, or of no such period, say nothing. Each judges all, since peers
// need all.
func Why(e *measure.Engine, level rulebook.Level, code uint32, p calendar.Period) (out []Said) {
	stopped := map[string]bool{} // by grain: skipped: an earlier rule flagged it
	for i := range e.Book.Rules {
		rule := &e.Book.Rules[i]
		within, of := e.Book.Calendar.Within(p, rule.Each)
		if e.Stopped() || !of || !rule.On || !slices.Contains(rule.Levels, level) || !Holds(e.Book, rule, within) {
			continue
		}
		s := SaidOf(Judge(e, rule, level, within), code)
		if stopped[rule.Each] && s.Verdict.Outcome != OutOfScope {
			s.Verdict, s.Held, s.Cut = Verdict{Outcome: NotJudged, Why: method.Stopped}, math.NaN(), math.NaN()
		}
		stopped[rule.Each] = stopped[rule.Each] || rule.LastWord && s.Verdict.Outcome == Breach
		out = append(out, s)
	}
	return out
}

// Beyond is Away as a share of the cut; NaN where there is none, or the cut is 0.
func (s Said) Beyond() float64 {
	if s.Cut == 0 {
		return math.NaN()
	}
	return s.Away() / math.Abs(s.Cut)
}

// SaidOf is what a result says of one code.
func SaidOf(r *Result, code uint32) Said {
	s := Said{Result: r, Code: code, Verdict: r.Verdict(code), Held: math.NaN(), Cut: math.NaN()}
	if r.found == nil {
		return s
	}
	if s.Held = r.Held(code); math.IsNaN(s.Held) {
		return s
	}
	if broken, ok := r.found.(method.Breaking); ok && s.Verdict.Outcome == Breach {
		if cut, known := broken.Broken(code); known {
			s.Cut = cut
			return s
		}
	}
	for _, c := range r.found.Cuts(int(code)) {
		if math.IsNaN(s.Cut) || math.Abs(s.Held-c) < math.Abs(s.Held-s.Cut) {
			s.Cut = c
		}
	}
	return s
}
