// Package rulebook holds the definitions an analyst writes down: kinds, feeds,
// grades, dials, measures, rules, desks and routes, as one document.
//
// Read turns the YAML text into a Book and finds everything wrong with it;
// a Book without problems can be evaluated. Books are never changed once read.
package rulebook

import (
	"slices"
	"time"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/lang"
)

// Position is a place in the document, both from 1.
type Position struct {
	Line   int `json:"line"`
	Column int `json:"column"`
}

// Book is one rulebook. Lists keep the order of the document, which decides
// how serious grades are (most serious first) and which route matches first.
type Book struct {
	Renamed  []Problem // words of it that are called otherwise now
	Title    string
	Calendar calendar.Calendar
	Weights  []amount.Amount // of the twelve months of the fiscal year, for spreading targets; nil is even
	Kinds    []Kind
	Feeds    []Feed
	Grades   []Grade
	Formats  map[Unit]UnitFormat // how figures are shown where their measure does not say
	Dials    []Dial
	Measures []Measure
	Rules    []Rule
	Desks    []Desk
	Routes   []Route
	Sweeps   []Plan
	Reasons  []Reason
}

// Kind is a kind of subject, with the attributes its register keeps.
type Kind struct {
	At         Position
	Name       string
	Title      string // one of them, "Rep"
	Plural     string // several, "Reps"
	Attributes []Attribute
}

// Attribute is one column of a register. Within names the attribute that its
// values lie in, as a team lies in a territory: each value in one at a time.
type Attribute struct {
	At      Position
	Name    string
	Type    lang.Type
	Within  string
	Person  bool // its values are names of accounts
	Subject bool // the account of the subject itself
	Manager bool // the account of whom the subject reports to
}

// Feed is a declared stream of lines.
type Feed struct {
	At       Position
	Name     string
	Title    string
	Date     string    // the column with the day
	Subjects []Subject // the columns that name subjects
	Numbers  []Figure  // the columns that hold decimals
	Labels   []string  // columns of few different words, kept for conditions
	Notes    []string  // columns kept for reading, such as an order number
	Owner    string    // the account of who answers for its data; "" is nobody

	matched []string // the notes that lines are matched by or chosen by, so that they are held like labels
}

// Texts are the columns of text that are held in memory: the labels, and those
// notes that a rule matches lines by.
func (f *Feed) Texts() []string { return slices.Concat(f.Labels, f.matched) }

// Stored says whether lines are kept with a column of text.
func (f *Feed) Stored(text string) bool {
	return slices.Contains(f.Labels, text) || slices.Contains(f.Notes, text)
}

// Subject is a column of a feed that names a subject of a kind.
type Subject struct{ Column, Kind string }

// Figure is a column of a feed that holds a decimal.
type Figure struct {
	Column string
	Unit   Unit
}

// Unit is what a number counts.
type Unit string

// The units. A percent is a fraction underneath: 22 % is 0.22. Money may name
// its currency by three letters, "money EUR", and does not mix with another.
const (
	Money   Unit = "money"
	Count   Unit = "count"
	Percent Unit = "percent"
	Days    Unit = "days"
)

// UnitFormat is how figures of one unit are shown.
type UnitFormat struct {
	Places   int
	Zero     string // the word for zero; "" is its number
	Brackets bool
}

// Grade says how serious a breach is.
type Grade struct {
	At    Position
	Name  string
	Label string
	Tone  string // one of Tones
	Shape string // one of Shapes
	Cell  string // one of CellLooks
	Good  bool   // it praises: it is shown and counted apart, and never flags
}

// Tones and Shapes are the marks a grade may carry; every tone was measured
// for contrast in light and dark. Pennants say by how full they are how serious it is, so
// that they are read without colour too.
var (
	Tones = []string{"red", "amber", "green", "blue", "violet", "grey"}
	// CellLooks is what of a table a grade colours beside its shape, which is always drawn.
	CellLooks = []string{"shape", "tint", "figure", "row"}
	Shapes    = []string{"pennant", "half pennant", "open pennant", "tick", "diamond", "triangle", "circle", "square", "cross"}
)

// Glyphs are the shapes as a character, for terminals and workbooks.
var Glyphs = map[string]string{"pennant": "▶", "half pennant": "▸", "open pennant": "▷", "tick": "✓",
	"diamond": "◆", "triangle": "▲", "circle": "●", "square": "■", "cross": "✕"}

// Dial is a named number that rules share.
type Dial struct {
	At       Position
	ValueAt  Position
	Name     string
	Value    amount.Amount
	Percent  bool
	From, To *amount.Amount // how far it may be turned; nil is as far as one likes
}

// Measure is a figure for a subject and a period: an aggregate of lines, a
// Formula, or the number of the period's Days.
type Measure struct {
	At        Position
	Name      string
	Title     string
	Unit      Unit
	Places    int    // decimal places shown; of the percentage, for a percent
	GoodDown  bool   // less is better
	Zero      string // the word for zero; "" is its number
	Brackets  bool   // negatives are shown in brackets
	Aggregate string // one of Aggregates; "" for a formula, or for days
	Days      string // "all" or "working": how many days the period has
	Of        Column
	Where     *Condition // the lines that count
	Formula   *Formula
	Quantity  string // the measure of what it is the money of, by which its changes are told as volume, mix and price; or ""
	Groups    Gathering
}

// Gathering says how a measure's value for a group, a total or a group of pairs
// is made of its subjects' values: their sum, average, minimum, maximum or
// count. With How "" it is computed from the group's own figures, as a ratio
// of sums is. Kind is whose values make the total.
type Gathering struct {
	How  string // one of Gatherings, or ""
	Kind string
	Said bool // the document states it
}

// Gatherings are what can be made of the subjects' values.
var Gatherings = []string{"sum", "average", "minimum", "maximum", "count"}

// String is the form that is read: "own figures", "sum of rep".
func (g Gathering) String() string {
	if g.How == "" {
		return "own figures"
	}
	return g.How + " of " + g.Kind
}

// Of is whose values a measure gathers at a level: the subjects, or pairs of
// them, that its groups are made of; false where it does not.
func (g Gathering) Of(l Level) (Level, bool) {
	switch {
	case g.How == "" || l.Kind != "" && l.By == "" && l.WithBy == "":
		return l, false
	case l.Kind == "":
		return Level{Kind: g.Kind}, true
	}
	return Level{Kind: l.Kind, With: l.With}, true
}

// Aggregates are what can be made of the lines of a feed.
var Aggregates = []string{"sum", "count", "distinct", "average", "minimum", "maximum", "first", "last"}

// Column names a column of a feed: a number, or for 'distinct' a subject; for
// 'count' it is the feed alone.
type Column struct{ Feed, Figure string }

// Formula is arithmetic over measures and dials.
type Formula struct {
	At   Position // of its first character
	Text string
	Tree *lang.Node
}

// Condition is a question about attributes.
type Condition struct {
	At   Position
	Text string
	Tree *lang.Node
}

// Rule is one rule: a Threshold, or a Method with its Settings.
type Rule struct {
	At        Position
	Name      string
	Title     string
	Levels    []Level // whom it judges, each on its own
	Each      string  // how often it is evaluated: "month" and its like, or a kind of window
	Where     *Condition
	Base      []Base
	NoData    string // the grade of its own that no data gets; "" is none
	Persists  *Persistence
	On        bool
	Marks     string        // the measure on whose cell a mark stands in a table, where it is another than what it looks at
	Trial     bool          // it is not on, but judged and counted apart from the list
	From      *calendar.Day // of the periods it holds for; nil is ever
	Until     *calendar.Day
	NoCase    bool     // what it flags is listed, and goes to no desk
	ToDate    bool     // open cases while the period runs, too
	LastWord  bool     // a breach keeps the rules after it from judging that subject
	Shows     []string // further measures put beside what was found
	Stake     *Formula
	Ended     string // "zero": growth and change count a value that ended as zero; "missing": they do not; "" is not said
	Threshold *Threshold
	Method    *Method
	MethodAt  Position
	Settings  map[string]Value
	unsettled bool // its settings have problems of their own; nothing more is checked of them
	Examples  []Example
}

// Persistence lets a rule flag only what it found in at least Least of the
// last Of periods, the judged one among them.
type Persistence struct{ Least, Of int }

// Example states what a rule must say of given inputs.
type Example struct {
	At     Position
	Inputs []ExampleInput
	Grade  string // the grade expected
	Is     string // "clear", "no data" or "not judged" where no grade is
}

// ExampleInput is the value of a measure, of the comparison or target, of an
// attribute, or of what a method states, such as a score.
type ExampleInput struct {
	At      Position
	Name    string
	Number  amount.Amount
	Percent bool
	Dial    string // whose value it is; then Number is void
	Text    string // of an attribute
	Missing bool
}

// Stated is the number that an example states, which may be a dial's.
func (b *Book) Stated(in ExampleInput) amount.Amount {
	return b.Value(Bound{Number: in.Number, Dial: in.Dial})
}

// Family is "threshold", "outlier" or "event window".
func (r *Rule) Family() string {
	switch {
	case r.Threshold != nil:
		return "threshold"
	case r.Is("outlier"):
		return "outlier"
	}
	return "event window"
}

// Base is a minimum that a measure must reach for the rule to judge at all.
type Base struct {
	Measure  string
	Bound    Bound
	Included bool // 'at least'; otherwise 'above'
}

// Threshold holds a measure against a comparison, in bands; or it chooses by
// conditions.
type Threshold struct {
	At      Position
	Of      string
	Against *Comparison // nil: the measure itself falls in the bands
	As      string      // "ratio", "difference" or "change"; set if Against is
	Bands   []Band
	Choices []Choice // instead of all of these

	broken bool // has problems of its own; its bands are not worth laying
}

// Comparison is what a measure is held against: the subject's target, or any
// formula: a number, a dial, another measure, an earlier period, own history,
// the group's value, peers.
type Comparison struct {
	Target bool
	Formula
}

// Choice gives a grade where at least Least of the conditions hold, or with
// None where none does. The first choice that fits decides; the rest is clear.
type Choice struct {
	At    Position
	Grade string
	Least int
	None  bool
	Of    []Condition
}

// Relative says whether what falls in the bands is a share, so that their
// ends are percentages.
func (t *Threshold) Relative() bool { return t.As == "ratio" || t.As == "change" }

// Bound is a number, or the dial that holds it.
type Bound struct {
	At      Position
	Number  amount.Amount
	Percent bool
	Dial    string
}

// Band is one stretch of the number line. An end that is nil was not stated;
// Partition says how far the band then reaches.
type Band struct {
	At    Position
	Grade string // "" is clear
	Label string // how people call it, "over 40%"
	Low   *End
	High  *End
	Rest  bool // whatever no other band takes
}

// End is a stated end of a band.
type End struct {
	Bound    Bound
	Included bool // 'at least' and 'at most'; otherwise 'above' and 'below'
}

// Desk is where flagged items are reviewed.
type Desk struct {
	At     Position
	Name   string
	Title  string
	Due    map[string]int // working days by grade
	Shares string         // how cases are shared out among its members: ByTurn, ByLoad, or "" for not
	Closes bool           // a case closes by itself when nothing in it is flagged any more

	Calendar *DeskCalendar // in place of the organisation's; nil is that
	Remind   int           // so many working days before a case is due its people are reminded; 0 is never
	Overdue  []DeskStep    // what is overdue goes up by these, in order
}

// DeskCalendar is what differs where a desk works. What is nil is as everywhere.
type DeskCalendar struct {
	WorkDays []time.Weekday
	Holidays []calendar.Holiday
}

// DeskStep is what happens so many working days after a case was due.
type DeskStep struct {
	Name   string
	After  int      // 0 is on the day after it was due
	Tell   []string // Holder, Members, Leads, and accounts
	HandTo string   // the account that gets the case, "" is nobody
}

// Whom a step tells, beside accounts by name: who has taken the case, or else the desk's
// members; the members; the leads.
const (
	Holder  = "holder"
	Members = "members"
	Leads   = "leads"
)

// Reminder is the step before a case is due, which no other is named like.
const Reminder = "reminder"

var told = []string{Holder, Members, Leads}

// CalendarOf is the calendar that a desk works by; nil is no desk.
func (b *Book) CalendarOf(d *Desk) calendar.Calendar {
	c := b.Calendar
	if d == nil || d.Calendar == nil {
		return c
	}
	if d.Calendar.WorkDays != nil {
		c.WorkDays = d.Calendar.WorkDays
	}
	if d.Calendar.Holidays != nil {
		c.Holidays = d.Calendar.Holidays
	}
	return c
}

// Reason is one that a case is settled for, beside its finding.
type Reason struct {
	At    Position
	Name  string
	Title string
	For   []string // the findings that it goes with; empty is all
}

// How a desk shares its cases out.
const (
	ByTurn = "by turn"
	ByLoad = "by load"
)

// Route sends exceptions to a desk; When is nil for 'otherwise'.
type Route struct {
	At   Position
	When *Condition
	To   string
	For  string   // who gets them there: an account, or an attribute of persons such as rep.manager; "" is whoever takes them
	Copy []string // desks and accounts that are told
}

// Kind finds a kind by name, or nil; so do its sisters below.
func (b *Book) Kind(name string) *Kind {
	return find(b.Kinds, func(k *Kind) bool { return k.Name == name })
}

// Feed finds a feed by name, or nil.
func (b *Book) Feed(name string) *Feed {
	return find(b.Feeds, func(f *Feed) bool { return f.Name == name })
}

// Grade finds a grade by name, or nil.
func (b *Book) Grade(name string) *Grade {
	return find(b.Grades, func(g *Grade) bool { return g.Name == name })
}

// Signed says whether a measure is a change or a gap, so that its sign is a direction.
func (m *Measure) Signed() bool {
	return m.Formula != nil && m.Formula.Tree.Op == lang.Call && slices.Contains([]string{"change", "growth", "gap"}, m.Formula.Tree.Text)
}

// GoodGrades are the names of the grades that praise.
func (b *Book) GoodGrades() (out []string) {
	for _, g := range b.Grades {
		if g.Good {
			out = append(out, g.Name)
		}
	}
	return out
}

// Gives says whether a rule may give a grade.
func (b *Book) Gives(r *Rule, grade string) bool {
	if t := r.Threshold; t != nil {
		return r.NoData == grade || slices.ContainsFunc(t.Bands, func(band Band) bool { return band.Grade == grade }) ||
			slices.ContainsFunc(t.Choices, func(c Choice) bool { return c.Grade == grade })
	}
	return r.NoData == grade || r.Says("grade") == grade
}

// Dial finds a dial by name, or nil.
func (b *Book) Dial(name string) *Dial {
	return find(b.Dials, func(d *Dial) bool { return d.Name == name })
}

// Measure finds a measure by name, or nil.
func (b *Book) Measure(name string) *Measure {
	return find(b.Measures, func(m *Measure) bool { return m.Name == name })
}

// Rule finds a rule by name, or nil.
func (b *Book) Rule(name string) *Rule {
	return find(b.Rules, func(r *Rule) bool { return r.Name == name })
}

// Desk finds a desk by name, or nil.
// Reason finds a reason by name, or nil.
func (b *Book) Reason(name string) *Reason {
	return find(b.Reasons, func(r *Reason) bool { return r.Name == name })
}

// Desk finds a desk by name, or nil.
func (b *Book) Desk(name string) *Desk {
	return find(b.Desks, func(d *Desk) bool { return d.Name == name })
}

func find[T any](list []T, is func(*T) bool) *T {
	for i := range list {
		if is(&list[i]) {
			return &list[i]
		}
	}
	return nil
}

// Severity is a grade's place, 0 the most serious; an unknown grade comes
// after all others.
func (b *Book) Severity(grade string) int {
	for i, g := range b.Grades {
		if g.Name == grade {
			return i
		}
	}
	return len(b.Grades)
}

// Attribute finds an attribute of the kind, or nil.
func (k *Kind) Attribute(name string) *Attribute {
	return find(k.Attributes, func(a *Attribute) bool { return a.Name == name })
}

// SubjectColumn is the first column of the feed that names subjects of the
// kind, or "".
func (f *Feed) SubjectColumn(kind string) string {
	for _, s := range f.Subjects {
		if s.Kind == kind {
			return s.Column
		}
	}
	return ""
}

// Figure finds a figure of the feed, or nil.
func (f *Feed) Figure(column string) *Figure {
	return find(f.Numbers, func(n *Figure) bool { return n.Column == column })
}

// Value is the number a bound stands for.
func (b *Book) Value(x Bound) amount.Amount {
	if x.Dial == "" {
		return x.Number
	}
	return b.Dial(x.Dial).Value
}
