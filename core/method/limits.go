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

// fences flags what lies strictly outside the quartiles of type 7 less and plus
// so many interquartile ranges: 1.5 is the inner fence, 3 the outer one. A range
// of 0 makes the quartiles the fences. Source: Tukey, Exploratory Data Analysis
// (1977).
var fences = &Method{
	Method: rulebook.Method{
		Family: "outlier", Name: "quartile fences", Among: "peers",
		UseFor:   "Subjects far outside the middle half of the others, skewed or not",
		Requires: "A group large enough to have quartiles, eight or more",
		Settings: []rulebook.Setting{
			ofSetting, amongSetting,
			{Key: "beyond", Type: rulebook.NumberSetting, Default: "1.5", Doc: "a number of interquartile ranges", From: number("0"), Example: "1.5"},
			sideSetting, peersSetting, scaleSetting, gradeSetting,
		},
		ExampleKeys: []string{"beyond_quartile"}, RefuseLevel: noWhole,
		DecideExample: func(b *rulebook.Book, r *rulebook.Rule, stated map[string]*big.Rat) (bool, string) {
			far := stated["beyond_quartile"]
			if far == nil {
				return false, "the example of quartile fences says how many interquartile ranges beyond the nearest quartile, below it with a minus, such as " +
					"{beyond_quartile: 2, is: look}"
			}
			return onSide(r.Says("side"), far.Sign()) && new(big.Rat).Abs(far).Cmp(b.Set(r, "beyond").Rat()) > 0, ""
		},
		Words: func(b *rulebook.Book, r *rulebook.Rule) string {
			return fmt.Sprintf("%s when %s lies more than %s interquartile ranges outside the quartiles of %s%s; with fewer than %d others it is not judged",
				b.Grade(r.Says("grade")).Label, words.LowerFirst(Title(b, r.Says("of"))), b.SettingWords(r, "beyond"), ruleAmong(b, r), sideWords(r.Says("side")),
				b.Whole(r, "peers"))
		},
	},
	judge: func(w *Work) Found {
		k := w.Engine.Book.Set(w.Rule, "beyond").Rat()
		return judgeLimits(w, func(near stats.Near) (low, high *big.Rat, figures []Figure) {
			q1, q3 := near.Percentile(big.NewRat(1, 4)), near.Percentile(big.NewRat(3, 4))
			far := new(big.Rat).Sub(q3, q1)
			far.Mul(far, k)
			return new(big.Rat).Sub(q1, far), new(big.Rat).Add(q3, far), []Figure{{Label: "First quartile", Value: q1}, {Label: "Third quartile", Value: q3}}
		})
	},
	axis: valueAxis,
	sentence: func(book *rulebook.Book, rule *rulebook.Rule, _ Verdict, ev *Evidence) string {
		return limitSentence(book, rule, ev, "fence")
	},
}

// rangePlace flags by where a value lies between the lowest and the highest of
// its group, itself among them: (x - min) / (max - min), strictly above the cut
// on the high side, strictly below one less it on the low side.
var rangePlace = &Method{
	Method: rulebook.Method{
		Family: "outlier", Name: "position in range", Among: "peers",
		UseFor:   "Subjects near the highest or the lowest value",
		Requires: "Values that differ; one extreme value moves all others to the other end",
		Settings: []rulebook.Setting{
			ofSetting, amongSetting,
			{Key: "beyond", Type: rulebook.PercentSetting, Doc: "a share of the range", From: number("0.5"), To: number("1"), Example: "90%"},
			sideSetting, peersSetting, gradeSetting,
		},
		ExampleKeys: []string{"position"}, RefuseLevel: noWhole, DecideExample: decideShare("position"),
		Words: func(b *rulebook.Book, r *rulebook.Rule) string {
			return fmt.Sprintf("%s when %s lies beyond %s of the range of %s%s; with fewer than %d others it is not judged",
				b.Grade(r.Says("grade")).Label, words.LowerFirst(Title(b, r.Says("of"))), b.SettingWords(r, "beyond"), ruleAmong(b, r), sideWords(r.Says("side")),
				b.Whole(r, "peers"))
		},
	},
	judge: func(w *Work) Found {
		p := w.Engine.Book.Set(w.Rule, "beyond").Rat()
		return judgeLimits(w, func(near stats.Near) (low, high *big.Rat, figures []Figure) {
			least, most := near.Percentile(new(big.Rat)), near.Percentile(big.NewRat(1, 1))
			if least.Cmp(most) == 0 {
				return nil, nil, nil
			}
			far := new(big.Rat).Sub(most, least)
			far.Mul(far, p)
			return new(big.Rat).Sub(most, far), new(big.Rat).Add(least, far), []Figure{{Label: "Lowest", Value: least}, {Label: "Highest", Value: most}}
		})
	},
	axis: valueAxis,
	sentence: func(book *rulebook.Book, rule *rulebook.Rule, _ Verdict, ev *Evidence) string {
		return limitSentence(book, rule, ev, book.SettingWords(rule, "beyond")+" of the range")
	},
}

// decideShare is for shares from 0 to 1: strictly above the cut, or strictly
// below one less it.
func decideShare(name string) func(b *rulebook.Book, r *rulebook.Rule, stated map[string]*big.Rat) (bool, string) {
	return func(b *rulebook.Book, r *rulebook.Rule, stated map[string]*big.Rat) (bool, string) {
		at := stated[name]
		if at == nil {
			return false, fmt.Sprintf("the example of %s says the %s, such as {%s: 95%%, is: %s}", r.Method.Name, name, name, r.Says("grade"))
		}
		cut := b.Set(r, "beyond").Rat()
		low := new(big.Rat).Sub(big.NewRat(1, 1), cut)
		side := r.Says("side")
		return side != "low" && at.Cmp(cut) > 0 || side != "high" && at.Cmp(low) < 0, ""
	}
}

// limited flags what lies strictly beyond two limits of its group.
type limited struct {
	*among
	limits map[int]*limitsOf
}

// limitsOf are the limits of one group, nil where its values do not spread, and what they were
// found from. Near says in floats which values are close enough to be compared exactly.
type limitsOf struct {
	near      stats.Near
	low, high *big.Rat
	figures   []Figure
}

// judgeLimits marks what lies strictly beyond the limits of its group, on the
// sides asked for; a group without limits has no spread.
func judgeLimits(w *Work, limits func(near stats.Near) (low, high *big.Rat, figures []Figure)) Found {
	r := limited{gather(w), map[int]*limitsOf{}}
	side := w.Rule.Says("side")
	breach, flat := w.breach(), w.flat()
	for at, group := range r.groups {
		near := r.near(group)
		low, high, figures := limits(near)
		r.limits[at] = &limitsOf{near, low, high, figures}
		for i, code := range group {
			if low == nil {
				w.Put(code, flat)
				continue
			}
			w.Hold(code, r.column.Value[code])
			if side != "high" && against(near, i, low) < 0 || side != "low" && against(near, i, high) > 0 {
				w.Put(code, breach)
			}
		}
	}
	return r
}

// against compares a value with a limit, exactly where floating point cannot.
func against(near stats.Near, i int, limit *big.Rat) int {
	at, _ := limit.Float64()
	if d := near.Values[i] - at; math.Abs(d) > near.Error+(math.Abs(at)+math.Abs(near.Values[i]))*0x1p-52 {
		if d < 0 {
			return -1
		}
		return 1
	}
	return near.Cmp(near.Exact(i), limit)
}

// Cuts implements Found.
func (r limited) Cuts(code int) []float64 {
	group := r.single(code)
	if group == nil {
		return nil
	}
	l := r.limits[r.groupOf(group[0])]
	if l.low == nil {
		return nil
	}
	low, _ := l.low.Float64()
	high, _ := l.high.Float64()
	return r.sides(low, high)
}

// Evidence implements Found.
func (r limited) Evidence(ev *Evidence, code uint32) {
	ev.describe(r.Work, r.of(), code)
	p := r.peersOf(code)
	if p == nil {
		return
	}
	at := r.groupOf(int(code))
	l := r.limits[at]
	if l.low == nil {
		return
	}
	unit, places, scale := ev.Unit, ev.Places, ""
	if r.logged() {
		unit, places, scale = rulebook.Count, 4, " of the logarithms"
	}
	i, _ := slices.BinarySearch(r.groups[at], int(code))
	p.Log = r.logged()
	limit := l.high
	if against(l.near, i, l.low) < 0 && r.Rule.Says("side") != "high" || r.Rule.Says("side") == "low" {
		limit = l.low
	}
	ev.Figures = append(ev.Figures, Figure{Label: "Limit" + scale, Value: rounded(limit), Unit: unit, Places: places})
	for _, f := range l.figures {
		ev.Figures = append(ev.Figures, Figure{Label: f.Label + scale, Value: rounded(f.Value), Unit: unit, Places: places})
	}
	ev.Peers = p
}

// limitSentence says on which side of a limit a value lies.
func limitSentence(book *rulebook.Book, rule *rulebook.Rule, ev *Evidence, limit string) string {
	at := ev.Figures[0].Value
	value, cut := rulebook.FormatApart(ev.Value, at, ev.Unit, ev.Places)
	c := ev.Value.Cmp(at)
	if ev.Peers.Log {
		f, _ := ev.Value.Float64()
		l, _ := at.Float64()
		value, cut = rulebook.Format(ev.Value, ev.Unit, ev.Places), rulebook.Format(new(big.Rat).SetFloat64(math.Exp(l)), ev.Unit, ev.Places)
		c = int(math.Copysign(1, math.Log(f)-l))
	}
	where := map[int]string{-1: "below", 0: "on", 1: "above"}[c]
	return fmt.Sprintf("%s is %s, %s the %s at %s among %d %s.", Title(book, ev.Measure), value, where, limit, cut, ev.Peers.Others+1,
		peerWords(book, rule, ev.Peers))
}
