package method

import (
	"fmt"
	"math/big"

	"oskel/core/amount"
	"oskel/core/rulebook"
	"oskel/core/words"
)

// percentRank flags by the share of the others that lie below: the competition
// place from below less one, by the others. Strictly above the cut is high,
// strictly below one less it is low.
var percentRank = &Method{
	Method: rulebook.Method{
		Family: "outlier", Name: "percentile", Among: "peers",
		UseFor:   "The same share of subjects each period, whatever the figures",
		Requires: "Peers only; it always flags some",
		Settings: []rulebook.Setting{
			ofSetting, amongSetting,
			{Key: "beyond", Type: rulebook.PercentSetting, Doc: "a share of the others", From: number("0.5"), To: number("1"), Example: "95%"},
			sideSetting, peersSetting, gradeSetting,
		},
		ExampleKeys: []string{"percent_rank"}, RefuseLevel: noWhole, DecideExample: decideShare("percent_rank"),
		Words: func(b *rulebook.Book, r *rulebook.Rule) string {
			return fmt.Sprintf("%s when %s ranks beyond %s of the others among %s%s; with fewer than %d others it is not judged",
				b.Grade(r.Says("grade")).Label, words.LowerFirst(Title(b, r.Says("of"))), b.SettingWords(r, "beyond"), ruleAmong(b, r), sideWords(r.Says("side")),
				b.Whole(r, "peers"))
		},
	},
	judge: func(w *Work) Found {
		cut, side := w.Engine.Book.Set(w.Rule, "beyond"), w.Rule.Says("side")
		return judgeRanks(w, func(below, others int) bool {
			at := amount.Amount(below) * amount.Scale // of others, in ten-thousandths
			n := amount.Amount(others)
			return side != "low" && at > cut*n || side != "high" && at < (amount.Scale-cut)*n
		})
	},
	axis: valueAxis,
	sentence: func(book *rulebook.Book, rule *rulebook.Rule, _ Verdict, ev *Evidence) string {
		p := ev.Peers
		return fmt.Sprintf("%s is %s, above %s of the other %d %s; the cut is %s.", Title(book, ev.Measure), rulebook.Format(ev.Value, ev.Unit, ev.Places),
			rulebook.Format(ev.Figures[0].Value, rulebook.Percent, 1), p.Others, peerWords(book, rule, p), book.SettingWords(rule, "beyond"))
	},
}

// extremePlace flags the top or bottom n: places are dense, or competition
// places on request.
var extremePlace = &Method{
	Method: rulebook.Method{
		Family: "outlier", Name: "top or bottom", Among: "peers",
		UseFor:   "The first so many of a list, such as the ten largest discounts",
		Requires: "Peers only; it always flags some",
		Settings: []rulebook.Setting{
			ofSetting, amongSetting,
			{Key: "first", Type: rulebook.NumberSetting, Whole: true, Doc: "a number of places", From: number("1"), To: number("1000000"), Example: "10"},
			{Key: "side", Type: rulebook.WordSetting, Default: "high", Choices: []string{"high", "low"}, Doc: "from the highest or the lowest value"},
			{Key: "places", Type: rulebook.WordSetting, Default: "dense", Choices: []string{"dense", "competition"},
				Doc: "whether the place after two equals is the next one, or the one after that"},
			peersSetting, gradeSetting,
		},
		ExampleKeys: []string{"rank"}, RefuseLevel: noWhole,
		DecideExample: func(b *rulebook.Book, r *rulebook.Rule, stated map[string]*big.Rat) (bool, string) {
			if stated["rank"] == nil {
				return false, fmt.Sprintf("the example of a place says it, such as {place: 1, is: %s}", r.Says("grade"))
			}
			return stated["rank"].Cmp(big.NewRat(int64(b.Whole(r, "first")), 1)) <= 0, ""
		},
		Words: func(b *rulebook.Book, r *rulebook.Rule) string {
			return fmt.Sprintf("%s for the %s %s by %s among %s, in %s places; with fewer than %d others it is not judged",
				b.Grade(r.Says("grade")).Label, b.SettingWords(r, "first"), map[string]string{"high": "highest", "low": "lowest"}[r.Says("side")],
				words.LowerFirst(Title(b, r.Says("of"))), ruleAmong(b, r), r.Says("places"), b.Whole(r, "peers"))
		},
	},
	judge: func(w *Work) Found {
		first, low, competition := w.Engine.Book.Whole(w.Rule, "first"), w.Rule.Says("side") == "low", w.Rule.Says("places") == "competition"
		return judgePlaces(w, func(p standing) bool { return p.place(low, competition) <= first })
	},
	axis: valueAxis,
	sentence: func(book *rulebook.Book, rule *rulebook.Rule, _ Verdict, ev *Evidence) string {
		p := ev.Peers
		return fmt.Sprintf("%s is %s, place %s from the %s among %d %s; %s flagged.", Title(book, ev.Measure), rulebook.Format(ev.Value, ev.Unit, ev.Places),
			rulebook.Format(ev.Figures[0].Value, rulebook.Count, 0), map[string]string{"high": "highest", "low": "lowest"}[rule.Says("side")], p.Others+1,
			peerWords(book, rule, p), firstWords(book, rule))
	},
}

func firstWords(b *rulebook.Book, r *rulebook.Rule) string {
	if b.Whole(r, "first") == 1 {
		return "the first place is"
	}
	return "the first " + b.SettingWords(r, "first") + " places are"
}

// standing is where a value stands among its group: how many are strictly below
// and above it, and how many different values are.
type standing struct{ below, above, lower, higher, size int32 }

// place is its place, from the highest or the lowest.
func (s standing) place(low, competition bool) int {
	switch {
	case low && competition:
		return int(s.below) + 1
	case low:
		return int(s.lower) + 1
	case competition:
		return int(s.above) + 1
	}
	return int(s.higher) + 1
}

// ranked holds each one's place among those of its group.
type ranked struct {
	*among
	at []standing // by code; of no size where it has none
}

func judgeRanks(w *Work, flagged func(below, others int) bool) Found {
	return judgePlaces(w, func(s standing) bool { return flagged(int(s.below), int(s.size)-1) })
}

func judgePlaces(w *Work, flagged func(s standing) bool) Found {
	r := ranked{gather(w), make([]standing, w.Len())}
	breach := w.breach()
	for _, group := range r.groups {
		codes := append([]int(nil), group...)
		places := r.column.Rank(codes, w.exactly())
		most := places[len(places)-1]
		for k := 0; k < len(codes); {
			end := k
			for end < len(codes) && places[end] == places[k] {
				end++
			}
			for _, code := range codes[k:end] {
				s := standing{below: int32(k), above: int32(len(codes) - end), lower: int32(places[k]), higher: int32(most - places[k]), size: int32(len(codes))}
				r.at[code] = s
				w.Hold(code, r.column.Value[code])
				if flagged(s) {
					w.Put(code, breach)
				}
			}
			k = end
		}
	}
	return r
}

// Cuts implements Found: between two values, wherever it is.
func (r ranked) Cuts(int) []float64 { return nil }

// Evidence implements Found.
func (r ranked) Evidence(ev *Evidence, code uint32) {
	ev.describe(r.Work, r.of(), code)
	p := r.peersOf(code)
	if p == nil {
		return
	}
	s := r.at[code]
	if r.Rule.Method.Name == "percentile" {
		ev.Figures = append(ev.Figures, Figure{Label: "Of the others below", Value: big.NewRat(int64(s.below), int64(s.size-1)), Unit: rulebook.Percent, Places: 1})
	} else {
		place := s.place(r.Rule.Says("side") == "low", r.Rule.Says("places") == "competition")
		ev.Figures = append(ev.Figures, Figure{Label: "Place", Value: big.NewRat(int64(place), 1), Unit: rulebook.Count})
	}
	ev.Peers = p
}
