package method

import (
	"fmt"
	"math/big"
	"slices"
	"strconv"
	"strings"

	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/measure"
	"oskel/core/rulebook"
	"oskel/core/words"
)

// during holds a measure inside a window of the calendar against the days before
// it, per calendar day, or as a share of the whole period: a promotion that moved
// nothing, or the last five working days of a month that hold half of it. Both
// ends of a window belong to it; the days before leave out those of any window
// of the same kind. A window belongs to the period in which it ends, each by itself; a share
// of the period is of the days that lie in both.
var during = &Method{
	Method: rulebook.Method{
		Family: "window", Name: "during", Among: "lines",
		UseFor:   "What a promotion or a fair did, or how much of a period came in its last days",
		Requires: "A measure that adds up, and windows in the calendar, or the last or first working days of the period",
		Settings: []rulebook.Setting{
			{Key: "during", Type: rulebook.TextSetting, Doc: "a kind of window of the calendar, or such as 'last 5 working days'"},
			ofSetting,
			{Key: "as", Type: rulebook.WordSetting, Default: "share", Choices: []string{"share", "change"},
				Doc: "as a share of the period, or as the change a day from the days before"},
			{Key: "before", Type: rulebook.QuantitySetting, Choices: []string{"days"}, Default: "28 days", Doc: "a number of days before the window",
				From: number("1"), To: number("366"), Example: "'28 days'"},
			{Key: "above", Type: rulebook.PercentSetting, Optional: true, Doc: "a percentage", Example: "50%"},
			{Key: "below", Type: rulebook.PercentSetting, Optional: true, Doc: "a percentage", Example: "10%"},
			gradeSetting,
		},
		ExampleKeys: []string{"inside"}, Check: checkDuring,
		DecideExample: func(b *rulebook.Book, r *rulebook.Rule, stated map[string]*big.Rat) (bool, string) {
			if stated["inside"] == nil {
				return false, fmt.Sprintf("the example of 'during' says the share or the change, such as {inside: 60%%, is: %s}", r.Says("grade"))
			}
			return r.Says("above") != "" && stated["inside"].Cmp(b.Set(r, "above").Rat()) > 0 || r.Says("below") != "" &&
				stated["inside"].Cmp(b.Set(r, "below").Rat()) < 0, ""
		},
		Words: func(b *rulebook.Book, r *rulebook.Rule) string {
			var cuts []string
			for _, key := range []string{"above", "below"} {
				if r.Says(key) != "" {
					cuts = append(cuts, key+" "+b.SettingWords(r, key))
				}
			}
			how := "as a share of the " + r.Each
			if r.Says("as") == "change" {
				how = "a day as a change from the " + b.SettingWords(r, "before") + " before"
			}
			return fmt.Sprintf("%s when %s during %s %s is %s", b.Grade(r.Says("grade")).Label, words.LowerFirst(Title(b, r.Says("of"))), duringWords(r), how,
				strings.Join(cuts, " or "))
		},
	},
	judge: judgeDuring,
	axis: func(b *rulebook.Book, r *rulebook.Rule) Axis {
		return Axis{rulebook.Percent, 1, Title(b, r.Says("of")) + " during " + duringWords(r)}
	},
	sentence: func(b *rulebook.Book, r *rulebook.Rule, _ Verdict, ev *Evidence) string {
		w := ev.Events.Windows[0]
		var cuts []string
		for _, key := range []string{"above", "below"} {
			if r.Says(key) != "" {
				cuts = append(cuts, key+" "+b.SettingWords(r, key))
			}
		}
		if r.Says("as") == "change" {
			side, change := "above", new(big.Rat).Set(ev.Figures[0].Value)
			if change.Sign() < 0 {
				side = "below"
			}
			return fmt.Sprintf("%s a day from %s to %s is %s %s the days before (%s in all); flagged %s.", Title(b, ev.Measure), dayWords(w.First),
				dayWords(w.Last), rulebook.Format(change.Abs(change), rulebook.Percent, 1), side,
				rulebook.Format(ev.Figures[1].Value, ev.Unit, ev.Places), strings.Join(cuts, " or "))
		}
		return fmt.Sprintf("%s from %s to %s is %s, %s of the %s; flagged %s.", Title(b, ev.Measure), dayWords(w.First), dayWords(w.Last),
			rulebook.Format(ev.Figures[1].Value, ev.Unit, ev.Places),
			rulebook.Format(ev.Figures[0].Value, rulebook.Percent, 1), r.Each, strings.Join(cuts, " or "))
	},
}

func duringWords(r *rulebook.Rule) string {
	words := strings.ReplaceAll(r.Says("during"), "_", " ")
	if _, _, ok := endDays(r.Says("during")); ok {
		return "its " + words
	}
	return "the " + words
}

// endDays reads 'last 5 working days' and 'first 3 days'.
func endDays(s string) (last bool, read func(c calendar.Calendar, first, end calendar.Day) (calendar.Day, calendar.Day), ok bool) {
	words := strings.Fields(s)
	if len(words) < 3 || words[0] != "last" && words[0] != "first" {
		return false, nil, false
	}
	n, err := strconv.Atoi(words[1])
	unit := strings.TrimSuffix(strings.Join(words[2:], " "), "s")
	if err != nil || n < 1 || n > 100 || unit != "day" && unit != "working day" {
		return false, nil, false
	}
	last = words[0] == "last"
	counts := func(c calendar.Calendar, d calendar.Day) bool { return unit == "day" || c.Working(d) }
	return last, func(c calendar.Calendar, first, end calendar.Day) (calendar.Day, calendar.Day) {
		left := n
		if last {
			for d := end; d >= first; d-- {
				if counts(c, d) {
					if left--; left == 0 {
						return d, end
					}
				}
			}
			return first, end
		}
		for d := first; d <= end; d++ {
			if counts(c, d) {
				if left--; left == 0 {
					return first, d
				}
			}
		}
		return first, end
	}, true
}

func checkDuring(b *rulebook.Book, r *rulebook.Rule, say func(key, format string, args ...any)) {
	if r.Says("above") == "" && r.Says("below") == "" {
		say("during", "state what is flagged: 'above', 'below', or both")
	}
	if m := b.Measure(r.Says("of")); m.Formula != nil || m.Aggregate != "sum" && m.Aggregate != "count" {
		say("of", "%s does not add up over days; expected a sum or a count of lines", m.Name)
	}
	if _, _, ok := endDays(r.Says("during")); ok {
		return
	}
	kinds := []string{}
	for _, w := range b.Calendar.Windows {
		if w.Kind == r.Says("during") {
			return
		}
		kinds = append(kinds, w.Kind)
	}
	say("during", "the calendar has no windows of the kind %q%s", r.Says("during"), lang.Suggestion(r.Says("during"), kinds))
}

// inside is 'during' at work.
type inside struct {
	everyone
	*Work
	windows []*duringWindow // that end in the period, in order
}

// duringWindow is one window, held against what it is compared with.
type duringWindow struct {
	first, last calendar.Day
	inSlot      measure.Slot   // its days; as a share those in the period
	outSlots    []measure.Slot // the days before, without those of other windows
	outDays     int
}

func judgeDuring(w *Work) Found {
	r := &inside{Work: w}
	w.base()
	for _, span := range w.windowsOf(w.Rule.Says("during")) {
		r.windows = append(r.windows, r.window(span.First, span.Last))
	}
	breach, base := w.breach(), w.Mark(Verdict{Outcome: NotJudged, Why: NothingBefore})
	if len(r.windows) == 0 {
		base = w.Mark(Verdict{Outcome: NotJudged, Why: NoWindow})
	}
	for code := range w.Open() {
		of, value := r.told(uint32(code))
		if of == nil {
			w.Put(code, base)
			continue
		}
		f, _ := value.Float64()
		w.Hold(code, f)
		if r.flags(value) {
			w.Put(code, breach)
		}
	}
	return r
}

// windowsOf are the windows of a kind that end in the period; where the period is a window
// of that kind it is the only one. Days that are counted from an end of it make one.
func (w *Work) windowsOf(kind string) (out []measure.Slot) {
	c := w.Engine.Book.Calendar
	if _, read, ok := endDays(kind); ok {
		first, last := read(c, w.Slot.First, w.Slot.Last)
		return []measure.Slot{w.Engine.Days(w.Slot.Level, first, last)}
	}
	if w.Slot.Period.Unit == calendar.Named && c.Grain(w.Slot.Period) == kind {
		return []measure.Slot{w.Slot}
	}
	for _, window := range c.Windows {
		if window.Kind == kind && window.To >= w.Slot.First && window.To <= w.Slot.Last {
			out = append(out, w.Engine.Days(w.Slot.Level, window.From, window.To))
		}
	}
	return out
}

func (r *inside) window(first, last calendar.Day) *duringWindow {
	w := &duringWindow{first: first, last: last, inSlot: r.Engine.Days(r.Slot.Level, first, last)}
	if r.Rule.Says("as") == "change" {
		w.before(r, r.Rule.Says("during"))
	} else {
		w.inSlot.First, w.inSlot.Last = max(first, r.Slot.First), min(last, r.Slot.Last)
	}
	return w
}

// before finds the days before the window that are in no window of its kind.
func (w *duringWindow) before(r *inside, kind string) {
	n := calendar.Day(r.Engine.Book.Whole(r.Rule, "before"))
	taken := func(d calendar.Day) bool {
		for _, w := range r.Engine.Book.Calendar.Windows {
			if w.Kind == kind && d >= w.From && d <= w.To {
				return true
			}
		}
		return false
	}
	for d := w.first - n; d < w.first; d++ {
		if taken(d) {
			continue
		}
		w.outDays++
		if k := len(w.outSlots) - 1; k >= 0 && w.outSlots[k].Last == d-1 {
			w.outSlots[k].Last = d
			continue
		}
		w.outSlots = append(w.outSlots, r.Engine.Days(r.Slot.Level, d, d))
	}
}

// flags says whether a share or a change is flagged.
func (r *inside) flags(value *big.Rat) bool {
	b := r.Engine.Book
	return r.Rule.Says("above") != "" && value.Cmp(b.Set(r.Rule, "above").Rat()) > 0 || r.Rule.Says("below") != "" && value.Cmp(b.Set(r.Rule, "below").Rat()) < 0
}

// told is the window that is told of a code, with its value: the first that is flagged, or
// the first that can be judged; nil where none can.
func (r *inside) told(code uint32) (of *duringWindow, value *big.Rat) {
	for _, w := range r.windows {
		v := r.value(w, code)
		switch {
		case v == nil:
		case r.flags(v):
			return w, v
		case of == nil:
			of, value = w, v
		}
	}
	return of, value
}

// value is the share, or the change a day, of a code in a window; nil where there is
// no comparison value.
func (r *inside) value(w *duringWindow, code uint32) *big.Rat {
	in := r.sum(code, w.inSlot)
	if r.Rule.Says("as") == "share" {
		whole := r.sum(code, r.Slot)
		if whole.Sign() <= 0 {
			return nil
		}
		return in.Quo(in, whole)
	}
	out := new(big.Rat)
	for _, s := range w.outSlots {
		out.Add(out, r.sum(code, s))
	}
	if out.Sign() <= 0 {
		return nil
	}
	out.Quo(out, big.NewRat(int64(w.outDays), 1))
	in.Quo(in, big.NewRat(int64(w.last-w.first)+1, 1))
	in.Sub(in, out)
	return in.Quo(in, out)
}

// sum is what the measure adds up to in a slot; days without lines count 0.
func (r *inside) sum(code uint32, s measure.Slot) *big.Rat {
	v, why := r.Engine.Exact(r.of(), code, s)
	if why != measure.Present {
		return new(big.Rat)
	}
	return v
}

// Cuts implements Found.
func (r *inside) Cuts(int) (out []float64) {
	for _, key := range []string{"below", "above"} {
		if r.Rule.Says(key) != "" {
			out = append(out, r.Engine.Book.Set(r.Rule, key).Float())
		}
	}
	return out
}

// PerEvent implements Eventful: of several windows each is a flag of its own, by its first
// day; a single one is of the period.
func (r *inside) PerEvent() bool { return len(r.windows) > 1 }

// Days implements Eventful.
func (r *inside) Days(code uint32) (days []calendar.Day) {
	for _, w := range r.windows {
		if v := r.value(w, code); v != nil && r.flags(v) {
			days = append(days, w.first)
		}
	}
	slices.Sort(days)
	return days
}

// Evidence implements Found.
func (r *inside) Evidence(ev *Evidence, code uint32) {
	if of, value := r.told(code); of != nil {
		r.evidence(ev, code, of, value)
	} else if len(r.windows) > 0 {
		ev.describe(r.Work, r.of(), code)
	}
}

// EvidenceOn implements Eventful.
func (r *inside) EvidenceOn(ev *Evidence, code uint32, day calendar.Day) {
	for _, w := range r.windows {
		if value := r.value(w, code); w.first == day && value != nil {
			r.evidence(ev, code, w, value)
			return
		}
	}
}

func (r *inside) evidence(ev *Evidence, code uint32, w *duringWindow, value *big.Rat) {
	ev.describe(r.Work, r.of(), code)
	label := "Share of the " + r.Rule.Each
	if r.Rule.Says("as") == "change" {
		label = "Change a day"
	}
	ev.Figures = append(ev.Figures, Figure{Label: label, Value: value, Unit: rulebook.Percent, Places: 1},
		Figure{Label: "Inside", Value: r.sum(code, w.inSlot), Unit: ev.Unit, Places: ev.Places})
	ev.Events = &Events{Lines: []EventLine{}, AsOf: r.Slot.Last.String(),
		Windows: []EventWindow{{First: w.inSlot.First.String(), Last: w.inSlot.Last.String(), Role: "during", Broke: r.flags(value)}}}
}
