package judge

import (
	"oskel/core/calendar"
	"oskel/core/measure"
	"oskel/core/rulebook"
)

// History is the reference that a kept history is compared with: what a rule finds in each of the n periods up to one, the oldest
// first, on the data as they are now; the last result is that period's. Of each
// it judges all, since peers and bases need all.
func History(e *measure.Engine, rule *rulebook.Rule, level rulebook.Level, last calendar.Period, n int) []*Result {
	var out []*Result
	for _, p := range e.Book.Calendar.Run(last, n) {
		if e.Stopped() {
			break
		}
		out = append(out, Judge(e, rule, level, p))
	}
	return out
}
