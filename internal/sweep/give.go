package sweep

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"oskel/core/record"
	"oskel/core/routing"
	"oskel/internal/people"
	"oskel/internal/store"
)

// given is who gets a case that is opened, and what its trail says of that.
type given struct{ name, text string }

func orNil(s string) *string {
	if s == "" {
		return nil
	}
	return &s
}

// give says who gets each case that is opened: whom its route names, if they work its desk
// and are here, or who stands in for them; else as the desk shares its cases out.
func (r *run) give(d *record.Desks) (map[*record.Case]given, error) {
	out := map[*record.Case]given{}
	if len(d.Opened) == 0 {
		return out, nil
	}
	staff, err := r.tx.Staff(r.ctx, r.today)
	if err != nil {
		return nil, err
	}
	had := map[string]int{}
	for _, c := range d.Opened {
		desk := r.engine.Book.Desk(c.Desk)
		to := wanted(staff, c)
		if to.name == "" && desk != nil && desk.Shares != "" {
			if _, known := had[c.Desk]; !known {
				if had[c.Desk], err = r.tx.CountOnDesk(r.ctx, c.Desk); err != nil {
					return nil, err
				}
			}
			if name := routing.Share(desk.Shares, members(staff, c.Desk), c.Bars, had[c.Desk]); name != "" {
				to.name = name
				if to.text != "" {
					to.text += "; "
				}
				to.text = fmt.Sprintf("to %s: %s%s", name, to.text, desk.Shares)
			}
			had[c.Desk]++
		}
		if to.name != "" {
			staff[to.name] = more(staff[to.name])
		}
		if to != (given{}) {
			out[c] = to
		}
	}
	return out, nil
}

func more(s store.Staff) store.Staff {
	s.Load++
	return s
}

// members are those of a desk, by name.
func members(staff map[string]store.Staff, desk string) (out []routing.Member) {
	for _, name := range store.Names(staff) {
		s := staff[name]
		if s.Role == people.Reviewer && s.On(desk) {
			out = append(out, routing.Member{Name: name, Load: s.Load, Away: s.Away, StandIn: s.StandIn})
		}
	}
	return out
}

// wanted is who gets a case by its route; the text says why not where that cannot be.
func wanted(staff map[string]store.Staff, c *record.Case) given {
	name := c.For
	if name == "" {
		return given{}
	}
	s, there := staff[name]
	text := ""
	if there && s.Away {
		text = fmt.Sprintf("%s is away", name)
		if s.StandIn == "" {
			return given{"", text}
		}
		name = s.StandIn
		s, there = staff[name]
	}
	switch {
	case !there:
		return given{"", joined(text, fmt.Sprintf("there is no account %q", name))}
	case name == c.Self:
		return given{"", joined(text, fmt.Sprintf("%s does not review what is about them", name))}
	case c.Bars(name):
		return given{"", joined(text, fmt.Sprintf("%s does not review what is about %s, to whom they report", name, c.Self))}
	case s.Away:
		return given{"", joined(text, name+" is away too")}
	case s.Role != people.Lead && !(s.Role == people.Reviewer && s.On(c.Desk)):
		return given{"", joined(text, fmt.Sprintf("%s does not work the cases of %s", name, c.Desk))}
	}
	return given{name, joined("to "+name, text)}
}

func joined(a, b string) string {
	if a == "" || b == "" {
		return a + b
	}
	return a + ": " + b
}

// below are the accounts of those who report to somebody and to nobody else, by the
// account of that one, as of the period's last day.
func (r *run) below() map[string]string {
	if r.reports != nil {
		return r.reports
	}
	bosses := map[string]map[string]bool{}
	_, day := r.engine.Book.Calendar.Span(r.period)
	for _, k := range r.engine.Book.Kinds {
		self, boss, register := k.SelfAttribute(), k.BossAttribute(), r.engine.Snapshot.Registers[k.Name]
		if self == "" || boss == "" || register == nil {
			continue
		}
		for code := range uint32(len(register.Keys)) {
			if name, to := register.Value(self, code, day).Text, register.Value(boss, code, day).Text; name != "" && to != "" && register.Active(code, day, day) {
				if bosses[name] == nil {
					bosses[name] = map[string]bool{}
				}
				bosses[name][to] = true
			}
		}
	}
	r.reports = map[string]string{}
	for _, name := range slices.Sorted(maps.Keys(bosses)) {
		if to := slices.Collect(maps.Keys(bosses[name])); len(to) == 1 && to[0] != name {
			r.reports[to[0]] = strings.TrimSpace(r.reports[to[0]] + " " + name)
		}
	}
	return r.reports
}
