package method

import (
	"fmt"
	"math/big"

	"oskel/core/rulebook"
	"oskel/core/stats"
	"oskel/core/words"
)

// levelShift finds the split of the last n periods, the judged one among them,
// that has the least sum of absolute deviations from the medians of its two
// sides, three values each at least, the earliest of equal ones. It is a shift
// where the medians differ by strictly more than k x 1.4826 x the median of the
// absolute residuals, and is dated by the first period after the split.
var levelShift = &Method{
	Method: rulebook.Method{
		Family: "outlier", Name: "level shift", Among: "own past",
		UseFor:   "A lasting step, with its date: since June",
		Requires: "Twelve periods or more; a step shows after three of them",
		Settings: []rulebook.Setting{
			ofSetting,
			{Key: "over", Type: rulebook.QuantitySetting, Choices: []string{"periods"}, Whole: true, Default: "24 periods",
				Doc: "a number of periods, the judged one among them", From: number("6"), To: number("120"), Example: "'24 periods'"},
			historySetting,
			{Key: "beyond", Type: rulebook.NumberSetting, Default: "4", Doc: "a number of robust deviations", From: number("0"), Open: true, Example: "4"},
			{Key: "recent", Type: rulebook.QuantitySetting, Optional: true, Choices: []string{"periods"}, Whole: true,
				Doc: "a number of last periods in which it must have begun", From: number("3"), To: number("120"), Example: "'6 periods'"},
			sideSetting, gradeSetting,
		},
		ExampleKeys: []string{"score"}, DecideExample: decideBeyond, Check: checkPast,
		Advise: func(b *rulebook.Book, r *rulebook.Rule) string {
			if n := b.Whole(r, "over"); n < 12 {
				return fmt.Sprintf("over %d periods noise alone shows a shift too often; twelve or more are better", n)
			}
			return ""
		},
		Words: func(b *rulebook.Book, r *rulebook.Rule) string {
			recent := ""
			if r.Says("recent") != "" {
				recent = ", begun in the last " + b.SettingWords(r, "recent")
			}
			return fmt.Sprintf("%s when the level of %s has shifted within the last %s by more than %s robust deviations%s%s; %s",
				b.Grade(r.Says("grade")).Label, words.LowerFirst(Title(b, r.Says("of"))),
				b.SettingWords(r, "over"), b.SettingWords(r, "beyond"), sideWords(r.Says("side")), recent, leastWords(b, r))
		},
	},
	judge: func(w *Work) Found {
		return judgePast(w, reader{shiftReading[stats.Interval, *stats.Floats], shiftReading[*big.Float, stats.Wide]}, false)
	},
	axis: scoreAxis("Step in robust deviations"),
	sentence: func(book *rulebook.Book, _ *rulebook.Rule, _ Verdict, ev *Evidence) string {
		p := ev.Past
		if p.Since == "" {
			return fmt.Sprintf("%s is %s; its level has not shifted.", Title(book, ev.Measure), rulebook.Format(ev.Value, ev.Unit, ev.Places))
		}
		since, _ := book.Calendar.Parse(p.Since)
		before, after := rulebook.FormatApart(p.Low, p.High, ev.Unit, ev.Places)
		return fmt.Sprintf("%s is %s: since %s its level is %s, before it was %s.", Title(book, ev.Measure), rulebook.Format(ev.Value, ev.Unit, ev.Places),
			book.Calendar.Words(since), after, before)
	},
}

// shiftReading finds where the level of a series moved and by how much; F is how it reckons, in
// floats or in fractions, so that both ways are one text.
func shiftReading[T any, F stats.Field[T]](f F, p *past, ys []T, there []bool) (out reading[T]) {
	values, places := stats.Known(ys, there)
	from := p.split
	if from == 0 {
		from = stats.Split(f, values)
	}
	if from == 0 {
		out.why = LittlePast
		return out
	}
	before, after, spread := stats.Levels(f, values, from)
	unit := f.Mul(in[T](f, 14826), spread)
	d := f.Sub(after, before)
	out.sign, out.flagged = beyondOf(f, d, settingIn[T](f, p, "beyond"), unit)
	if p.Rule.Says("recent") != "" && p.count-places[from] >= p.Engine.Book.Whole(p.Rule, "recent") {
		out.flagged = false
	}
	for k := range ys {
		if !p.fits {
			break
		}
		level := before
		if k >= places[from] {
			level = after
		}
		out.fitted = append(out.fitted, level)
	}
	if out.flagged {
		out.since = places[from]
		for k := out.since; k <= p.count; k++ {
			out.marked = append(out.marked, k)
		}
	}
	out.centre, out.low, out.high, out.lined = after, before, after, true
	if f.Cmp(spread, f.Int(0)) > 0 {
		out.score, out.scored = f.Quo(d, unit), true
	}
	return out
}
