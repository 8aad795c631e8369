package httpapi

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/rulebook"
	"oskel/core/words"
	"oskel/internal/httpapi/contract"
	"oskel/internal/store"
)

func (s *server) ListSuggestions(ctx context.Context, r contract.ListSuggestionsRequestObject) (contract.ListSuggestionsResponseObject, error) {
	found, err := s.Trials.Propose(ctx, r.Rule, r.Params.Period)
	if err != nil {
		return nil, err
	}
	out := contract.ListSuggestions200JSONResponse{Rule: r.Rule, Explained: found.Explained, Confirmed: found.Confirmed, Flagged: found.Flagged,
		Proposals: []contract.Suggestion{}}
	for _, p := range found.Proposals {
		out.Proposals = append(out.Proposals, contract.Suggestion{What: contract.SuggestionWhat(p.What), Words: proposalWords(found, p), Spared: p.Spared,
			Lost: p.Lost, Flagged: p.Flagged, Newly: p.Newly, Text: p.Text, Definition: definitionOut(p.Definition)})
	}
	return out, nil
}

// proposalWords say a proposal with what it would have done.
func proposalWords(of judge.Proposed, p judge.Proposal) string {
	lost := "none"
	if p.Lost > 0 {
		lost = fmt.Sprint(p.Lost)
	}
	return fmt.Sprintf("%s would have dropped %d of %d explained and lost %s of %d confirmed; %d instead of %d flagged.", words.UpperFirst(p.Words),
		p.Spared, of.Explained, lost, of.Confirmed, p.Flagged, of.Flagged)
}

func (s *server) ListOutcomes(ctx context.Context, r contract.ListOutcomesRequestObject) (contract.ListOutcomesResponseObject, error) {
	book, c, err := s.bookOrNone(ctx)
	if err != nil {
		return nil, err
	}
	today, p := c.Today(s.Now()), r.Params
	from, to := today-365, today
	if d := p.From; d != nil {
		from = calendar.Date(d.Year(), d.Month(), d.Day())
	}
	if d := p.To; d != nil {
		to = calendar.Date(d.Year(), d.Month(), d.Day())
	}
	of := store.FindingFilter{From: begins(c, from), To: begins(c, to+1)}
	for _, by := range []struct {
		what  string
		asked *string
		known []rulebook.Named
		to    *string
	}{{"rule", p.Rule, book.RulesNamed(), &of.Rule}, {"desk", p.Desk, book.DesksNamed(), &of.Desk}} {
		if by.asked == nil || *by.asked == "" {
			continue
		}
		name, complaint := rulebook.Resolve(by.what, *by.asked, by.known)
		if complaint != "" {
			return nil, refusal(http.StatusBadRequest, "unknown-filter", "%s", complaint)
		}
		*by.to = name
	}
	by := string(or(p.By, "rule"))
	of.OtherStakes = book.OtherStakes()
	all, err := s.Review.Findings(ctx, by, of)
	if by == "revision" { // as numbers
		slices.SortFunc(all, func(a, b store.FindingRow) int {
			return cmp.Or(len(a.Name)-len(b.Name), strings.Compare(a.Name, b.Name))
		})
	}
	out := contract.ListOutcomes200JSONResponse{}
	for _, f := range all {
		row := contract.OutcomeRow{Name: f.Name, Title: reportTitle(book, by, f.Name), Settled: f.Settled, Confirmed: f.Confirmed, Explained: f.Explained,
			DataFault: f.DataFault, RuleFault: f.RuleFault, Cleared: f.Cleared,
			HoursToLook: f.FirstLook, HoursToSettle: f.Settling, Stakes: stakesOut(book, f.Stakes), Recovered: f.Recovered, WrittenOff: f.WrittenOff}
		if n := f.Settled - f.Cleared; n > 0 {
			row.Precision = ptr(float64(f.Confirmed) / float64(n))
		}
		out = append(out, row)
	}
	return out, err
}

// begins is when a day begins by the calendar's clock.
func begins(c calendar.Calendar, d calendar.Day) time.Time {
	zone, err := calendar.Zone(c.Zone)
	if err != nil {
		zone = time.UTC // the check does not let it happen
	}
	t := d.Time()
	return time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, zone)
}

func (s *server) GetBacklog(ctx context.Context, r contract.GetBacklogRequestObject) (contract.GetBacklogResponseObject, error) {
	book, c, err := s.bookOrNone(ctx)
	if err != nil {
		return nil, err
	}
	by := string(or(r.Params.By, "desk"))
	all, err := s.Review.Work(ctx, by, c.Today(s.Now()), book.OtherStakes())
	if err != nil {
		return nil, err
	}
	staff, err := s.People.All(ctx)
	if err != nil {
		return nil, err
	}
	manned := map[string]bool{}
	for _, p := range staff {
		for _, d := range p.Desks {
			manned[d] = manned[d] || !p.Closed
		}
	}
	out := contract.GetBacklog200JSONResponse{}
	for _, w := range all {
		row := contract.BacklogRow{Name: w.Name, Title: reportTitle(book, by, w.Name), Open: w.Open, Taken: w.Taken, Parked: w.Parked, Late: w.Late,
			Cleared: w.Cleared, Unseen: w.Unseen, Ages: w.Ages[:], Oldest: w.Oldest, Stakes: stakesOut(book, w.Stakes)}
		if by == "desk" && !manned[w.Name] {
			row.Note = ptr("No members: only leads see these cases.")
		}
		out = append(out, row)
	}
	return out, nil
}

// stakesOut lists what is at stake by kind, in the order of the rulebook.
func stakesOut(book *rulebook.Book, of map[string]string) []contract.KindStake {
	out := []contract.KindStake{}
	known := book.LevelsNamed()
	for kind := range of {
		if !slices.ContainsFunc(known, func(n rulebook.Named) bool { return n.Name == kind }) {
			known = append(known, rulebook.Named{Name: kind, Title: kind})
		}
	}
	for _, n := range known {
		if stake := of[n.Name]; stake != "" {
			out = append(out, contract.KindStake{Kind: n.Name, Title: n.Title, Stake: stake})
		}
	}
	return out
}

// reportTitle is what a name of a report is called.
func reportTitle(book *rulebook.Book, by, name string) string {
	switch by {
	case "desk":
		if d := book.Desk(name); d != nil {
			return d.Title
		}
	case "rule":
		if r := book.Rule(name); r != nil {
			return r.Title
		}
		if name == "" {
			return "no current rule"
		}
	case "reason":
		if r := book.Reason(name); r != nil {
			return r.Title
		}
		if name == "" {
			return "No reason"
		}
	case "grade":
		if g := book.Grade(name); g != nil {
			return g.Label
		}
	case "person":
		if name == "" {
			return "not taken"
		}
	case "revision":
		return "revision " + name
	case "period":
		grain, start, _ := strings.Cut(name, " ")
		if day, err := calendar.ParseDay(start); err == nil {
			return keyWords(book.Calendar, calendar.Key{Grain: grain, Start: day})
		}
	}
	return name
}

// bookOrNone is the published rulebook, or an empty one, with its calendar.
func (s *server) bookOrNone(ctx context.Context) (*rulebook.Book, calendar.Calendar, error) {
	_, book, err := s.Books.Published(ctx)
	if errors.Is(err, store.ErrNotFound) {
		return &rulebook.Book{}, calendar.Calendar{}, nil
	} else if err != nil {
		return nil, calendar.Calendar{}, err
	}
	return book, book.Calendar, nil
}
