package method

import (
	"fmt"
	"math"
	"math/big"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/measure"
	"oskel/core/rulebook"
	"oskel/core/stats"
	"oskel/core/words"
)

// The settings that methods on a subject's own past share.
var (
	overSetting = rulebook.Setting{Key: "over", Type: rulebook.QuantitySetting, Choices: []string{"periods"}, Whole: true, Default: "12 periods",
		Doc: "a number of periods before the judged one", From: number("3"), To: number("120"), Example: "'12 periods'"}
	historySetting = rulebook.Setting{Key: "at_least", Type: rulebook.QuantitySetting, Choices: []string{"periods"}, Whole: true, Optional: true,
		Doc: "a number of periods that must have a value; two thirds unless stated", From: number("2"), To: number("120"), Example: "'8 periods'"}
	fromSetting = rulebook.Setting{Key: "baseline_from", Type: rulebook.PeriodSetting, Optional: true,
		Doc: "the first period of a fixed baseline; the periods before unless stated", Example: "2025-01"}
	toSetting = rulebook.Setting{Key: "baseline_to", Type: rulebook.PeriodSetting, Optional: true, Doc: "the last period of a fixed baseline",
		Example: "2025-12"}
)

// window is what of the past is looked at: a number of periods before the judged
// one, or a fixed baseline and all since.
type window struct {
	count    int // periods before the judged one
	baseline int // how many of them, from the oldest on, are the baseline
	least    int // of the first counted periods, that must have a value
	counted  int // the baseline; of a level shift the judged one too
}

// checkPast finds what is wrong with how much of the past is asked for.
func checkPast(b *rulebook.Book, r *rulebook.Rule, say func(key, format string, args ...any)) {
	if over := b.Whole(r, "over"); r.Says("at_least") != "" && b.Whole(r, "at_least") > over {
		say("at_least", "asks for %d periods with a value, and only %d are looked at", b.Whole(r, "at_least"), over)
	}
	from, to := r.Says("baseline_from"), r.Says("baseline_to")
	if from == "" && to == "" {
		return
	}
	if from == "" || to == "" {
		say("baseline_from", "a fixed baseline states both its first and its last period: baseline_from and baseline_to")
		return
	}
	first, err := b.Calendar.Parse(from)
	last, err2 := b.Calendar.Parse(to)
	switch unit, _ := calendar.ParseUnit(r.Each); {
	case err != nil || err2 != nil:
	case first.Unit != unit || last.Unit != unit:
		say("baseline_from", "a rule of each %s has a baseline of %s, found %s to %s", r.Each, words.Plural(r.Each), from, to)
	case last.Number < first.Number:
		say("baseline_to", "the baseline ends before it starts: %s to %s", from, to)
	case last.Number-first.Number+1 < 3:
		say("baseline_to", "a baseline of %d periods tells nothing of what is usual: expected 3 or more", last.Number-first.Number+1)
	}
}

// window is the window of a rule for the period that is judged; why is not "" where nobody
// can be judged by it: a fixed baseline is not over yet, or too long ago.
func (w *Work) window() (out window, why string) {
	b := w.Engine.Book
	out.count = b.Whole(w.Rule, "over")
	out.baseline = out.count
	if from := w.Rule.Says("baseline_from"); from != "" {
		first, _ := b.Calendar.Parse(from)
		last, _ := b.Calendar.Parse(w.Rule.Says("baseline_to"))
		out.count, out.baseline = int(w.Slot.Period.Number-first.Number), int(last.Number-first.Number)+1
		if out.count < out.baseline {
			return out, BaselineOpen
		}
		if out.count > mostPast || out.count*w.Len() > mostPastFigures {
			return out, BaselineFar
		}
	}
	out.counted = out.baseline
	out.least = (2*out.baseline + 2) / 3
	if w.Rule.Says("at_least") != "" {
		out.least = b.Whole(w.Rule, "at_least")
	}
	return out, ""
}

// What is looked at is bounded: how many periods, and how many figures of all subjects.
const (
	mostPast        = 10_000
	mostPastFigures = 50_000_000
)

// reading is what a method finds in one subject's past.
type reading[T any] struct {
	why     string // not judged
	flagged bool
	sign    int // on which side
	scored  bool
	score   T
	lined   bool // centre, low and high are set
	centre  T
	low     T
	high    T
	fitted  []T
	marked  []int // the periods that decided
	words   []string
	since   int // the first period after a shift
}

// reader reads a subject's past by a rule's settings, in floating point and wide.
type reader struct {
	near func(f *stats.Floats, p *past, ys []stats.Interval, there []bool) reading[stats.Interval]
	wide func(f stats.Wide, p *past, ys []*big.Float, there []bool) reading[*big.Float]
}

// past is a method on own pasts at work.
type past struct {
	everyone
	*Work
	window
	reader
	series *measure.Series
	side   string
	split  int  // of a level shift, where it is known from whole numbers; 0 where it is not
	fits   bool // whether it is asked what was expected of each period
}

// number is a setting as a number of a field.
func settingIn[T any, F stats.Field[T]](f F, p *past, key string) T {
	return in(f, p.Engine.Book.Set(p.Rule, key))
}

func in[T any, F stats.Field[T]](f F, a amount.Amount) T {
	if a%amount.Scale == 0 {
		return f.Int(int(a / amount.Scale))
	}
	return f.Quo(f.Int(int(a)), f.Int(int(amount.Scale)))
}

// judgePast reads the past of each open subject; with seasonal the same period
// of years before.
func judgePast(w *Work, r reader, seasonal bool) Found {
	p := &past{Work: w, reader: r, side: w.Rule.Says("side")}
	w.prepare(w.Engine.Column(w.of(), w.Slot))
	if seasonal {
		n := w.Engine.Book.Whole(w.Rule, "years")
		p.window = window{n, n, (2*n + 2) / 3, n}
		p.series = w.Engine.Years(w.of(), w.Slot, n)
	} else {
		var why string
		if p.window, why = w.window(); why != "" {
			none := w.Mark(Verdict{Outcome: NotJudged, Why: why})
			for code := range w.Open() {
				w.Put(code, none)
			}
			return p
		}
		if w.Rule.Method.Name == "level shift" { // whose n periods have the judged one among them
			p.count, p.baseline, p.counted = p.count-1, p.count-1, p.count
		}
		p.series = w.Engine.Series(w.of(), w.Slot, p.count+1)
	}
	breach := w.breach()
	little := w.Mark(Verdict{Outcome: NotJudged, Why: LittlePast})
	ys, there := make([]stats.Interval, p.count+1), make([]bool, p.count+1)
	f := &stats.Floats{}
	for code := range w.Open() {
		if code%256 == 0 && w.Engine.Stopped() {
			break
		}
		known := p.there(uint32(code), there)
		if known < p.least {
			w.Put(code, little)
			continue
		}
		for k := range ys {
			ys[k] = p.series.Interval(k, uint32(code))
		}
		p.split = p.splitOf(uint32(code), there)
		f.Doubt = false
		found := p.near(f, p, ys, there)
		why, flagged, sign := found.why, found.flagged, found.sign
		if f.Doubt {
			exact := p.widely(uint32(code))
			why, flagged, sign = exact.why, exact.flagged, exact.sign
		}
		switch {
		case why != "":
			w.Set(code, Verdict{Outcome: NotJudged, Why: why})
			continue
		case flagged && onSide(p.side, sign):
			w.Put(code, breach)
		}
		if found.scored {
			w.Hold(code, found.score.Mid())
		}
	}
	return p
}

// there says in which periods a code has a value, and counts those of them that must
// have one.
func (p *past) there(code uint32, there []bool) (known int) {
	for k := range there {
		there[k] = p.series.Has(k, code)
		if there[k] && k < p.counted {
			known++
		}
	}
	return known
}

// splitOf is where the level of a code shifts most, if its values are decimals that
// floats tell apart; else 0, and the reading looks for itself.
func (p *past) splitOf(code uint32, there []bool) int {
	if p.Rule.Method.Name != "level shift" {
		return 0
	}
	var whole []int64
	for k, c := range p.series.Columns {
		if !there[k] {
			continue
		}
		if v := c.Value[code]; c.Decimal && math.Abs(v) < 1<<34 {
			whole = append(whole, int64(math.Round(v*float64(amount.Scale))))
		} else {
			return 0
		}
	}
	return stats.SplitWhole(whole)
}

// widely reads the past of a code in wide numbers.
func (p *past) widely(code uint32) reading[*big.Float] {
	ys, there := make([]*big.Float, p.count+1), make([]bool, p.count+1)
	p.there(code, there)
	p.split = p.splitOf(code, there)
	for k := range ys {
		if ys[k] = (stats.Wide{}).Int(0); there[k] {
			ys[k] = stats.Wide{}.Number(p.series.Exact(k, code))
		}
	}
	return p.wide(stats.Wide{}, p, ys, there)
}

// Cuts implements Found: scores have one cut for all, limits each their own.
func (p *past) Cuts(int) []float64 {
	b := p.Engine.Book
	if p.Rule.Says("beyond") == "" {
		return nil
	}
	cut := b.Set(p.Rule, "beyond").Float()
	switch p.side {
	case "high":
		return []float64{cut}
	case "low":
		return []float64{-cut}
	}
	return []float64{-cut, cut}
}

// Evidence implements Found.
func (p *past) Evidence(ev *Evidence, code uint32) {
	ev.describe(p.Work, p.of(), code)
	if p.series == nil || ev.Value == nil {
		return
	}
	p.fits = true
	found := p.widely(code)
	p.fits = false
	out := &Past{}
	calendar := p.Engine.Book.Calendar
	for k, slot := range p.series.Slots {
		v := PastValue{Value: p.series.Exact(k, code), Why: p.series.Columns[k].Why[code].String()}
		if slot.Period.Unit != 0 {
			v.Period = calendar.String(slot.Period)
		}
		if found.fitted != nil {
			v.Fitted = stats.Rational(found.fitted[k], 6)
		}
		out.Values = append(out.Values, v)
	}
	for _, k := range found.marked {
		out.Values[k].Marked = true
	}
	if found.lined {
		out.Centre, out.Low, out.High = stats.Rational(found.centre, 6), stats.Rational(found.low, 6), stats.Rational(found.high, 6)
	}
	if found.scored && found.why == "" {
		out.Score = stats.Rational(found.score, 12)
		if p.Rule.Says("beyond") != "" {
			out.Cut = p.Engine.Book.Set(p.Rule, "beyond").Rat()
		}
	}
	out.Words = found.words
	if found.since > 0 {
		out.Since = calendar.String(p.series.Slots[found.since].Period)
	}
	ev.Past = out
}

// beyondOf decides |value| > cut x unit, on which side, without dividing.
func beyondOf[T any, F stats.Field[T]](f F, value, cut, unit T) (sign int, beyond bool) {
	zero := f.Int(0)
	far := f.Mul(cut, unit)
	switch {
	case f.Cmp(value, far) > 0:
		return 1, true
	case f.Cmp(value, f.Sub(zero, far)) < 0:
		return -1, true
	}
	return 0, false
}

// robustReading is the robust score of a residual by the MAD of others.
func robustReading[T any, F stats.Field[T]](f F, p *past, residual, mad, centre T) (out reading[T]) {
	zero := f.Int(0)
	if f.Cmp(mad, zero) <= 0 {
		out.why = FlatPast
		return out
	}
	factor, cut := in[T](f, 6745), settingIn[T](f, p, "beyond")
	out.sign, out.flagged = beyondOf(f, f.Mul(factor, residual), cut, mad)
	out.score, out.scored = f.Quo(f.Mul(factor, residual), mad), true
	far := f.Quo(f.Mul(cut, mad), factor)
	out.centre, out.low, out.high, out.lined = centre, f.Sub(centre, far), f.Add(centre, far), true
	out.marked = []int{p.count}
	return out
}

// scoreAxis is that of scores by a name.
func scoreAxis(title string) func(book *rulebook.Book, rule *rulebook.Rule) Axis {
	return func(book *rulebook.Book, rule *rulebook.Rule) Axis {
		return Axis{rulebook.Count, 2, title + " of " + words.LowerFirst(Title(book, rule.Says("of")))}
	}
}

// pastSentence says how far a value lies from what its past lets expect.
func pastSentence(expected, score string) func(book *rulebook.Book, rule *rulebook.Rule, v Verdict, ev *Evidence) string {
	return func(book *rulebook.Book, _ *rulebook.Rule, _ Verdict, ev *Evidence) string {
		p := ev.Past
		value, centre := rulebook.FormatApart(ev.Value, p.Centre, ev.Unit, ev.Places)
		verb, side := "far ", "above"
		if p.Score.Sign() < 0 {
			side = "below"
		}
		if new(big.Rat).Abs(p.Score).Cmp(p.Cut) <= 0 {
			verb = ""
		}
		shown, cut := rulebook.FormatApart(new(big.Rat).Abs(p.Score), p.Cut, rulebook.Count, 1)
		return fmt.Sprintf("%s is %s, %s%s %s of %s: %s %s; flagged beyond %s.", Title(book, ev.Measure), value, verb, side, expected, centre, score, shown, cut)
	}
}
