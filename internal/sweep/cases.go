package sweep

import (
	"fmt"

	"oskel/core/calendar"
	"oskel/core/routing"
	"oskel/core/rulebook"
	"oskel/internal/store"
)

// subjectDesk is where there is at most one unsettled case.
type subjectDesk struct {
	kind string
	code uint32
	desk string
}

// desks is the work of taking what a sweep found to its desks. All is written
// at once, however much was found.
type desks struct {
	run    *run
	open   map[subjectDesk]*store.Case
	byID   map[int64]*store.Case
	items  map[int64][]store.CaseItem // of unsettled cases, in other periods or by other rules
	fresh  []*store.Case
	homes  []*store.Case // of each that was found
	events []store.NewCaseEvent
	known  []*store.Case // unsettled ones, in order
	stood  []store.Case  // as they were
}

// toCases takes what was found to its desks: into the unsettled case of the
// same subject there, or a new one. What is flagged otherwise than before takes
// its case along: grade, due day and desk follow. What was put into a case that
// is settled stays in it.
func (r *run) toCases() error {
	d := &desks{run: r, open: map[subjectDesk]*store.Case{}, byID: map[int64]*store.Case{}, homes: make([]*store.Case, len(r.found))}
	unsettled, err := r.tx.UnsettledCases(r.ctx)
	if err != nil {
		return err
	}
	for i := range unsettled {
		c := &unsettled[i]
		d.open[subjectDesk{c.Kind, c.Code, c.Desk}], d.byID[c.ID] = c, c
		d.known, d.stood = append(d.known, c), append(d.stood, *c)
	}
	if d.items, err = r.tx.UnsettledItems(r.ctx); err != nil {
		return err
	}
	for _, f := range r.found { // as they stand from now on
		if f.CaseID != nil {
			d.put(*f.CaseID, f.Exception)
		}
	}
	for i := range r.found {
		d.place(i)
	}
	d.regrade()
	return d.write()
}

// put has a case hold an item as it now is.
func (d *desks) put(id int64, e store.Exception) {
	item := store.CaseItem{Case: id, Period: e.Period, Rule: e.Rule, Grade: e.Grade, Severity: e.Severity, Flagged: e.State != "cleared", Desk: e.Desk}
	for i, known := range d.items[id] {
		if known.Period == e.Period && known.Rule == e.Rule {
			d.items[id][i] = item
			return
		}
	}
	d.items[id] = append(d.items[id], item)
}

func (d *desks) note(c *store.Case, f found, what, text string) {
	if text == "" {
		text = fmt.Sprintf("%s, %s: %s", d.run.title(f.Rule), d.run.engine.Book.Calendar.Words(d.run.period), f.Sentence)
	}
	d.events = append(d.events, store.NewCaseEvent{Case: c, Author: fmt.Sprintf("sweep %d", d.run.sweep.ID), What: what, Text: text})
}

// place finds the case of one that was found.
func (d *desks) place(i int) {
	f := d.run.found[i]
	var c *store.Case
	if f.CaseID != nil {
		if c = d.byID[*f.CaseID]; c == nil {
			return // it is settled
		}
		switch {
		case f.flagged && !f.wasFlagged:
			d.note(c, f, "joined", "")
		case !f.flagged && f.wasFlagged:
			d.note(c, f, "cleared", "")
		}
		if !f.flagged || f.Desk == "" || f.Desk == c.Desk || !d.run.openCases {
			return
		}
		if c = d.move(c, f); c != nil {
			return // the case went along
		}
	}
	if !f.flagged || !d.run.openCases || f.Desk == "" {
		return
	}
	at := subjectDesk{f.Kind, f.Code, f.Desk}
	if c = d.open[at]; c == nil {
		c = &store.Case{Kind: f.Kind, Code: f.Code, Desk: f.Desk, State: "open", Grade: f.Grade, Severity: f.Severity, Due: d.due(f.Desk, f.Grade)}
		d.open[at] = c
		d.fresh = append(d.fresh, c)
		d.note(c, f, "opened", "")
	} else {
		d.note(c, f, "joined", "")
		if f.Severity < c.Severity || d.due(f.Desk, f.Grade) < c.Due {
			c.Due = min(c.Due, d.due(f.Desk, f.Grade))
			if f.Severity < c.Severity {
				c.Grade, c.Severity = f.Grade, f.Severity
			}
		}
		if c.ID != 0 {
			d.put(c.ID, f.Exception)
		}
	}
	d.homes[i] = c
}

func (d *desks) due(desk, grade string) calendar.Day {
	book := d.run.engine.Book
	return routing.Due(book.Calendar, book.Desk(desk), grade, d.run.today)
}

// move takes a case to the desk that its item is routed to now, if nothing
// else keeps it where it is and no other case of the subject is open there;
// otherwise it returns nil, and the item leaves the case.
func (d *desks) move(c *store.Case, f found) *store.Case {
	at := subjectDesk{f.Kind, f.Code, f.Desk}
	stays := d.open[at] != nil
	for _, item := range d.items[c.ID] {
		stays = stays || item.Flagged && item.Desk != f.Desk
	}
	if stays {
		d.note(c, f, "left", fmt.Sprintf("%s, %s: it is %s's now", d.run.title(f.Rule), d.run.engine.Book.Calendar.Words(d.run.period), deskTitle(d.run.engine.Book, f.Desk)))
		d.leave(c.ID, f.Exception)
		return nil
	}
	delete(d.open, subjectDesk{c.Kind, c.Code, c.Desk})
	d.note(c, f, "moved", fmt.Sprintf("From %s to %s, where its flags are routed now", deskTitle(d.run.engine.Book, c.Desk), deskTitle(d.run.engine.Book, f.Desk)))
	c.Desk, d.open[at] = f.Desk, c
	if c.State == "taken" {
		c.State, c.TakenBy = "open", nil // whoever took it is of another desk
	}
	c.Due = d.due(c.Desk, c.Grade)
	return c
}

func (d *desks) leave(id int64, e store.Exception) {
	kept := d.items[id][:0]
	for _, item := range d.items[id] {
		if item.Period != e.Period || item.Rule != e.Rule {
			kept = append(kept, item)
		}
	}
	d.items[id] = kept
}

func deskTitle(book *rulebook.Book, name string) string {
	if desk := book.Desk(name); desk != nil {
		return desk.Title
	}
	return name
}

// regrade has each case that held something before bear the most serious grade
// of what is flagged in it now. One in which all has cleared keeps its grade,
// and is closed where its desk says so.
func (d *desks) regrade() {
	book := d.run.engine.Book
	for i, c := range d.known {
		was := d.stood[i]
		top := store.CaseItem{Severity: len(book.Grades) + 1}
		for _, item := range d.items[c.ID] {
			if item.Flagged && item.Severity < top.Severity {
				top = item
			}
		}
		c.Cleared = top.Grade == "" && len(d.items[c.ID]) > 0
		switch {
		case c.Cleared:
			if desk := book.Desk(c.Desk); desk != nil && desk.Closes && !was.Cleared {
				finding, by, now := "cleared", d.run.sweep.Author, d.run.now
				c.State, c.Finding, c.SettledBy, c.SettledAt = "settled", &finding, &by, &now
				d.events = append(d.events, store.NewCaseEvent{Case: c, Author: fmt.Sprintf("sweep %d", d.run.sweep.ID), What: "settled", Text: "cleared: nothing in it is flagged any more, and the desk closes such cases"})
			}
		case top.Grade != "" && top.Grade != c.Grade:
			from := c.Grade
			worse := top.Severity < c.Severity
			c.Grade, c.Severity = top.Grade, top.Severity
			if due := d.due(c.Desk, c.Grade); !worse || due < c.Due {
				c.Due = due
			}
			d.events = append(d.events, store.NewCaseEvent{Case: c, Author: fmt.Sprintf("sweep %d", d.run.sweep.ID), What: "regraded",
				Text: fmt.Sprintf("%s becomes %s, due %s", gradeLabel(book, from), gradeLabel(book, c.Grade), c.Due.Words())})
		}
	}
}

func gradeLabel(book *rulebook.Book, name string) string {
	if g := book.Grade(name); g != nil {
		return g.Label
	}
	return name
}

func (d *desks) write() error {
	r := d.run
	if err := r.tx.AddCases(r.ctx, d.fresh); err != nil {
		return err
	}
	for i, c := range d.homes {
		if c != nil {
			r.found[i].CaseID = &c.ID
		}
	}
	var changed []*store.Case
	for i, c := range d.known {
		was := d.stood[i]
		if c.Grade != was.Grade || c.Due != was.Due || c.Desk != was.Desk || c.State != was.State || c.Cleared != was.Cleared {
			changed = append(changed, c)
		}
	}
	if err := r.tx.UpdateCases(r.ctx, changed); err != nil {
		return err
	}
	return r.tx.AddCaseEvents(r.ctx, d.events)
}
