package method

import (
	"fmt"
	"math/big"
	"strings"

	"oskel/core/rulebook"
	"oskel/core/stats"
	"oskel/core/words"
)

// runWords says what the run rules of a chart of individuals find.
var runWords = map[string]string{
	"beyond 3 sigma": "a value beyond 3 sigma", "one side": "so many in a row on one side of the mean", "trend": "6 in a row rising or falling",
	"alternating": "14 in a row turning each time",
	"2 of 3":      "2 of 3 beyond 2 sigma on one side", "4 of 5": "4 of 5 beyond 1 sigma on one side", "within 1 sigma": "15 in a row within 1 sigma",
	"beyond 1 sigma": "8 in a row beyond 1 sigma",
}

// controlChart reads a chart of individuals at the judged value: its limits are
// three sigma from the mean of the baseline, sigma the mean moving range by
// 1.128, and each run rule may be asked for.
var controlChart = &Method{
	Method: rulebook.Method{
		Family: "outlier", Name: "control chart", Among: "own past",
		UseFor:   "A process that should stay as it is: a value outside its limits, or a run too unlikely to be chance",
		Requires: "Ten values or more of a steady figure",
		Settings: []rulebook.Setting{
			ofSetting, overSetting, historySetting, fromSetting, toSetting,
			{Key: "runs", Type: rulebook.WordsSetting, Default: "beyond 3 sigma", Choices: stats.RunRules, Doc: "the rules that are read"},
			{Key: "in_a_row", Type: rulebook.WordSetting, Default: "8", Choices: []string{"8", "9"}, Doc: "how many on one side are too many"},
			sideSetting, gradeSetting,
		},
		ExampleKeys: []string{"sigmas"}, Check: checkPast,
		DecideExample: func(_ *rulebook.Book, r *rulebook.Rule, stated map[string]*big.Rat) (bool, string) {
			if stated["sigmas"] == nil {
				return false, "the example of a control chart says how many sigma from the mean, below it with a minus, such as {sigmas: 3.2, is: look}"
			}
			return onSide(r.Says("side"), stated["sigmas"].Sign()) && new(big.Rat).Abs(stated["sigmas"]).Cmp(big.NewRat(3, 1)) > 0, ""
		},
		Words: func(b *rulebook.Book, r *rulebook.Rule) string {
			var rules []string
			for _, name := range r.Settings["runs"].List {
				rules = append(rules, strings.Replace(runWords[name], "so many", r.Says("in_a_row"), 1))
			}
			return fmt.Sprintf("%s when the chart of %s over %s shows %s%s; %s", b.Grade(r.Says("grade")).Label, words.LowerFirst(Title(b, r.Says("of"))),
				baselineWords(b, r), strings.Join(rules, ", or "), chartSide(r), leastWords(b, r))
		},
	},
	judge: func(w *Work) Found {
		return judgePast(w, reader{chartReading[stats.Interval, *stats.Floats], chartReading[*big.Float, stats.Wide]}, false)
	},
	axis: scoreAxis("Distance from the mean, in sigma,"),
	sentence: func(book *rulebook.Book, rule *rulebook.Rule, _ Verdict, ev *Evidence) string {
		p := ev.Past
		found := "within its limits"
		if len(p.Words) > 0 {
			found = strings.Replace(strings.Join(p.Words, " and "), "so many", rule.Says("in_a_row"), 1)
		}
		return fmt.Sprintf("%s is %s: %s, by limits of %s and %s about %s.", Title(book, ev.Measure), rulebook.Format(ev.Value, ev.Unit, ev.Places), found,
			rulebook.Format(p.Low, ev.Unit, ev.Places), rulebook.Format(p.High, ev.Unit, ev.Places), rulebook.Format(p.Centre, ev.Unit, ev.Places))
	},
}

// chartSide says which side of the mean a chart is read on, where it is one.
func chartSide(r *rulebook.Rule) string {
	if side := r.Says("side"); side != "both" {
		return ", ending" + sideWords(side)
	}
	return ""
}

func baselineWords(b *rulebook.Book, r *rulebook.Rule) string {
	if from := r.Says("baseline_from"); from != "" {
		first, _ := b.Calendar.Parse(from)
		last, _ := b.Calendar.Parse(r.Says("baseline_to"))
		return "a baseline from " + b.Calendar.Words(first) + " to " + b.Calendar.Words(last)
	}
	return "its own " + b.SettingWords(r, "over") + " before"
}

// baselineOf is mean and sigma of the baseline; ok is false where no two
// neighbouring periods have a value.
func baselineOf[T any, F stats.Field[T]](f F, p *past, ys []T, there []bool) (mean, sigma T, ok bool) {
	return stats.MovingSigma(f, ys[:p.baseline], there[:p.baseline])
}

// watched is the level that values should have, their sigma, and from which period
// on they are looked at: all of them, or those after a fixed baseline.
func watched[T any, F stats.Field[T]](f F, p *past, ys []T, there []bool) (level, sigma T, from int, ok bool) {
	level, sigma, ok = baselineOf(f, p, ys, there)
	if ok && p.Rule.Says("target") != "" {
		level = settingIn[T](f, p, "target")
	}
	if p.Rule.Says("baseline_from") != "" {
		from = p.baseline
	}
	return level, sigma, from, ok
}

// chartReading lays control limits of three sigma about a baseline and reads the series off them.
func chartReading[T any, F stats.Field[T]](f F, p *past, ys []T, there []bool) (out reading[T]) {
	mean, sigma, ok := baselineOf(f, p, ys, there)
	if !ok {
		out.why = LittlePast
		return out
	}
	three := f.Mul(f.Int(3), sigma)
	out.centre, out.low, out.high, out.lined = mean, f.Sub(mean, three), f.Add(mean, three), true
	run := stats.NewRun(f, ys, there, mean, sigma)
	side := 8
	if p.Rule.Says("in_a_row") == "9" {
		side = 9
	}
	longest := 0
	for _, rule := range p.Rule.Settings["runs"].List {
		if n := run.Breaks(rule, side); n > 0 {
			out.flagged = true
			out.words = append(out.words, runWords[rule])
			longest = max(longest, n)
		}
	}
	out.sign = f.Cmp(ys[p.count], mean)
	if out.flagged && out.sign == 0 { // a run that ends on the mean is on whichever side is asked for
		if out.sign = 1; p.side == "low" {
			out.sign = -1
		}
	}
	for k := range longest {
		out.marked = append(out.marked, p.count-k)
	}
	if f.Cmp(sigma, f.Int(0)) > 0 {
		out.score, out.scored = f.Quo(f.Sub(ys[p.count], mean), sigma), true
	}
	return out
}

// smoothed flags where the exponentially weighted average lies strictly beyond
// limits that vary with time. It starts at the baseline's mean, or at a stated
// target; what is missing is skipped.
var smoothed = &Method{
	Method: rulebook.Method{
		Family: "outlier", Name: "EWMA", Among: "own past",
		UseFor:   "A small drift that no single value shows",
		Requires: "Ten values or more of a steady figure",
		Settings: []rulebook.Setting{
			ofSetting, overSetting, historySetting, fromSetting, toSetting,
			{Key: "weight", Type: rulebook.NumberSetting, Default: "0.2", Doc: "a weight of the newest value", From: number("0"), To: number("1"), Open: true,
				Example: "0.2"},
			{Key: "beyond", Type: rulebook.NumberSetting, Default: "3", Doc: "a number of sigma", From: number("0"), Open: true, Example: "3"},
			{Key: "target", Type: rulebook.FigureSetting, Optional: true, Doc: "a value it should have; the mean of the baseline unless stated", Example: "1000"},
			sideSetting, gradeSetting,
		},
		ExampleKeys: []string{"score"}, Check: checkPast, DecideExample: decideBeyond,
		Words: func(b *rulebook.Book, r *rulebook.Rule) string {
			return fmt.Sprintf("%s when the EWMA of %s, each new value weighing %s, is beyond %s sigma%s by %s; %s", b.Grade(r.Says("grade")).Label,
				words.LowerFirst(Title(b, r.Says("of"))),
				b.SettingWords(r, "weight"), b.SettingWords(r, "beyond"), sideWords(r.Says("side")), baselineWords(b, r), leastWords(b, r))
		},
	},
	judge: func(w *Work) Found {
		return judgePast(w, reader{smoothedReading[stats.Interval, *stats.Floats], smoothedReading[*big.Float, stats.Wide]}, false)
	},
	axis: scoreAxis("Distance of the EWMA, in sigma,"), sentence: chartSentence("its EWMA", "standard errors"),
}

func smoothedReading[T any, F stats.Field[T]](f F, p *past, ys []T, there []bool) (out reading[T]) {
	mean, sigma, from, ok := watched(f, p, ys, there)
	if !ok {
		out.why = LittlePast
		return out
	}
	weight := settingIn[T](f, p, "weight")
	var visit func(T)
	if p.fits {
		for k := range from { // those before it starts stand by themselves
			at, _ := stats.Smoothed(f, mean, weight, ys[k:k+1], there[k:k+1], nil)
			out.fitted = append(out.fitted, at)
		}
		visit = func(z T) { out.fitted = append(out.fitted, z) }
	}
	z, share := stats.Smoothed(f, mean, weight, ys[from:], there[from:], visit)
	error := f.Mul(sigma, f.Sqrt(share))
	d, cut := f.Sub(z, mean), settingIn[T](f, p, "beyond")
	out.sign, out.flagged = beyondOf(f, d, cut, error)
	far := f.Mul(cut, error)
	out.centre, out.low, out.high, out.lined = mean, f.Sub(mean, far), f.Add(mean, far), true
	out.marked = []int{p.count}
	if f.Cmp(error, f.Int(0)) > 0 {
		out.score, out.scored = f.Quo(d, error), true
	}
	return out
}

// sums flags where a one-sided CUSUM of deviations beyond an allowance
// lies strictly above its limit. There is no reset; what is missing is skipped.
var sums = &Method{
	Method: rulebook.Method{
		Family: "outlier", Name: "CUSUM", Among: "own past",
		UseFor:   "A small lasting change, found as it adds up",
		Requires: "Ten values or more of a steady figure, best with a fixed baseline",
		Settings: []rulebook.Setting{
			ofSetting, overSetting, historySetting, fromSetting, toSetting,
			{Key: "allowance", Type: rulebook.NumberSetting, Default: "0.5", Doc: "a number of sigma that are let pass", From: number("0"), Example: "0.5"},
			{Key: "beyond", Type: rulebook.NumberSetting, Default: "5", Doc: "a number of sigma", From: number("0"), Open: true, Example: "5"},
			{Key: "target", Type: rulebook.FigureSetting, Optional: true, Doc: "a value it should have; the mean of the baseline unless stated", Example: "1000"},
			sideSetting, gradeSetting,
		},
		ExampleKeys: []string{"score"}, Check: checkPast, DecideExample: decideBeyond,
		Words: func(b *rulebook.Book, r *rulebook.Rule) string {
			return fmt.Sprintf("%s when the deviations of %s add up to more than %s sigma%s, %s sigma of each let pass, by %s; %s",
				b.Grade(r.Says("grade")).Label, words.LowerFirst(Title(b, r.Says("of"))),
				b.SettingWords(r, "beyond"), sideWords(r.Says("side")), b.SettingWords(r, "allowance"), baselineWords(b, r), leastWords(b, r))
		},
	},
	judge: func(w *Work) Found {
		return judgePast(w, reader{sumsReading[stats.Interval, *stats.Floats], sumsReading[*big.Float, stats.Wide]}, false)
	},
	axis: scoreAxis("Sum of deviations, in sigma,"), sentence: chartSentence("the sum of its deviations", "sigma"),
}

func sumsReading[T any, F stats.Field[T]](f F, p *past, ys []T, there []bool) (out reading[T]) {
	mean, sigma, from, ok := watched(f, p, ys, there)
	if !ok {
		out.why = LittlePast
		return out
	}
	high, low := stats.Sums(f, mean, f.Mul(settingIn[T](f, p, "allowance"), sigma), ys[from:], there[from:])
	limit := f.Mul(settingIn[T](f, p, "beyond"), sigma)
	above, below := p.side != "low" && f.Cmp(high, limit) > 0, p.side != "high" && f.Cmp(low, limit) > 0
	out.flagged = above || below
	out.sign = 1
	sum := high
	if p.side == "low" || p.side == "both" && above == below && more(f, low, high, out.flagged) || below && !above {
		out.sign, sum = -1, f.Sub(f.Int(0), low)
	}
	out.marked = []int{p.count}
	out.centre, out.low, out.high, out.lined = mean, mean, mean, true
	if f.Cmp(sigma, f.Int(0)) > 0 {
		out.score, out.scored = f.Quo(sum, sigma), true
	}
	return out
}

// more says whether one of two sums is the larger. Unless it decides, floats that cannot
// tell them apart may leave it open.
func more[T any, F stats.Field[T]](f F, a, b T, decides bool) bool {
	floats, ok := any(f).(*stats.Floats)
	if !ok || decides {
		return f.Cmp(a, b) > 0
	}
	doubt := floats.Doubt
	larger := f.Cmp(a, b) > 0
	floats.Doubt = doubt
	return larger
}

// chartSentence says how many sigma something lies from the centre.
func chartSentence(what, unit string) func(book *rulebook.Book, rule *rulebook.Rule, v Verdict, ev *Evidence) string {
	return func(book *rulebook.Book, _ *rulebook.Rule, _ Verdict, ev *Evidence) string {
		p := ev.Past
		value, centre := rulebook.Format(ev.Value, ev.Unit, ev.Places), rulebook.Format(p.Centre, ev.Unit, ev.Places)
		if p.Score == nil {
			return fmt.Sprintf("%s is %s, and its baseline never moved from %s.", Title(book, ev.Measure), value, centre)
		}
		shown, cut := rulebook.FormatApart(new(big.Rat).Abs(p.Score), p.Cut, rulebook.Count, 1)
		side := "above"
		if p.Score.Sign() < 0 {
			side = "below"
		}
		return fmt.Sprintf("%s is %s; %s lies %s %s %s %s; flagged beyond %s.", Title(book, ev.Measure), value, what, shown, unit, side, centre, cut)
	}
}
