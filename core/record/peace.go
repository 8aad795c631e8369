package record

import (
	"oskel/core/calendar"
)

// Peace is what a reviewer has said of a subject that is explained: that what a rule flags
// of it opens no case until a day, or until it is worse than it was then by so much.
type Peace struct {
	Kind     string
	Code     uint32
	Rule     string // "" is all
	Until    calendar.Day
	Worse    *float64 // by what share of how far it lay beyond its cut; nil is however much
	Severity int      // of what was flagged then
	Beyond   *float64 // how far that lay beyond its cut

	Beyonds map[string]float64 // of one by all rules, the same for each rule that flagged then
}

// Holds says whether a flag of a rule is left in peace: one that is more serious than then is not,
// nor one that lies further beyond its cut by more than was said.
func (p Peace) Holds(today calendar.Day, rule string, severity int, beyond *float64) bool {
	if today > p.Until || severity < p.Severity {
		return false
	}
	was := p.Beyond
	if of, known := p.Beyonds[rule]; p.Rule == "" && known {
		was = &of
	}
	return p.Worse == nil || was == nil || beyond == nil || *beyond <= *was*(1+*p.Worse)
}

// Peaces are those that are known, by whom they are of.
type Peaces map[peaceKey][]Peace

type peaceKey struct {
	kind string
	code uint32
}

// PeacesOf sorts peaces by whom they are of.
func PeacesOf(all []Peace) Peaces {
	out := Peaces{}
	for _, p := range all {
		k := peaceKey{p.Kind, p.Code}
		out[k] = append(out[k], p)
	}
	return out
}

// Keep says whether a flag of a rule on a subject is left in peace.
func (p Peaces) Keep(today calendar.Day, kind string, code uint32, rule string, severity int, beyond *float64) bool {
	for _, one := range p[peaceKey{kind, code}] {
		if (one.Rule == "" || one.Rule == rule) && one.Holds(today, rule, severity, beyond) {
			return true
		}
	}
	return false
}
