package method

import (
	"math/big"
	"strings"

	"oskel/core/calendar"
	"oskel/core/rulebook"
	"oskel/core/words"
)

// Part is what one kind of method leaves in the evidence. It says of itself what a
// reader is shown, so that nobody else need know the kinds there are.
type Part interface {
	// Rows adds all that the part holds to the evidence table.
	Rows(t *Table)
	// Compared is what was found and what it was held against.
	Compared(ev *Evidence) Compared
}

// Compared is what was found and what it was held against: numbers with the unit of both,
// nil where there is none.
type Compared struct {
	Value, Against *big.Rat
	Unit           rulebook.Unit

	words func() (value, against string) // nil has none; long files ask for numbers alone
}

// Words say it for people, "" where there is nothing to say.
func (c Compared) Words() (value, against string) {
	if c.words == nil {
		return "", ""
	}
	return c.words()
}

// Parts are the parts that a method left, in the order in which they are shown.
func (ev *Evidence) Parts() (parts []Part) {
	if ev.Band != nil {
		parts = append(parts, ev.Band)
	}
	if ev.Peers != nil {
		parts = append(parts, ev.Peers)
	}
	if ev.Past != nil {
		parts = append(parts, ev.Past)
	}
	if ev.Silence != nil {
		return append(parts, ev.Silence) // its lines are only drawn
	}
	if ev.Events != nil {
		parts = append(parts, ev.Events)
	}
	return parts
}

// compared is a value beside another of the same unit, both written so that they differ
// wherever they do.
func (ev *Evidence) compared(against *big.Rat) Compared {
	return Compared{ev.Value, against, ev.Unit, func() (string, string) {
		switch {
		case ev.Value == nil:
			return "", ""
		case against == nil:
			return rulebook.Format(ev.Value, ev.Unit, ev.Places), ""
		}
		return rulebook.FormatApart(ev.Value, against, ev.Unit, ev.Places)
	}}
}

// Compared is what was found and what it was held against.
func (ev *Evidence) Compared() Compared {
	switch parts := ev.Parts(); {
	case len(ev.Holding) > 0:
		return Compared{ev.Value, nil, ev.Unit, func() (string, string) { return strings.Join(ev.Holding, "; "), "" }}
	case ev.Comparison != nil || len(parts) == 0:
		return ev.compared(ev.Comparison)
	default:
		return parts[0].Compared(ev)
	}
}

// Row is one line of an evidence table.
type Row struct{ Label, Text string }

// Table is evidence as people read it, row by row.
type Table struct {
	Book *rulebook.Book
	Rule *rulebook.Rule
	Of   *Evidence
	Rows []Row
}

// Add adds a row.
func (t *Table) Add(label, text string) { t.Rows = append(t.Rows, Row{label, text}) }

// Number adds a row with a number; none for nil.
func (t *Table) Number(label string, v *big.Rat, unit rulebook.Unit, places int) {
	if v != nil {
		t.Add(label, rulebook.Format(v, unit, places))
	}
}

// Count adds a row with a whole number.
func (t *Table) Count(label string, n int) {
	t.Number(label, big.NewRat(int64(n), 1), rulebook.Count, 0)
}

// finer is how many decimals a table gives a value of the measure.
func (t *Table) finer() int { return max(t.Of.Places, 2) }

// Rows implements Part.
func (b *BandFound) Rows(t *Table) {
	_, band := WithBand(t.Of.Held, rulebook.Count, 0, b)
	t.Add("Band", band)
}

// Compared implements Part: the end that a value was held against is the upper one, if
// there is one.
func (b *BandFound) Compared(ev *Evidence) Compared {
	end := b.High
	if end == nil {
		end = b.Low
	}
	if end == nil || ev.Value == nil {
		return ev.compared(nil)
	}
	return Compared{ev.Value, end.At.Rat(), ev.Unit, func() (string, string) {
		value, _ := WithBand(ev.Held, ev.Unit, ev.Places, b)
		return value, CutWords(end)
	}}
}

// Rows implements Part.
func (p *Peers) Rows(t *Table) {
	among := "all " + t.Book.Many(t.Rule.Levels[0])
	if p.Attribute != "" {
		among = p.Attribute + " " + p.Group
	}
	t.Add("Peer group", among)
	t.Count("Others", p.Others)
	t.Count("Rank, highest first", p.Place)
	t.Number("Median", p.Median, t.Of.Unit, t.finer())
	t.Number("Median absolute deviation", p.MAD, t.Of.Unit, t.finer())
	name := "Score"
	if t.Rule.Method != nil {
		name = words.UpperFirst(t.Rule.Method.Name)
	}
	t.Number(name, p.Score, rulebook.Count, 2)
	t.Number("Cut", p.Cut, rulebook.Count, 2)
}

// Compared implements Part.
func (p *Peers) Compared(ev *Evidence) Compared { return ev.compared(p.Median) }

// Rows implements Part.
func (p *Past) Rows(t *Table) {
	unit, places := t.Of.Unit, t.finer()
	switch {
	case p.Since != "":
		t.Number("Level since", p.High, unit, places)
		t.Number("Level before", p.Low, unit, places)
	case p.Low != nil && p.Low.Cmp(p.High) != 0:
		t.Number("Centre", p.Centre, unit, places)
		t.Number("Lower limit", p.Low, unit, places)
		t.Number("Upper limit", p.High, unit, places)
	default:
		t.Number("Centre", p.Centre, unit, places)
	}
	t.Number("Score", p.Score, rulebook.Count, 2)
	t.Number("Cut", p.Cut, rulebook.Count, 2)
	for _, w := range p.Words {
		t.Add("It shows", w)
	}
	if since, err := t.Book.Calendar.Parse(p.Since); err == nil {
		t.Add("Since", t.Book.Calendar.Words(since))
	}
}

// Compared implements Part.
func (p *Past) Compared(ev *Evidence) Compared { return ev.compared(p.Centre) }

// Rows implements Part.
func (s *Silence) Rows(t *Table) {
	t.Add("Last seen in "+strings.ToLower(t.Book.Feed(s.Feed).Title), dayWords(s.Last))
	t.Add("As of the end of", dayWords(s.AsOf))
	t.Add("Days since last", DaysWords(s.Days))
	if s.UsualGap != nil {
		t.Number("Usual gap, in days", s.UsualGap, rulebook.Count, 1)
		t.Count("Gaps known", s.Gaps)
		t.Add("Limit", "more than "+rulebook.Format(s.Times, rulebook.Count, 1)+" usual gaps")
	}
	if s.Limit > 0 {
		t.Add("Limit", "at least "+s.limit())
	}
}

// Compared implements Part: days of silence, and how many there may be.
func (s *Silence) Compared(*Evidence) Compared {
	limit := big.NewRat(int64(s.Limit), 1)
	if s.Limit == 0 {
		limit = new(big.Rat).Mul(s.Times, s.UsualGap)
	}
	return Compared{big.NewRat(int64(s.Days), 1), limit, rulebook.Days, func() (string, string) { return DaysWords(s.Days), s.limit() }}
}

// limit says how long a silence may be.
func (s *Silence) limit() string {
	if s.Limit == 0 {
		return rulebook.Format(s.Times, rulebook.Count, 1) + " usual gaps"
	}
	if s.Working {
		return strings.Replace(DaysWords(s.Limit), "day", "working day", 1)
	}
	return DaysWords(s.Limit)
}

// The most windows and lines that are listed in words; the rest are counted.
const (
	mostWindows = 6
	mostLines   = 12
)

// Rows implements Part: windows and the lines that decided, in order.
func (e *Events) Rows(t *Table) {
	for _, w := range e.Windows[:min(len(e.Windows), mostWindows)] {
		label := "Window"
		if w.Role != "" {
			label = words.UpperFirst(w.Role)
		}
		first := dayWords(w.First)
		if day, err := calendar.ParseDay(w.First); err == nil && w.Role == "after" { // which names its event, and is of the days behind it
			first = (day + 1).Words()
		}
		t.Add(label, first+" to "+dayWords(w.Last))
	}
	if more := len(e.Windows) - mostWindows; more > 0 {
		t.Count("Further windows", more)
	}
	for _, l := range e.Lines[:min(len(e.Lines), mostLines)] {
		text := l.Feed
		if feed := t.Book.Feed(l.Feed); feed != nil {
			text = feed.Title
		}
		if l.Amount != nil {
			text += ", " + rulebook.Format(l.Amount, rulebook.Count, 2)
		}
		t.Add(dayWords(l.Day), text)
	}
	if more := len(e.Lines) - mostLines + e.More; more > 0 {
		t.Count("Further lines", more)
	}
}

// Compared implements Part: the first of the further figures is what was found.
func (e *Events) Compared(ev *Evidence) Compared {
	if len(ev.Figures) == 0 {
		return ev.compared(nil)
	}
	f := ev.Figures[0]
	return Compared{f.Value, nil, f.Unit, func() (string, string) { return rulebook.Format(f.Value, f.Unit, f.Places), "" }}
}
