package record

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"oskel/core/calendar"
	"oskel/core/casework"
	"oskel/core/routing"
	"oskel/core/rulebook"
)

// Item is a flag in a case, as far as it bears on the case.
type Item struct {
	Period   calendar.Key
	Rule     string
	Event    calendar.Day
	Grade    string
	Severity int
	Flagged  bool
	Desk     string // where it is routed
}

// Routed is more of where something is routed.
type Routed struct {
	For  string   // who gets it on its desk
	Copy []string // who is told
	Self string   // the account of whom it is about

	Reports string // those of who reports to them alone, with spaces between
}

func (i Item) same(o Item) bool {
	return i.Period == o.Period && i.Rule == o.Rule && i.Event == o.Event
}

// Flagged is what a sweep records of a subject, on its way to a desk.
type Flagged struct {
	Item
	Kind       string
	Code       uint32
	Sentence   string
	WasFlagged bool
	NoCase     bool // no case is opened or joined for it
	Routed
	Case int64 // the case that holds it, 0 if none does
}

// Event is something that a sweep does to a case.
type Event struct {
	Case *casework.Case
	casework.Event
}

// Desks is the work of taking what a sweep found to its desks.
type Desks struct {
	Book   *rulebook.Book
	Period calendar.Period
	Today  calendar.Day
	Now    time.Time
	By     string           // who sweeps, "" where no person does
	Open   bool             // cases are opened and joined, not followed alone
	Cases  []*casework.Case // all unsettled ones, in order; they change in place
	Items  map[int64][]Item // what is in them, in whatever period

	Opened  []*casework.Case
	For     map[*casework.Case]string   // who gets those that are opened, where a route says
	Copies  map[*casework.Case][]string // who is told of those that are opened
	Changed []*casework.Case            // of Cases
	Trail   []Event                     // in order

	open map[subjectDesk]*casework.Case
	byID map[int64]*casework.Case
}

// subjectDesk is where there is at most one unsettled case.
type subjectDesk struct {
	kind string
	code uint32
	desk string
}

// Assign takes what was found to its desks: into the unsettled case of the same
// subject there, or a new one. What is flagged otherwise than before takes its case
// along: grade, due day and desk follow. What is in a case that was settled stays in
// it. The answer is the case that each is put into now, nil where it stays or none
// is opened.
func (d *Desks) Assign(found []Flagged) (homes []*casework.Case) {
	d.open, d.byID = map[subjectDesk]*casework.Case{}, map[int64]*casework.Case{}
	if d.Items == nil {
		d.Items = map[int64][]Item{}
	}
	stood := make([]casework.Case, len(d.Cases))
	for i, c := range d.Cases {
		d.open[subjectDesk{c.Kind, c.Code, c.Desk}], d.byID[c.ID], stood[i] = c, c, *c
	}
	for _, f := range found { // as they stand from now on
		if f.Case != 0 {
			d.put(f.Case, f.Item)
		}
	}
	homes = make([]*casework.Case, len(found))
	for i, f := range found {
		homes[i] = d.place(f)
	}
	for i, c := range d.Cases {
		d.regrade(c, stood[i])
		if changed(*c, stood[i]) {
			d.Changed = append(d.Changed, c)
		}
	}
	return homes
}

// changed says whether a sweep has changed a case.
func changed(c, was casework.Case) bool {
	return c.Desk != was.Desk || c.State != was.State || c.Holder != was.Holder || c.Grade != was.Grade || c.Severity != was.Severity ||
		c.Due != was.Due || c.Cleared != was.Cleared
}

// put has a case hold an item as it now is.
func (d *Desks) put(id int64, item Item) {
	for i, known := range d.Items[id] {
		if known.same(item) {
			d.Items[id][i] = item
			return
		}
	}
	d.Items[id] = append(d.Items[id], item)
}

func (d *Desks) leave(id int64, item Item) {
	kept := d.Items[id][:0]
	for _, known := range d.Items[id] {
		if !known.same(item) {
			kept = append(kept, known)
		}
	}
	d.Items[id] = kept
}

func (d *Desks) note(c *casework.Case, what casework.EventKind, format string, args ...any) {
	d.Trail = append(d.Trail, Event{c, casework.Event{What: what, Text: fmt.Sprintf(format, args...)}})
}

// of says which rule and period something is of.
func (d *Desks) of(f Flagged) string {
	title := f.Rule
	if rule := d.Book.Rule(f.Rule); rule != nil {
		title = rule.Title
	}
	return title + ", " + d.Book.Calendar.Words(d.Period)
}

// place finds the case of one that was found, if it is put into another than it
// was in.
func (d *Desks) place(f Flagged) *casework.Case {
	if f.Case != 0 {
		c := d.byID[f.Case]
		if c == nil {
			return nil // it is settled
		}
		switch {
		case f.Flagged && !f.WasFlagged:
			d.note(c, casework.FlagJoined, "%s: %s", d.of(f), f.Sentence)
		case !f.Flagged && f.WasFlagged:
			d.note(c, casework.FlagCleared, "%s: %s", d.of(f), f.Sentence)
		}
		if !f.Flagged || f.Desk == "" || f.Desk == c.Desk || !d.Open || d.move(c, f) {
			return nil // it stays, or the case goes along
		}
	}
	if !f.Flagged || !d.Open || f.NoCase || f.Desk == "" {
		return nil
	}
	at, due := subjectDesk{f.Kind, f.Code, f.Desk}, d.due(f.Desk, f.Grade)
	c := d.open[at]
	if c == nil {
		c = &casework.Case{Kind: f.Kind, Code: f.Code, Grade: f.Grade, Severity: f.Severity, Due: due, Self: f.Self, Reports: f.Reports,
			Standing: casework.Standing{Desk: f.Desk, State: casework.Open}}
		d.give(c, f.For)
		d.tell(c, f.Copy)
		d.open[at] = c
		d.Opened = append(d.Opened, c)
		d.note(c, casework.CaseOpened, "%s: %s", d.of(f), f.Sentence)
		return c
	}
	d.note(c, casework.FlagJoined, "%s: %s", d.of(f), f.Sentence)
	if c.ID == 0 {
		d.give(c, f.For)
		d.tell(c, f.Copy)
	}
	c.Due = min(c.Due, due)
	if f.Severity < c.Severity {
		c.Grade, c.Severity = f.Grade, f.Severity
	}
	if c.ID != 0 {
		d.put(c.ID, f.Item)
	}
	return c
}

// give has the first who is named get a case that is opened.
func (d *Desks) give(c *casework.Case, name string) {
	if d.For == nil {
		d.For = map[*casework.Case]string{}
	}
	d.For[c] = cmp.Or(d.For[c], name)
}

// tell has a case told to others, each once.
func (d *Desks) tell(c *casework.Case, names []string) {
	for _, name := range names {
		if !slices.Contains(d.Copies[c], name) {
			if d.Copies == nil {
				d.Copies = map[*casework.Case][]string{}
			}
			d.Copies[c] = append(d.Copies[c], name)
		}
	}
}

func (d *Desks) due(desk, grade string) calendar.Day {
	return routing.Due(d.Book, d.Book.Desk(desk), grade, d.Today)
}

// move takes a case to the desk that its item is routed to now, if nothing else
// keeps it where it is and no other case of the subject is open there; otherwise
// the item leaves the case.
func (d *Desks) move(c *casework.Case, f Flagged) bool {
	at := subjectDesk{f.Kind, f.Code, f.Desk}
	stays := d.open[at] != nil
	for _, item := range d.Items[c.ID] {
		stays = stays || item.Flagged && item.Desk != f.Desk
	}
	if stays {
		d.note(c, casework.FlagLeft, "%s: it is %s's now", d.of(f), d.deskTitle(f.Desk))
		d.leave(c.ID, f.Item)
		return false
	}
	delete(d.open, subjectDesk{c.Kind, c.Code, c.Desk})
	d.note(c, casework.CaseMoved, "from %s to %s, by the current routes", d.deskTitle(c.Desk), d.deskTitle(f.Desk))
	c.MoveTo(f.Desk) // whoever took it is of another desk
	d.open[at] = c
	c.Due = d.due(c.Desk, c.Grade)
	return true
}

func (d *Desks) deskTitle(name string) string {
	if desk := d.Book.Desk(name); desk != nil {
		return desk.Title
	}
	return name
}

// regrade has a case that held something before bear the most serious grade of what
// is flagged in it now. One in which all has cleared keeps its grade, and is closed
// where its desk says so.
func (d *Desks) regrade(c *casework.Case, was casework.Case) {
	top := Item{Severity: len(d.Book.Grades) + 1}
	for _, item := range d.Items[c.ID] {
		if item.Flagged && item.Severity < top.Severity {
			top = item
		}
	}
	c.Cleared = top.Grade == "" && len(d.Items[c.ID]) > 0
	switch {
	case c.Cleared:
		if desk := d.Book.Desk(c.Desk); desk != nil && desk.Closes && !was.Cleared {
			c.CloseCleared(d.By, d.Now)
			d.note(c, casework.CaseSettled, "cleared: nothing in it is flagged any more; the desk closes such cases")
		}
	case top.Grade != "" && top.Grade != c.Grade:
		from, worse := c.Grade, top.Severity < c.Severity
		c.Grade, c.Severity = top.Grade, top.Severity
		if due := d.due(c.Desk, c.Grade); !worse || due < c.Due {
			c.Due = due
		}
		d.note(c, casework.CaseRegraded, "%s becomes %s, due %s", d.gradeLabel(from), d.gradeLabel(c.Grade), c.Due.Words())
	}
}

func (d *Desks) gradeLabel(name string) string {
	if g := d.Book.Grade(name); g != nil {
		return g.Label
	}
	return name
}
