package sweep

import (
	"oskel/core/casework"
	"oskel/core/judge"
	"oskel/core/record"
	"oskel/core/routing"
)

// give says who gets each case that is opened, and what its trail says of that.
func (r *run) give(d *record.Desks) (map[*casework.Case]routing.Given, error) {
	out := map[*casework.Case]routing.Given{}
	if len(d.Opened) == 0 {
		return out, nil
	}
	staff, err := r.tx.Staff(r.ctx, r.today)
	if err != nil {
		return nil, err
	}
	g := &routing.Giver{Book: r.engine.Book, Staff: staff, Had: func(desk string) (int, error) { return r.tx.CountOnDesk(r.ctx, desk) }}
	for _, c := range d.Opened {
		to, err := g.Give(routing.Case{Desk: c.Desk, For: d.For[c], Self: c.Self, Bars: c.Bars})
		if err != nil {
			return nil, err
		}
		if to != (routing.Given{}) {
			out[c] = to
		}
	}
	return out, nil
}

// below are the accounts of those who report to somebody and to nobody else, by the
// account of that one, as of the period's last day.
func (r *run) below() map[string]string {
	if r.reports == nil {
		r.reports = judge.ReportsTo(r.engine, r.at.Last)
	}
	return r.reports
}
