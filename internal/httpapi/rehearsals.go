package httpapi

import (
	"context"
	"maps"
	"slices"

	"oskel/core/judge"
	"oskel/core/rulebook"
	"oskel/internal/books"
	"oskel/internal/httpapi/contract"
)

func tallyOut(rule, level string, t judge.Tally) contract.Tally {
	out := contract.Tally{Rule: rule, Level: optional(level), Subjects: t.Subjects, Judged: t.Judged(), Clear: t.Clear, Breach: t.Breach,
		NoData: t.NoData, NotJudged: t.NotJudged,
		Flagged: t.Flagged, Crowded: t.Crowded()}
	if len(t.Good) > 0 {
		out.Good = &t.Good
	}
	return out
}

func foundOut(all []books.Found) []contract.Found {
	out := []contract.Found{}
	for _, f := range all {
		out = append(out, contract.Found{Key: f.Key, Name: f.Name, Before: f.Before, After: f.After, Sentence: f.Sentence, Value: f.Value, Comparison: f.Comparison})
	}
	return out
}

func turnedOut(t [3]int) contract.Turned {
	return contract.Turned{Flagged: t[0], NoLonger: t[1], Regraded: t[2]}
}

// desksOut lists desks in the order of the book, those with nothing left out.
func desksOut(book *rulebook.Book, before, after map[string]int) []contract.DeskLoad {
	out := []contract.DeskLoad{}
	for _, d := range book.Desks {
		if before[d.Name]+after[d.Name] > 0 {
			out = append(out, contract.DeskLoad{Desk: d.Name, Title: d.Title, Before: before[d.Name], After: after[d.Name]})
		}
	}
	return out
}

func (s *server) Rehearse(ctx context.Context, r contract.RehearseRequestObject) (contract.RehearseResponseObject, error) {
	b := r.Body
	ask := books.Question{Variant: books.Variant{Text: b.Text, Dials: or(b.Dials, nil), CutRule: b.Rule}, Rule: b.Rule, Level: or(b.By, ""),
		Period: b.Period, LookBack: or(b.LookBack, 0), Key: or(b.Key, ""), WhatIf: or(b.WhatIf, nil)}
	for _, c := range or(b.Cuts, nil) {
		ask.Cuts = append(ask.Cuts, books.Cut{Band: c.Band, High: c.High, Value: c.Value})
	}
	var out contract.Rehearsal
	err := s.Trials.Rehearse(ctx, ask, func(a *books.Answer) error {
		level := a.Level.String()
		out = contract.Rehearsal{Rule: a.Rule.Name, Title: a.Rule.Title, Words: a.Book.Words(a.Rule), Level: level,
			Tally: tallyOut(a.Rule.Name, level, a.Tally), Flagged: foundOut(a.Flagged), Flips: foundOut(a.Flips),
			Turned: turnedOut(a.Turned), Near: foundOut(a.Near), Desks: desksOut(a.Book, a.Before, a.Desks), Back: []contract.LookBack{}}
		if a.Published != nil {
			out.Published = ptr(tallyOut(a.Rule.Name, level, *a.Published))
		}
		if a.Tally.Crowded() {
			out.Crowded = ptr(books.Crowded(a.Rule, a.Tally))
		}
		for _, back := range a.Back {
			out.Back = append(out.Back, contract.LookBack{Period: a.Book.Calendar.String(back.Period), Label: a.Book.Calendar.Words(back.Period),
				Empty: back.Empty, Judged: back.Judged, Flagged: back.Flagged, Persisted: back.Persisted, Explained: back.Explained})
		}
		if or(b.LineUp, false) {
			out.LineUp = ptr(lineUpOut(a.Engine, a.Result, -1, nil))
		}
		if w := a.WhatIf; w != nil {
			out.WhatIf = &contract.WhatIf{Outcome: w.Verdict.Outcome.String(), Grade: w.Verdict.Grade, Why: w.Verdict.Why}
			if w.Refused != "" {
				out.WhatIf.Why = w.Refused
			}
		}
		return nil
	})
	return contract.Rehearse200JSONResponse(out), err
}

func (s *server) RehearseBook(ctx context.Context, r contract.RehearseBookRequestObject) (contract.RehearseBookResponseObject, error) {
	c, err := s.Trials.Book(ctx, books.Variant{Text: r.Body.Text, Dials: or(r.Body.Dials, nil)}, r.Body.Period)
	if err != nil {
		return nil, err
	}
	out := contract.RehearseBook200JSONResponse{Rules: []contract.RuleChange{}, Desks: desksOut(c.Book, c.Before, c.After),
		Advice: append([]string{}, c.Advice...), Before: c.Flagged[0], After: c.Flagged[1]}
	for _, change := range c.Rules {
		to := contract.RuleChange{Rule: change.Rule.Name, Title: change.Rule.Title, Level: change.Level.String(), Turned: turnedOut(change.Turned)}
		if change.Before != nil {
			to.Before = &change.Before.Flagged
		}
		if change.After != nil {
			to.After, to.Judged = &change.After.Flagged, ptr(change.After.Judged())
		}
		out.Rules = append(out.Rules, to)
	}
	return out, nil
}

func (s *server) RehearseRouting(ctx context.Context, r contract.RehearseRoutingRequestObject) (contract.RehearseRoutingResponseObject, error) {
	got, err := s.Trials.Routing(ctx, books.Variant{Text: r.Body.Text, Dials: or(r.Body.Dials, nil)}, r.Body.Period, s.Now())
	if err != nil {
		return nil, err
	}
	people, err := s.People.All(ctx)
	if err != nil {
		return nil, err
	}
	out := contract.RehearseRouting200JSONResponse{Flagged: got.Flagged, Listed: got.Listed, Desks: []contract.DeskGets{},
		People: []contract.PersonGets{}, Notes: []contract.RoutingNote{}}
	for _, d := range got.Book.Desks {
		g := got.Desks[d.Name]
		out.Desks = append(out.Desks, contract.DeskGets{Desk: d.Name, Title: d.Title, Flags: g.Flags, Cases: g.Cases, Unassigned: g.Unassigned, Holds: g.Holds})
	}
	for _, p := range people {
		if g := got.People[p.Name]; g.Cases+g.Holds > 0 {
			out.People = append(out.People, contract.PersonGets{Name: p.Name, Title: p.Title, Cases: g.Cases, Holds: g.Holds, Away: g.Away})
		}
	}
	for _, text := range slices.Sorted(maps.Keys(got.Notes)) {
		out.Notes = append(out.Notes, contract.RoutingNote{Text: text, Cases: got.Notes[text]})
	}
	return out, nil
}

func (s *server) SolveDial(ctx context.Context, r contract.SolveDialRequestObject) (contract.SolveDialResponseObject, error) {
	b := r.Body
	found, err := s.Trials.Solve(ctx, books.Solve{Variant: books.Variant{Text: b.Text}, Dial: b.Dial, Wanted: b.Wanted, Period: b.Period,
		Months: or(b.Periods, 6), Rules: or(b.Rules, nil)})
	if err != nil {
		return nil, err
	}
	d := found.Dial
	out := contract.SolveDial200JSONResponse{Dial: d.Name, Value: d.Text(found.Best.Value), Average: found.Best.Average, Now: d.Text(d.Value),
		NowAverage: found.Now,
		Rules:      append([]string{}, found.Rules...), Tried: []contract.DialTried{}}
	slices.SortFunc(found.Tried, func(x, y judge.Tried) int { return int(x.Value - y.Value) })
	for _, t := range found.Tried {
		out.Tried = append(out.Tried, contract.DialTried{Value: d.Text(t.Value), Average: t.Average})
	}
	return out, nil
}
