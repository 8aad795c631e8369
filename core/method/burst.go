package method

import (
	"cmp"
	"fmt"
	"math/big"
	"slices"
	"strings"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/measure"
	"oskel/core/rulebook"
)

// burst flags a subject of whom there are at least n lines, n days with a line,
// or a total of at least x, within any d days that end on a day with a line.
// Windows that share a day are one burst, which belongs to the period of the
// first day on which it is over the count.
var burst = &Method{
	Method: rulebook.Method{
		Family: "window", Name: "burst", Among: "lines",
		UseFor:   "Many lines in a short time, such as five returns in a week, wherever the month ends",
		Requires: "A feed whose lines name the subjects",
		Settings: []rulebook.Setting{
			{Key: "burst", Type: rulebook.LinesSetting, Doc: "the lines that are counted"},
			{Key: "at_least", Type: rulebook.QuantitySetting, Choices: []string{"lines", "days with lines", "in total"}, Doc: "a count or a total",
				From: number("0"), Open: true, Example: "'5 lines'"},
			{Key: "number", Type: rulebook.ColumnSetting, Optional: true, Doc: "the number that is totalled"},
			{Key: "within", Type: rulebook.QuantitySetting, Choices: []string{"days"}, Doc: "a number of days", From: number("1"), To: number("366"),
				Example: "'7 days'"},
			gradeSetting,
		},
		ExampleKeys: []string{"found"},
		DecideExample: func(b *rulebook.Book, r *rulebook.Rule, stated map[string]*big.Rat) (bool, string) {
			if stated["found"] == nil {
				return false, fmt.Sprintf("the example of a burst says the count in the fullest window, such as {found: 5, is: %s}", r.Says("grade"))
			}
			return stated["found"].Cmp(b.Set(r, "at_least").Rat()) >= 0, ""
		},
		Check: func(_ *rulebook.Book, r *rulebook.Rule, say func(key, format string, args ...any)) {
			total := r.Settings["at_least"].Noun == "in total"
			switch {
			case total && r.Says("number") == "":
				say("at_least", "a total needs 'number': which number of the lines is added up?")
			case !total && r.Says("number") != "":
				say("number", "'number' is for a total: write 'at_least' with 'in total'")
			case !total && r.Settings["at_least"].Bound.Number%amount.Scale != 0:
				say("at_least", "a count is a whole number")
			}
		},
		Words: func(b *rulebook.Book, r *rulebook.Rule) string {
			what := b.SettingWords(r, "at_least")
			if r.Says("number") != "" {
				what = b.Number(r.Settings["at_least"].Bound) + " " + r.Says("number") + " in total"
			}
			return fmt.Sprintf("%s when there are at least %s of the %s within any %s", b.Grade(r.Says("grade")).Label, what, linesWords(b, r, "burst"),
				b.SettingWords(r, "within"))
		},
	},
	judge: judgeBurst,
	axis: func(b *rulebook.Book, r *rulebook.Rule) Axis {
		return Axis{rulebook.Count, 0, fmt.Sprintf("Most within %s of the period", b.SettingWords(r, "within"))}
	},
	sentence: func(b *rulebook.Book, r *rulebook.Rule, _ Verdict, ev *Evidence) string {
		lines := linesWords(b, r, "burst")
		most := rulebook.Format(ev.Figures[0].Value, ev.Figures[0].Unit, ev.Figures[0].Places)
		what := fmt.Sprintf("%s %s of %s", most, r.Settings["at_least"].Noun, lines)
		switch {
		case r.Says("number") != "":
			what = fmt.Sprintf("%s of %s in %s", most, r.Says("number"), lines)
		case r.Settings["at_least"].Noun == "lines":
			what = most + " " + lines
		case most == "1":
			what = strings.Replace(what, "1 days", "1 day", 1)
		}
		limit := b.Number(r.Settings["at_least"].Bound)
		if len(ev.Events.Windows) == 0 {
			return fmt.Sprintf("At most %s within %s; %s or more are flagged.", what, b.SettingWords(r, "within"), limit)
		}
		w := ev.Events.Windows[0]
		return fmt.Sprintf("%s within %s (%s to %s); %s or more are flagged.", what, b.SettingWords(r, "within"), dayWords(w.First), dayWords(w.Last), limit)
	},
}

// bursts is a burst at work.
type bursts struct {
	everyone
	*Work
	events *measure.Events
	days   int
	least  amount.Amount
	noun   string
}

func judgeBurst(w *Work) Found {
	b := w.Engine.Book
	lines := w.lines("burst")
	lines.Number = w.Rule.Says("number")
	r := &bursts{Work: w, days: b.Whole(w.Rule, "within"), least: b.Set(w.Rule, "at_least"), noun: w.Rule.Settings["at_least"].Noun}
	w.base()
	// A burst that reaches into the period from before is of windows that end at most
	// so many days before it, and each of those is as long.
	lines.From = w.Slot.First - 2*calendar.Day(r.days) + 2
	r.events = w.Engine.Events(lines, w.Slot.Level)
	breach := w.breach()
	for code := range w.Open() {
		found, most := r.find(uint32(code))
		w.Hold(code, most.Float())
		if len(found) > 0 {
			w.Put(code, breach)
		}
	}
	return r
}

// oneBurst is a burst: the days of its windows, the first on which it is over, and
// the most that any of its windows has.
type oneBurst struct {
	from, over, to calendar.Day
	most           amount.Amount
}

// find lists the bursts of a code that begin in the period, and the most that any
// window that ends in it has.
func (r *bursts) find(code uint32) (out []oneBurst, most amount.Amount) {
	from, to := r.events.Of(code, r.Slot.Last)
	days := r.events.Days
	first := from // of the window
	var sum, held amount.Amount
	var open *oneBurst
	distinct := 0
	for at := from; at < to; {
		end := at
		for end < to && days[end] == days[at] {
			if r.noun == "in total" && r.events.Amounts[end] != amount.Missing {
				sum += r.events.Amounts[end]
			}
			end++
		}
		distinct++
		day := days[at]
		for days[first] <= day-calendar.Day(r.days) {
			gone := days[first]
			for days[first] == gone {
				if r.noun == "in total" && r.events.Amounts[first] != amount.Missing {
					sum -= r.events.Amounts[first]
				}
				first++
			}
			distinct--
		}
		switch r.noun {
		case "in total":
			held = sum
		case "lines":
			held = amount.FromInt(int64(end - first))
		default:
			held = amount.FromInt(int64(distinct))
		}
		if day >= r.Slot.First {
			most = max(most, held)
		}
		if held >= r.least {
			start := day - calendar.Day(r.days) + 1
			if open != nil && start <= open.to {
				open.to, open.most = day, max(open.most, held)
			} else {
				out = append(out, oneBurst{days[first], day, day, held})
				open = &out[len(out)-1]
			}
		}
		at = end
	}
	// Those of earlier periods were reported there.
	kept := out[:0]
	for _, b := range out {
		if b.over >= r.Slot.First {
			kept = append(kept, b)
		}
	}
	return kept, most
}

// Cuts implements Found.
func (r *bursts) Cuts(int) []float64 { return []float64{r.least.Float()} }

// PerEvent implements Eventful.
func (r *bursts) PerEvent() bool { return true }

// Days implements Eventful: a burst is of the first day on which it is over.
func (r *bursts) Days(code uint32) (days []calendar.Day) {
	found, _ := r.find(code)
	for _, b := range found {
		days = append(days, b.over)
	}
	return days
}

// Evidence implements Found.
func (r *bursts) Evidence(ev *Evidence, code uint32) { r.EvidenceOn(ev, code, anyDay) }

// EvidenceOn implements Eventful.
func (r *bursts) EvidenceOn(ev *Evidence, code uint32, day calendar.Day) {
	if r.events == nil {
		return
	}
	found, most := r.find(code)
	last := r.Slot.Last
	if day != anyDay {
		found = slices.DeleteFunc(found, func(b oneBurst) bool { return b.over != day })
		if len(found) > 0 {
			last = found[0].to
		}
	}
	// Of several the largest comes first, which is the one that is told.
	slices.SortStableFunc(found, func(a, b oneBurst) int { return cmp.Compare(b.most, a.most) })
	if len(found) > 0 {
		most = found[0].most
	}
	ev.Figures = append(ev.Figures, Figure{Label: "Most within " + r.Engine.Book.SettingWords(r.Rule, "within"), Value: most.Rat(), Unit: rulebook.Count})
	var windows []EventWindow
	first := r.Slot.First
	if day != anyDay && len(found) > 0 {
		first = found[0].from
	}
	for _, b := range found {
		windows = append(windows, EventWindow{First: b.from.String(), Last: b.to.String(), Role: "burst", Broke: true})
		first = min(first, b.from)
	}
	r.list(ev, []span{within(r.events, code, first, last, r.Rule.Settings["burst"].Feed, "event")}, windows...)
}

// within is the stretch of a code's lines from one day to another.
func within(v *measure.Events, code uint32, first, last calendar.Day, feed, role string) span {
	from, to := v.Between(code, first, last)
	return span{v, from, to, feed, role}
}
