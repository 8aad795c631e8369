package method

import (
	"fmt"
	"math"
	"math/big"
	"slices"

	"oskel/core/amount"
	"oskel/core/rulebook"
	"oskel/core/stats"
	"oskel/core/words"
)

// robustScore flags by the robust score 0.6745 (x - median) / MAD, strictly
// beyond the cut. Median and MAD are over the group, own value included;
// peers counted are the others. A group without spread (MAD = 0) is not
// judged. Source: Iglewicz and Hoaglin, How to Detect and Handle Outliers
// (1993).
var robustScore = &Method{
	Method: rulebook.Method{
		Family: "outlier", Name: "robust score", Among: "peers",
		UseFor:   "Subjects far from the others; one extreme value does not mask another",
		Requires: "Values that differ: where half of them are the same there is no spread",
		Settings: []rulebook.Setting{
			ofSetting, amongSetting,
			{Key: "beyond", Type: rulebook.NumberSetting, Doc: "a score", From: number("0"), Open: true, Example: "3.5"},
			sideSetting, peersSetting, scaleSetting, gradeSetting,
		},
		ExampleKeys: []string{"score"}, DecideExample: decideBeyond, RefuseLevel: noWhole,
		Words: func(b *rulebook.Book, r *rulebook.Rule) string {
			return fmt.Sprintf("%s when the robust score of %s among %s is beyond %s%s; with fewer than %d others it is not judged",
				b.Grade(r.Says("grade")).Label, words.LowerFirst(Title(b, r.Says("of"))), ruleAmong(b, r), b.SettingWords(r, "beyond"), sideWords(r.Says("side")),
				b.Whole(r, "peers"))
		},
	},
	judge: judgeRobust, sentence: robustSentence, axis: valueAxis,
}

// robust holds the median and the MAD of each group, by the code of the group.
type robust struct {
	*among
	figures map[int]*peerGroup // by group, when first asked for
}

func judgeRobust(w *Work) Found {
	r := robust{gather(w), map[int]*peerGroup{}}
	cut, side := w.Engine.Book.Set(w.Rule, "beyond"), w.Rule.Says("side")
	breach, flat := w.breach(), w.Mark(Verdict{Outcome: NotJudged, Why: NoSpread})
	for at, group := range r.groups {
		g := &peerGroup{near: r.near(group)}
		r.figures[at] = g
		median, mad := stats.MedianMAD(g.near.Values)
		g.about, g.spread = median, mad
		noSpread := mad == 0
		if mad <= 4*g.near.Error {
			_, exact := g.exactly()
			noSpread = exact.Sign() == 0
		}
		for i, code := range group {
			if noSpread {
				w.Put(code, flat)
				continue
			}
			w.Hold(code, r.column.Value[code])
			if g.beyond(i, g.near.Values[i]-median, mad, cut, side) {
				w.Put(code, breach)
			}
		}
	}
	return r
}

// peerGroup is one group; its exact figures are computed when first needed.
type peerGroup struct {
	near          stats.Near
	about, spread float64 // the median and the MAD in floating point
	median, mad   *big.Rat
	plain         *big.Rat // the median of what the logarithms are of
}

func (g *peerGroup) exactly() (median, mad *big.Rat) {
	if g.median == nil {
		g.median, g.mad = g.near.MedianMAD()
	}
	return g.median, g.mad
}

// beyond decides 0.6745 |x - median| > cut * MAD on the sides asked for. The
// floating-point figures decide unless the two sides are nearer than their
// errors: the median is off by at most that of the values, deviation and MAD by
// twice that.
func (g *peerGroup) beyond(i int, deviation, mad float64, cut amount.Amount, side string) bool {
	left, right := stats.RobustFactor*math.Abs(deviation), cut.Float()*mad
	doubt := (2+2*cut.Float())*g.near.Error + (left+right)*0x1p-50
	if left < right-doubt {
		return false // whichever side of the median it is on
	}
	sign, beyond := 1, true
	if deviation < 0 {
		sign = -1
	}
	if left <= right+doubt || math.Abs(deviation) <= 2*g.near.Error {
		median, exactMAD := g.exactly()
		d := new(big.Rat).Sub(g.near.Exact(i), median)
		sign = d.Sign()
		l := new(big.Rat).Mul(stats.RobustFactorRat, d.Abs(d))
		beyond = g.near.Cmp(l, new(big.Rat).Mul(cut.Rat(), exactMAD)) > 0
	}
	return beyond && onSide(side, sign)
}

// Cuts implements Found.
func (r robust) Cuts(code int) []float64 {
	group := r.single(code)
	if group == nil {
		return nil
	}
	g := r.figures[r.groupOf(group[0])]
	far := r.Engine.Book.Set(r.Rule, "beyond").Float() * g.spread / stats.RobustFactor
	return r.sides(g.about-far, g.about+far)
}

// Evidence implements Found.
func (r robust) Evidence(ev *Evidence, code uint32) {
	ev.describe(r.Work, r.of(), code)
	p := r.peersOf(code)
	if p == nil {
		return
	}
	at := r.groupOf(int(code))
	g := r.figures[at]
	p.Cut = r.Engine.Book.Set(r.Rule, "beyond").Rat()
	median, mad := g.exactly()
	if mad.Sign() == 0 {
		return // without spread there is no score
	}
	i, _ := slices.BinarySearch(r.groups[at], int(code))
	p.Score = new(big.Rat).Mul(stats.RobustFactorRat, new(big.Rat).Sub(g.near.Exact(i), median))
	p.Score.Quo(p.Score, mad)
	if p.Median, p.MAD = median, mad; r.logged() {
		p.Score, p.MAD = rounded(p.Score), rounded(mad)
		if g.plain == nil {
			g.plain = r.column.Near(r.groups[at], r.exactly()).Percentile(big.NewRat(1, 2))
		}
		p.Median, p.Log = g.plain, true
	}
	ev.Peers = p
}

func robustSentence(book *rulebook.Book, rule *rulebook.Rule, _ Verdict, ev *Evidence) string {
	value, median := rulebook.FormatApart(ev.Value, ev.Peers.Median, ev.Unit, ev.Places)
	side := "above"
	if ev.Peers.Score.Sign() < 0 {
		side = "below"
	}
	scale := ""
	if ev.Peers.Log {
		scale = " of the logarithms"
	}
	score, cut := rulebook.FormatApart(new(big.Rat).Abs(ev.Peers.Score), ev.Peers.Cut, rulebook.Count, 1)
	verb := "far "
	if new(big.Rat).Abs(ev.Peers.Score).Cmp(ev.Peers.Cut) <= 0 {
		verb = ""
	}
	return fmt.Sprintf("%s is %s, %s%s the median of %s among %d %s: robust score%s %s; flagged beyond %s.",
		Title(book, ev.Measure), value, verb, side, median, ev.Peers.Others+1, peerWords(book, rule, ev.Peers), scale, score, cut)
}
