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
	for _, base := range r.Rule.Base {
		at := e.Column(base.Measure, r.slot)
		for code := range r.Verdicts {
			if r.Verdicts[code].Outcome == Clear && !reaches(e, r, base, at, code) {
				r.Verdicts[code] = Verdict{Outcome: NotJudged, Why: BelowBase}
			}
		}
	}
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
	column := ledger.Column(feed.Subjects, e.Book.Feed(feed.Name).SubjectColumn(r.Rule.Judges))
	return feed.LastDays(column, e.Size(measure.Level{Kind: r.Rule.Judges}), r.slot.Last)
}
