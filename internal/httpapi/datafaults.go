package httpapi

import (
	"context"
	"net/http"
	"slices"

	"oskel/core/rulebook"
	"oskel/internal/httpapi/contract"
)

func (s *server) ListDataIssues(ctx context.Context, r contract.ListDataIssuesRequestObject) (contract.ListDataIssuesResponseObject, error) {
	book, _, err := s.bookOrNone(ctx)
	if err != nil {
		return nil, err
	}
	var feeds []string // nil is all
	if r.Params.Feed != nil {
		name, complaint := rulebook.Resolve("feed", *r.Params.Feed, book.FeedsNamed())
		if complaint != "" {
			return nil, refusal(http.StatusBadRequest, "unknown-filter", "%s", complaint)
		}
		feeds = []string{name}
	}
	if or(r.Params.Mine, false) {
		mine, me := []string{}, whoAsks(ctx).Name
		for _, f := range book.Feeds {
			if f.Owner == me && (feeds == nil || slices.Contains(feeds, f.Name)) {
				mine = append(mine, f.Name)
			}
		}
		feeds = mine
	}
	all, err := s.Review.Faults(ctx, feeds, or(r.Params.Ended, false), or(r.Params.Skip, 0))
	out := contract.ListDataIssues200JSONResponse{}
	for _, f := range all {
		one := contract.DataIssue{Id: f.ID, Case: f.Case, Kind: f.Kind, Key: f.Key, Name: f.Name, Feeds: f.Feeds, Owners: []string{}, Sentence: f.Sentence,
			Note: f.Note, By: f.Author, At: f.At, EndedAt: f.EndedAt, EndedBy: f.EndedBy, EndedText: f.EndedText}
		for _, name := range f.Feeds {
			if feed := book.Feed(name); feed != nil && feed.Owner != "" && !slices.Contains(one.Owners, feed.Owner) {
				one.Owners = append(one.Owners, feed.Owner)
			}
		}
		out = append(out, one)
	}
	return out, err
}

func (s *server) CloseDataIssue(ctx context.Context, r contract.CloseDataIssueRequestObject) (contract.CloseDataIssueResponseObject, error) {
	err := s.Review.EndFault(ctx, r.Id, r.Body.Text, whoAsks(ctx))
	return contract.CloseDataIssue204Response{}, orNotFound(err, "open data issue %d", r.Id)
}
