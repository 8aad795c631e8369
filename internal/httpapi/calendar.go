package httpapi

import (
	"context"
	"net/http"

	"oskel/core/calendar"
	"oskel/internal/figures"
	"oskel/internal/httpapi/contract"
)

func (s *server) GetCalendar(ctx context.Context, r contract.GetCalendarRequestObject) (contract.GetCalendarResponseObject, error) {
	_, book, err := s.Books.Published(ctx)
	if err != nil {
		return nil, err
	}
	c := book.Calendar
	var year calendar.Period
	if r.Params.Year != nil {
		if year, err = c.Parse(*r.Params.Year); err != nil || year.Unit != calendar.Yearly {
			return nil, refusal(http.StatusBadRequest, "invalid-request", "year: expected a year such as 2026, found %q", *r.Params.Year)
		}
	} else {
		snapshot, err := s.Figures.Snapshot(ctx, book)
		if err != nil {
			return nil, err
		}
		year = c.Of(calendar.Yearly, c.Today(s.Now()))
		if day, ok := figures.LastDay(snapshot); ok {
			year = c.Of(calendar.Yearly, day)
		}
	}
	first, last := c.Span(year)
	before, _ := c.Before(year, 1)
	after, _ := c.Before(year, -1)
	out := contract.GetCalendar200JSONResponse{Year: c.String(year), Words: book.CalendarWords(), Before: c.String(before), After: c.String(after),
		First: first.String(), Last: last.String(),
		Periods: []contract.CalendarPeriod{}, Days: []contract.CalendarDay{}, Windows: []contract.CalendarWindow{}}
	for p := c.Of(calendar.Monthly, first); ; p.Number++ {
		from, to := c.Span(p)
		if from > last {
			break
		}
		out.Periods = append(out.Periods, contract.CalendarPeriod{Period: c.String(p), Label: c.Words(p), Quarter: c.String(c.Of(calendar.Quarterly, from)),
			First: from.String(), Last: to.String(), WorkingDays: c.WorkingDays(from, to)})
	}
	for d := first; d <= last; d++ {
		day := contract.CalendarDay{Day: d.String(), Period: c.String(c.Of(calendar.Monthly, d)), Week: c.String(c.Of(calendar.Weekly, d)),
			Working: c.Working(d), Windows: []string{}}
		if h, ok := c.Holiday(d); ok {
			day.Holiday = &h.Name
		}
		for _, w := range c.Windows {
			if w.From <= d && d <= w.To {
				day.Windows = append(day.Windows, w.Name)
			}
		}
		out.Days = append(out.Days, day)
	}
	for _, w := range c.Windows {
		if w.From <= last && w.To >= first {
			out.Windows = append(out.Windows, contract.CalendarWindow{Name: w.Name, Title: w.Title, Kind: w.Kind, From: w.From.String(), To: w.To.String()})
		}
	}
	return out, nil
}
