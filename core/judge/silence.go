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
	for code := range r.Verdicts {
		v := &r.Verdicts[code]
		if v.Outcome != Clear {
			continue
		}
		if last == nil || last[code] == ledger.Never {
			*v = Verdict{Outcome: NotJudged, Why: NeverSeen}
			continue
		}
		days := int(asOf - last[code])
		r.Held[code] = float64(days)
		if days >= w.Days {
			*v = Verdict{Outcome: Breach, Grade: w.Grade}
		}
	}
}

func lastDays(e *measure.Engine, r *Result) []calendar.Day {
	feed := e.Snapshot.Feeds[r.Rule.Window.Feed]
	if feed == nil {
		return nil
	}
	column := ledger.Column(feed.Subjects, e.Book.Feed(feed.Name).SubjectColumn(r.Level.Kind))
	return feed.LastDays(column, e.Size(r.Level), r.slot.Last)
}
