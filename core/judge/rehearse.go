package judge

import (
	"cmp"
	"math"
	"math/big"
	"slices"
	"strings"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/measure"
	"oskel/core/rulebook"
)

// Flip is one code whose verdict a draft changes.
type Flip struct {
	Code          uint32
	Before, After Verdict
}

// Flips lists the codes that are flagged by one of two results of a rule and
// not by the other, or regraded, the newly flagged first. Before is
// nil where the rule is new.
func Flips(before, after *Result) []Flip {
	var out []Flip
	add := func(code uint32) {
		f := Flip{Code: code, After: after.Verdict(code)}
		if before != nil && int(code) < before.Len() {
			f.Before = before.Verdict(code)
		}
		if f.Before.Grade != f.After.Grade {
			out = append(out, f)
		}
	}
	codes := after.Flagged()
	if before != nil {
		codes = append(codes, before.Flagged()...)
		slices.Sort(codes)
	}
	for _, code := range slices.Compact(codes) {
		if int(code) < after.Len() {
			add(code)
		}
	}
	slices.SortStableFunc(out, func(a, b Flip) int { return cmp.Compare(way(a), way(b)) })
	return out
}

// way orders flips: newly flagged, no longer flagged, regraded.
func way(f Flip) int {
	switch {
	case f.Before.Grade == "":
		return 0
	case f.After.Grade == "":
		return 1
	}
	return 2
}

// Near is one code close to a cut.
type Near struct {
	Code uint32
	Cut  float64
	Held float64
}

// NearCut lists the codes nearest to any cut, at most so many, the nearest
// first; of equally near ones the lower code first.
func (r *Result) NearCut(most int) []Near {
	if r.found == nil {
		return nil
	}
	cuts := r.found.Cuts(-1)
	if len(cuts) == 0 {
		return nil
	}
	var out []Near
	far := math.Inf(1) // of the farthest kept, once there are enough
	for code := range uint32(r.Len()) {
		held := r.Held(code)
		if math.IsNaN(held) {
			continue
		}
		nearest := cuts[0]
		for _, c := range cuts[1:] {
			if math.Abs(held-c) < math.Abs(held-nearest) {
				nearest = c
			}
		}
		if math.Abs(held-nearest) >= far {
			continue
		}
		out = append(out, Near{code, nearest, held})
		if len(out) >= 4*most {
			out = nearestOf(out, most)
			far = math.Abs(out[len(out)-1].Held - out[len(out)-1].Cut)
		}
	}
	return nearestOf(out, most)
}

func nearestOf(all []Near, most int) []Near {
	slices.SortStableFunc(all, func(a, b Near) int { return cmp.Compare(math.Abs(a.Held-a.Cut), math.Abs(b.Held-b.Cut)) })
	return all[:min(len(all), most)]
}

// Back is what a rule finds in one period of a look back.
type Back struct {
	Period    calendar.Period
	Empty     bool // no feed that the rule reads has a line in it; it counts for nothing
	Judged    int
	Flagged   int
	Persisted int // flagged in the period before, too
	Codes     []uint32
}

// LookBack judges the last n periods up to one, the oldest first; one that the
// rule does not hold for is judged all the same.
func LookBack(e *measure.Engine, rule *rulebook.Rule, level rulebook.Level, p calendar.Period, n int) []Back {
	var out []Back
	var before *Result
	if first, ok := e.Book.Calendar.Before(p, n); ok {
		before = Judge(e, rule, level, first)
	}
	for _, k := range e.Book.Calendar.Run(p, n) {
		r := Judge(e, rule, level, k)
		b := Back{Period: k, Empty: r.Empty}
		b.Codes = r.Flagged()
		b.Judged, b.Flagged = r.Tally().Judged(), len(b.Codes)
		for _, code := range b.Codes {
			if before != nil && before.IsFlagged(code) {
				b.Persisted++
			}
		}
		out, before = append(out, b), r
	}
	return out
}

// WhatIf is what a rule would say of one subject if some of its figures were
// others: the changes are by name of a measure, "target" or "comparison". All
// else stays as it is, its comparison too unless it is its target; a
// persistence is taken as fulfilled.
//
// An outlier rule judges anew, with the subject's figures changed amid those of all
// others and of its own past.
func WhatIf(e *measure.Engine, r *Result, code uint32, changes map[string]*big.Rat) (Verdict, string) {
	if r.Rule.Method != nil {
		return amidAll(e, r, code, changes)
	}
	for _, name := range r.names() {
		if _, told := changes[name]; !told && looksBeyond(e.Book, name, changes) {
			return Verdict{}, name + " looks beyond the subject's own figures of the month; say what " + name + " itself would be"
		}
	}
	st := stated{level: r.Level, given: measure.Given{}, target: amount.Missing, attributes: map[string]lang.Value{}, told: map[string]bool{}}
	lookup := r.Attributes(e, code)
	for name := range e.Book.Attributes(r.Level) {
		st.attributes[name] = lookup(name)
	}
	for _, name := range e.Book.Inputs(r.names()...) {
		v, _ := e.Exact(name, code, r.slot)
		st.given[name], st.told[name] = v, true
	}
	if t := r.Rule.Threshold; t != nil && t.Against != nil {
		if t.Against.Target {
			if a, ok := e.Target(t.Of, code, r.slot); ok {
				st.target = a
			}
		} else if y, why := e.ExactFormula(t.Against.Tree, code, r.slot); why == measure.Present {
			st.given["comparison"] = y
		}
		st.told["comparison"] = true
	}
	st.told["target"] = true
	for name, v := range changes {
		st.told[name] = true
		if name == "target" {
			st.target = amount.Missing
			if v != nil {
				if a, err := amount.Parse(amount.RoundRat(v, 4)); err == nil {
					st.target = a
				}
			}
			continue
		}
		st.given[name] = v // it overrules what the measure is made of
	}
	return st.verdict(e.Book, r.Rule, true)
}

// amidAll judges a method with some figures of one subject changed.
func amidAll(e *measure.Engine, r *Result, code uint32, changes map[string]*big.Rat) (Verdict, string) {
	of := r.Rule.Says("of")
	if of == "" {
		return Verdict{}, r.Rule.Method.Name + " looks at dated lines, not at figures; load or revert a line to test it"
	}
	known := append(e.Book.Inputs(of), of)
	for name := range changes {
		if !slices.Contains(known, name) && !slices.ContainsFunc(r.Rule.Base, func(b rulebook.Base) bool { return b.Measure == name }) {
			return Verdict{}, name + " is not used by the rule; it uses " + strings.Join(slices.Compact(known), ", ")
		}
	}
	supposed := e.Supposing(r.slot, code, changes)
	return once(supposed, r.Rule, r.Level, r.Period).Verdict(code), ""
}

// looksBeyond says whether a measure depends on other periods or subjects,
// but for measures that are told.
func looksBeyond(book *rulebook.Book, name string, told map[string]*big.Rat) bool {
	seen := map[string]bool{}
	var beyond func(n *lang.Node) bool
	look := func(name string) bool {
		m := book.Measure(name)
		if m == nil || m.Formula == nil || seen[name] {
			return false
		}
		seen[name] = true
		return beyond(m.Formula.Tree)
	}
	beyond = func(n *lang.Node) bool {
		if n.Op == lang.Call && lang.Functions[n.Text].Beyond {
			return true
		}
		if n.Op == lang.Name {
			_, known := told[n.Text]
			return !known && look(n.Text)
		}
		return slices.ContainsFunc(n.Parts, beyond)
	}
	return look(name)
}

// names lists everything a rule compares.
func (r *Result) names() []string {
	var names []string
	if t := r.Rule.Threshold; t != nil {
		names = append(names, t.Of)
		for _, c := range t.Choices {
			for _, condition := range c.Of {
				names = append(names, condition.Tree.Names()...)
			}
		}
	}
	for _, b := range r.Rule.Base {
		names = append(names, b.Measure)
	}
	return names
}

// Tried is how many a book flags on average with a dial turned to a value.
type Tried struct {
	Value   amount.Amount
	Average float64 // flagged a month, of those in which the rules judge any subject
}

// solveSteps is how many values of a dial are tried first, evenly spread.
const solveSteps = 24

// SolveDial finds the value of a dial, in whole steps between low and high, for
// which the given rules flag as nearly as possible so many a month, on average
// over the last n months up to m. It tries evenly spread values first and then
// halves the stretch in which the count crosses what is wanted; the least value of equally good ones
// is taken. The first result is the answer, the others are what was tried, by
// value.
func SolveDial(e *measure.Engine, dial string, rules []string, p calendar.Period, n int, wanted float64, low, high, step amount.Amount) (Tried, []Tried) {
	known := map[amount.Amount]float64{}
	at := func(v amount.Amount) float64 {
		if f, ok := known[v]; ok {
			return f
		}
		turned := e.With(e.Book.WithDial(dial, v))
		flagged, full := 0, 0
		for k := range n {
			counts := false
			for _, name := range rules {
				rule := turned.Book.Rule(name)
				period, ok := turned.Book.Calendar.Within(p, rule.Each)
				if ok {
					period, ok = turned.Book.Calendar.Before(period, k)
				}
				for _, level := range rule.Levels {
					if ok {
						r := Judge(turned, rule, level, period)
						n := len(r.Flagged())
						flagged += n
						counts = counts || n > 0 || r.Tally().Judged() > 0
					}
				}
			}
			if counts {
				full++
			}
		}
		known[v] = float64(flagged) / float64(max(full, 1))
		return known[v]
	}
	snap := func(v amount.Amount) amount.Amount { return low + (v-low)/step*step }
	for i := range amount.Amount(solveSteps) {
		at(snap(low + (high-low)/(solveSteps-1)*i))
	}
	at(high)
	best := func() (out Tried) {
		first := true
		for _, v := range sortedValues(known) {
			if off := math.Abs(known[v] - wanted); first || off < math.Abs(out.Average-wanted) {
				out, first = Tried{v, known[v]}, false
			}
		}
		return out
	}
	// Where the count crosses what is wanted, from the crossing whose ends come nearest to it.
	for range 40 {
		if best().Average == wanted {
			break
		}
		values := sortedValues(known)
		next, least := amount.Amount(-1), math.Inf(1)
		for i, a := range values[:len(values)-1] {
			b := values[i+1]
			off, other := known[a]-wanted, known[b]-wanted
			mid := snap(a + (b-a)/2)
			if near := min(math.Abs(off), math.Abs(other)); off*other < 0 && mid > a && mid < b && near < least {
				next, least = mid, near
			}
		}
		if next < 0 {
			break
		}
		at(next)
	}
	var all []Tried
	for _, v := range sortedValues(known) {
		all = append(all, Tried{v, known[v]})
	}
	return best(), all
}

func sortedValues(m map[amount.Amount]float64) []amount.Amount {
	out := make([]amount.Amount, 0, len(m))
	for v := range m {
		out = append(out, v)
	}
	slices.Sort(out)
	return out
}
