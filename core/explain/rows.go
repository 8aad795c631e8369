package explain

import (
	"fmt"
	"math/big"
	"strings"

	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/method"
	"oskel/core/rulebook"
	"oskel/core/words"
)

// Values writes what was found and what it was held against, each alone: for
// the columns of a list. Either is "" where there is none.
func Values(book *rulebook.Book, rule *rulebook.Rule, ev judge.Evidence) (value, comparison string) {
	if ev.Silence != nil {
		return method.DaysWords(ev.Silence.Days), silenceLimit(ev.Silence)
	}
	if len(ev.Holding) > 0 {
		return strings.Join(ev.Holding, "; "), ""
	}
	if byLines(ev) {
		return rulebook.Format(ev.Figures[0].Value, ev.Figures[0].Unit, ev.Figures[0].Places), ""
	}
	if ev.Value == nil {
		return "", ""
	}
	value = rulebook.Format(ev.Value, ev.Unit, ev.Places)
	switch {
	case ev.Comparison != nil:
		value, comparison = rulebook.FormatApart(ev.Value, ev.Comparison, ev.Unit, ev.Places)
	case ev.Peers != nil && ev.Peers.Median != nil:
		value, comparison = rulebook.FormatApart(ev.Value, ev.Peers.Median, ev.Unit, ev.Places)
	case ev.Past != nil && ev.Past.Centre != nil:
		value, comparison = rulebook.FormatApart(ev.Value, ev.Past.Centre, ev.Unit, ev.Places)
	case ev.Band != nil && ev.Band.High != nil:
		value, _ = method.WithBand(ev.Held, ev.Unit, ev.Places, ev.Band)
		comparison = method.CutWords(ev.Band.High)
	case ev.Band != nil && ev.Band.Low != nil:
		value, _ = method.WithBand(ev.Held, ev.Unit, ev.Places, ev.Band)
		comparison = method.CutWords(ev.Band.Low)
	}
	return value, comparison
}

// Numbers are what was found and what it was held against as numbers, with the
// unit of both: for programs. Either is nil where there is none.
func Numbers(ev judge.Evidence) (value, comparison *big.Rat, unit rulebook.Unit) {
	switch {
	case ev.Silence != nil:
		limit := big.NewRat(int64(ev.Silence.Limit), 1)
		if ev.Silence.Limit == 0 {
			limit = new(big.Rat).Mul(ev.Silence.Times, ev.Silence.UsualGap)
		}
		return big.NewRat(int64(ev.Silence.Days), 1), limit, rulebook.Days
	case byLines(ev):
		return ev.Figures[0].Value, nil, ev.Figures[0].Unit
	case ev.Comparison != nil:
		return ev.Value, ev.Comparison, ev.Unit
	case ev.Peers != nil && ev.Peers.Median != nil:
		return ev.Value, ev.Peers.Median, ev.Unit
	case ev.Past != nil && ev.Past.Centre != nil:
		return ev.Value, ev.Past.Centre, ev.Unit
	case ev.Band != nil && ev.Band.High != nil:
		return ev.Value, ev.Band.High.At.Rat(), ev.Unit
	case ev.Band != nil && ev.Band.Low != nil:
		return ev.Value, ev.Band.Low.At.Rat(), ev.Unit
	}
	return ev.Value, nil, ev.Unit
}

// byLines says whether dated lines decided, so that what was found is the first of
// the further figures.
func byLines(ev judge.Evidence) bool { return ev.Events != nil && len(ev.Figures) > 0 }

// silenceLimit says how long a silence may be.
func silenceLimit(s *method.Silence) string {
	if s.Limit == 0 {
		return rulebook.Format(s.Times, rulebook.Count, 1) + " usual gaps"
	}
	if s.Working {
		return strings.Replace(method.DaysWords(s.Limit), "day", "working day", 1)
	}
	return method.DaysWords(s.Limit)
}

// Row is one line of an evidence table.
type Row struct{ Label, Text string }

// Rows lists everything that led to a verdict, for people.
func Rows(book *rulebook.Book, rule *rulebook.Rule, ev judge.Evidence) []Row {
	var rows []Row
	add := func(label, text string) { rows = append(rows, Row{label, text}) }
	number := func(label string, v *big.Rat, unit rulebook.Unit, places int) {
		if v != nil {
			add(label, rulebook.Format(v, unit, places))
		}
	}
	if ev.Measure != "" {
		value := "none: " + ev.Why
		if ev.Value != nil {
			value = rulebook.Format(ev.Value, ev.Unit, max(ev.Places, 2))
		}
		add(method.Title(book, ev.Measure), value)
	}
	switch ev.Against {
	case "":
	case "target":
		number("Target", ev.Comparison, ev.Unit, 2)
	case "number":
		number("Compared with", ev.Comparison, ev.Unit, 2)
	default:
		number("Compared with "+ev.Against, ev.Comparison, ev.Unit, 2)
	}
	switch ev.As {
	case "ratio":
		number("Share of it", ev.Held, rulebook.Percent, 2)
	case "change":
		number("Change from it", ev.Held, rulebook.Percent, 2)
	case "difference":
		number("Difference", ev.Held, ev.Unit, 2)
	}
	if ev.Band != nil {
		_, band := method.WithBand(ev.Held, rulebook.Count, 0, ev.Band)
		add("Band", band)
	}
	if p := ev.Peers; p != nil {
		among := "all " + book.Many(rule.Levels[0])
		if p.Attribute != "" {
			among = p.Attribute + " " + p.Group
		}
		add("Peer group", among)
		add("Others", rulebook.Format(big.NewRat(int64(p.Others), 1), rulebook.Count, 0))
		add("Rank, highest first", rulebook.Format(big.NewRat(int64(p.Place), 1), rulebook.Count, 0))
		number("Median", p.Median, ev.Unit, max(ev.Places, 2))
		number("Median absolute deviation", p.MAD, ev.Unit, max(ev.Places, 2))
		name := "Score"
		if rule.Method != nil {
			name = words.UpperFirst(rule.Method.Name)
		}
		number(name, p.Score, rulebook.Count, 2)
		number("Cut", p.Cut, rulebook.Count, 2)
	}
	if p := ev.Past; p != nil {
		switch places := max(ev.Places, 2); {
		case p.Since != "":
			number("Level since", p.High, ev.Unit, places)
			number("Level before", p.Low, ev.Unit, places)
		case p.Low != nil && p.Low.Cmp(p.High) != 0:
			number("Centre", p.Centre, ev.Unit, places)
			number("Lower limit", p.Low, ev.Unit, places)
			number("Upper limit", p.High, ev.Unit, places)
		default:
			number("Centre", p.Centre, ev.Unit, places)
		}
		number("Score", p.Score, rulebook.Count, 2)
		number("Cut", p.Cut, rulebook.Count, 2)
		for _, w := range p.Words {
			add("It shows", w)
		}
		if since, err := book.Calendar.Parse(p.Since); err == nil {
			add("Since", book.Calendar.Words(since))
		}
	}
	if s := ev.Silence; s != nil {
		last, _ := calendar.ParseDay(s.Last)
		asOf, _ := calendar.ParseDay(s.AsOf)
		add("Last seen in "+strings.ToLower(book.Feed(s.Feed).Title), last.Words())
		add("As of the end of", asOf.Words())
		add("Days since last", method.DaysWords(s.Days))
		if s.UsualGap != nil {
			number("Usual gap, in days", s.UsualGap, rulebook.Count, 1)
			add("Gaps known", rulebook.Format(big.NewRat(int64(s.Gaps), 1), rulebook.Count, 0))
			add("Limit", "more than "+rulebook.Format(s.Times, rulebook.Count, 1)+" usual gaps")
		}
		if s.Limit > 0 {
			add("Limit", "at least "+silenceLimit(s))
		}
	}
	if ev.Silence == nil {
		addEvents(book, ev.Events, add)
	}
	for _, f := range ev.Figures {
		if f.Text != "" {
			add(f.Label, f.Text)
		} else {
			places := max(f.Places, 2)
			if f.Value != nil && f.Value.IsInt() && f.Unit == rulebook.Count {
				places = f.Places
			}
			number(f.Label, f.Value, f.Unit, places)
		}
	}
	for _, in := range ev.Inputs {
		text := "none: " + in.Why
		if in.Value != nil {
			text = rulebook.Format(in.Value, in.Unit, 2)
		}
		add(method.Title(book, in.Measure), text)
	}
	for _, h := range ev.Holding {
		add("Condition met", h)
	}
	for _, in := range ev.Shown {
		text := "none: " + in.Why
		if in.Value != nil {
			text = rulebook.Format(in.Value, in.Unit, book.Measure(in.Measure).Places)
		}
		add(method.Title(book, in.Measure), text)
	}
	if p := ev.Persisted; p != nil {
		add("Breached", fmt.Sprintf("in %d of the last %d %s; flagged from %d on", p.Breaches, p.Of, words.Plural(rule.Each), p.Least))
	}
	if ev.Stake != nil {
		number("At stake", ev.Stake, book.StakeUnit(rule), 2)
	}
	return rows
}

// The most windows and lines that are listed in words; the rest are counted.
const (
	mostWindows = 6
	mostLines   = 12
)

// addEvents lists windows and the lines that decided, in order.
func addEvents(book *rulebook.Book, events *method.Events, add func(label, text string)) {
	if events == nil {
		return
	}
	dayAfter := func(iso string, days calendar.Day) string {
		d, err := calendar.ParseDay(iso)
		if err != nil {
			return iso
		}
		return (d + days).Words()
	}
	day := func(iso string) string { return dayAfter(iso, 0) }
	for _, w := range events.Windows[:min(len(events.Windows), mostWindows)] {
		label := "Window"
		if w.Role != "" {
			label = words.UpperFirst(w.Role)
		}
		first := day(w.First)
		if w.Role == "after" { // which names its event, and is of the days behind it
			first = dayAfter(w.First, 1)
		}
		add(label, first+" to "+day(w.Last))
	}
	if more := len(events.Windows) - mostWindows; more > 0 {
		add("Further windows", fmt.Sprint(more))
	}
	for _, l := range events.Lines[:min(len(events.Lines), mostLines)] {
		text := l.Feed
		if feed := book.Feed(l.Feed); feed != nil {
			text = feed.Title
		}
		if l.Amount != nil {
			text += ", " + rulebook.Format(l.Amount, rulebook.Count, 2)
		}
		add(day(l.Day), text)
	}
	if more := len(events.Lines) - mostLines + events.More; more > 0 {
		add("Further lines", fmt.Sprint(more))
	}
}
