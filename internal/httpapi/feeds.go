package httpapi

import (
	"bytes"
	"context"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	ics "github.com/arran4/golang-ical"
	"github.com/gin-gonic/gin"

	"oskel/core/rulebook"
	"oskel/core/schedule"
	"oskel/internal/httpapi/contract"
	"oskel/internal/people"
	"oskel/internal/store"
	"oskel/internal/sweep"
)

// feedPeriods is how many of the last swept periods a feed tells of, feedEntries of how
// many exceptions at most, and feedCases how many cases a calendar has.
const (
	feedPeriods = 3
	feedEntries = 200
	feedCases   = 500
)

func (s *server) GetCalendarFeed(ctx context.Context, _ contract.GetCalendarFeedRequestObject) (contract.GetCalendarFeedResponseObject, error) {
	out := ics.NewCalendarFor("Oskel")
	out.SetMethod(ics.MethodPublish)
	out.SetName("Oskel")
	book, turns, err := s.Sweep.Turns(ctx)
	if err != nil {
		return nil, err
	}
	at := s.base(ctx)
	for _, t := range turns {
		when, what := t.At, "Sweep of "
		switch t.State {
		case schedule.Coming, schedule.Waiting:
		case schedule.Night:
			when, what = t.Again, "Sweep again of "
		default:
			continue
		}
		e := out.AddEvent(fmt.Sprintf("sweep-%s-%s@oskel", t.Plan.Each, t.Standing.Key.Start))
		e.SetDtStampTime(s.Now())
		e.SetStartAt(when)
		e.SetDuration(15 * time.Minute) //nolint:errcheck // it has a start
		e.SetSummary(what + book.Calendar.Words(t.Period))
		e.SetDescription(turnWords(book, t, ""))
		e.SetURL(at + "/sweeps")
	}
	me := whoAsks(ctx)
	f := store.CaseFilter{State: "unsettled", Desks: me.Desks, Limit: feedCases}
	if me.Role != people.Reviewer {
		f.Desks = nil
	}
	if me.Role != people.Reviewer || len(me.Desks) > 0 {
		page, err := s.Review.Cases(ctx, f, s.calendar(ctx).Today(s.Now()))
		if err != nil {
			return nil, err
		}
		for _, c := range page.Cases {
			e := out.AddEvent(fmt.Sprintf("case-%d@oskel", c.ID))
			e.SetDtStampTime(s.Now())
			e.SetAllDayStartAt(c.Due.Time())
			e.SetSummary("Due: " + c.Name)
			e.SetDescription(c.Sentence)
			e.SetURL(fmt.Sprintf("%s/cases/%d", at, c.ID))
		}
	}
	text := out.Serialize(ics.WithNewLineWindows)
	return contract.GetCalendarFeed200TextcalendarResponse{Body: strings.NewReader(text), ContentLength: int64(len(text))}, nil
}

// base is the address under which the console was reached.
func (s *server) base(ctx context.Context) string {
	r := ctx.(*gin.Context).Request
	scheme := "http"
	if r.TLS != nil || s.Secure { // the console may be behind something that speaks TLS
		scheme = "https"
	}
	return scheme + "://" + r.Host
}

// atomFeed is a feed by RFC 4287.
type atomFeed struct {
	XMLName xml.Name    `xml:"http://www.w3.org/2005/Atom feed"`
	ID      string      `xml:"id"`
	Title   string      `xml:"title"`
	Updated string      `xml:"updated"`
	Link    atomLink    `xml:"link"`
	Author  atomAuthor  `xml:"author"`
	Entries []atomEntry `xml:"entry"`
}

// atomLink, atomAuthor and atomEntry are elements of RFC 4287.
type atomLink struct {
	Href string `xml:"href,attr"`
}

// atomAuthor names who wrote a feed.
type atomAuthor struct {
	Name string `xml:"name"`
}

// atomEntry is one exception; its id never changes, so that a reader shows it once.
type atomEntry struct {
	ID      string   `xml:"id"`
	Title   string   `xml:"title"`
	Updated string   `xml:"updated"`
	Link    atomLink `xml:"link"`
	Summary string   `xml:"summary"`
}

func (s *server) GetExceptionFeed(ctx context.Context, r contract.GetExceptionFeedRequestObject) (contract.GetExceptionFeedResponseObject, error) {
	var query contract.ViewQuery
	title, id := "Oskel: newly flagged", "all"
	if name := or(r.Params.View, ""); name != "" {
		all, err := s.Views.Views(ctx, "exceptions", whoAsks(ctx).Name)
		if err != nil {
			return nil, err
		}
		i := slices.IndexFunc(all, func(v store.View) bool { return strings.EqualFold(v.Name, name) })
		if i < 0 {
			return nil, refusal(http.StatusNotFound, "not-found", "There is no view %q.", name)
		}
		if err := json.Unmarshal(all[i].Query, &query); err != nil {
			return nil, err
		}
		title, id = "Oskel: "+all[i].Name, fmt.Sprint(all[i].ID)
	}
	at := s.base(ctx)
	feed := atomFeed{ID: at + "/api/feeds/exceptions/" + id, Title: title, Updated: s.Now().UTC().Format(time.RFC3339),
		Link: atomLink{at + "/exceptions"}, Author: atomAuthor{"Oskel"}}
	_, book, err := s.Books.Published(ctx)
	if ignoreNotFound(err) != nil {
		return nil, err
	} else if err == nil {
		if feed.Entries, err = s.newlyFlagged(ctx, book, query, or(r.Params.Each, "month"), at); err != nil {
			return nil, err
		}
	}
	if len(feed.Entries) > 0 {
		feed.Updated = feed.Entries[0].Updated
	}
	var body bytes.Buffer
	body.WriteString(xml.Header)
	if err := xml.NewEncoder(&body).Encode(feed); err != nil {
		return nil, err
	}
	return contract.GetExceptionFeed200ApplicationatomXmlResponse{Body: &body, ContentLength: int64(body.Len())}, nil
}

// newlyFlagged are the entries of a feed, the newest period first.
func (s *server) newlyFlagged(ctx context.Context, book *rulebook.Book, q contract.ViewQuery, grain, at string) (out []atomEntry, err error) {
	periods, err := s.Sweep.Periods(ctx, grain, nil, sweep.Shown)
	if err != nil {
		return nil, err
	}
	told := 0
	for _, p := range slices.Backward(periods) {
		if p.Sweep == nil || told == feedPeriods || len(out) >= feedEntries {
			continue
		}
		told++
		f := store.ExceptionFilter{Period: p.Key, Rule: or(q.Rule, ""), Grade: or(q.Grade, ""), Kind: or(q.Kind, ""), Desk: or(q.Desk, ""),
			Text: or(q.Text, ""), State: "raised", Sort: string(or(q.Sort, "grade")), Descending: or(q.Descending, false), Limit: feedEntries - len(out)}
		list, _, err := s.Sweep.Exceptions(ctx, book, f)
		if err != nil {
			return nil, err
		}
		for _, e := range list {
			grade, rule := e.Grade, e.Rule
			if g := book.Grade(e.Grade); g != nil {
				grade = g.Label
			}
			if r := book.Rule(e.Rule); r != nil {
				rule = r.Title
			}
			link := fmt.Sprintf("%s/exceptions/%d", at, e.ID)
			out = append(out, atomEntry{ID: link, Title: fmt.Sprintf("%s: %s, %s, %s", grade, e.Name, rule, book.Calendar.Words(p.Of)),
				Updated: p.Sweep.At.UTC().Format(time.RFC3339), Link: atomLink{link}, Summary: e.Sentence})
		}
	}
	return out, nil
}
