package judge

import (
	"oskel/core/calendar"
	"oskel/core/measure"
	"oskel/core/rulebook"
)

// History is what a rule finds in each of the n months up to one, the oldest
// first, on the data as they are now; the last result is that month's. Of each
// month it judges all, since peers and bases need all.
func History(e *measure.Engine, rule *rulebook.Rule, level rulebook.Level, last calendar.Month, n int) []*Result {
	var out []*Result
	for m := last - calendar.Month(n) + 1; m <= last && !e.Stopped(); m++ {
		out = append(out, Judge(e, rule, level, m))
	}
	return out
}
