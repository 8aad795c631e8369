package judge

import (
	"oskel/core/calendar"
	"oskel/core/measure"
	"oskel/core/method"
)

// EvidenceFor recomputes, exactly, what led to the verdict of one subject.
func EvidenceFor(e *measure.Engine, r *Result, code uint32) Evidence {
	return evidence(e, r, code, func(ev *Evidence) { r.found.Evidence(ev, code) })
}

// BriefEvidence is the same without the lines of an event window: all that its
// sentence says.
func BriefEvidence(e *measure.Engine, r *Result, code uint32) Evidence {
	return evidence(e, r, code, func(ev *Evidence) {
		ev.Brief = true
		r.found.Evidence(ev, code)
	})
}

// EvidenceOn recomputes what led to the flag of one event of a subject, of a rule
// that flags events.
func EvidenceOn(e *measure.Engine, r *Result, code uint32, day calendar.Day) Evidence {
	return evidence(e, r, code, func(ev *Evidence) { r.found.(method.Eventful).EvidenceOn(ev, code, day) })
}

func evidence(e *measure.Engine, r *Result, code uint32, found func(ev *Evidence)) Evidence {
	rule, verdict := r.Rule, r.Verdict(code)
	ev := Evidence{Why: verdict.Why}
	if rule.Stake != nil {
		ev.Stake, _ = e.ExactFormula(rule.Stake.Tree, code, r.slot)
	}
	for _, name := range rule.Shows {
		v, why := e.Exact(name, code, r.slot)
		ev.Shown = append(ev.Shown, method.Input{Measure: name, Unit: e.Book.Measure(name).Unit, Value: v, Why: why.String()})
	}
	if p := rule.Persists; p != nil && (verdict.Outcome == Breach || verdict.Why == method.NotPersisting) {
		ev.Persisted = &method.Persisted{Breaches: r.breaches(int(code), Breach), Of: p.Of, Least: p.Least}
	}
	if r.found != nil {
		found(&ev)
	}
	return ev
}
