package judge

import (
	"fmt"
	"slices"

	"oskel/core/calendar"
	"oskel/core/ledger"
	"oskel/core/rulebook"
)

// Reach lists the settings of a book's rules that reach further back than the lines
// of the feeds they read: what they ask for cannot be known yet.
func Reach(book *rulebook.Book, s *ledger.Snapshot) (out []rulebook.Problem) {
	for i := range book.Rules {
		r := &book.Rules[i]
		for _, name := range book.FeedsRead(r) {
			f := s.Feeds[name]
			if f == nil {
				continue
			}
			first, last, any := f.Days()
			if !any {
				continue // that it is empty is said elsewhere
			}
			for _, reach := range reaches(book, r, last) {
				if reach.need >= first {
					continue
				}
				out = append(out, rulebook.Problem{Position: reach.at, Path: "rules." + r.Name + "." + r.Method.Family + "." + reach.key,
					Text: fmt.Sprintf("%s reaches back to %s, but the lines of %s begin on %s", reach.says, reach.first.Words(), book.Feed(name).Title, first.Words())})
			}
		}
	}
	slices.SortFunc(out, func(a, b rulebook.Problem) int { return a.Line*1e6 + a.Column - b.Line*1e6 - b.Column })
	return out
}

// reach is a setting, how far back it goes from the last day of lines, and by when
// lines must have begun for it to hold any of them.
type reach struct {
	key, says   string
	at          rulebook.Position
	first, need calendar.Day
}

// reaches lists how far back, in slots, each quantity of a rule is read: what is kept of it hangs
// on those.
func reaches(book *rulebook.Book, r *rulebook.Rule, last calendar.Day) (out []reach) {
	if r.Method == nil {
		return nil
	}
	for _, set := range r.Method.Settings {
		v, known := r.Settings[set.Key]
		if !known || set.Type != rulebook.QuantitySetting {
			continue
		}
		to := reach{key: set.Key, says: fmt.Sprintf("'%s: %s'", set.Key, v.Text), at: v.At}
		n := book.Whole(r, set.Key)
		switch v.Noun {
		case "days":
			to.first = last - calendar.Day(n)
			to.need = to.first
		case "working days":
			to.first = last
			for left := n; left > 0 && last-to.first < 5000; to.first-- {
				if book.Calendar.Working(to.first) {
					left--
				}
			}
			to.need = to.first
		case "periods":
			of, ok := book.Calendar.Last(r.Each, last)
			if !ok {
				continue
			}
			if of, ok = book.Calendar.Before(of, n); !ok {
				continue
			}
			to.first, to.need = book.Calendar.Span(of)
		default:
			continue
		}
		out = append(out, to)
	}
	return out
}
