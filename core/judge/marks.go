package judge

import (
	"cmp"
	"slices"

	"oskel/core/calendar"
	"oskel/core/measure"
	"oskel/core/rulebook"
)

// Mark is a grade that a rule gives a subject, a group or a pair in a period.
type Mark struct {
	Rule   *rulebook.Rule
	Period calendar.Period
	Grade  string
}

// Marks are what the rules of the engine's book say now of those of a level in some periods of
// one grain, flags and praise, by code; of each the most serious first. Praise gives the good
// grades alone. A rule that has the last word keeps the later ones from marking, as in a sweep.
// What was judged is kept.
func (k *Cache) Marks(e *measure.Engine, level rulebook.Level, periods []calendar.Period, praise bool) map[uint32][]Mark {
	out := map[uint32][]Mark{}
	good := e.Book.GoodGrades()
	for _, p := range periods {
		stopped := map[uint32]bool{}
		for rule, at := range Evaluated(e.Book, p) {
			gives := !praise || slices.ContainsFunc(good, func(g string) bool { return e.Book.Gives(rule, g) })
			if at != level || !gives && !rule.LastWord {
				continue
			}
			if e.Stopped() {
				return nil
			}
			r := k.judge(e, rule, level, p)
			var last []uint32 // of those that are stopped from here on
			for _, code := range r.Marked() {
				v := r.Verdict(code)
				if gives && !stopped[code] && (!praise || v.Good != "") {
					out[code] = append(out[code], Mark{rule, p, v.Given()})
				}
				if rule.LastWord && v.Outcome == Breach {
					last = append(last, code)
				}
			}
			for _, code := range last {
				stopped[code] = true
			}
		}
	}
	for _, marks := range out {
		slices.SortStableFunc(marks, func(a, b Mark) int { return cmp.Compare(e.Book.Severity(a.Grade), e.Book.Severity(b.Grade)) })
	}
	return out
}
