package httpapi

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"

	"oskel/core/lang"
	"oskel/core/method"
	"oskel/core/rulebook"
	"oskel/internal/books"
	"oskel/internal/httpapi/contract"
	"oskel/internal/store"
)

// definitionOut and definitionIn turn a rule's definition into that of the
// contract and back: both have the same fields in JSON.
func definitionOut(d rulebook.RuleDefinition) (out contract.RuleDefinition) {
	text, _ := json.Marshal(d)
	json.Unmarshal(text, &out) //nolint:errcheck // the contract has the same fields
	return out
}

func definitionIn(d contract.RuleDefinition) (out rulebook.RuleDefinition) {
	text, _ := json.Marshal(d)
	json.Unmarshal(text, &out) //nolint:errcheck // checked against the contract before
	return out
}

func dialsOut(book *rulebook.Book) []contract.Dial {
	out := []contract.Dial{}
	for i := range book.Dials {
		d := &book.Dials[i]
		to := contract.Dial{Name: d.Name, Value: d.Text(d.Value), Uses: append([]string{}, book.Uses(d.Name)...)}
		if d.From != nil {
			to.From = ptr(d.Text(*d.From))
		}
		if d.To != nil {
			to.To = ptr(d.Text(*d.To))
		}
		out = append(out, to)
	}
	return out
}

func (s *server) CompareRulebook(ctx context.Context, r contract.CompareRulebookRequestObject) (contract.CompareRulebookResponseObject, error) {
	published, err := s.Books.Latest(ctx)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	with := published
	if r.Body.With != nil {
		if with, err = s.Books.Revision(ctx, *r.Body.With); err != nil {
			return nil, err
		}
	}
	to, name := or(r.Body.Text, published.Text), fmt.Sprintf("revision %d", published.Number)
	if r.Body.Text != nil {
		name = "draft"
	}
	c, err := books.Compare(with.Text, to, fmt.Sprintf("revision %d", with.Number), name)
	return contract.CompareRulebook200JSONResponse{Words: append([]string{}, c.Words...), Text: c.Text}, err
}

func (s *server) PlaceRule(_ context.Context, r contract.PlaceRuleRequestObject) (contract.PlaceRuleResponseObject, error) {
	var d *rulebook.RuleDefinition
	if r.Body.Rule != nil {
		in := definitionIn(*r.Body.Rule)
		d = &in
	}
	text, err := rulebook.PlaceRule(r.Body.Text, r.Body.Name, d, method.All())
	if err != nil {
		return nil, &books.ErrRehearsal{Text: err.Error()}
	}
	return contract.PlaceRule200JSONResponse{Text: text}, nil
}

func (s *server) OrderRules(_ context.Context, r contract.OrderRulesRequestObject) (contract.OrderRulesResponseObject, error) {
	text, err := rulebook.OrderRules(r.Body.Text, r.Body.Names, method.All())
	if err != nil {
		return nil, &books.ErrRehearsal{Text: err.Error()}
	}
	return contract.OrderRules200JSONResponse{Text: text}, nil
}

func (s *server) PlaceDial(_ context.Context, r contract.PlaceDialRequestObject) (contract.PlaceDialResponseObject, error) {
	text, err := rulebook.ChangeDial(r.Body.Text, r.Body.Name, r.Body.Value, method.All())
	if err != nil {
		return nil, &books.ErrRehearsal{Text: err.Error()}
	}
	return contract.PlaceDial200JSONResponse{Text: text}, nil
}

func (s *server) ListUses(ctx context.Context, r contract.ListUsesRequestObject) (contract.ListUsesResponseObject, error) {
	_, book, err := s.Books.Published(ctx)
	if err != nil {
		return nil, err
	}
	if !book.Knows(r.Params.Name) {
		return nil, refusal(http.StatusNotFound, "not-found", "The rulebook has nothing called %q%s", r.Params.Name, lang.Suggestion(r.Params.Name, book.AllNames()))
	}
	return contract.ListUses200JSONResponse(append([]string{}, book.Uses(r.Params.Name)...)), nil
}

func (s *server) draftOut(ctx context.Context, d store.Draft) (contract.Draft, error) {
	latest, err := s.Books.Latest(ctx)
	if errors.Is(err, store.ErrNotFound) {
		err = nil
	}
	out := contract.Draft{Text: d.Text, BasedOn: d.BasedOn, Version: d.Version, Published: latest.Number}
	if d.Version > 0 {
		out.At = &d.At
	}
	return out, err
}

func (s *server) GetDraft(ctx context.Context, _ contract.GetDraftRequestObject) (contract.GetDraftResponseObject, error) {
	d, err := s.Books.Draft(ctx, whoAsks(ctx).Name)
	if err != nil {
		return nil, err
	}
	out, err := s.draftOut(ctx, d)
	return contract.GetDraft200JSONResponse(out), err
}

func (s *server) PutDraft(ctx context.Context, r contract.PutDraftRequestObject) (contract.PutDraftResponseObject, error) {
	d, err := s.Books.KeepDraft(ctx, store.Draft{Person: whoAsks(ctx).Name, Text: r.Body.Text, BasedOn: r.Body.BasedOn, Version: r.Body.Version})
	if err != nil {
		return nil, err
	}
	out, err := s.draftOut(ctx, d)
	return contract.PutDraft200JSONResponse(out), err
}

func (s *server) DeleteDraft(ctx context.Context, _ contract.DeleteDraftRequestObject) (contract.DeleteDraftResponseObject, error) {
	return contract.DeleteDraft204Response{}, s.Books.DiscardDraft(ctx, whoAsks(ctx).Name)
}

func (s *server) ListDials(ctx context.Context, _ contract.ListDialsRequestObject) (contract.ListDialsResponseObject, error) {
	_, book, err := s.Books.Published(ctx)
	if err != nil {
		return contract.ListDials200JSONResponse{}, ignoreNotFound(err)
	}
	return contract.ListDials200JSONResponse(dialsOut(book)), nil
}

func (s *server) ChangeDial(ctx context.Context, r contract.ChangeDialRequestObject) (contract.ChangeDialResponseObject, error) {
	revision, err := s.Books.Turn(ctx, whoAsks(ctx).Name, r.Name, r.Body.Value, r.Body.Note, r.Body.BasedOn)
	if err != nil {
		return nil, err
	}
	return contract.ChangeDial201JSONResponse(revisionOut(revision, false)), nil
}

func (s *server) ChangeGrade(ctx context.Context, r contract.ChangeGradeRequestObject) (contract.ChangeGradeResponseObject, error) {
	b := r.Body
	look := rulebook.Grade{Name: r.Name, Label: b.Label, Tone: string(b.Tone), Shape: string(b.Shape), Cell: string(or(b.Cell, ""))}
	revision, err := s.Books.Restyle(ctx, whoAsks(ctx).Name, look, b.Note, b.BasedOn)
	if err != nil {
		return nil, err
	}
	return contract.ChangeGrade201JSONResponse(revisionOut(revision, false)), nil
}

func (s *server) RestoreRevision(ctx context.Context, r contract.RestoreRevisionRequestObject) (contract.RestoreRevisionResponseObject, error) {
	revision, err := s.Books.Restore(ctx, whoAsks(ctx).Name, r.Number, r.Body.BasedOn, r.Body.Note)
	if err != nil {
		return nil, err
	}
	return contract.RestoreRevision201JSONResponse(revisionOut(revision, false)), nil
}
