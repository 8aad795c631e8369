package method

import (
	"fmt"
	"math"
	"math/big"

	"oskel/core/rulebook"
	"oskel/core/stats"
	"oskel/core/words"
)

// discoveries holds the share of false discovery rate among those flagged to a
// stated one: those whose adjusted p-value is at most it. p is two-sided, from
// the standard normal of (x - median) / (1.4826 MAD), or from Student's t of the
// standard score. Source: Benjamini and Hochberg, Controlling the False
// Discovery Rate (1995).
var discoveries = &Method{
	Method: rulebook.Method{
		Family: "outlier", Name: "false discovery rate", Among: "peers",
		UseFor:   "Thousands of subjects, where a fixed score flags many by chance alone",
		Requires: "Many peers, about normal in the middle",
		Settings: []rulebook.Setting{
			ofSetting, amongSetting,
			{Key: "share", Type: rulebook.PercentSetting, Default: "5%", Doc: "the share of flagged subjects that may be false", From: number("0"),
				To: number("1"), Open: true, Example: "5%"},
			{Key: "model", Type: rulebook.WordSetting, Default: "normal", Choices: []string{"normal", "t"},
				Doc: "by median and MAD and the normal distribution, or by mean and standard deviation and Student's t"},
			sideSetting, peersSetting, scaleSetting, gradeSetting,
		},
		ExampleKeys: []string{"adjusted_p"}, RefuseLevel: noWhole,
		DecideExample: func(b *rulebook.Book, r *rulebook.Rule, stated map[string]*big.Rat) (bool, string) {
			if stated["adjusted_p"] == nil {
				return false, fmt.Sprintf("the example of false discovery rate says the adjusted p-value, such as {adjusted_p: 1%%, is: %s}", r.Says("grade"))
			}
			return stated["adjusted_p"].Cmp(b.Set(r, "share").Rat()) <= 0, ""
		},
		Words: func(b *rulebook.Book, r *rulebook.Rule) string {
			return fmt.Sprintf("%s when %s lies so far from %s%s that at most %s of those flagged are there by chance (%s model); with fewer than %d others "+
				"it is not judged",
				b.Grade(r.Says("grade")).Label, words.LowerFirst(Title(b, r.Says("of"))), ruleAmong(b, r), sideWords(r.Says("side")), b.SettingWords(r, "share"),
				r.Says("model"), b.Whole(r, "peers"))
		},
	},
	judge: judgeDiscoveries, axis: valueAxis,
	sentence: func(book *rulebook.Book, rule *rulebook.Rule, _ Verdict, ev *Evidence) string {
		adjusted, share := rulebook.FormatApart(ev.Figures[1].Value, book.Set(rule, "share").Rat(), rulebook.Percent, 1)
		return fmt.Sprintf("%s is %s, %s from the centre of %d %s on the scale of their scatter: adjusted p %s, flagged at most at %s.",
			Title(book, ev.Measure), rulebook.Format(ev.Value, ev.Unit, ev.Places), rulebook.Format(ev.Figures[0].Value, rulebook.Count, 1), ev.Peers.Others+1,
			peerWords(book, rule, ev.Peers), adjusted, share)
	},
}

// discovered is what a group's deviates come to once all of them have been looked at together:
// scores, two-sided p-values, and those adjusted after Benjamini and Hochberg (1995).
type discovered struct {
	*among
	z, p, adjusted []float64 // by code
}

func judgeDiscoveries(w *Work) Found {
	r := discovered{gather(w), make([]float64, w.Len()), make([]float64, w.Len()), nil}
	for i := range r.p {
		r.z[i], r.p[i] = math.NaN(), math.NaN()
	}
	b := w.Engine.Book
	flat := w.flat()
	for _, group := range r.groups {
		score, ok := scoresOf(r.near(group), w.Rule.Says("model"))
		for i, code := range group {
			if !ok {
				w.Put(code, flat)
				continue
			}
			w.Hold(code, r.column.Value[code])
			r.z[code], r.p[code] = score(i)
		}
	}
	r.adjusted = stats.Adjusted(r.p)
	share, side, breach := b.Set(w.Rule, "share").Float(), w.Rule.Says("side"), w.breach()
	for code := range w.Open() {
		if r.adjusted[code] <= share && onSide(side, int(math.Copysign(1, r.z[code]))) {
			w.Put(code, breach)
		}
	}
	return r
}

// scoresOf gives score and p-value of each value of a group; ok is false where
// there is no spread.
func scoresOf(near stats.Near, model string) (of func(i int) (z, p float64), ok bool) {
	if model == "t" {
		m := momentsOf(near)
		if m.flat() {
			return nil, false
		}
		n := len(m.values)
		mean, s := m.mean.Mid(), math.Sqrt(m.squares.Mid()/float64(n-1))
		return func(i int) (z, p float64) {
			z = (near.Values[i] - mean) / s
			size := float64(n)
			left := (size-1)*(size-1) - size*z*z
			if left <= 0 {
				return z, 0
			}
			return z, stats.TwoSidedT(z*math.Sqrt(size*(size-2)/left), n-2)
		}, true
	}
	exactMedian, exactMAD := near.MedianMAD()
	if exactMAD.Sign() == 0 {
		return nil, false
	}
	median, _ := exactMedian.Float64()
	mad, _ := exactMAD.Float64()
	return func(i int) (z, p float64) {
		z = (near.Values[i] - median) / (1.4826 * mad)
		return z, stats.TwoSidedNormal(z)
	}, true
}

// Cuts implements Found: the cut moves with all others.
func (r discovered) Cuts(int) []float64 { return nil }

// Evidence implements Found.
func (r discovered) Evidence(ev *Evidence, code uint32) {
	ev.describe(r.Work, r.of(), code)
	p := r.peersOf(code)
	if p == nil || math.IsNaN(r.p[code]) {
		return
	}
	number := func(v float64) *big.Rat { return rounded(new(big.Rat).SetFloat64(v)) }
	ev.Figures = append(ev.Figures, Figure{Label: "Score", Value: number(r.z[code]), Unit: rulebook.Count, Places: 2},
		Figure{Label: "Adjusted p", Value: number(r.adjusted[code]), Unit: rulebook.Percent, Places: 3},
		Figure{Label: "p", Value: number(r.p[code]), Unit: rulebook.Percent, Places: 3})
	ev.Peers = p
}
