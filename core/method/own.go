package method

import (
	"fmt"
	"math/big"

	"oskel/core/rulebook"
	"oskel/core/stats"
	"oskel/core/words"
)

// ownPast flags by the robust score of a value against the subject's own n
// periods before, the judged one not among them.
var ownPast = &Method{
	Method: rulebook.Method{
		Family: "outlier", Name: "own past", Among: "own past",
		UseFor:   "A value unusual for this subject: 40 is low for one rep, 8 is high for another",
		Requires: "A year or so of values without a season or a trend",
		Settings: []rulebook.Setting{
			ofSetting, overSetting, historySetting,
			{Key: "beyond", Type: rulebook.NumberSetting, Doc: "a score", From: number("0"), Open: true, Example: "3.5"},
			sideSetting, gradeSetting,
		},
		ExampleKeys: []string{"score"}, DecideExample: decideBeyond, Check: checkPast,
		Words: pastWords("the robust score of %s against its own %s before"),
	},
	judge: func(w *Work) Found {
		return judgePast(w, reader{ownReading[stats.Interval, *stats.Floats], ownReading[*big.Float, stats.Wide]}, false)
	},
	axis: scoreAxis("Robust score"), sentence: pastSentence("the median of its own past", "robust score"),
}

func ownReading[T any, F stats.Field[T]](f F, p *past, ys []T, there []bool) reading[T] {
	values, _ := stats.Known(ys[:p.count], there)
	median, mad := stats.Deviation(f, values)
	return robustReading(f, p, f.Sub(ys[p.count], median), mad, median)
}

// sameSeason flags by the robust score of a value against those of the same
// month, quarter or week of the years before.
var sameSeason = &Method{
	Method: rulebook.Method{
		Family: "outlier", Name: "same season", Among: "own past",
		UseFor:   "A value unusual for this month of the year, so that a seasonal dip is not flagged",
		Requires: "Three years or more",
		Settings: []rulebook.Setting{
			ofSetting,
			{Key: "years", Type: rulebook.NumberSetting, Default: "3", Whole: true, Doc: "a number of years before", From: number("2"), To: number("20"), Example: "3"},
			{Key: "beyond", Type: rulebook.NumberSetting, Doc: "a score", From: number("0"), Open: true, Example: "3.5"},
			sideSetting, gradeSetting,
		},
		ExampleKeys: []string{"score"}, DecideExample: decideBeyond,
		Words: func(b *rulebook.Book, r *rulebook.Rule) string {
			return fmt.Sprintf("%s when the robust score of %s against the same %s of the %d years before is beyond %s%s",
				b.Grade(r.Says("grade")).Label, words.LowerFirst(Title(b, r.Says("of"))), r.Each, b.Whole(r, "years"), b.SettingWords(r, "beyond"),
				sideWords(r.Says("side")))
		},
	},
	judge: func(w *Work) Found {
		return judgePast(w, reader{ownReading[stats.Interval, *stats.Floats], ownReading[*big.Float, stats.Wide]}, true)
	},
	axis: scoreAxis("Robust score"), sentence: pastSentence("the median of the same season", "robust score"),
}

// offTrend flags by how far a value lies from the Theil-Sen trend of the periods
// before, by the MAD of their residuals.
var offTrend = &Method{
	Method: rulebook.Method{
		Family: "outlier", Name: "deviation from trend", Among: "own past",
		UseFor:   "A break in a steady rise or fall",
		Requires: "A year or so of values that follow a line",
		Settings: []rulebook.Setting{
			ofSetting, overSetting, historySetting,
			{Key: "beyond", Type: rulebook.NumberSetting, Doc: "a score", From: number("0"), Open: true, Example: "3.5"},
			sideSetting, gradeSetting,
		},
		ExampleKeys: []string{"score"}, DecideExample: decideBeyond, Check: checkPast,
		Words: pastWords("the departure of %s from the trend of its own %s before, as a robust score,"),
	},
	judge: func(w *Work) Found {
		return judgePast(w, reader{trendReading[stats.Interval, *stats.Floats], trendReading[*big.Float, stats.Wide]}, false)
	},
	axis: scoreAxis("Robust score of the departure"), sentence: pastSentence("what its trend expects,", "robust score"),
}

func trendReading[T any, F stats.Field[T]](f F, p *past, ys []T, there []bool) reading[T] {
	values, places := stats.Known(ys[:p.count], there)
	residual, mad, trend := stats.OffTrend(f, values, places, ys[p.count], p.count)
	out := robustReading(f, p, residual, mad, stats.At(f, trend, p.count))
	for k := range ys {
		if p.fits {
			out.fitted = append(out.fitted, stats.At(f, trend, k))
		}
	}
	return out
}

// pastWords says a rule with a cut on a score of the last so many periods.
func pastWords(what string) func(b *rulebook.Book, r *rulebook.Rule) string {
	return func(b *rulebook.Book, r *rulebook.Rule) string {
		return fmt.Sprintf("%s when "+what+" is beyond %s%s; %s", b.Grade(r.Says("grade")).Label, words.LowerFirst(Title(b, r.Says("of"))), b.SettingWords(r, "over"),
			b.SettingWords(r, "beyond"), sideWords(r.Says("side")), leastWords(b, r))
	}
}

func leastWords(b *rulebook.Book, r *rulebook.Rule) string {
	n := b.Whole(r, "over")
	if from := r.Says("baseline_from"); from != "" {
		first, _ := b.Calendar.Parse(from)
		last, _ := b.Calendar.Parse(r.Says("baseline_to"))
		n = int(last.Number-first.Number) + 1
	}
	least := (2*n + 2) / 3
	if r.Says("at_least") != "" {
		least = b.Whole(r, "at_least")
	}
	return fmt.Sprintf("with fewer than %d of them it is not judged", least)
}
