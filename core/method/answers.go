package method

import (
	"encoding/binary"
	"fmt"
	"math/big"
	"slices"
	"sort"
	"strings"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/measure"
	"oskel/core/rulebook"
)

// The settings that 'followed' and 'unanswered' share: A is an event, B answers
// it where B - A is from 0 to d days, or from 1 where it begins on the next day,
// and is another line than A. Working days are those of the calendar: the window
// closes with its d-th one, and a B on a day off inside it counts.
var (
	bySetting     = rulebook.Setting{Key: "by", Type: rulebook.LinesSetting, Doc: "the lines that answer"}
	withinSetting = rulebook.Setting{Key: "within", Type: rulebook.QuantitySetting, Choices: []string{"days", "working days"}, Doc: "a number of days",
		From: number("1"), To: number("366"), Example: "'30 days'"}
	startSetting = rulebook.Setting{Key: "from", Type: rulebook.WordSetting, Default: "the same day", Choices: []string{"the same day", "the next day"},
		Doc: "from when on an answer counts"}
	sameSetting = rulebook.Setting{Key: "same", Type: rulebook.NamesSetting, Optional: true,
		Doc: "further kinds, labels or notes that both must have in common, such as product"}
	onceSetting = rulebook.Setting{Key: "answers", Type: rulebook.WordSetting, Default: "several", Choices: []string{"several", "one"},
		Doc: "how many events one line may answer; of one, the earliest event first"}
)

// followed flags a subject of whom an A was followed by a B within d days. It
// belongs to the period of the first B, so that an A is reported once.
var followed = &Method{
	Method: rulebook.Method{
		Family: "window", Name: "followed", Among: "lines",
		UseFor:   "One thing that comes after another: a large order, then its return",
		Requires: "Two feeds, or two sorts of lines of one, that name the subjects",
		Settings: []rulebook.Setting{
			{Key: "followed", Type: rulebook.LinesSetting, Doc: "the events that may be followed"},
			bySetting, withinSetting, startSetting, sameSetting, onceSetting,
			{Key: "at_least", Type: rulebook.NumberSetting, Default: "1", Whole: true, Doc: "a number of events followed in the period", From: number("1"),
				To: number("1000000"), Example: "1"},
			gradeSetting,
		},
		ExampleKeys: []string{"followed_events"}, Check: checkAnswers,
		DecideExample: func(b *rulebook.Book, r *rulebook.Rule, stated map[string]*big.Rat) (bool, string) {
			if stated["followed_events"] == nil {
				return false, fmt.Sprintf("the example of 'followed' says how many events were followed, such as {followed_events: 1, is: %s}", r.Says("grade"))
			}
			return stated["followed_events"].Cmp(b.Set(r, "at_least").Rat()) >= 0, ""
		},
		Words: func(b *rulebook.Book, r *rulebook.Rule) string {
			return fmt.Sprintf("%s when %s of the %s %s followed by one of the %s within %s%s", b.Grade(r.Says("grade")).Label, eventsWords(b, r),
				linesWords(b, r, "followed"), areWords(b, r), linesWords(b, r, "by"), b.SettingWords(r, "within"), answerWords(r))
		},
	},
	judge: func(w *Work) Found { return judgeAnswers(w, "followed") },
	axis:  answerAxis("Events followed in the period"),
	sentence: func(b *rulebook.Book, r *rulebook.Rule, _ Verdict, ev *Evidence) string {
		if len(ev.Events.Windows) == 0 {
			return fmt.Sprintf("No event in %s was followed by %s within %s.", linesWords(b, r, "followed"), linesWords(b, r, "by"), b.SettingWords(r, "within"))
		}
		w := ev.Events.Windows[0]
		return fmt.Sprintf("%s in %s %s followed within %s by %s: %s, then %s%s.", eventCount(len(ev.Events.Windows)), linesWords(b, r, "followed"),
			wasWords(len(ev.Events.Windows)), b.SettingWords(r, "within"), linesWords(b, r, "by"),
			dayWords(w.First), dayWords(w.Last), furtherWords(len(ev.Events.Windows)-1))
	},
}

// unanswered flags a subject of whom an A had no B within d days. It belongs to
// the period in which the window closes; until then it is open, and a subject of
// whom nothing else is to be judged is 'not judged: window open until ...'.
var unanswered = &Method{
	Method: rulebook.Method{
		Family: "window", Name: "unanswered", Among: "lines",
		UseFor:   "An expected reply that did not come: a visit without an order, a complaint without an answer",
		Requires: "Two feeds, or two sorts of lines of one, that name the subjects",
		Settings: []rulebook.Setting{
			{Key: "unanswered", Type: rulebook.LinesSetting, Doc: "the events that should be answered"},
			bySetting, withinSetting, startSetting, sameSetting, onceSetting,
			{Key: "at_least", Type: rulebook.NumberSetting, Default: "1", Whole: true, Doc: "a number of events without an answer in the period",
				From: number("1"), To: number("1000000"), Example: "1"},
			gradeSetting,
		},
		ExampleKeys: []string{"unanswered_events"}, Check: checkAnswers,
		DecideExample: func(b *rulebook.Book, r *rulebook.Rule, stated map[string]*big.Rat) (bool, string) {
			if stated["unanswered_events"] == nil {
				return false, fmt.Sprintf("the example of 'unanswered' says how many events were not answered, such as {unanswered_events: 1, is: %s}", r.Says("grade"))
			}
			return stated["unanswered_events"].Cmp(b.Set(r, "at_least").Rat()) >= 0, ""
		},
		Words: func(b *rulebook.Book, r *rulebook.Rule) string {
			return fmt.Sprintf("%s when %s of the %s had none of the %s within %s%s; it is judged when the window closes", b.Grade(r.Says("grade")).Label,
				eventsWords(b, r), linesWords(b, r, "unanswered"), linesWords(b, r, "by"), b.SettingWords(r, "within"), answerWords(r))
		},
	},
	judge: func(w *Work) Found { return judgeAnswers(w, "unanswered") },
	axis:  answerAxis("Events without an answer in the period"),
	sentence: func(b *rulebook.Book, r *rulebook.Rule, _ Verdict, ev *Evidence) string {
		if len(ev.Events.Windows) == 0 {
			return fmt.Sprintf("Every event in %s whose window closed had %s within %s.", linesWords(b, r, "unanswered"), linesWords(b, r, "by"),
				b.SettingWords(r, "within"))
		}
		w := ev.Events.Windows[0]
		return fmt.Sprintf("%s in %s had no %s within %s: %s, whose window closed on %s%s.", eventCount(len(ev.Events.Windows)),
			linesWords(b, r, "unanswered"), linesWords(b, r, "by"),
			b.SettingWords(r, "within"), dayWords(w.First), dayWords(w.Last), furtherWords(len(ev.Events.Windows)-1))
	},
}

// eventCount is so many events in words.
func eventCount(n int) string {
	if n == 1 {
		return "1 event"
	}
	return fmt.Sprintf("%d events", n)
}

func wasWords(n int) string {
	if n == 1 {
		return "was"
	}
	return "were"
}

func furtherWords(n int) string {
	if n > 0 {
		return fmt.Sprintf(", and %d more", n)
	}
	return ""
}

func eventsWords(b *rulebook.Book, r *rulebook.Rule) string {
	if b.Whole(r, "at_least") == 1 {
		return "one"
	}
	return "at least " + b.SettingWords(r, "at_least")
}

func areWords(b *rulebook.Book, r *rulebook.Rule) string {
	if b.Whole(r, "at_least") == 1 {
		return "is"
	}
	return "are"
}

func answerWords(r *rulebook.Rule) string {
	words := ""
	if r.Says("from") == "the next day" {
		words += ", from the next day on"
	}
	if same := r.Settings["same"].List; len(same) > 0 {
		words += ", of the same " + strings.Join(same, " and ")
	}
	if r.Says("answers") == "one" {
		words += ", each of which answers one alone"
	}
	return words
}

func answerAxis(title string) func(*rulebook.Book, *rulebook.Rule) Axis {
	return func(*rulebook.Book, *rulebook.Rule) Axis { return Axis{rulebook.Count, 0, title} }
}

// checkAnswers finds common keys that one of the two feeds does not have, or has as
// something else.
func checkAnswers(b *rulebook.Book, r *rulebook.Rule, say func(key, format string, args ...any)) {
	for _, name := range r.Settings["same"].List {
		of, by := b.Feed(r.Settings[r.Method.Name].Feed), b.Feed(r.Settings["by"].Feed)
		if of.SubjectColumn(name) == "" {
			of, by = by, of
		}
		if of.SubjectColumn(name) != "" && by.SubjectColumn(name) == "" && by.Stored(name) {
			say("same", "%s is a kind in the lines of %s, and words in those of %s: they have nothing to be compared by", name, of.Name, by.Name)
			continue
		}
		for _, key := range []string{r.Method.Name, "by"} {
			fd := b.Feed(r.Settings[key].Feed)
			if fd.SubjectColumn(name) == "" && !fd.Stored(name) {
				known := slices.Concat(fd.Labels, fd.Notes)
				for _, s := range fd.Subjects {
					known = append(known, s.Kind)
				}
				say("same", "the lines of %s have no kind, label or note %q%s", fd.Name, name, lang.Suggestion(name, known))
				break
			}
		}
	}
}

// answers is 'followed' or 'unanswered' at work.
type answers struct {
	everyone
	*Work
	key      string // which of the two
	a, b     *measure.Events
	words    []map[uint32]uint32 // of each common label: the code in A's feed of one in B's
	days     int
	working  bool
	next     bool
	oneToOne bool
	oneFeed  bool         // whether both are lines of one feed
	since    calendar.Day // from which day on what closes is of the period
}

// pair is an event with its answer: where B is -1 there is none.
type pair struct {
	a, b   int
	closes calendar.Day
}

// judgeAnswers counts lines of one feed that lines of another answer in time, or do not. Whose
// window is still open and has not enough without it is not judged yet.
func judgeAnswers(w *Work, key string) Found {
	b := w.Engine.Book
	r := &answers{Work: w, key: key, days: b.Whole(w.Rule, "within"), working: w.Rule.Settings["within"].Noun == "working days",
		next: w.Rule.Says("from") == "the next day", oneToOne: w.Rule.Says("answers") == "one", since: w.since()}
	w.base()
	a, by := w.lines(key), w.lines("by")
	for _, name := range w.Rule.Settings["same"].List {
		column := func(feed string) string {
			if c := b.Feed(feed).SubjectColumn(name); c != "" {
				return c
			}
			return name
		}
		a.Keys, by.Keys = append(a.Keys, column(a.Feed)), append(by.Keys, column(by.Feed))
		r.words = append(r.words, sameWords(w.Engine.Words(a.Feed, name), w.Engine.Words(by.Feed, name)))
	}
	a.From = r.earliest()
	r.oneFeed = a.Feed == by.Feed
	by.From, a.Which, by.Which = a.From, r.oneFeed, r.oneFeed
	r.a, r.b = w.Engine.Events(a, w.Slot.Level), w.Engine.Events(by, w.Slot.Level)
	breach, least := w.breach(), b.Whole(w.Rule, "at_least")
	for code := range w.Open() {
		found, closed, open := r.find(uint32(code))
		switch {
		case len(found) >= least:
			w.Put(code, breach)
		case key == "unanswered" && !closed && open != 0:
			w.Set(code, Verdict{Outcome: NotJudged, Why: "window open until " + open.Words()})
			continue
		}
		w.Hold(code, float64(len(found)))
	}
	return r
}

// sameWords maps the codes of words in one dictionary to those in another; nil
// where they are no words.
func sameWords(a, b []string) map[uint32]uint32 {
	if a == nil || b == nil {
		return nil
	}
	at := map[string]uint32{}
	for i, word := range a {
		at[word] = uint32(i)
	}
	out := map[uint32]uint32{}
	for i, word := range b {
		if k, known := at[word]; known && word != "" {
			out[uint32(i)] = k
		}
	}
	return out
}

// closes is the last day on which an answer of an event of a day counts.
func (r *answers) closes(day calendar.Day) calendar.Day {
	if r.working {
		return r.Engine.Book.Calendar.AddWorking(day, r.days)
	}
	return day + calendar.Day(r.days)
}

// earliest is the first day whose events matter in the period, 0 where all do: one
// that answers one alone may have been taken by an event of any time before.
func (r *answers) earliest() calendar.Day {
	if r.oneToOne {
		return 0
	}
	day := r.since
	for r.closes(day-1) >= r.since {
		day--
	}
	return day
}

// find lists the events of a code that the rule finds in the period; closed says
// whether any window closed in it, and open is the day on which the first of
// those still open closes, 0 where none is.
func (r *answers) find(code uint32) (out []pair, closed bool, open calendar.Day) {
	for _, p := range r.pairs(code) {
		switch r.key {
		case "followed":
			if p.b >= 0 && r.b.Days[p.b] >= r.Slot.First && r.b.Days[p.b] <= r.Slot.Last {
				out = append(out, p)
			}
		default:
			switch {
			case p.closes > r.Slot.Last:
				if p.b < 0 && (open == 0 || p.closes < open) {
					open = p.closes
				}
			case p.closes >= r.since:
				closed = true
				if p.b < 0 {
					out = append(out, p)
				}
			}
		}
	}
	return out, closed, open
}

// pairs finds the first answer of each event that matters in the period: those
// whose window reaches into it, or closed since the last one with lines.
func (r *answers) pairs(code uint32) (out []pair) {
	from, to := r.a.Of(code, r.Slot.Last)
	if from == to {
		return nil
	}
	answers := r.index(code)
	for i := from; i < to; i++ {
		p := pair{i, -1, r.closes(r.a.Days[i])}
		if p.closes < r.since && !r.oneToOne {
			continue // whoever answers one alone may have been taken by an earlier event
		}
		begin := r.a.Days[i]
		if r.next {
			begin++
		}
		key, ok := r.keyOf(r.a, i, false)
		if of := answers[key]; ok && of != nil {
			k := of.free(sort.Search(len(of.lines), func(k int) bool { return r.b.Days[of.lines[k]] >= begin }))
			if k < len(of.lines) && r.oneFeed && r.a.Lines[i] == r.b.Lines[of.lines[k]] {
				k = of.free(k + 1) // it does not answer itself
			}
			if k < len(of.lines) && r.b.Days[of.lines[k]] <= p.closes {
				p.b = of.lines[k]
				if r.oneToOne {
					of.next[k] = k + 1
				}
			}
		}
		if p.closes >= r.since {
			out = append(out, p)
		}
	}
	return out
}

// alike are the lines that may answer events of one key, in order of days. Of those that
// answer one event alone next leads past what has been taken.
type alike struct {
	lines []int
	next  []int
}

// free is the first line from k on that is not taken, len(lines) if there is none.
func (a *alike) free(k int) int {
	at := k
	for at < len(a.next) && a.next[at] != at {
		at = a.next[at]
	}
	for k < at && k < len(a.next) {
		k, a.next[k] = a.next[k], at
	}
	return at
}

// index is a code's lines that may answer, by their key.
func (r *answers) index(code uint32) map[string]*alike {
	out := map[string]*alike{}
	first, last := r.b.Of(code, r.Slot.Last)
	for k := first; k < last; k++ {
		key, ok := r.keyOf(r.b, k, true)
		if !ok {
			continue
		}
		of := out[key]
		if of == nil {
			of = &alike{}
			out[key] = of
		}
		of.next = append(of.next, len(of.lines))
		of.lines = append(of.lines, k)
	}
	return out
}

// keyOf is what must be common to an event and its answer, as the codes of the columns
// they are matched by, four bytes each; an empty one matches nothing. Words of answers are
// told by the codes that events have for them.
func (r *answers) keyOf(v *measure.Events, line int, answer bool) (key string, ok bool) {
	var out []byte
	for k := range r.a.Keys {
		x := v.Keys[k][line]
		if answer && r.words[k] != nil {
			x = r.words[k][x]
		}
		if x == 0 {
			return "", false
		}
		out = binary.LittleEndian.AppendUint32(out, x)
	}
	return string(out), true
}

// Cuts implements Found.
func (r *answers) Cuts(int) []float64 {
	return []float64{r.Engine.Book.Set(r.Rule, "at_least").Float() - 0.5}
}

// PerEvent implements Eventful.
func (r *answers) PerEvent() bool { return r.Engine.Book.Whole(r.Rule, "at_least") == 1 }

// Days implements Eventful.
func (r *answers) Days(code uint32) (days []calendar.Day) {
	found, _, _ := r.find(code)
	for _, p := range found {
		days = append(days, r.a.Days[p.a])
	}
	return slices.Compact(days)
}

// Evidence implements Found.
func (r *answers) Evidence(ev *Evidence, code uint32) { r.EvidenceOn(ev, code, anyDay) }

// EvidenceOn implements Eventful.
func (r *answers) EvidenceOn(ev *Evidence, code uint32, day calendar.Day) {
	if r.a == nil {
		return
	}
	found, _, _ := r.find(code)
	if day != anyDay {
		found = slices.DeleteFunc(found, func(p pair) bool { return r.a.Days[p.a] != day })
	}
	ev.Figures = append(ev.Figures, Figure{Label: answerTitle(r.key), Value: amount.FromInt(int64(len(found))).Rat(), Unit: rulebook.Count})
	feed, by := r.Rule.Settings[r.key].Feed, r.Rule.Settings["by"].Feed
	var spans []span
	var windows []EventWindow
	for _, p := range found {
		last := p.closes
		spans = append(spans, span{r.a, p.a, p.a + 1, feed, "event"})
		if p.b >= 0 {
			last = r.b.Days[p.b]
			spans = append(spans, span{r.b, p.b, p.b + 1, by, "answer"})
		}
		windows = append(windows, EventWindow{First: r.a.Days[p.a].String(), Last: last.String(), Role: r.key, Broke: true})
	}
	r.list(ev, spans, windows...)
}

func answerTitle(key string) string {
	if key == "followed" {
		return "Events followed"
	}
	return "Events without an answer"
}
