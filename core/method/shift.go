package method

import (
	"cmp"
	"fmt"
	"math/big"
	"math/bits"
	"slices"
	"sort"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/measure"
	"oskel/core/rulebook"
)

// shift holds what a subject's lines add up to per calendar day in the d days
// after an event, [+1, +d], against the d days before it, [-d, -1]; the day
// itself is in neither, and days without lines count 0. It is judged in the
// period in which event + d lies. Against peers, the median change of the others
// over the same days is taken off: difference in differences.
var shift = &Method{
	Method: rulebook.Method{
		Family: "window", Name: "shift", Among: "lines",
		UseFor:   "What an event changed, or failed to: sales after a price change, a promotion that moved nothing",
		Requires: "Events that name the subjects, and enough days on both sides",
		Settings: []rulebook.Setting{
			{Key: "shift", Type: rulebook.LinesSetting, Doc: "the lines that are added up, or counted"},
			{Key: "number", Type: rulebook.ColumnSetting, Optional: true, Doc: "the number that is added up; lines are counted unless stated"},
			{Key: "after", Type: rulebook.LinesSetting, Doc: "the events"},
			{Key: "days", Type: rulebook.QuantitySetting, Choices: []string{"days"}, Doc: "a number of days on each side", From: number("1"),
				To: number("366"), Example: "'28 days'"},
			{Key: "as", Type: rulebook.WordSetting, Default: "change", Choices: []string{"change", "difference"},
				Doc: "whether the change is a share of what was before, or an amount a day"},
			{Key: "beyond", Type: rulebook.FigureSetting, Optional: true, Doc: "a change of which more is flagged", Example: "30%"},
			{Key: "at_least", Type: rulebook.FigureSetting, Optional: true, Doc: "a change that is flagged, itself included", Example: "20%"},
			{Key: "less_than", Type: rulebook.FigureSetting, Optional: true, Doc: "a change that should have come: less of it is flagged", Example: "10%"},
			{Key: "at_most", Type: rulebook.FigureSetting, Optional: true, Doc: "a change that should have been exceeded: so much of it or less is flagged",
				Example: "10%"},
			{Key: "side", Type: rulebook.WordSetting, Default: "low", Choices: []string{"high", "low", "both"}, Doc: "which side of a change is flagged"},
			{Key: "peers", Type: rulebook.WordSetting, Default: "no", Choices: []string{"no", "yes"},
				Doc: "whether the median change of the others over the same days is taken off"},
			{Key: "least_peers", Type: rulebook.NumberSetting, Default: "3", Whole: true, From: number("1"), To: number("1000000"), Example: "3",
				Doc: "how many others there must be for that"},
			gradeSetting,
		},
		ExampleKeys: []string{"shift"}, Check: checkShift, RefuseLevel: nil,
		DecideExample: func(b *rulebook.Book, r *rulebook.Rule, stated map[string]*big.Rat) (bool, string) {
			if stated["shift"] == nil {
				return false, fmt.Sprintf("the example of a shift says the change, such as {shift: -40%%, is: %s}", r.Says("grade"))
			}
			return shifted(b, r, stated["shift"]), ""
		},
		Words: func(b *rulebook.Book, r *rulebook.Rule) string {
			what := linesWords(b, r, "shift")
			if r.Says("number") != "" {
				what = r.Says("number") + " of the " + what
			}
			key, words := shiftCut(r)
			how := words + b.SettingWords(r, key)
			if key == "beyond" || key == "at_least" {
				how += sideWords(r.Says("side"))
			}
			if r.Says("peers") == "yes" {
				how += fmt.Sprintf(", the median change of the others taken off (with fewer than %d others it is not judged),", b.Whole(r, "least_peers"))
			}
			return fmt.Sprintf("%s when %s a day %s from the %s before one of the %s to the %s after", b.Grade(r.Says("grade")).Label, what, how,
				b.SettingWords(r, "days"), linesWords(b, r, "after"), b.SettingWords(r, "days"))
		},
	},
	judge: judgeShift,
	axis: func(b *rulebook.Book, r *rulebook.Rule) Axis {
		if r.Says("as") == "change" {
			return Axis{rulebook.Percent, 1, "Change a day after the event"}
		}
		return Axis{rulebook.Count, 2, "Difference a day after the event"}
	},
	sentence: func(b *rulebook.Book, r *rulebook.Rule, _ Verdict, ev *Evidence) string {
		unit, places := rulebook.Count, 2
		if r.Says("as") == "change" {
			unit, places = rulebook.Percent, 1
		}
		cut, _ := shiftCut(r)
		text := fmt.Sprintf("After the event of %s: %s a day in %s, before it %s: a change of %s", dayWords(ev.Events.Windows[0].First),
			rulebook.Format(ev.Figures[2].Value, rulebook.Count, 2), b.SettingWords(r, "days"),
			rulebook.Format(ev.Figures[1].Value, rulebook.Count, 2), rulebook.Format(ev.Figures[0].Value, unit, places))
		if len(ev.Figures) > 3 {
			text += fmt.Sprintf(", %s of it the others' too", rulebook.Format(ev.Figures[3].Value, unit, places))
		}
		return text + "; the cut is " + b.SettingWords(r, cut) + "."
	},
}

func checkShift(_ *rulebook.Book, r *rulebook.Rule, say func(key, format string, args ...any)) {
	stated := 0
	for _, cut := range shiftCuts {
		if r.Says(cut.key) != "" {
			stated++
		}
	}
	if stated != 1 {
		say("shift", "state one of 'beyond' and 'at_least', a change that is flagged, and 'less_than' and 'at_most', a change that should have come")
		return
	}
	for _, cut := range shiftCuts {
		key := cut.key
		v, set := r.Settings[key]
		switch percent := r.Says("as") == "change"; {
		case !set:
		case v.Bound.Percent != percent && percent:
			say(key, "a change is a percentage, such as 30%%")
		case v.Bound.Percent != percent:
			say(key, "a difference is an amount a day, such as 100, not a percentage")
		}
	}
}

// shiftCuts are the keys that say which change is flagged, of which a rule states one.
var shiftCuts = []struct{ key, words string }{
	{"beyond", "changes by more than "}, {"at_least", "changes by at least "}, {"less_than", "rises by less than "}, {"at_most", "rises by at most "},
}

// shiftCut is the key that a rule states, and how it is said.
func shiftCut(r *rulebook.Rule) (key, words string) {
	for _, cut := range shiftCuts {
		if r.Says(cut.key) != "" {
			return cut.key, cut.words
		}
	}
	return shiftCuts[0].key, shiftCuts[0].words
}

// over says by how a change compares with its cut whether it is flagged: further, or of
// one that should have come less.
func over(key string, c int) bool {
	switch key {
	case "beyond":
		return c > 0
	case "at_least":
		return c >= 0
	case "less_than":
		return c < 0
	}
	return c <= 0
}

// shifted says whether a change is flagged.
func shifted(b *rulebook.Book, r *rulebook.Rule, change *big.Rat) bool {
	key, _ := shiftCut(r)
	cut := b.Set(r, key).Rat()
	if key == "less_than" || key == "at_most" {
		return over(key, change.Cmp(cut))
	}
	return onSide(r.Says("side"), change.Sign()) && over(key, new(big.Rat).Abs(change).Cmp(cut))
}

// shifts is a shift at work.
type shifts struct {
	everyone
	*Work
	lines, events *measure.Events
	sums          []amount.Amount // of the lines up to each, by their place
	days          int
	share, peers  bool
	side          string // on which a change is flagged: more than any other, the one farthest there
	less          bool   // whether less than the cut is flagged
	key           string // of the cut
	cut           fraction
	typical       map[calendar.Day]*peerChanges
	first         []calendar.Day // on which each has a line, where peers are asked for
	least         int            // how many peers there must be
	since         calendar.Day   // from which day on what closes is of the period
}

// peerChanges are the changes of all around one day, in order, and of each code;
// under is 0 of those who have none.
type peerChanges struct{ changes, of []fraction }

// fraction is an exact quotient by what is above zero.
type fraction struct{ over, under int64 }

func (a fraction) rat() *big.Rat { return big.NewRat(a.over, a.under) }

// cmp compares by cross products, of which 128 bits hold each.
func (a fraction) cmp(b fraction) int {
	if (a.over < 0) != (b.over < 0) {
		return cmp.Compare(a.over, b.over)
	}
	x, xLow := bits.Mul64(magnitude(a.over), uint64(b.under))
	y, yLow := bits.Mul64(magnitude(b.over), uint64(a.under))
	c := cmp.Or(cmp.Compare(x, y), cmp.Compare(xLow, yLow))
	if a.over < 0 {
		return -c
	}
	return c
}

func magnitude(n int64) uint64 {
	if n < 0 {
		return uint64(-n)
	}
	return uint64(n)
}

// judgeShift compares each subject's days since an event with those before it, and where asked
// takes off what its peers moved by meanwhile.
func judgeShift(w *Work) Found {
	b := w.Engine.Book
	r := &shifts{Work: w, days: b.Whole(w.Rule, "days"), share: w.Rule.Says("as") == "change", peers: w.Rule.Says("peers") == "yes",
		side: w.Rule.Says("side"), typical: map[calendar.Day]*peerChanges{}}
	r.key, _ = shiftCut(w.Rule)
	r.cut, r.less = fraction{int64(b.Set(w.Rule, r.key)), amount.Scale}, r.key == "less_than" || r.key == "at_most"
	r.since, r.least = w.since(), b.Whole(w.Rule, "least_peers")
	w.base()
	lines, events := w.lines("shift"), w.lines("after")
	lines.Number = w.Rule.Says("number")
	if r.peers {
		r.first = w.Engine.FirstDays(lines, w.Slot.Level)
	}
	events.From = r.since - calendar.Day(r.days)
	lines.From = events.From - calendar.Day(r.days)
	r.lines, r.events = w.Engine.Events(lines, w.Slot.Level), w.Engine.Events(events, w.Slot.Level)
	r.sums = make([]amount.Amount, len(r.lines.Days)+1)
	for i := range r.lines.Days {
		r.sums[i+1] = r.sums[i]
		switch {
		case lines.Number == "":
			r.sums[i+1] += amount.Scale
		case r.lines.Amounts[i] != amount.Missing:
			r.sums[i+1] += r.lines.Amounts[i]
		}
	}
	breach, none, base := w.breach(), w.Mark(Verdict{Outcome: NotJudged, Why: NoEvent}), w.Mark(Verdict{Outcome: NotJudged, Why: NothingBefore})
	few := w.Mark(Verdict{Outcome: NotJudged, Why: FewPeers})
	for code := range w.Open() {
		if w.Engine.Stopped() {
			break
		}
		found := r.worst(uint32(code))
		switch {
		case found.event == 0 && found.open != 0:
			w.Set(code, Verdict{Outcome: NotJudged, Why: "window open until " + found.open.Words()})
		case found.event == 0:
			w.Put(code, none)
		case !found.ok && found.few:
			w.Put(code, few)
		case !found.ok:
			w.Put(code, base)
		default:
			w.Hold(code, found.float())
			if r.flags(found) {
				w.Put(code, breach)
			}
		}
	}
	return r
}

// sum is what a code's lines add up to from one day to another.
func (r *shifts) sum(code uint32, first, last calendar.Day) amount.Amount {
	from, to := r.lines.Between(code, first, last)
	return r.sums[to] - r.sums[from]
}

// around is what a code's lines add up to before and after an event, and the
// change, a day; ok is false where a share of nothing is asked for.
func (r *shifts) around(code uint32, event calendar.Day) (before, after amount.Amount, change fraction, ok bool) {
	d := calendar.Day(r.days)
	before, after = r.sum(code, event-d, event-1), r.sum(code, event+1, event+d)
	if r.share {
		return before, after, fraction{int64(after - before), int64(before)}, before > 0
	}
	return before, after, fraction{int64(after - before), int64(r.days) * amount.Scale}, true
}

// aDay is a sum of so many days as one day has it.
func (r *shifts) aDay(sum amount.Amount) *big.Rat {
	return new(big.Rat).Quo(sum.Rat(), big.NewRat(int64(r.days), 1))
}

// eventChange is one event of a code with what it changed.
type eventChange struct {
	event         calendar.Day
	before, after amount.Amount
	ok            bool // there is a change, and where peers are asked for enough of them
	few           bool // there are too few peers
	own           fraction
	others, less  *big.Rat     // that of the others where asked, and the own one less it
	open          calendar.Day // when the first window that is still open closes
}

// change is the change that is judged, exactly.
func (e *eventChange) change() *big.Rat {
	if e.less != nil {
		return e.less
	}
	return e.own.rat()
}

// float is the float64 nearest to the change.
func (e *eventChange) float() float64 {
	if e.less == nil && magnitude(e.own.over) < 1<<53 && e.own.under < 1<<53 {
		return float64(e.own.over) / float64(e.own.under) // both are exact
	}
	f, _ := e.change().Float64()
	return f
}

// flags says whether the change of an event is flagged.
func (r *shifts) flags(e eventChange) bool {
	switch {
	case !e.ok:
		return false
	case e.less != nil:
		return shifted(r.Engine.Book, r.Rule, e.less)
	case r.less:
		return over(r.key, e.own.cmp(r.cut))
	}
	return onSide(r.side, cmp.Compare(e.own.over, 0)) && over(r.key, fraction{int64(magnitude(e.own.over)), e.own.under}.cmp(r.cut))
}

// worst is the event of a code, closed in the period, whose change is flagged
// most: the lowest, or the one farthest from nothing.
func (r *shifts) worst(code uint32) (out eventChange) {
	open := r.closed(code, func(e eventChange) {
		if out.event == 0 || e.ok && (!out.ok || r.more(&e, &out)) {
			out = e
		}
	})
	out.open = open
	return out
}

// closed visits the events of a code whose windows closed in the period, or in those
// before it that have no lines, one a day in order; open is when the first window that is still open closes, 0 if none is.
func (r *shifts) closed(code uint32, visit func(eventChange)) (open calendar.Day) {
	last := r.Slot.Last - calendar.Day(r.days) // of those whose window has closed
	from, to := r.events.Between(code, r.since-calendar.Day(r.days), r.Slot.Last)
	for i := from; i < to; i++ {
		day := r.events.Days[i]
		switch {
		case i > from && day == r.events.Days[i-1]:
			continue
		case day > last:
			if open == 0 {
				open = day + calendar.Day(r.days)
			}
			continue
		}
		e := eventChange{event: day}
		e.before, e.after, e.own, e.ok = r.around(code, day)
		if e.ok && r.peers {
			if e.others = r.others(code, day); e.others != nil {
				e.less = new(big.Rat).Sub(e.own.rat(), e.others)
			} else {
				e.ok, e.few = false, true
			}
		}
		visit(e)
	}
	return open
}

// more says whether one change is flagged sooner than another.
func (r *shifts) more(a, b *eventChange) bool {
	var c int
	if a.less == nil && b.less == nil {
		x, y := a.own, b.own
		if r.side == "both" && !r.less {
			x.over, y.over = int64(magnitude(x.over)), int64(magnitude(y.over))
		}
		c = x.cmp(y)
	} else {
		x, y := a.change(), b.change()
		if r.side == "both" && !r.less {
			x, y = new(big.Rat).Abs(x), new(big.Rat).Abs(y)
		}
		c = x.Cmp(y)
	}
	if r.less || r.side == "low" {
		return c < 0
	}
	return c > 0
}

// others is the median change of the peers around a day, nil where there are too few:
// those who are active on all the days that are compared, who had a first line by the
// first of them, and who have one on any of them.
func (r *shifts) others(code uint32, day calendar.Day) *big.Rat {
	p := r.typical[day]
	if p == nil {
		p = &peerChanges{of: make([]fraction, r.Len())}
		d := calendar.Day(r.days)
		active := r.Engine.Throughout(r.Engine.Days(r.Slot.Level, day-d, day+d))
		for c := range uint32(r.Len()) {
			if r.Outcome(int(c)) == OutOfScope || r.first[c] == 0 || r.first[c] > day-d || active != nil && !active(c) || !r.seen(c, day) {
				continue
			}
			if _, _, change, ok := r.around(c, day); ok {
				p.of[c] = change
				p.changes = append(p.changes, change)
			}
		}
		slices.SortFunc(p.changes, fraction.cmp)
		r.typical[day] = p
	}
	rest := p.changes
	own := p.of[code]
	n := len(rest)
	at := n // the place of the own one, which is passed over
	if own.under != 0 {
		at = sort.Search(n, func(i int) bool { return rest[i].cmp(own) >= 0 })
		n--
	}
	if n < r.least {
		return nil
	}
	kth := func(k int) *big.Rat {
		if k >= at {
			k++
		}
		return rest[k].rat()
	}
	if n%2 == 1 {
		return kth(n / 2)
	}
	sum := new(big.Rat).Add(kth(n/2-1), kth(n/2))
	return sum.Quo(sum, big.NewRat(2, 1))
}

// seen says whether a code has a line on any of the days compared around a day.
func (r *shifts) seen(code uint32, day calendar.Day) bool {
	d := calendar.Day(r.days)
	any := func(first, last calendar.Day) bool {
		from, to := r.lines.Between(code, first, last)
		return from < to
	}
	return any(day-d, day-1) || any(day+1, day+d)
}

// Cuts implements Found.
func (r *shifts) Cuts(int) []float64 {
	cut := r.Engine.Book.Set(r.Rule, r.key).Float()
	if r.less {
		return []float64{cut}
	}
	return map[string][]float64{"high": {cut}, "low": {-cut}, "both": {-cut, cut}}[r.Rule.Says("side")]
}

// PerEvent implements Eventful.
func (r *shifts) PerEvent() bool { return true }

// Days implements Eventful.
func (r *shifts) Days(code uint32) (days []calendar.Day) {
	r.closed(code, func(e eventChange) {
		if r.flags(e) {
			days = append(days, e.event)
		}
	})
	return days
}

// Evidence implements Found.
func (r *shifts) Evidence(ev *Evidence, code uint32) { r.EvidenceOn(ev, code, anyDay) }

// EvidenceOn implements Eventful.
func (r *shifts) EvidenceOn(ev *Evidence, code uint32, day calendar.Day) {
	if r.lines == nil {
		return
	}
	found := r.worst(code)
	if day != anyDay {
		found = eventChange{}
		r.closed(code, func(e eventChange) {
			if e.event == day {
				found = e
			}
		})
	}
	if found.event == 0 || !found.ok {
		return
	}
	unit, places := rulebook.Count, 2
	if r.Rule.Says("as") == "change" {
		unit, places = rulebook.Percent, 1
	}
	ev.Figures = append(ev.Figures, Figure{Label: "Change", Value: found.change(), Unit: unit, Places: places},
		Figure{Label: "A day before", Value: r.aDay(found.before), Unit: rulebook.Count, Places: 2},
		Figure{Label: "A day after", Value: r.aDay(found.after), Unit: rulebook.Count, Places: 2})
	if found.others != nil {
		ev.Figures = append(ev.Figures, Figure{Label: "Median change of the others", Value: found.others, Unit: unit, Places: places})
	}
	d := calendar.Day(r.days)
	r.list(ev, []span{
		within(r.lines, code, found.event-d, found.event+d, r.Rule.Settings["shift"].Feed, "answer"),
		within(r.events, code, found.event, found.event, r.Rule.Settings["after"].Feed, "event"),
	}, EventWindow{First: found.event.String(), Last: (found.event + d).String(), Role: "after", Broke: r.IsFlagged(code)},
		EventWindow{First: (found.event - d).String(), Last: (found.event - 1).String(), Role: "before"})
}
