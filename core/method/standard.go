package method

import (
	"fmt"
	"math"
	"math/big"
	"slices"

	"oskel/core/rulebook"
	"oskel/core/stats"
	"oskel/core/words"
)

// standardScore flags by (x - mean) / s, strictly beyond the cut: s is the
// sample standard deviation, the own value included in both. It is decided by
// the squares, so that no root is taken.
var standardScore = &Method{
	Method: rulebook.Method{
		Family: "outlier", Name: "standard score", Among: "peers",
		UseFor:   "Subjects far from the average, where values are about normal and none is extreme",
		Requires: "Values without records: one extreme widens the scale for all",
		Settings: []rulebook.Setting{
			ofSetting, amongSetting,
			{Key: "beyond", Type: rulebook.NumberSetting, Doc: "a score", From: number("0"), Open: true, Example: "3"},
			sideSetting, peersSetting, scaleSetting, gradeSetting,
		},
		ExampleKeys: []string{"score"}, DecideExample: decideBeyond, RefuseLevel: noWhole,
		Words: func(b *rulebook.Book, r *rulebook.Rule) string {
			return fmt.Sprintf("%s when the standard score of %s among %s is beyond %s%s; with fewer than %d others it is not judged",
				b.Grade(r.Says("grade")).Label, words.LowerFirst(Title(b, r.Says("of"))), ruleAmong(b, r), b.SettingWords(r, "beyond"), sideWords(r.Says("side")),
				b.Whole(r, "peers"))
		},
	},
	judge: judgeStandard, axis: valueAxis,
	sentence: func(book *rulebook.Book, rule *rulebook.Rule, _ Verdict, ev *Evidence) string {
		return scoreSentence(book, rule, ev, "average", "standard score")
	},
}

// standard holds the mean and the standard deviation of each group, of n-1.
type standard struct {
	*among
	figures map[int]*moments
}

// moments are mean and squared deviations of a group; the wide ones are
// computed when first needed.
type moments struct {
	near          stats.Near
	values        []stats.Interval
	mean, squares stats.Interval
	wideMean      *big.Float
	wideSquares   *big.Float
}

func momentsOf(near stats.Near) *moments {
	m := &moments{near: near, values: make([]stats.Interval, len(near.Values))}
	for i := range near.Values {
		m.values[i] = near.Interval(i)
	}
	m.mean, m.squares = stats.Squares(&stats.Floats{}, m.values)
	return m
}

func (m *moments) wide() (mean, squares *big.Float) {
	if m.wideMean == nil {
		xs := make([]*big.Float, len(m.values))
		for i := range xs {
			xs[i] = m.near.Wide(i)
		}
		m.wideMean, m.wideSquares = stats.Squares(stats.Wide{}, xs)
	}
	return m.wideMean, m.wideSquares
}

// flat says whether all values are the same.
func (m *moments) flat() bool {
	return m.squares.Low <= 0 && m.near.Percentile(new(big.Rat)).Cmp(m.near.Percentile(big.NewRat(1, 1))) == 0
}

// beyond decides (x - mean)^2 (n - 1) > cut^2 x squares, and on which side.
func (m *moments) beyond(i int, cut *big.Rat) (sign int, beyond bool) {
	f := &stats.Floats{}
	c, _ := cut.Float64()
	d := f.Sub(m.values[i], m.mean)
	sign = f.Cmp(d, f.Int(0))
	over := f.Cmp(f.Mul(f.Mul(d, d), f.Int(len(m.values)-1)), f.Mul(stats.Around(c*c, 4*c*c*0x1p-52), m.squares))
	if f.Doubt {
		w := stats.Wide{}
		mean, squares := m.wide()
		d, k := w.Sub(m.near.Wide(i), mean), w.Number(cut)
		sign = d.Sign()
		over = w.Cmp(w.Mul(w.Mul(d, d), w.Int(len(m.values)-1)), w.Mul(w.Mul(k, k), squares))
	}
	return sign, over > 0
}

// score is (x - mean) / s to twelve decimal places.
func (m *moments) score(i int) *big.Rat {
	w := stats.Wide{}
	mean, squares := m.wide()
	s := w.Sqrt(w.Quo(squares, w.Int(len(m.values)-1)))
	return stats.Rational(w.Quo(w.Sub(m.near.Wide(i), mean), s), 12)
}

func judgeStandard(w *Work) Found {
	r := standard{gather(w), map[int]*moments{}}
	cut, side := w.Engine.Book.Set(w.Rule, "beyond").Rat(), w.Rule.Says("side")
	breach, flat := w.breach(), w.flat()
	for at, group := range r.groups {
		m := momentsOf(r.near(group))
		r.figures[at] = m
		same := m.flat()
		for i, code := range group {
			if same {
				w.Put(code, flat)
				continue
			}
			w.Hold(code, r.column.Value[code])
			if sign, beyond := m.beyond(i, cut); beyond && onSide(side, sign) {
				w.Put(code, breach)
			}
		}
	}
	return r
}

// Cuts implements Found.
func (r standard) Cuts(code int) []float64 {
	group := r.single(code)
	if group == nil {
		return nil
	}
	m := r.figures[r.groupOf(group[0])]
	mean := m.mean.Mid()
	far := r.Engine.Book.Set(r.Rule, "beyond").Float() * math.Sqrt(max(m.squares.Mid(), 0)/float64(len(group)-1))
	return r.sides(mean-far, mean+far)
}

// sides are the cuts of the sides that are asked for, in the measure's scale.
func (a *among) sides(low, high float64) (out []float64) {
	side := a.Rule.Says("side")
	if side != "high" {
		out = append(out, a.shown(low))
	}
	if side != "low" {
		out = append(out, a.shown(high))
	}
	return out
}

// Evidence implements Found.
func (r standard) Evidence(ev *Evidence, code uint32) {
	ev.describe(r.Work, r.of(), code)
	p := r.peersOf(code)
	if p == nil {
		return
	}
	at := r.groupOf(int(code))
	m := r.figures[at]
	i, _ := slices.BinarySearch(r.groups[at], int(code))
	w := stats.Wide{}
	mean, squares := m.wide()
	if squares.Sign() == 0 {
		return
	}
	p.Score, p.Cut, p.Log = m.score(i), r.Engine.Book.Set(r.Rule, "beyond").Rat(), r.logged()
	centre, label, unit, places := stats.Rational(mean, 12), "Average", ev.Unit, ev.Places
	if p.Log {
		label, unit, places = "Average of the logarithms", rulebook.Count, 4
	}
	spread := stats.Rational(w.Sqrt(w.Quo(squares, w.Int(len(m.values)-1))), 12)
	ev.Figures = append(ev.Figures, Figure{Label: label, Value: centre, Unit: unit, Places: places},
		Figure{Label: "Standard deviation", Value: spread, Unit: unit, Places: places})
	ev.Peers = p
}

// scoreSentence says how far a value lies from the centre of its peers, which
// is the first of the further figures.
func scoreSentence(book *rulebook.Book, rule *rulebook.Rule, ev *Evidence, centre, score string) string {
	p := ev.Peers
	verb, side := "far ", "above"
	if p.Score.Sign() < 0 {
		side = "below"
	}
	if new(big.Rat).Abs(p.Score).Cmp(p.Cut) <= 0 {
		verb = ""
	}
	shown, cut := rulebook.FormatApart(new(big.Rat).Abs(p.Score), p.Cut, rulebook.Count, 1)
	of := ev.Figures[0]
	value, middle := rulebook.FormatApart(ev.Value, of.Value, ev.Unit, ev.Places)
	if p.Log {
		value, middle = rulebook.Format(ev.Value, ev.Unit, ev.Places), rulebook.Format(of.Value, rulebook.Count, 2)
		centre += " of the logarithms"
	}
	return fmt.Sprintf("%s is %s, %s%s the %s of %s among %d %s: %s %s; flagged beyond %s.",
		Title(book, ev.Measure), value, verb, side, centre, middle, p.Others+1, peerWords(book, rule, p), score, shown, cut)
}
