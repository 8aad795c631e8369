package method

import (
	"math"
	"math/big"
	"slices"
	"strings"

	"oskel/core/amount"
	"oskel/core/measure"
	"oskel/core/rulebook"
	"oskel/core/stats"
)

// The settings that methods among peers share.
var (
	ofSetting    = rulebook.Setting{Key: "of", Type: rulebook.MeasureSetting, Doc: "the measure that is compared"}
	amongSetting = rulebook.Setting{Key: "among", Type: rulebook.AttributeSetting, Optional: true,
		Doc: "the attribute that defines the peer group; default: all subjects"}
	sideSetting = rulebook.Setting{Key: "side", Type: rulebook.WordSetting, Default: "both", Choices: []string{"high", "low", "both"},
		Doc: "which side is flagged"}
	peersSetting = rulebook.Setting{Key: "peers", Type: rulebook.NumberSetting, Default: "8", Whole: true, From: number("2"), To: number("1000000"),
		Example: "8", Doc: "a number of others"}
	scaleSetting = rulebook.Setting{Key: "scale", Type: rulebook.WordSetting, Default: "plain", Choices: []string{"plain", "log"},
		Doc: "whether values or their natural logarithms are compared"}
	gradeSetting = rulebook.Setting{Key: "grade", Type: rulebook.GradeSetting, Doc: "the grade of those flagged"}
)

// number is a decimal written in this package.
func number(s string) *amount.Amount {
	a, err := amount.Parse(s)
	if err != nil {
		panic(err)
	}
	return &a
}

// noWhole refuses the whole, which has no peers.
func noWhole(l rulebook.Level) string {
	if l.Kind == "" {
		return "it has no peers"
	}
	return ""
}

// among is what methods among peers find: groups of codes that are compared.
type among struct {
	*Work
	column *measure.Column
	groups [][]int // in rising order of code
	places map[int]*places
}

// places are how the members of a group lie among themselves.
type places struct {
	of   map[uint32]int // dense, 1 is the highest
	size int
}

// gather settles who has no data, is below the minimum or has too few peers, and
// groups the others by the attribute whose equals are peers.
func gather(w *Work) *among {
	a := &among{Work: w, column: w.prepare(w.Engine.Column(w.of(), w.Slot)), places: map[int]*places{}}
	few := w.Mark(Verdict{Outcome: NotJudged, Why: FewPeers})
	if a.logged() {
		none := w.Mark(Verdict{Outcome: NotJudged, Why: NotPositive})
		for code := range w.Open() {
			if compare(a.column.Value[code], a.column.Error[code], 0, func() *big.Rat { return w.exact(w.of(), code) }) <= 0 {
				w.Put(code, none)
			}
		}
	}
	by, grouped := w.Rule.Settings["among"]
	var all [][]int
	if !grouped {
		all = [][]int{slices.Collect(w.Open())}
	} else {
		kind, attribute, _ := strings.Cut(by.Text, ".")
		codes := w.Engine.Groups(w.Slot, kind, attribute)
		for code := range w.Open() {
			if codes == nil || codes[code] == 0 {
				w.Put(code, few)
				continue
			}
			for len(all) <= int(codes[code]) {
				all = append(all, nil)
			}
			all[codes[code]] = append(all[codes[code]], code)
		}
	}
	least := w.Engine.Book.Whole(w.Rule, "peers")
	for _, group := range all {
		if len(group)-1 < least {
			for _, code := range group {
				w.Put(code, few)
			}
			continue
		}
		a.groups = append(a.groups, group)
	}
	return a
}

func (a *among) logged() bool { return a.Rule.Says("scale") == "log" }

// near are the values of a group as they are compared: their logarithms where
// the scale is so.
func (a *among) near(group []int) stats.Near {
	near := a.column.Near(group, a.exactly())
	if a.logged() {
		return near.Log()
	}
	return near
}

// shown turns what is compared back into the measure's own scale.
func (a *among) shown(v float64) float64 {
	if a.logged() {
		return math.Exp(v)
	}
	return v
}

// flat is the mark of groups in which all are alike.
func (w *Work) flat() Mark { return w.Mark(Verdict{Outcome: NotJudged, Why: NoSpread}) }

// groupOf is the place of the group that holds a code, or -1.
func (a *among) groupOf(code int) int {
	return slices.IndexFunc(a.groups, func(group []int) bool {
		_, in := slices.BinarySearch(group, code)
		return in
	})
}

// Beside implements Found: the group of the code.
func (a *among) Beside(code int) func(other int) bool {
	if _, grouped := a.Rule.Settings["among"]; !grouped || code < 0 {
		return nil
	}
	at := a.groupOf(code)
	return func(other int) bool {
		if at < 0 {
			return false
		}
		_, in := slices.BinarySearch(a.groups[at], other)
		return in
	}
}

// single is the group that cuts are of: that of a code, or the only one.
func (a *among) single(code int) []int {
	switch {
	case code >= 0:
		if at := a.groupOf(code); at >= 0 {
			return a.groups[at]
		}
	case len(a.groups) == 1 && !a.grouped():
		return a.groups[0]
	}
	return nil
}

func (a *among) grouped() bool { _, grouped := a.Rule.Settings["among"]; return grouped }

// peersOf says where a code stands among its group.
func (a *among) peersOf(code uint32) *Peers {
	at := a.groupOf(int(code))
	if at < 0 {
		return nil
	}
	p := a.places[at]
	if p == nil {
		codes := slices.Clone(a.groups[at])
		p = &places{map[uint32]int{}, len(codes)}
		ranks := a.column.Rank(codes, a.exactly())
		for i, c := range codes {
			p.of[uint32(c)] = ranks[len(ranks)-1] - ranks[i] + 1
		}
		a.places[at] = p
	}
	out := &Peers{Others: p.size - 1, Place: p.of[code]}
	if by, grouped := a.Rule.Settings["among"]; grouped {
		_, out.Attribute, _ = strings.Cut(by.Text, ".")
		out.Group = a.Engine.Lookup(a.Slot, code)(by.Text).String()
	}
	return out
}

// peerWords says who is compared: "all reps", "12 reps in North".
func peerWords(book *rulebook.Book, rule *rulebook.Rule, p *Peers) string {
	among := book.Many(rule.Levels[0])
	if p.Attribute != "" {
		among += " in " + p.Group
	}
	return among
}

// ruleAmong says it of a rule: "all reps", "reps with the same territory".
func ruleAmong(book *rulebook.Book, rule *rulebook.Rule) string {
	many := book.Many(rule.Levels[0])
	if by, grouped := rule.Settings["among"]; grouped {
		_, attribute, _ := strings.Cut(by.Text, ".")
		return many + " with the same " + strings.ReplaceAll(attribute, "_", " ")
	}
	return "all " + many
}

func sideWords(side string) string {
	return map[string]string{"high": " on the high side", "low": " on the low side", "both": " on either side"}[side]
}

// onSide says whether a side that is asked for is the one of a sign.
func onSide(side string, sign int) bool {
	return sign != 0 && (side == "both" || side == "high" && sign > 0 || side == "low" && sign < 0)
}

// decideBeyond is for scores on either side of zero: strictly beyond the cut.
func decideBeyond(b *rulebook.Book, r *rulebook.Rule, stated map[string]*big.Rat) (bool, string) {
	score := stated["score"]
	if score == nil {
		return false, "the example of an outlier rule says the score, such as {score: 3.5, is: clear}"
	}
	return onSide(r.Says("side"), score.Sign()) && new(big.Rat).Abs(score).Cmp(b.Set(r, "beyond").Rat()) > 0, ""
}

// valueAxis is that of the measure looked at.
func valueAxis(book *rulebook.Book, rule *rulebook.Rule) Axis {
	m := book.Measure(rule.Says("of"))
	return Axis{m.Unit, m.Places, m.Title}
}
