package method

import (
	"strings"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/measure"
	"oskel/core/rulebook"
)

// lines are those that a setting asks for.
func (w *Work) lines(key string, keys ...string) measure.Lines {
	v := w.Rule.Settings[key]
	return measure.Lines{Feed: v.Feed, Where: v.Where, Keys: keys}
}

// since is the first day of the period that is judged, or of those right before it in which
// the rule's feeds have no line: what closes in them is of the next period there is. Named
// windows lie apart, and none is another's to report.
func (w *Work) since() calendar.Day {
	e, feeds := w.Engine, w.Engine.Book.FeedsRead(w.Rule)
	first, p := w.Slot.First, w.Slot.Period
	begin, any := e.FirstLine(feeds)
	for any && w.Slot.IsPeriod() && p.Unit != calendar.Named {
		before, ok := e.Book.Calendar.Before(p, 1)
		s := e.Slot(w.Slot.Level, before)
		if !ok || s.Last < begin || e.HasLines(feeds, s) {
			break
		}
		first, p = s.First, before
	}
	return first
}

// linesWords says which lines a setting asks for.
func linesWords(b *rulebook.Book, r *rulebook.Rule, key string) string {
	v := r.Settings[key]
	words := strings.ToLower(b.Feed(v.Feed).Title)
	if v.Where != nil {
		words += " where " + v.Where.Text
	}
	return words
}

// span is a stretch of one code's lines.
type span struct {
	events   *measure.Events
	from, to int
	feed     string
	role     string
}

// mostListed is how many lines evidence lists; of more the last are.
const mostListed = 200

// listedLine tells lines apart: one that answers several events is listed once.
type listedLine struct {
	events *measure.Events
	role   string
	at     int
}

// list writes lines, in order of days, with the windows they lie in; brief evidence
// has the windows alone.
func (w *Work) list(ev *Evidence, spans []span, windows ...EventWindow) {
	out := &Events{Lines: []EventLine{}, Windows: windows, AsOf: w.Slot.Last.String()}
	ev.Events = out
	if ev.Brief {
		return
	}
	at, seen := make([]int, len(spans)), map[listedLine]bool{}
	for k, s := range spans {
		at[k] = s.from
	}
	for {
		next := -1
		for k, s := range spans {
			if at[k] < s.to && (next < 0 || s.events.Days[at[k]] < spans[next].events.Days[at[next]]) {
				next = k
			}
		}
		if next < 0 {
			break
		}
		s := spans[next]
		line := EventLine{Day: s.events.Days[at[next]].String(), Feed: s.feed, Role: s.role}
		if s.events.Amounts != nil && s.events.Amounts[at[next]] != amount.Missing {
			line.Amount = s.events.Amounts[at[next]].Rat()
		}
		if k := (listedLine{s.events, s.role, at[next]}); !seen[k] {
			seen[k] = true
			out.Lines = append(out.Lines, line)
		}
		at[next]++
	}
	if more := len(out.Lines) - mostListed; more > 0 {
		out.Lines, out.More = out.Lines[more:], more
	}
}

// dayWords says an ISO day.
func dayWords(iso string) string {
	d, err := calendar.ParseDay(iso)
	if err != nil {
		return iso
	}
	return d.Words()
}
