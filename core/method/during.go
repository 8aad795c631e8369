package method

import (
	"fmt"
	"math/big"
	"strconv"
	"strings"

	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/measure"
	"oskel/core/rulebook"
)

// during holds a measure inside a window of the calendar against the days before
// it, per calendar day, or as a share of the whole period: a promotion that moved
// nothing, or the last five working days of a month that hold half of it. Both
// ends of a window belong to it; the days before leave out those of any window
// of the same kind. A window belongs to the period in which it ends.
var during = &Method{
	Method: rulebook.Method{
		Family: "window", Name: "during", Among: "lines",
		Good:  "What a promotion or a fair did, or how much of a period came in its last days",
		Needs: "A measure that adds up, and windows in the calendar, or the last or first working days of the period",
		Settings: []rulebook.Setting{
			{Key: "during", Type: rulebook.TextSetting, Says: "a kind of window of the calendar, or such as 'last 5 working days'"},
			ofSetting,
			{Key: "as", Type: rulebook.WordSetting, Default: "share", Choices: []string{"share", "change"}, Says: "as a share of the period, or as the change a day from the days before"},
			{Key: "before", Type: rulebook.QuantitySetting, Choices: []string{"days"}, Default: "28 days", Says: "a number of days before the window", From: number("1"), To: number("366"), Example: "'28 days'"},
			{Key: "above", Type: rulebook.PercentSetting, Optional: true, Says: "a percentage", Example: "50%"},
			{Key: "below", Type: rulebook.PercentSetting, Optional: true, Says: "a percentage", Example: "10%"},
			gradeSetting,
		},
		States: []string{"inside"}, Check: checkDuring,
		Decides: func(b *rulebook.Book, r *rulebook.Rule, stated map[string]*big.Rat) (bool, string) {
			if stated["inside"] == nil {
				return false, fmt.Sprintf("the example of 'during' says the share or the change, such as {inside: 60%%, is: %s}", r.Says("grade"))
			}
			return r.Says("above") != "" && stated["inside"].Cmp(b.Set(r, "above").Rat()) > 0 || r.Says("below") != "" && stated["inside"].Cmp(b.Set(r, "below").Rat()) < 0, ""
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
			return fmt.Sprintf("%s when %s during %s %s is %s", b.Grade(r.Says("grade")).Label, lowerFirst(Title(b, r.Says("of"))), duringWords(r), how, strings.Join(cuts, " or "))
		},
	},
	judge: judgeDuring,
	axis: func(b *rulebook.Book, r *rulebook.Rule) Axis {
		return Axis{rulebook.Percent, 1, Title(b, r.Says("of")) + " during " + duringWords(r)}
	},
	sentence: func(b *rulebook.Book, r *rulebook.Rule, _ Verdict, ev *Evidence) string {
		w := ev.Events.Windows[0]
		how := "of the " + r.Each
		if r.Says("as") == "change" {
			how = "a day against the days before"
		}
		var cuts []string
		for _, key := range []string{"above", "below"} {
			if r.Says(key) != "" {
				cuts = append(cuts, key+" "+b.SettingWords(r, key))
			}
		}
		return fmt.Sprintf("%s from %s to %s is %s, %s %s; flagged %s.", Title(b, ev.Measure), dayWords(w.First), dayWords(w.Last), rulebook.Format(ev.Figures[1].Value, ev.Unit, ev.Places),
			rulebook.Format(ev.Figures[0].Value, rulebook.Percent, 1), how, strings.Join(cuts, " or "))
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

// inside is 'during' at work: one window, that of the period.
type inside struct {
	everyone
	*Work
	first, last calendar.Day
	known       bool
	inSlot      measure.Slot
	outSlots    []measure.Slot // the days before, without those of other windows
	outDays     int
}

func judgeDuring(w *Work) Found {
	r := &inside{Work: w}
	w.base()
	c := w.Engine.Book.Calendar
	kind := w.Rule.Says("during")
	if _, read, ok := endDays(kind); ok {
		r.first, r.last = read(c, w.Slot.First, w.Slot.Last)
		r.known = true
	} else {
		for _, window := range c.Windows {
			if window.Kind == kind && window.To >= w.Slot.First && window.To <= w.Slot.Last {
				r.first, r.last, r.known = window.From, window.To, true
			}
		}
	}
	if !r.known {
		none := w.Mark(Verdict{Outcome: NotJudged, Why: NoWindow})
		for code := range w.Open() {
			w.Put(code, none)
		}
		return r
	}
	r.inSlot = w.Engine.Days(w.Slot.Level, r.first, r.last)

	if w.Rule.Says("as") == "change" {
		r.before(kind)
	}
	breach, base := w.breach(), w.Mark(Verdict{Outcome: NotJudged, Why: NothingBefore})
	for code := range w.Open() {
		value := r.value(uint32(code))
		if value == nil {
			w.Put(code, base)
			continue
		}
		f, _ := value.Float64()
		w.Hold(code, f)
		b := w.Engine.Book
		if w.Rule.Says("above") != "" && value.Cmp(b.Set(w.Rule, "above").Rat()) > 0 || w.Rule.Says("below") != "" && value.Cmp(b.Set(w.Rule, "below").Rat()) < 0 {
			w.Put(code, breach)
		}
	}
	return r
}

// before finds the days before the window that are in no window of its kind.
func (r *inside) before(kind string) {
	n := calendar.Day(r.Engine.Book.Whole(r.Rule, "before"))
	taken := func(d calendar.Day) bool {
		for _, w := range r.Engine.Book.Calendar.Windows {
			if w.Kind == kind && d >= w.From && d <= w.To {
				return true
			}
		}
		return false
	}
	for d := r.first - n; d < r.first; d++ {
		if taken(d) {
			continue
		}
		r.outDays++
		if k := len(r.outSlots) - 1; k >= 0 && r.outSlots[k].Last == d-1 {
			r.outSlots[k].Last = d
			continue
		}
		r.outSlots = append(r.outSlots, r.Engine.Days(r.Slot.Level, d, d))
	}
}

// value is the share, or the change a day, of a code; nil where there is nothing
// to hold it against.
func (r *inside) value(code uint32) *big.Rat {
	in := r.sum(code, r.inSlot)
	if r.Rule.Says("as") == "share" {
		whole := r.sum(code, r.Slot)
		if whole.Sign() <= 0 {
			return nil
		}
		return in.Quo(in, whole)
	}
	out := new(big.Rat)
	for _, s := range r.outSlots {
		out.Add(out, r.sum(code, s))
	}
	if out.Sign() <= 0 {
		return nil
	}
	out.Quo(out, big.NewRat(int64(r.outDays), 1))
	in.Quo(in, big.NewRat(int64(r.last-r.first)+1, 1))
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

// Evidence implements Found.
func (r *inside) Evidence(ev *Evidence, code uint32) {
	if !r.known {
		return
	}
	ev.describe(r.Work, r.of(), code)
	value := r.value(code)
	if value == nil {
		return
	}
	label := "Share of the " + r.Rule.Each
	if r.Rule.Says("as") == "change" {
		label = "Change a day"
	}
	ev.Figures = append(ev.Figures, Figure{Label: label, Value: value, Unit: rulebook.Percent, Places: 1}, Figure{Label: "Inside", Value: r.sum(code, r.inSlot), Unit: ev.Unit, Places: ev.Places})
	ev.Events = &Events{Lines: []EventLine{}, AsOf: r.Slot.Last.String(), Windows: []EventWindow{{First: r.first.String(), Last: r.last.String(), Role: "during", Broke: r.IsFlagged(code)}}}
}
