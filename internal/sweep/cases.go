package sweep

import (
	"fmt"
	"math/big"
	"slices"
	"strings"

	"oskel/core/amount"
	"oskel/core/casework"
	"oskel/core/record"
	"oskel/core/routing"
	"oskel/internal/store"
)

// storedCases is the row of each case that casework acts on.
type storedCases map[*casework.Case]*store.Case

// toCases takes what was found to its desks. All is written at once, at any size
// was found.
func (r *run) toCases() error {
	d, rows, err := r.desks()
	if err != nil {
		return err
	}
	arrivals, err := r.arrivals()
	if err != nil {
		return err
	}
	homes := d.Assign(arrivals)
	for _, f := range r.found { // those that were there, and whatever they lose or get
		if f.CaseID != nil {
			r.told[*f.CaseID] = true
		}
	}
	given, err := r.give(d)
	if err != nil {
		return err
	}
	var opened, changed []*store.Case
	for _, c := range d.Opened {
		if to := given[c]; to.Name != "" {
			c.State, c.Holder = casework.Taken, to.Name
		}
		rows[c] = &store.Case{Case: *c}
		opened = append(opened, rows[c])
	}
	for _, c := range d.Changed {
		changed = append(changed, rows[c])
	}
	r.tellOpened(homes, rows)
	if err := r.tx.AddCases(r.ctx, opened); err != nil {
		return err
	}
	for i, c := range homes { // which have numbers now
		if c != nil {
			r.found[i].CaseID = &rows[c].ID
		}
	}
	if err := r.tx.UpdateCases(r.ctx, changed); err != nil {
		return err
	}
	copies := map[int64][]string{}
	for c, names := range d.Copies {
		copies[rows[c].ID] = names
	}
	if err := r.tx.AddCopies(r.ctx, copies); err != nil {
		return err
	}
	return r.tx.AddCaseEvents(r.ctx, r.trail(d, given, rows))
}

// desks are the desks as they are, with the cases that are not settled.
func (r *run) desks() (*record.Desks, storedCases, error) {
	unsettled, err := r.tx.UnsettledCases(r.ctx)
	if err != nil {
		return nil, nil, err
	}
	d := &record.Desks{Book: r.engine.Book, Period: r.at.Of, Today: r.today, Open: r.openCases, Now: r.now}
	if r.sweep.Author != planner { // which is nobody
		d.By = r.sweep.Author
	}
	rows := storedCases{}
	for i := range unsettled {
		c := &unsettled[i]
		d.Cases = append(d.Cases, &c.Case)
		rows[&c.Case] = c
	}
	d.Items, err = r.tx.UnsettledItems(r.ctx)
	return d, rows, err
}

// arrivals are what was found, as desks take it; what is snoozed is listed only.
func (r *run) arrivals() ([]record.Flagged, error) {
	left, err := r.tx.Snoozes(r.ctx, r.today)
	if err != nil {
		return nil, err
	}
	snoozes := record.SnoozesOf(left)
	arrivals := make([]record.Flagged, len(r.found))
	for i, f := range r.found {
		a := &arrivals[i]
		*a = record.Flagged{
			Item: record.Item{Period: f.Period, Rule: f.Rule, Event: f.Event, Grade: f.Grade, Severity: f.Severity, Flagged: f.State != string(record.Cleared),
				Desk: f.Desk},
			Kind: f.Kind, Code: f.Code, Sentence: f.Sentence, WasFlagged: f.wasFlagged, NoCase: r.listedOnly(f.Rule), Routed: f.routed,
		}
		if f.CaseID != nil {
			a.Case = *f.CaseID
		}
		if r.byHand != "" {
			a.NoCase = false
		} else if a.Flagged && snoozes.Keep(r.today, f.Kind, f.Code, f.Rule, f.Severity, f.Beyond) {
			a.NoCase = true
			r.sweep.Snoozed++
		}
	}
	return arrivals, nil
}

// tellOpened has the cases that are opened say what is in them, and notes the others in
// which something is new.
func (r *run) tellOpened(homes []*casework.Case, rows storedCases) {
	top := map[*store.Case]*store.Exception{}
	others := strings.Split(r.engine.Book.OtherStakes(), ",")
	money := map[*store.Case]stakes{}
	for i, c := range homes {
		if c != nil && c.ID == 0 {
			e := &r.found[i].Exception
			if tell(rows[c], top, e); !slices.Contains(others, e.Rule) {
				money[rows[c]] = money[rows[c]].with(e)
			}
		} else if c != nil {
			r.told[c.ID] = true
		}
	}
	for c, of := range money {
		c.Stake = of.most()
	}
}

// trail is what the histories of the cases say of it.
func (r *run) trail(d *record.Desks, given map[*casework.Case]routing.Given, rows storedCases) (events []store.NewCaseEvent) {
	author := r.byHand
	if author == "" {
		author = fmt.Sprintf("sweep %d", r.sweep.ID)
	}
	for _, e := range d.Trail {
		events = append(events, store.NewCaseEvent{Case: rows[e.Case], Author: author, What: e.What, Text: e.Text})
	}
	for _, c := range d.Opened {
		if to := given[c]; to.Text != "" {
			what := casework.CaseHandedOver
			if to.Name == "" {
				what = casework.LeftToDesk
			}
			events = append(events, store.NewCaseEvent{Case: rows[c], Author: author, What: what, Text: to.Text})
		}
	}
	return events
}

// listedOnly says whether what a rule flags goes to no desk in this sweep.
func (r *run) listedOnly(rule string) bool {
	of := r.engine.Book.Rule(rule)
	return of != nil && of.NoCase || r.sweep.ToDate != nil && (of == nil || !of.ToDate)
}

// stakes are what is at stake in a case by rule.
type stakes map[string]*big.Rat

func (s stakes) with(e *store.Exception) stakes {
	if e.Stake == nil {
		return s
	}
	x, ok := new(big.Rat).SetString(*e.Stake)
	if !ok { // which does not happen: it was a decimal
		return s
	}
	if s == nil {
		s = stakes{}
	}
	if was := s[e.Rule]; was != nil {
		x.Add(x, was)
	}
	s[e.Rule] = x
	return s
}

// most is that of the rule with most, a decimal: rules speak of the same money. Nil is not
// known.
func (s stakes) most() *string {
	var most *big.Rat
	for _, x := range s {
		if most == nil || x.Cmp(most) > 0 {
			most = x
		}
	}
	if most == nil {
		return nil
	}
	text := amount.RoundRat(most, 4)
	return &text
}

// tell has a case that is opened say what the most serious of its items does.
func tell(c *store.Case, top map[*store.Case]*store.Exception, e *store.Exception) {
	c.Items++
	if t := top[c]; t == nil || e.Severity < t.Severity || e.Severity == t.Severity && e.Rule < t.Rule {
		top[c] = e
		c.Key, c.Name, c.Sentence = e.Key, e.Name, e.Sentence
	}
}
