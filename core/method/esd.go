package method

import (
	"fmt"
	"math/big"
	"slices"

	"oskel/core/rulebook"
	"oskel/core/stats"
	"oskel/core/words"
)

// deviates is the generalised extreme studentized deviate test, two-sided: the
// value farthest from the mean is taken out, step by step, and the number of
// outliers is the largest i with R_i above lambda_i. Of equally far values the
// first in code order goes first. Source: Rosner, Percentage Points for a
// Generalized ESD Many-Outlier Procedure (1983).
var deviates = &Method{
	Method: rulebook.Method{
		Family: "outlier", Name: "generalised ESD", Among: "peers",
		UseFor:   "A few genuine outliers among normally distributed values, at a stated risk of a false one",
		Requires: "About normal values, 25 or more; state the largest number of outliers",
		Settings: []rulebook.Setting{
			ofSetting, amongSetting,
			{Key: "most", Type: rulebook.NumberSetting, Default: "10", Whole: true, Doc: "a number of outliers", From: number("1"), To: number("1000"), Example: "10"},
			{Key: "alpha", Type: rulebook.PercentSetting, Default: "5%", Doc: "a level", From: number("0"), To: number("1"), Open: true, Example: "5%"},
			sideSetting,
			{Key: "peers", Type: rulebook.NumberSetting, Default: "24", Whole: true, From: number("4"), To: number("1000000"), Example: "24",
				Doc: "a number of others"},
			scaleSetting, gradeSetting,
		},
		ExampleKeys: []string{"deviate", "critical"}, RefuseLevel: noWhole,
		DecideExample: func(_ *rulebook.Book, r *rulebook.Rule, stated map[string]*big.Rat) (bool, string) {
			if stated["deviate"] == nil || stated["critical"] == nil {
				return false, fmt.Sprintf("the example of a generalised ESD says the deviate and the critical value, "+
					"such as {deviate: 3.2, critical: 3.1, is: %s}", r.Says("grade"))
			}
			return stated["deviate"].Cmp(stated["critical"]) > 0, ""
		},
		Check: func(b *rulebook.Book, r *rulebook.Rule, say func(key, format string, args ...any)) {
			if b.Whole(r, "most") > b.Whole(r, "peers")/2 {
				say("most", "looks for %d outliers where there may be %d values: expected at most half of them", b.Whole(r, "most"), b.Whole(r, "peers")+1)
			}
		},
		Words: func(b *rulebook.Book, r *rulebook.Rule) string {
			return fmt.Sprintf("%s for up to %s outliers of %s among %s%s by the generalised ESD test at %s; with fewer than %d others it is not judged",
				b.Grade(r.Says("grade")).Label, b.SettingWords(r, "most"), words.LowerFirst(Title(b, r.Says("of"))), ruleAmong(b, r), sideWords(r.Says("side")),
				b.SettingWords(r, "alpha"), b.Whole(r, "peers"))
		},
	},
	judge: judgeDeviates, axis: valueAxis,
	sentence: func(book *rulebook.Book, rule *rulebook.Rule, _ Verdict, ev *Evidence) string {
		value, p := rulebook.Format(ev.Value, ev.Unit, ev.Places), ev.Peers
		if p.Score == nil {
			return fmt.Sprintf("%s is %s, none of the %s farthest of %d %s.", Title(book, ev.Measure), value, book.SettingWords(rule, "most"), p.Others+1,
				peerWords(book, rule, p))
		}
		score, cut := rulebook.FormatApart(p.Score, p.Cut, rulebook.Count, 2)
		return fmt.Sprintf("%s is %s, step %s of the generalised ESD test among %d %s: deviate %s, the critical value is %s.",
			Title(book, ev.Measure), value, rulebook.Format(ev.Figures[0].Value, rulebook.Count, 0), p.Others+1, peerWords(book, rule, p), score, cut)
	},
}

// deviated holds the steps of a generalised ESD (Rosner 1983), each of which takes one out.
type deviated struct {
	*among
	steps map[int]step // by code
}

// step is one value taken out: R and lambda as far as floating point knows.
type step struct {
	number    int
	r, lambda float64
}

// judgeDeviates is the generalised extreme studentised deviate test (Rosner 1983) of each group of
// peers.
func judgeDeviates(w *Work) Found {
	d := deviated{gather(w), map[int]step{}}
	b, side := w.Engine.Book, w.Rule.Says("side")
	breach, flat := w.breach(), w.flat()
	alpha := b.Set(w.Rule, "alpha").Float()
	for _, group := range d.groups {
		m := momentsOf(d.near(group))
		if m.flat() {
			for _, code := range group {
				w.Put(code, flat)
			}
			continue
		}
		for _, code := range group {
			w.Hold(code, d.column.Value[code])
		}
		taken := m.extremes(min(b.Whole(w.Rule, "most"), len(group)-3), alpha)
		outliers := 0
		for k, t := range taken {
			if t.beyond {
				outliers = k + 1
			}
		}
		for k, t := range taken {
			d.steps[group[t.at]] = step{k + 1, t.r, t.lambda}
			if k < outliers && onSide(side, t.sign) {
				w.Put(group[t.at], breach)
			}
		}
	}
	return d
}

// taken is one value taken out of a group.
type taken struct {
	at        int
	sign      int // of its deviation from the mean of those still there
	beyond    bool
	r, lambda float64
}

// extremes takes out the farthest value up to most times, until all that is left
// is the same.
func (m *moments) extremes(most int, alpha float64) (out []taken) {
	left := make([]int, len(m.values))
	for i := range left {
		left[i] = i
	}
	for i := 1; i <= most; i++ {
		rest := &moments{near: stats.Near{Error: m.near.Error, Exact: func(k int) *big.Rat { return m.near.Exact(left[k]) }}}
		for _, at := range left {
			rest.near.Values, rest.values = append(rest.near.Values, m.near.Values[at]), append(rest.values, m.values[at])
		}
		rest.mean, rest.squares = stats.Squares(&stats.Floats{}, rest.values)
		if rest.flat() {
			break
		}
		k := rest.farthest()
		t := taken{at: left[k]}
		lambda := stats.Lambda(len(m.values), i, alpha)
		t.sign, t.beyond = rest.beyondInterval(k, lambda)
		f := &stats.Floats{}
		t.lambda = lambda.Mid()
		t.r = f.Quo(stats.Distance(f, rest.values[k], rest.mean), f.Sqrt(f.Quo(rest.squares, f.Int(len(left)-1)))).Mid()
		out = append(out, t)
		left = slices.Delete(left, k, k+1)
	}
	return out
}

// farthest is the value farthest from the mean, the first of equally far ones.
func (m *moments) farthest() int {
	f := &stats.Floats{}
	far := make([]stats.Interval, len(m.values))
	most := 0.0
	for i, v := range m.values {
		far[i] = stats.Distance(f, v, m.mean)
		most = max(most, far[i].Low)
	}
	var near []int
	for i := range far {
		if far[i].High >= most {
			near = append(near, i)
		}
	}
	if len(near) == 1 {
		return near[0]
	}
	w := stats.Wide{}
	mean, _ := m.wide()
	best := near[0]
	distance := stats.Distance(w, m.near.Wide(best), mean)
	for _, i := range near[1:] {
		if d := stats.Distance(w, m.near.Wide(i), mean); w.Cmp(d, distance) > 0 {
			best, distance = i, d
		}
	}
	return best
}

// beyondInterval decides R > lambda where lambda is known to be in an interval:
// what lies in it is on the critical value, and not beyond.
func (m *moments) beyondInterval(i int, lambda stats.Interval) (sign int, beyond bool) {
	f := &stats.Floats{}
	d := f.Sub(m.values[i], m.mean)
	if sign = f.Cmp(d, f.Int(0)); f.Doubt {
		mean, _ := m.wide()
		sign = stats.Wide{}.Sub(m.near.Wide(i), mean).Sign()
	}
	left := f.Mul(f.Mul(d, d), f.Int(len(m.values)-1))
	right := f.Mul(f.Mul(lambda, lambda), m.squares)
	return sign, left.Low > right.High
}

// Cuts implements Found: the test moves with each value that is taken out.
func (d deviated) Cuts(int) []float64 { return nil }

// Evidence implements Found.
func (d deviated) Evidence(ev *Evidence, code uint32) {
	ev.describe(d.Work, d.of(), code)
	ev.Peers = d.peersOf(code)
	s, out := d.steps[int(code)]
	if ev.Peers == nil || !out {
		return
	}
	ev.Peers.Score, ev.Peers.Cut = rounded(new(big.Rat).SetFloat64(s.r)), rounded(new(big.Rat).SetFloat64(s.lambda))
	ev.Figures = append(ev.Figures, Figure{Label: "Step", Value: big.NewRat(int64(s.number), 1), Unit: rulebook.Count})
}
