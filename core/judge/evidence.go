package judge

import (
	"oskel/core/measure"
	"oskel/core/method"
)

// EvidenceFor recomputes, exactly, what led to the verdict of one subject.
func EvidenceFor(e *measure.Engine, r *Result, code uint32) Evidence {
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
		ev.Persisted = &method.Persisted{Breaches: r.breaches(int(code)), Of: p.Of, Least: p.Least}
	}
	if r.found != nil {
		r.found.Evidence(&ev, code)
	}
	return ev
}
