// Package judge holds subjects against rules.
//
// Judge gives every subject of a rule's kind one verdict for a month: breach
// with a grade, clear, no data, or not judged and why; never two of them, and
// none for those outside the rule's scope. Evidence gives all that is needed
// to recompute one of them, exactly.
package judge

import (
	"math"
	"math/big"
	"slices"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/measure"
	"oskel/core/rulebook"
)

// Result is a rule's verdicts of one level and month, by code of the level.
type Result struct {
	Rule  *rulebook.Rule
	Level rulebook.Level
	Month calendar.Month // of the book's calendar
	Empty bool           // no feed that the rule reads has a line in it: it is no period of the rule
	verdicts

	slot     measure.Slot
	yard     *measure.Column       // of a threshold's yardstick
	lastSeen []calendar.Day        // of a silence
	groups   [][]int               // of an outlier: who is compared with whom, stopped later or not
	peers    map[int]*groupFigures // of its groups, when first asked
	past     []*Result             // of a persistence, the oldest first
}

// Attributes answers for the attributes of one code, as of the month's last
// day.
func (r *Result) Attributes(e *measure.Engine, code uint32) lang.Lookup {
	return e.Lookup(r.slot, code)
}

// All evaluates every rule of the engine's book that is on and holds for the
// month, at every level, in the order of the book. A breach of a rule that
// stops keeps the later ones from judging that subject.
func All(e *measure.Engine, m calendar.Month) []*Result {
	var out []*Result
	stopped := map[rulebook.Level]map[int]bool{}
	for i := range e.Book.Rules {
		rule := &e.Book.Rules[i]
		if !rule.On || !Holds(e.Book, rule, m) {
			continue
		}
		for _, level := range rule.Levels {
			r := Judge(e, rule, level, m)
			for code := range stopped[level] {
				if r.marks[code].outcome != OutOfScope {
					r.set(code, Verdict{Outcome: NotJudged, Why: Stopped})
					r.held[code] = math.NaN()
				}
			}
			if rule.LastWord {
				if stopped[level] == nil {
					stopped[level] = map[int]bool{}
				}
				for code, v := range r.marks {
					if v.outcome == Breach {
						stopped[level][code] = true
					}
				}
			}
			out = append(out, r)
		}
	}
	return out
}

// Holds says whether a rule holds for a month: one that ends within its
// stated days.
func Holds(book *rulebook.Book, rule *rulebook.Rule, m calendar.Month) bool {
	_, last := book.Calendar.Span(calendar.MonthPeriod(m))
	return (rule.From == nil || *rule.From <= last) && (rule.Until == nil || *rule.Until >= last)
}

// Judge evaluates one rule of the engine's book at one of its levels for a
// month. The month's last day is the as-of day, complete.
func Judge(e *measure.Engine, rule *rulebook.Rule, level rulebook.Level, m calendar.Month) *Result {
	r := once(e, rule, level, m)
	if rule.Persists != nil {
		r.persist(e)
	}
	return r
}

// once judges without regard to the periods before.
func once(e *measure.Engine, rule *rulebook.Rule, level rulebook.Level, m calendar.Month) *Result {
	slot := e.Slot(level, calendar.MonthPeriod(m))
	slot.Ended = rule.Ended == "zero"
	n := e.Size(level)
	r := &Result{Rule: rule, Level: level, Month: m, slot: slot, verdicts: newVerdicts(n)}
	feeds := e.Book.FeedsRead(rule)
	r.Empty = !e.Told() && len(feeds) > 0 && !e.HasLines(feeds, slot)
	there, active, inactive := e.There(slot), e.Active(slot), r.mark(Verdict{Outcome: NotJudged, Why: NotActive})
	empty := r.mark(Verdict{Outcome: NotJudged, Why: NoLines})
	for code := range n {
		switch {
		case there != nil && !there[code]: // there is no such group
		case rule.Where != nil && !lang.Test(rule.Where.Tree, e.Lookup(slot, uint32(code))):
		case !active(uint32(code)):
			r.marks[code] = inactive
		case r.Empty:
			r.marks[code] = empty
		default:
			r.marks[code].outcome = Clear
		}
	}
	switch {
	case r.Empty:
	case rule.Threshold != nil && rule.Threshold.Choices != nil:
		judgeChoices(e, r)
	case rule.Threshold != nil:
		judgeThreshold(e, r)
	case rule.Outlier != nil:
		judgeOutlier(e, r)
	case rule.Window != nil:
		judgeSilence(e, r)
	}
	return r
}

// persist keeps a breach only where the rule found one in enough of the last
// periods, this one among them.
func (r *Result) persist(e *measure.Engine) {
	p := r.Rule.Persists
	for n := p.Of - 1; n > 0; n-- {
		r.past = append(r.past, once(e, r.Rule, r.Level, r.Month-calendar.Month(n)))
	}
	for code := range r.marks {
		if r.marks[code].outcome == Breach && r.breaches(code) < p.Least {
			r.set(code, Verdict{Outcome: Clear, Why: NotPersisting})
		}
	}
}

// breaches counts those of the last periods, a breach of this one included.
func (r *Result) breaches(code int) int {
	n := 1
	for _, before := range r.past {
		if before.marks[code].outcome == Breach {
			n++
		}
	}
	return n
}

// prepare settles for each subject still open whether it has a value and
// reaches the base; it returns the values.
func (r *Result) prepare(e *measure.Engine, column *measure.Column) *measure.Column {
	missing := r.noData(r.Rule.NoData)
	for code, why := range column.Why[:len(r.marks)] {
		if why != measure.Present && r.marks[code].outcome == Clear {
			r.marks[code] = missing(why)
		}
	}
	r.base(e)
	return column
}

// base leaves those unjudged who are too small to matter.
func (r *Result) base(e *measure.Engine) {
	for _, base := range r.Rule.Base {
		at, below := e.Column(base.Measure, r.slot), r.mark(Verdict{Outcome: NotJudged, Why: BelowBase})
		for code := range r.marks {
			if r.marks[code].outcome == Clear && !reaches(e, r, base, at, code) {
				r.marks[code] = below
			}
		}
	}
}

func reaches(e *measure.Engine, r *Result, base rulebook.Base, at *measure.Column, code int) bool {
	if at.Why[code] != measure.Present {
		return false
	}
	c := compare(at.Value[code], at.Error[code], e.Book.Value(base.Bound), func() *big.Rat {
		v, _ := e.Exact(base.Measure, uint32(code), r.slot)
		return v
	})
	return c > 0 || c == 0 && base.Included
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

// Tally counts the verdicts of a result.
type Tally struct {
	Subjects  int            `json:"subjects"` // in scope
	Clear     int            `json:"clear"`
	Breach    map[string]int `json:"breach"` // by grade
	NoData    int            `json:"no_data"`
	NotJudged map[string]int `json:"not_judged"` // by reason
	Flagged   int            `json:"flagged"`    // breaches, and no data that has a grade
}

// Judged is how many were held against the yardstick.
func (t Tally) Judged() int {
	n := t.Clear
	for _, c := range t.Breach {
		n += c
	}
	return n
}

// crowd is the share of those judged from which a rule is said to mark too
// much for its marks to stand out.
const crowd = 0.25

// Crowded says whether the rule flags so large a part of those judged that
// nothing stands out.
func (t Tally) Crowded() bool {
	return t.Flagged >= 10 && float64(t.Flagged) > crowd*float64(t.Judged()+t.NoData)
}

// Tally counts the verdicts.
func (r *Result) Tally() Tally {
	t := Tally{Breach: map[string]int{}, NotJudged: map[string]int{}}
	type part struct {
		of   mark
		many int
	}
	var parts []part // there are few different ones, and they come in runs
	last := -1
	for _, m := range r.marks {
		if last < 0 || parts[last].of != m {
			if last = slices.IndexFunc(parts, func(p part) bool { return p.of == m }); last < 0 {
				last = len(parts)
				parts = append(parts, part{of: m})
			}
		}
		parts[last].many++
	}
	for _, p := range parts {
		if p.of.outcome == OutOfScope {
			continue
		}
		t.Subjects += p.many
		if p.of.grade != 0 {
			t.Flagged += p.many
		}
		switch p.of.outcome {
		case Clear:
			t.Clear += p.many
		case Breach:
			t.Breach[r.words[p.of.grade]] += p.many
		case NoData:
			t.NoData += p.many
		case NotJudged:
			t.NotJudged[r.words[p.of.why]] += p.many
		}
	}
	return t
}
