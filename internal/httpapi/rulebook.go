package httpapi

import (
	"context"
	"errors"
	"maps"
	"slices"
	"strings"

	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/lang"
	"oskel/core/rulebook"
	"oskel/internal/books"
	"oskel/internal/httpapi/contract"
	"oskel/internal/store"
)

func (s *server) GetRulebook(ctx context.Context, _ contract.GetRulebookRequestObject) (contract.GetRulebookResponseObject, error) {
	revision, book, err := s.Books.Published(ctx)
	if errors.Is(err, store.ErrNotFound) {
		return contract.GetRulebook200JSONResponse{Grades: []contract.Grade{}, Kinds: []contract.Kind{}, Desks: []contract.Named{},
			Feeds: []contract.Named{}, Grains: []string{}, Windows: []string{}, Reasons: []contract.Reason{}}, nil
	} else if err != nil {
		return nil, err
	}
	out := contract.GetRulebook200JSONResponse{Revision: revision.Number, Title: book.Title, Text: revision.Text,
		Grades: []contract.Grade{}, Kinds: []contract.Kind{}, Desks: []contract.Named{}, Feeds: []contract.Named{}, Grains: book.Grains(),
		Windows: []string{}, Reasons: []contract.Reason{}}
	for _, w := range book.Calendar.Windows {
		if !slices.Contains(out.Windows, w.Kind) {
			out.Windows = append(out.Windows, w.Kind)
		}
	}
	for _, g := range book.Grades {
		out.Grades = append(out.Grades, contract.Grade{Name: g.Name, Label: g.Label, Tone: g.Tone, Shape: g.Shape, Cell: contract.GradeCell(g.Cell), Good: g.Good})
	}
	for _, k := range book.Kinds {
		kind := contract.Kind{Name: k.Name, Title: k.Title, Plural: k.Plural, Attributes: []string{}, Above: map[string][]string{}}
		for _, a := range k.Attributes {
			kind.Attributes = append(kind.Attributes, a.Name)
			kind.Above[a.Name] = k.Above(a.Name)
		}
		out.Kinds = append(out.Kinds, kind)
	}
	for _, d := range book.Desks {
		out.Desks = append(out.Desks, contract.Named{Name: d.Name, Title: d.Title})
	}
	for _, r := range book.Reasons {
		out.Reasons = append(out.Reasons, contract.Reason{Name: r.Name, Title: r.Title, For: append([]string{}, r.For...)})
	}
	for _, f := range book.Feeds {
		out.Feeds = append(out.Feeds, contract.Named{Name: f.Name, Title: f.Title})
	}
	return out, nil
}

func (s *server) CheckRulebook(ctx context.Context, r contract.CheckRulebookRequestObject) (contract.CheckRulebookResponseObject, error) {
	checked, err := s.Books.Check(ctx, r.Body.Text)
	if err != nil {
		return nil, err
	}
	out := contract.CheckRulebook200JSONResponse{Problems: bookFaults(checked.Problems), Advice: bookFaults(checked.Advice), Rules: []contract.Rule{},
		Differences: []string{},
		Measures:    []contract.Named{}, Dials: dialsOut(checked.Book)}
	for _, m := range checked.Book.Measures {
		out.Measures = append(out.Measures, contract.Named{Name: m.Name, Title: m.Title})
	}
	for _, name := range slices.Sorted(maps.Keys(lang.Functions)) {
		f := lang.Functions[name]
		out.Functions = append(out.Functions, contract.Named{Name: f.Name, Title: f.Usage + ": " + f.Says})
	}
	out.Names = []string{}
	for _, r := range checked.Book.Rules {
		out.Names = append(out.Names, r.Name)
	}
	if len(checked.Problems) == 0 {
		_, published, err := s.Books.Published(ctx)
		if err == nil {
			snapshot, err := s.Figures.Snapshot(ctx, published)
			if err != nil {
				return nil, err
			}
			out.Advice = append(out.Advice, bookFaults(judge.Reach(checked.Book, snapshot))...)
		} else if !errors.Is(err, store.ErrNotFound) {
			return nil, err
		}
		out.Rules = rulesOut(checked.Book, r.Body.Text)
		out.Differences = append(out.Differences, checked.Differences...)
	}
	return out, nil
}

// rulesOut is the rules of a book, with their texts where that is given.
func rulesOut(book *rulebook.Book, text string) []contract.Rule {
	out := []contract.Rule{}
	for i := range book.Rules {
		r := &book.Rules[i]
		out = append(out, contract.Rule{Name: r.Name, Title: r.Title, Family: r.Family(), Each: r.Each, Judges: judgesText(r), On: r.On, Trial: r.Trial,
			Words: book.Words(r), Marks: standsOn(book, measureNames(book), r)})
		if text != "" {
			d := definitionOut(book.Define(r))
			out[i].Definition, out[i].Text = &d, ptr(book.RuleText(text, r.Name))
		}
	}
	return out
}

func measureNames(book *rulebook.Book) (names []string) {
	for _, m := range book.Measures {
		names = append(names, m.Name)
	}
	return names
}

func judgesText(r *rulebook.Rule) string {
	var out []string
	for _, l := range r.Levels {
		out = append(out, l.String())
	}
	return strings.Join(out, ", ")
}

func (s *server) ListRules(ctx context.Context, r contract.ListRulesRequestObject) (contract.ListRulesResponseObject, error) {
	revision, book, err := s.Books.Published(ctx)
	if errors.Is(err, store.ErrNotFound) {
		return contract.ListRules200JSONResponse{}, nil
	} else if err != nil {
		return nil, err
	}
	rules := rulesOut(book, revision.Text)
	if r.Params.Period != nil {
		key, err := s.keyParam(ctx, *r.Params.Period)
		if err != nil {
			return nil, err
		}
		last, err := s.Sweep.Latest(ctx, key)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return nil, err
		}
		for _, t := range talliesOut(last) {
			for i := range rules {
				if rules[i].Name == t.Rule && rules[i].Tally == nil {
					rules[i].Tally = &t
				}
			}
		}
		if err := s.recordRules(ctx, book, key, rules); err != nil {
			return nil, err
		}
	}
	return contract.ListRules200JSONResponse(rules), nil
}

// recordRules says of each rule what it flagged in the last periods, and what came of it.
func (s *server) recordRules(ctx context.Context, book *rulebook.Book, key calendar.Key, rules []contract.Rule) error {
	records, err := s.Sweep.RuleRecords(ctx, book, key)
	if err != nil {
		return err
	}
	for i := range rules {
		r := records[rules[i].Name]
		if r == nil {
			continue
		}
		out := contract.RuleRecord{Points: []contract.RulePoint{}, Confirmed: r.Findings["confirmed"], Explained: r.Findings["explained"],
			DataFault: r.Findings["data fault"], RuleFault: r.Findings["rule fault"], Notes: append([]string{}, r.Notes...)}
		out.Settled = out.Confirmed + out.Explained + out.DataFault + out.RuleFault
		for _, p := range r.Points {
			out.Points = append(out.Points, contract.RulePoint{Period: book.Calendar.String(p.Period), Label: book.Calendar.Words(p.Period), Swept: p.Swept,
				Flagged: p.Flagged, Judged: p.Judged})
		}
		rules[i].Record = &out
	}
	return nil
}

func revisionOut(r store.Revision, withText bool) contract.Revision {
	out := contract.Revision{Number: r.Number, BasedOn: r.BasedOn, Author: r.Author, Note: r.Note, At: r.At, Differences: r.Differences}
	if withText {
		out.Text = &r.Text
	}
	return out
}

func (s *server) ListRevisions(ctx context.Context, _ contract.ListRevisionsRequestObject) (contract.ListRevisionsResponseObject, error) {
	all, err := s.Books.Revisions(ctx)
	if err != nil {
		return nil, err
	}
	out := contract.ListRevisions200JSONResponse{}
	for _, r := range all {
		out = append(out, revisionOut(r, false))
	}
	return out, nil
}

func (s *server) GetRevision(ctx context.Context, r contract.GetRevisionRequestObject) (contract.GetRevisionResponseObject, error) {
	revision, err := s.Books.Revision(ctx, r.Number)
	if err != nil {
		return nil, orNotFound(err, "revision %d", r.Number)
	}
	return contract.GetRevision200JSONResponse(revisionOut(revision, true)), nil
}

func (s *server) PublishRevision(ctx context.Context, r contract.PublishRevisionRequestObject) (contract.PublishRevisionResponseObject, error) {
	revision, err := s.Books.Publish(ctx, books.Publication{Author: whoAsks(ctx).Name, Text: r.Body.Text, Note: r.Body.Note,
		BasedOn: or(r.Body.BasedOn, books.Unknown), Over: or(r.Body.Force, false)})
	if err != nil {
		return nil, err
	}
	return contract.PublishRevision201JSONResponse(revisionOut(revision, false)), nil
}
