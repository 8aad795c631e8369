package sweep

import (
	"cmp"
	"slices"
	"time"

	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/measure"
	"oskel/core/record"
	"oskel/core/rulebook"
	"oskel/internal/store"
)

// ruleAt names a rule at one of its levels.
type ruleAt struct{ rule, level string }

// judgedOn is what the last sweep of a period by this service was judged on.
type judgedOn struct {
	sweep    int64
	at       time.Time // a database that was put back may count again from where it was
	revision int
	compared *int64
	basis    map[ruleAt]judge.Basis
}

// mostRemembered bounds of how many periods it is known; beyond it all is forgotten.
const mostRemembered = 400

// basisOf is on what each rule that is evaluated for a period is judged.
func basisOf(e *measure.Engine, p calendar.Period) map[ruleAt]judge.Basis {
	out, of := map[ruleAt]judge.Basis{}, judge.Bases(e, p)
	for rule, level := range judge.Evaluated(e.Book, p) {
		out[ruleAt{rule.Name, level.String()}] = of(rule, level)
	}
	return out
}

// remember notes on what a sweep that has been recorded was judged.
func (s *Service) remember(done store.Sweep, basis map[ruleAt]judge.Basis) {
	s.judgedMu.Lock()
	defer s.judgedMu.Unlock()
	if s.judged == nil || len(s.judged) >= mostRemembered {
		s.judged = map[calendar.Key]judgedOn{}
	}
	s.judged[done.Period] = judgedOn{done.ID, done.At, done.Revision, done.ComparedWith, basis}
}

// unchanged are the rules that say what they said in the sweep of the period before this
// one: the rulebook is the same, and so is all that they read and what they are held
// against. Nothing is known of sweeps by others, and of periods that run.
func (s *Service) unchanged(book *rulebook.Book, prior, now store.Sweep, basis map[ruleAt]judge.Basis) map[ruleAt]bool {
	s.judgedMu.Lock()
	was, known := s.judged[now.Period]
	s.judgedMu.Unlock()
	if !known || prior.ID == 0 || was.sweep != prior.ID || !was.at.Equal(prior.At) || was.revision != now.Revision ||
		!equal(was.compared, now.ComparedWith) || prior.ToDate != nil || now.ToDate != nil {
		return nil
	}
	out := map[ruleAt]bool{}
	for at, on := range basis {
		if book.Rule(at.rule).LastWord { // it bears on what the others say
			return nil
		}
		if then, ok := was.basis[at]; ok && then.Same(on) {
			out[at] = true
		}
	}
	return out
}

// stand notes that what is on record of a rule stands as it does.
func (r *run) stand(of ruleAt, kept *record.Book, here onRecord) {
	steps := kept.Stands(of.rule, of.level)
	slices.SortStableFunc(steps, func(a, b record.Step) int { return cmp.Compare(here[a.Key].Code, here[b.Key].Code) })
	for _, step := range steps {
		e := here[step.Key].Exception
		e.Sweep = r.sweep.ID
		var routed record.Routed
		if step.Flagged {
			routed = r.routed(e)
		}
		r.put(e, step, e.Value, routed)
		r.found[len(r.found)-1].stands = true
	}
}
