package method

import (
	"fmt"
	"math"
	"math/big"
	"strings"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/ledger"
	"oskel/core/measure"
	"oskel/core/rulebook"
	"oskel/core/stats"
)

// silence flags a subject of whom there has been no line for a number of days,
// as-of - last >= d, or for strictly more than k times the median of its own
// gaps between days with a line; where both are stated, both must hold. The
// as-of day is the period's last, complete. One that was never seen is not
// judged, and by usual gaps neither is one with fewer gaps than stated.
var silence = &Method{
	Method: rulebook.Method{
		Family: "window", Name: "silence", Among: "lines",
		UseFor:   "Subjects gone quiet: no line for a number of days, or for longer than usual for them",
		Requires: "A feed whose lines name the subjects",
		Settings: []rulebook.Setting{
			{Key: "silence", Type: rulebook.LinesSetting, Doc: "the lines that have stopped: a feed, or 'sales where net above 100'"},
			{Key: "at_least", Type: rulebook.QuantitySetting, Optional: true, Choices: []string{"days", "working days"}, From: number("1"), To: number("3660"),
				Example: "'45 days'", Doc: "a number of days"},
			{Key: "longer_than", Type: rulebook.QuantitySetting, Optional: true, Choices: []string{"usual gaps"}, From: number("0"), Open: true,
				Example: "'2.5 usual gaps'", Doc: "a number of usual gaps"},
			{Key: "gaps", Type: rulebook.NumberSetting, Default: "3", Whole: true, From: number("1"), To: number("1000"), Example: "3",
				Doc: "how many gaps make one usual"},
			gradeSetting,
		},
		ExampleKeys: []string{"days", "usual_gap"}, DecideExample: decideSilence,
		Check: func(_ *rulebook.Book, r *rulebook.Rule, say func(key, format string, args ...any)) {
			if r.Says("at_least") == "" && r.Says("longer_than") == "" {
				say("silence", "state how long: 'at_least: 45 days', 'longer_than: 2.5 usual gaps', or both")
			}
		},
		Words: silenceWords,
	},
	judge: judgeSilence, sentence: silenceSentence,
	axis: func(b *rulebook.Book, r *rulebook.Rule) Axis {
		return Axis{rulebook.Days, 0, "Days since the last of the " + b.Feed(r.Settings["silence"].Feed).Title}
	},
}

func silenceWords(b *rulebook.Book, r *rulebook.Rule) string {
	var how []string
	if r.Says("at_least") != "" {
		how = append(how, b.SettingWords(r, "at_least")+" or more before the period's last day")
	}
	if r.Says("longer_than") != "" {
		how = append(how, "longer ago than "+b.SettingWords(r, "longer_than")+" of its own")
	}
	end := "one that was never seen is not judged"
	if r.Says("longer_than") != "" {
		end = fmt.Sprintf("one that was never seen, or had fewer than %d gaps, is not judged", b.Whole(r, "gaps"))
	}
	return fmt.Sprintf("%s when the last of the %s lies %s; %s", b.Grade(r.Says("grade")).Label, linesWords(b, r, "silence"), strings.Join(how, " and "), end)
}

func decideSilence(b *rulebook.Book, r *rulebook.Rule, stated map[string]*big.Rat) (bool, string) {
	days, gap := stated["days"], stated["usual_gap"]
	if days == nil {
		return false, "the example of a silence says the days, such as {days: 59, is: clear}"
	}
	if r.Says("longer_than") != "" && gap == nil {
		return false, "the example of a silence by usual gaps says the usual gap too, such as {days: 59, usual_gap: 20, is: act}"
	}
	silent := true
	if r.Says("at_least") != "" {
		silent = days.Cmp(big.NewRat(int64(b.Whole(r, "at_least")), 1)) >= 0
	}
	if r.Says("longer_than") != "" {
		silent = silent && days.Cmp(new(big.Rat).Mul(b.Set(r, "longer_than").Rat(), gap)) > 0
	}
	return silent, ""
}

// silent is a silence at work.
type silent struct {
	everyone
	*Work
	last  []calendar.Day // by code
	seen  *measure.Seen
	usual bool          // whether gaps are asked for
	times amount.Amount // how many usual gaps are too long
	least int           // from how many days on it is long enough
}

// judgeSilence counts the days from each subject's last line to the last day of the period, against
// a number of days or the subject's own usual gap. Who never had a line is not judged.
func judgeSilence(w *Work) Found {
	r := &silent{Work: w, usual: w.Rule.Says("longer_than") != "", times: w.Engine.Book.Set(w.Rule, "longer_than")}
	w.base()
	if lines := w.Rule.Settings["silence"]; lines.Where == nil && !r.usual && w.Slot.Plain() {
		r.last = w.Engine.LastSeen(lines.Feed, w.Slot)
	}
	if r.last == nil {
		r.last = r.days().Last
	}
	never, few, breach := w.Mark(Verdict{Outcome: NotJudged, Why: NeverSeen}), w.Mark(Verdict{Outcome: NotJudged, Why: FewGaps}), w.breach()
	r.least = r.fromDays()
	gaps := w.Engine.Book.Whole(w.Rule, "gaps")
	twice := make([]uint32, w.Len()) // the most that twice the usual gap may be
	for code := range w.Open() {
		switch {
		case r.last[code] == ledger.Never:
			w.Put(code, never)
			continue
		case r.usual && int(r.seen.Days[code])-1 < gaps:
			w.Put(code, few)
			continue
		}
		days := r.silence(code)
		w.Hold(code, float64(days))
		switch {
		case days < r.least:
		case r.usual:
			twice[code] = r.mostTwice(days)
		default:
			w.Put(code, breach)
		}
	}
	if r.usual {
		long := r.seen.UsualGapAtMost(twice)
		for code := range w.Open() {
			if long[code] {
				w.Put(code, breach)
			}
		}
	}
	return r
}

// fromDays is from how many days on a silence reaches what is set in days, 0 where
// nothing is: working days are counted back from the last day once.
func (r *silent) fromDays() int {
	if r.Rule.Says("at_least") == "" {
		return 0
	}
	least := r.Engine.Book.Whole(r.Rule, "at_least")
	if r.Rule.Settings["at_least"].Noun != "working days" {
		return least
	}
	longest := 0
	for _, last := range r.last {
		if last != ledger.Never {
			longest = max(longest, int(r.Slot.Last-last))
		}
	}
	days := 0
	for worked := 0; worked < least && days <= longest; days++ {
		if r.Engine.Book.Calendar.Working(r.Slot.Last - calendar.Day(days)) {
			worked++
		}
	}
	return days
}

// silence is how many days nothing has been seen of a code.
func (r *silent) silence(code int) int { return int(r.Slot.Last - r.last[code]) }

// days are those on which the lines lie.
func (r *silent) days() *measure.Seen {
	if r.seen == nil {
		r.seen = r.Engine.Seen(r.lines("silence"), r.Slot.Level, r.Slot.Last)
	}
	return r.seen
}

// mostTwice is the most that twice the usual gap may be for days > k x gap to hold; k is
// in ten-thousandths.
func (r *silent) mostTwice(days int) uint32 {
	return uint32(min(max(int64(days)*2*amount.Scale-1, 0)/int64(max(r.times, 1)), math.MaxUint32))
}

// Cuts implements Found: usual gaps are each subject's own.
func (r *silent) Cuts(int) []float64 {
	if r.Rule.Says("longer_than") != "" || r.Rule.Settings["at_least"].Noun == "working days" {
		return nil
	}
	return []float64{float64(r.Engine.Book.Whole(r.Rule, "at_least"))}
}

// Evidence implements Found.
func (r *silent) Evidence(ev *Evidence, code uint32) {
	if r.last[code] == ledger.Never {
		return
	}
	last, days := r.last[code], r.silence(int(code))
	ev.Silence = &Silence{Feed: r.Rule.Settings["silence"].Feed, Last: last.String(), AsOf: r.Slot.Last.String(), Days: days}
	if r.Rule.Says("at_least") != "" {
		ev.Silence.Limit, ev.Silence.Working = r.Engine.Book.Whole(r.Rule, "at_least"), r.Rule.Settings["at_least"].Noun == "working days"
	}
	if r.usual {
		gaps := r.days().GapsOf(code)
		ev.Silence.Gaps, ev.Silence.UsualGap = len(gaps), new(big.Rat)
		if len(gaps) > 0 {
			low, high := stats.Middles(gaps)
			ev.Silence.UsualGap = big.NewRat(int64(low+high), 2)
		}
		ev.Silence.Times = r.Engine.Book.Set(r.Rule, "longer_than").Rat()
	}
	of := &measure.Events{}
	if !ev.Brief {
		of.Days = r.days().Of(code)
	}
	r.list(ev, []span{{of, 0, len(of.Days), r.Rule.Settings["silence"].Feed, ""}}, EventWindow{First: (last + 1).String(), Last: r.Slot.Last.String()})
}

func silenceSentence(book *rulebook.Book, _ *rulebook.Rule, _ Verdict, ev *Evidence) string {
	s := ev.Silence
	last, _ := calendar.ParseDay(s.Last)
	asOf, _ := calendar.ParseDay(s.AsOf)
	var limits []string
	if s.Limit > 0 {
		limits = append(limits, limitWords(s))
	}
	if s.UsualGap != nil {
		limits = append(limits, fmt.Sprintf("more than %s times its usual gap of %s", rulebook.Format(s.Times, rulebook.Count, 1),
			rulebook.Format(s.UsualGap, rulebook.Days, gapPlaces(s.UsualGap))))
	}
	return fmt.Sprintf("No %s since %s: %s by %s; flagged at %s.",
		strings.ToLower(book.Feed(s.Feed).Title), last.Words(), DaysWords(s.Days), asOf.Words(), strings.Join(limits, " and "))
}

func limitWords(s *Silence) string {
	if s.Working {
		return strings.Replace(DaysWords(s.Limit), "day", "working day", 1) + " or more"
	}
	return DaysWords(s.Limit) + " or more"
}

func gapPlaces(gap *big.Rat) int {
	if gap.IsInt() {
		return 0
	}
	return 1
}
