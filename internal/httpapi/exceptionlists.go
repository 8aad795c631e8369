package httpapi

import (
	"context"
	"math/big"
	"slices"
	"strings"

	"oskel/core/calendar"
	"oskel/core/rulebook"
	"oskel/internal/httpapi/contract"
	"oskel/internal/store"
)

// mark says of a page of exceptions how each stood in the last periods.
func (s *server) mark(ctx context.Context, book *rulebook.Book, k calendar.Key, list []store.Exception, out *contract.ExceptionPage) error {
	periods, marks, err := s.Sweep.Marks(ctx, book, k, list)
	if err != nil || len(periods) == 0 {
		return err
	}
	type identity struct {
		rule, kind string
		code       uint32
	}
	at, names := map[calendar.Key]int{}, []string{}
	for i, p := range periods {
		at[book.Calendar.Key(p)] = i
		names = append(names, book.Calendar.String(p))
	}
	out.MarkPeriods = &names
	rows := map[identity][]string{}
	for _, e := range list {
		rows[identity{e.Rule, e.Kind, e.Code}] = make([]string, len(periods))
	}
	for _, m := range marks {
		if i, ok := at[m.Period]; ok {
			rows[identity{m.Rule, m.Kind, m.Code}][i] = markOf(m.State, m.Grade)
		}
	}
	for i, e := range list {
		row := slices.Clone(rows[identity{e.Rule, e.Kind, e.Code}])
		row[len(row)-1] = markOf(e.State, e.Grade) // as it is listed
		out.Items[i].Marks = &row
		if e.State == "raised" && slices.ContainsFunc(row[:len(row)-1], func(m string) bool { return m != "" && m != clearedMark }) {
			out.Items[i].Back = ptr(true)
		}
	}
	return nil
}

// clearedMark is no name of a grade.
const clearedMark = "-"

func markOf(state, grade string) string {
	if state == "cleared" {
		return clearedMark
	}
	return grade
}

// gather counts what a list matches: in all, by group, and by each choice of its
// filters.
func (s *server) gather(ctx context.Context, book *rulebook.Book, f store.ExceptionFilter, out *contract.ExceptionPage) error {
	groups, err := s.Sweep.Gathered(ctx, book, f)
	if err != nil {
		return err
	}
	for _, all := range groups[""] {
		out.Stake = optional(stakeText(book, all.Stakes))
	}
	states := []rulebook.Named{{Name: "raised", Title: "Raised"}, {Name: "standing", Title: "Standing"}, {Name: "cleared", Title: "Cleared"}}
	named := map[string][]rulebook.Named{"grade": book.GradesNamed(), "rule": book.RulesNamed(), "kind": book.LevelsNamed(), "desk": book.DesksNamed(),
		"state": states}
	told := func(by string, of []store.ExceptionGroup) []contract.ExceptionGroup {
		list := []contract.ExceptionGroup{}
		for _, g := range of {
			one := contract.ExceptionGroup{Name: g.Name, Title: g.Name, Count: g.Count, Stake: stakeText(book, g.Stakes)}
			if i := slices.IndexFunc(named[by], func(n rulebook.Named) bool { return n.Name == g.Name }); i >= 0 {
				one.Title = named[by][i].Title
			}
			list = append(list, one)
		}
		return list
	}
	out.Facets = &contract.Facets{Grade: told("grade", groups["grade"]), Rule: told("rule", groups["rule"]), Kind: told("kind", groups["kind"]),
		Desk: told("desk", groups["desk"]), State: told("state", groups["state"])}
	if f.Group != "" {
		out.Groups = ptr(told(f.Group, groups["group"]))
	}
	return nil
}

// stakeText says what is at stake: of one kind the amount, of several one for each, since
// they speak of the same money.
func stakeText(book *rulebook.Book, of map[string]string) string {
	var parts []string
	all := stakesOut(book, of)
	for _, s := range all {
		r, ok := new(big.Rat).SetString(s.Stake)
		if !ok { // which does not happen: it is a decimal
			continue
		}
		text := rulebook.Format(r, rulebook.Money, 0)
		if len(all) > 1 {
			text += " in " + strings.ToLower(s.Title)
		}
		parts = append(parts, text)
	}
	return strings.Join(parts, ", ")
}
