package judge

import (
	"oskel/core/calendar"
	"oskel/core/ledger"
	"oskel/core/measure"
)

// judgeSilence flags a subject whose last line lies at least the stated
// number of days before the month's last day: as-of - last >= days. One that
// was never seen is not judged.
func judgeSilence(e *measure.Engine, r *Result) {
	w := r.Rule.Window
	r.base(e)
	asOf := r.slot.Last
	last := lastDays(e, r)
	r.lastSeen = last
	never, breach := r.mark(Verdict{Outcome: NotJudged, Why: NeverSeen}), r.mark(Verdict{Outcome: Breach, Grade: w.Grade})
	for code := range r.marks {
		if r.marks[code].outcome != Clear {
			continue
		}
		if last == nil || last[code] == ledger.Never {
			r.marks[code] = never
			continue
		}
		days := int(asOf - last[code])
		r.held[code] = float64(days)
		if days >= w.Days {
			r.marks[code] = breach
		}
	}
}

func lastDays(e *measure.Engine, r *Result) []calendar.Day {
	feed := e.Snapshot.Feeds[r.Rule.Window.Feed]
	if feed == nil {
		return nil
	}
	column := ledger.Column(feed.Subjects, e.Book.Feed(feed.Name).SubjectColumn(r.Level.Kind))
	return e.LastDays(feed, column, e.Size(r.Level), r.slot.Last)
}
