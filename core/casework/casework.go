// Package casework is what people do with cases: plain values in and out. What sweeps do
// with them is package record's.
package casework

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/routing"
	"oskel/core/rulebook"
)

// The states of a case.
const (
	Open    = "open"
	Taken   = "taken"
	Parked  = "parked" // until a day, or until lines come
	Settled = "settled"
)

// Cleared is the finding of a case in which nothing is flagged any more.
const Cleared = "cleared"

// DataFault is the finding of a case whose data are wrong.
const DataFault = "data fault"

// Findings are what a reviewer may conclude.
var Findings = []string{"confirmed", "explained", DataFault, "rule fault", Cleared}

// Errors of what cannot be done to a case.
var (
	ErrNotYours = errors.New("only members of the desk and leads may do this")
	ErrState    = errors.New("the case does not allow it")
)

// Case is the flags of one subject under review on a desk. Sweeps open cases and follow their
// flags; people change the Standing, through Context alone.
type Case struct {
	ID        int64 // 0 until it is stored
	Kind      string
	Code      uint32
	Key, Name string       // of the subject
	Grade     string       // the most serious of what is flagged in it
	Severity  int          // the place of that grade in the book, 0 the most serious
	Due       calendar.Day // by which its desk settles it
	Cleared   bool         // nothing in it is flagged any more
	Self      string       // the account of whom it is about, who does not review it
	Reports   string       // the accounts of those who report to that one alone, with spaces between: nor do they
	Standing
}

// Standing is what people change of a case. What was done a moment ago is undone by putting the
// one before it back, which is stored as JSON until then.
type Standing struct {
	Desk         string           `json:"desk"`
	State        string           `json:"state"`
	Holder       string           `json:"holder,omitempty"` // who has taken it, "" is nobody
	Asked        string           `json:"asked,omitempty"`  // who is asked about it, and does not hold it
	ParkedTo     *calendar.Day    `json:"parked_to,omitempty"`
	ParkedFor    string           `json:"parked_for,omitempty"` // the feed whose next lines it waits for
	Finding      string           `json:"finding,omitempty"`
	FlagFindings map[int64]string `json:"apart,omitempty"`  // the flags, by number, that have another finding than the case
	Reason       string           `json:"reason,omitempty"` // of the book's own list
	Recovered    *amount.Amount   `json:"recovered,omitempty"`
	WrittenOff   *amount.Amount   `json:"written_off,omitempty"`
	SettledBy    string           `json:"settled_by,omitempty"`
	SettledAt    *time.Time       `json:"settled_at,omitempty"`
}

// Person is somebody who does something with cases.
type Person struct {
	Name    string
	Lead    bool
	Reviews bool     // a reviewer, of Desks
	Defines bool     // an analyst, who may say something to every case
	Desks   []string // that a reviewer is a member of
	Named   bool     // somebody has named them in the case with an @
	Away    string   // why they are not here today, "" where they are
}

// Works says whether a person works the cases of a desk: its members and the leads.
func (p Person) Works(desk string) bool {
	return p.Lead || p.Reviews && slices.Contains(p.Desks, desk)
}

// Action is something that is done to a case. What it has beside Do depends on that.
type Action struct {
	Kind         string // one of Acts
	Person       string // whom it is handed to, or who is asked
	Desk         string // where it is handed to
	Until        *calendar.Day
	Feed         string // whose next lines it is parked for, or in which the fault of the data lies
	Finding      string
	FlagFindings []FlagFinding // what of its flags has another finding
	Reason       string
	Recovered    *amount.Amount
	WrittenOff   *amount.Amount
	Text         string
	Snooze       *Snooze // of what is settled as explained
}

// FlagFinding is the finding of one flag of a case, where it is not the case's own.
type FlagFinding struct {
	Flag    int64
	Words   string // which flag it is
	Finding string
}

// Finds says whether a case, or any of its flags, is settled with a finding.
func (a Action) Finds(finding string) bool {
	return a.Finding == finding || slices.ContainsFunc(a.FlagFindings, func(f FlagFinding) bool { return f.Finding == finding })
}

// Snooze is how whom a case is of is snoozed once it is settled.
type Snooze struct {
	Until calendar.Day
	Worse *float64 // until it is worse by this share of how far it lies beyond its cut; nil is at any size
	All   bool     // for every rule, not for those alone that flag them in the case
}

// Acts are all that can be done.
var Acts = []string{"take", "return", "hand over", "ask", "comment", "park", "resume", "settle", "reopen"}

// Context is what an act is seen against.
type Context struct {
	Book   *rulebook.Book
	Today  calendar.Day
	Now    time.Time
	Person func(name string) (Person, bool) // whose account is there and not closed
}

// longestParked is for how many days a case may be parked.
const longestParked = 366

// Apply does an act to a case, which it changes, or says in a sentence why it cannot be; the
// case is what it was then.
func (s Context) Apply(c *Case, by Person, a Action) (e Event, err error) {
	was := *c
	defer func() {
		if err != nil {
			*c = was
		}
	}()
	if a.Kind == "comment" {
		return s.comment(c, by, a)
	}
	if !slices.Contains(Acts, a.Kind) {
		return e, refuse("unknown action %q; expected one of %s", a.Kind, strings.Join(Acts, ", "))
	}
	switch {
	case !by.Works(c.Desk):
		return e, ErrNotYours
	case a.Kind == "reopen" && c.State != Settled:
		return e, refuse("it is not settled")
	case a.Kind != "reopen" && c.State == Settled:
		return e, refuse("%s settled it on %s as %s", nobody(c.SettledBy), s.day(c.SettledAt), c.Finding)
	}
	if a.Kind != "ask" {
		switch {
		case by.Name == c.Self:
			return e, refuse("it is about you; you cannot review your own case")
		case c.below(by.Name):
			return e, refuse("it is about %s, to whom you report", c.Self)
		}
	}
	held := c.Holder != "" && c.Holder != by.Name && !by.Lead
	switch a.Kind {
	case "take":
		if c.Holder == by.Name {
			return e, refuse("it is already yours")
		} else if c.Holder != "" {
			return e, refuse("%s has taken it", c.Holder)
		}
		s.hold(c, by.Name)
		return Event{CaseTaken, a.Text}, nil
	case "return":
		if c.Holder == "" {
			return e, refuse("it is not taken")
		} else if held { // who could put it back could settle it then
			return e, refuse("%s has taken it; only %[1]s or a lead can return it", c.Holder)
		}
		text := a.Text
		if c.Holder != by.Name {
			text = joined("from "+c.Holder, a.Text)
		}
		if c.Holder = ""; c.State == Taken {
			c.State = Open
		}
		return Event{CaseReturned, text}, nil
	case "hand over":
		if held {
			return e, refuse("%s has taken it; only %[1]s or a lead can hand it over", c.Holder)
		}
		return s.handOver(c, a)
	case "ask":
		return s.ask(c, by, a)
	case "park":
		if held {
			return e, refuse("%s has taken it; only %[1]s or a lead can park it", c.Holder)
		}
		return s.park(c, a)
	case "resume":
		if c.State != Parked {
			return e, refuse("it is not parked")
		}
		unpark(c)
		return Event{CaseResumed, a.Text}, nil
	case "settle":
		if held {
			return e, refuse("%s has taken it; only %[1]s or a lead can settle it", c.Holder)
		}
		return s.settle(c, by, a)
	}
	return s.reopen(c, a)
}

// Bars says whether somebody does not review a case: whom it is about, and who reports to
// them alone.
func (c *Case) Bars(name string) bool { return routing.Bars(c.Self, c.Reports, name) }

// below says whether somebody reports to whom a case is about.
func (c *Case) below(name string) bool { return name != c.Self && c.Bars(name) }

func refuse(format string, args ...any) error {
	return fmt.Errorf("%w: %s", ErrState, fmt.Sprintf(format, args...))
}

func nobody(name string) string {
	if name == "" {
		return "the desk"
	}
	return name
}

func joined(parts ...string) string {
	return strings.Join(slices.DeleteFunc(parts, func(s string) bool { return s == "" }), ": ")
}

func (s Context) day(at *time.Time) string {
	if at == nil {
		return "some day"
	}
	return s.Book.Calendar.Today(*at).Words()
}

// hold gives a case to somebody; one that was parked is back.
func (s Context) hold(c *Case, name string) {
	c.Holder = name
	unpark(c)
}

// MoveTo puts a case on another desk, where it is not taken.
func (c *Case) MoveTo(desk string) {
	c.Desk, c.Holder = desk, ""
	unpark(c)
}

// CloseCleared settles a case in which nothing is flagged any more, where its desk says so; by
// is "" where nobody did.
func (c *Case) CloseCleared(by string, now time.Time) {
	unpark(c)
	c.State, c.Asked, c.Finding, c.SettledBy, c.SettledAt = Settled, "", Cleared, by, &now
}

func unpark(c *Case) {
	c.ParkedTo, c.ParkedFor = nil, ""
	if c.State = Open; c.Holder != "" {
		c.State = Taken
	}
}

// IsBack says whether a parked case is back: its day has come, or lines of its feed have.
func (c *Case) IsBack(today calendar.Day, came func(feed string) bool) bool {
	return c.State == Parked && (c.ParkedTo != nil && *c.ParkedTo <= today || c.ParkedFor != "" && came(c.ParkedFor))
}

// Return takes a parked case back among those that wait.
func (c *Case) Return() Event {
	text := ""
	switch {
	case c.ParkedTo != nil:
		text = "parked until " + c.ParkedTo.Words()
	case c.ParkedFor != "":
		text = "the lines it was parked for have come"
	}
	unpark(c)
	return Event{CaseResumed, text}
}

func (s Context) comment(c *Case, by Person, a Action) (Event, error) {
	text := strings.TrimSpace(a.Text)
	switch {
	case !MaySay(c, by):
		return Event{}, ErrNotYours
	case text == "":
		return Event{}, refuse("write a comment")
	}
	if err := s.mentioned(text); err != nil {
		return Event{}, err
	}
	if c.Asked == by.Name && c.State != Settled {
		c.Asked = ""
		return Event{CaseAnswered, text}, nil
	}
	return Event{CaseCommented, text}, nil
}

// MaySay says whether somebody may say something to a case, attach a file, or add what is
// to be done: whoever works it, analysts, who is asked, and who was named in it.
func MaySay(c *Case, by Person) bool {
	return by.Defines || by.Works(c.Desk) || c.Asked == by.Name || by.Named
}

// handOver gives a case to another desk or person. A case that leaves its desk is nobody's until it
// is taken.
func (s Context) handOver(c *Case, a Action) (Event, error) {
	switch {
	case a.Desk != "" && a.Person != "":
		return Event{}, refuse("state a desk or a person, not both")
	case a.Desk != "":
		desk := s.Book.Desk(a.Desk)
		switch {
		case desk == nil:
			return Event{}, refuse("there is no desk %q", a.Desk)
		case a.Desk == c.Desk:
			return Event{}, refuse("it is on that desk already")
		}
		c.MoveTo(a.Desk)
		return Event{CaseMoved, joined("to "+desk.Title, a.Text)}, nil
	case a.Person == "":
		return Event{}, refuse("state a person or a desk")
	}
	p, there := s.Person(a.Person)
	switch {
	case !there:
		return Event{}, refuse("there is no account %q", a.Person)
	case !p.Works(c.Desk):
		return Event{}, refuse("%s does not work the cases of %s", a.Person, s.title(c.Desk))
	case a.Person == c.Self:
		return Event{}, refuse("it is about %s, who cannot review their own case", a.Person)
	case c.below(a.Person):
		return Event{}, refuse("it is about %s, to whom %s reports", c.Self, a.Person)
	case p.Away != "":
		return Event{}, refuse("%s is away: %s", a.Person, p.Away)
	case a.Person == c.Holder:
		return Event{}, refuse("%s has it already", a.Person)
	}
	s.hold(c, a.Person)
	return Event{CaseHandedOver, joined("to "+a.Person, a.Text)}, nil
}

func (s Context) title(desk string) string {
	if d := s.Book.Desk(desk); d != nil {
		return d.Title
	}
	return desk
}

func (s Context) ask(c *Case, by Person, a Action) (Event, error) {
	switch _, there := s.Person(a.Person); {
	case a.Person == "":
		return Event{}, refuse("state a person to ask")
	case !there:
		return Event{}, refuse("there is no account %q", a.Person)
	case a.Person == by.Name:
		return Event{}, refuse("you cannot ask yourself")
	case strings.TrimSpace(a.Text) == "":
		return Event{}, refuse("write the question")
	}
	c.Asked = a.Person
	return Event{CaseAsked, joined(a.Person, strings.TrimSpace(a.Text))}, nil
}

func (s Context) park(c *Case, a Action) (Event, error) {
	switch {
	case a.Until != nil && a.Feed != "" || a.Until == nil && a.Feed == "":
		return Event{}, refuse("state a day or a feed, not both")
	case a.Feed != "" && s.Book.Feed(a.Feed) == nil:
		return Event{}, refuse("there is no feed %q", a.Feed)
	case a.Until != nil && *a.Until <= s.Today:
		return Event{}, refuse("state a day after today; %s is not", a.Until.Words())
	case a.Until != nil && *a.Until > s.Today+longestParked:
		return Event{}, refuse("a case can be parked for a year, until %s", (s.Today + longestParked).Words())
	case strings.TrimSpace(a.Text) == "": // for whoever signs the period off meanwhile
		return Event{}, refuse("give a reason for parking")
	case a.Feed != "":
		c.State, c.ParkedTo, c.ParkedFor = Parked, nil, a.Feed
		return Event{CaseParked, joined("until the next lines of "+strings.ToLower(s.Book.Feed(a.Feed).Title), a.Text)}, nil
	}
	c.State, c.ParkedTo, c.ParkedFor = Parked, a.Until, ""
	return Event{CaseParked, joined("until "+a.Until.Words(), a.Text)}, nil
}

// snooze says in words how somebody is snoozed.
func (s Context) snooze(p Snooze, a Action) (string, error) {
	switch {
	case !a.Finds("explained"):
		return "", refuse("only explained subjects are snoozed")
	case p.Until <= s.Today:
		return "", refuse("state a day after today to snooze until; %s is not", p.Until.Words())
	case p.Until > s.Today+longestParked:
		return "", refuse("a subject can be snoozed for a year, until %s", (s.Today + longestParked).Words())
	case p.Worse != nil && (*p.Worse < 0 || *p.Worse > 100):
		return "", refuse("state a worsening from 0%% to 10,000%%")
	}
	words := "snoozed until " + p.Until.Words()
	if p.All {
		words += ", for all rules"
	}
	if p.Worse != nil {
		words += fmt.Sprintf(", or until it is worse by %g%%", *p.Worse*100)
	}
	return words, nil
}

// settle is the one place in which a case is settled, by a person, a sweep or a review of several.
func (s Context) settle(c *Case, by Person, a Action) (e Event, err error) {
	switch {
	case !slices.Contains(Findings, a.Finding):
		return Event{}, refuse("%q is not a finding; expected %s or %s", a.Finding, strings.Join(Findings[:len(Findings)-1], ", "), Cleared)
	case a.Finding == Cleared && !c.Cleared:
		return Event{}, refuse("it still has flags, so it cannot be settled as cleared")
	case a.Feed != "" && !a.Finds(DataFault):
		return Event{}, refuse("a feed can be stated only with the finding %s", DataFault)
	case a.Feed != "" && s.Book.Feed(a.Feed) == nil:
		return Event{}, refuse("there is no feed %q", a.Feed)
	case a.Recovered != nil && *a.Recovered < 0, a.WrittenOff != nil && *a.WrittenOff < 0:
		return Event{}, refuse("recovered and written-off amounts cannot be negative")
	}
	apart, told, err := s.apart(a)
	if err != nil {
		return Event{}, err
	}
	text := a.Finding
	if a.Reason != "" {
		reason := s.Book.Reason(a.Reason)
		switch {
		case reason == nil:
			return Event{}, refuse("there is no reason %q; the rulebook has %s", a.Reason, s.reasons(a.Finding))
		case len(reason.For) > 0 && !slices.Contains(reason.For, a.Finding):
			return Event{}, refuse("%q is no reason for %s; those are %s", reason.Title, a.Finding, s.reasons(a.Finding))
		}
		text += " (" + reason.Title + ")"
	}
	if p := a.Snooze; p != nil {
		words, err := s.snooze(*p, a)
		if err != nil {
			return Event{}, err
		}
		defer func() { e.Text = joined(e.Text, words) }()
	}
	unpark(c)
	c.State, c.Asked, c.Finding, c.FlagFindings, c.Reason, c.Recovered, c.WrittenOff = Settled, "", a.Finding, apart, a.Reason, a.Recovered, a.WrittenOff
	c.SettledBy, c.SettledAt = by.Name, &s.Now
	for _, n := range []struct {
		words string
		of    *amount.Amount
	}{{"recovered", a.Recovered}, {"written off", a.WrittenOff}} {
		if n.of != nil {
			text += ", " + n.words + " " + rulebook.FormatNumber(*n.of)
		}
	}
	return Event{CaseSettled, joined(text+told, a.Text)}, nil
}

// apart is what of the flags has another finding than the case, and that in words.
func (s Context) apart(a Action) (of map[int64]string, told string, err error) {
	for _, f := range a.FlagFindings {
		switch last := len(Findings) - 1; {
		case !slices.Contains(Findings[:last], f.Finding):
			return nil, "", refuse("%q is not a finding of a flag; expected %s or %s", f.Finding, strings.Join(Findings[:last-1], ", "), Findings[last-1])
		case f.Finding == a.Finding:
			continue
		case of == nil:
			of = map[int64]string{}
		}
		if _, twice := of[f.Flag]; twice {
			return nil, "", refuse("the finding of %s is stated twice", f.Words)
		}
		of[f.Flag] = f.Finding
		told += "; " + f.Words + ": " + f.Finding
	}
	return of, told, nil
}

// reasons lists those for a finding.
func (s Context) reasons(finding string) string {
	var names []string
	for _, r := range s.Book.Reasons {
		if len(r.For) == 0 || slices.Contains(r.For, finding) {
			names = append(names, r.Name)
		}
	}
	if len(names) == 0 {
		return "none"
	}
	return strings.Join(names, ", ")
}

func (s Context) reopen(c *Case, a Action) (Event, error) {
	if strings.TrimSpace(a.Text) == "" {
		return Event{}, refuse("give a reason for reopening")
	}
	c.State, c.Holder, c.Finding, c.FlagFindings, c.Reason, c.Recovered, c.WrittenOff, c.SettledBy, c.SettledAt = Open, "", "", nil, "", nil, nil, "", nil
	return Event{CaseReopened, strings.TrimSpace(a.Text)}, nil
}
