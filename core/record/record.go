// Package record follows what rules find from period to period: what is raised,
// what stands, what has cleared, and how that differs from the sweep of the same
// period before. Plain values in and out.
package record

// State is how a flag stands.
type State string

// The states. Raised is flagged now and not in the period before; standing in
// both; cleared was flagged in the period before, or by an earlier sweep of this
// one, and is not now.
const (
	Raised   State = "raised"
	Standing State = "standing"
	Cleared  State = "cleared"
)

// Flag is what is on record of one subject by one rule in one period.
type Flag struct {
	State State
	Grade string // of a cleared one that which it had
}

// flagged says whether a flag that may not be there is up.
func (f *Flag) flagged() bool { return f != nil && f.State != Cleared }

// Found is what a rule finds now; a rule that is off or gone finds nothing.
type Found struct {
	Flagged bool
	Grade   string
	Gone    bool
}

// Step is what is recorded of one subject by one rule.
type Step struct {
	State              State
	Grade              string
	Flagged            bool
	WasFlagged         bool   // by the sweep of this period before
	Carried            bool   // all that is known of it is from the period before
	Change             Change // against the sweep of this period before
	GradeThen, GradeIs string // of a change
}

// Change is how a sweep differs from the one of the same period before.
type Change string

// The changes; "" is none, since it was flagged in neither.
const (
	NewlyFlagged Change = "flagged"
	NoLonger     Change = "no longer"
	Regraded     Change = "regraded"
	Same         Change = "same"
)

// Next says what is recorded of a subject and a rule by what it finds now, what an
// earlier sweep of this period has on record, and the period before; either may be
// nil. ok is false where there is nothing to record.
func Next(now Found, here, before *Flag) (step Step, ok bool) {
	switch {
	case now.Flagged:
		step.State, step.Grade = Raised, now.Grade
		if before.flagged() {
			step.State = Standing
		}
	case now.Gone && here != nil && !here.flagged():
		return step, false // it cleared before the rule went
	case here != nil:
		step.State, step.Grade = Cleared, here.Grade
	case before.flagged():
		step.State, step.Grade, step.Carried = Cleared, before.Grade, true
	default:
		return step, false
	}
	step.Flagged, step.WasFlagged = now.Flagged, here.flagged()
	switch {
	case step.Flagged && !step.WasFlagged:
		step.Change, step.GradeIs = NewlyFlagged, step.Grade
	case !step.Flagged && step.WasFlagged:
		step.Change, step.GradeThen = NoLonger, here.Grade
	case step.Flagged && step.Grade != here.Grade:
		step.Change, step.GradeThen, step.GradeIs = Regraded, here.Grade, step.Grade
	case step.Flagged:
		step.Change = Same
	}
	return step, true
}

// Counts are how many steps a sweep has of each state and change.
type Counts struct {
	Raised, Standing, Cleared               int
	Flagged, NoLonger, Regraded, Unaffected int
}

// Add counts a step.
func (c *Counts) Add(s Step) {
	switch s.State {
	case Raised:
		c.Raised++
	case Standing:
		c.Standing++
	case Cleared:
		c.Cleared++
	}
	switch s.Change {
	case NewlyFlagged:
		c.Flagged++
	case NoLonger:
		c.NoLonger++
	case Regraded:
		c.Regraded++
	case Same:
		c.Unaffected++
	}
}
