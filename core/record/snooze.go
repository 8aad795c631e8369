package record

import (
	"oskel/core/calendar"
)

// Snooze is what a reviewer has said of a subject that is explained: that what a rule flags
// of it opens no case until a day, or until it is worse than it was then by so much.
type Snooze struct {
	Kind     string
	Code     uint32
	Rule     string // "" is all
	Until    calendar.Day
	Worse    *float64 // by what share of how far it lay beyond its cut; nil is at any size
	Severity int      // of what was flagged then
	Beyond   *float64 // how far that lay beyond its cut

	Beyonds map[string]float64 // of one by all rules, the same for each rule that flagged then
}

// Holds says whether a flag of a rule is snoozed: one that is more serious than then is not,
// nor one that lies further beyond its cut by more than was said.
func (p Snooze) Holds(today calendar.Day, rule string, severity int, beyond *float64) bool {
	if today > p.Until || severity < p.Severity {
		return false
	}
	was := p.Beyond
	if of, known := p.Beyonds[rule]; p.Rule == "" && known {
		was = &of
	}
	return p.Worse == nil || was == nil || beyond == nil || *beyond <= *was*(1+*p.Worse)
}

// Snoozes are those that are known, by whom they are of.
type Snoozes map[snoozeKey][]Snooze

// snoozeKey names a subject by its kind and its code, which is never dealt anew.
type snoozeKey struct {
	kind string
	code uint32
}

// SnoozesOf sorts snoozes by whom they are of.
func SnoozesOf(all []Snooze) Snoozes {
	out := Snoozes{}
	for _, p := range all {
		k := snoozeKey{p.Kind, p.Code}
		out[k] = append(out[k], p)
	}
	return out
}

// Keep says whether a flag of a rule on a subject is snoozed.
func (p Snoozes) Keep(today calendar.Day, kind string, code uint32, rule string, severity int, beyond *float64) bool {
	for _, one := range p[snoozeKey{kind, code}] {
		if (one.Rule == "" || one.Rule == rule) && one.Holds(today, rule, severity, beyond) {
			return true
		}
	}
	return false
}
