package sweep

import (
	"context"
	"fmt"

	"oskel/core/calendar"
	"oskel/core/rulebook"
	"oskel/internal/store"
)

// RuleRecord is what a rule has flagged in the last periods, and what came of it.
type RuleRecord struct {
	Points   []RulePoint
	Findings map[string]int // cases settled, by finding
	Notes    []string       // what speaks against the rule as it is
}

// RulePoint is one period of a record.
type RulePoint struct {
	Period          calendar.Period
	Swept           bool // and the rule was judged in it
	Flagged, Judged int
}

// What speaks against a rule: this many periods without a flag, or this many cases
// settled of which more than half were explained away.
const (
	silentPeriods = 6
	fewSettled    = 5
)

// RuleRecords are those of the rules that are evaluated in periods of the grain of one,
// up to it, by name.
func (s *Service) RuleRecords(ctx context.Context, book *rulebook.Book, k calendar.Key) (map[string]*RuleRecord, error) {
	p, ok := book.Calendar.ByKey(k)
	if !ok {
		return nil, nil
	}
	periods := book.Calendar.Run(p, Shown)
	from := book.Calendar.Key(periods[0])
	sweeps, err := s.store.LatestSweeps(ctx, from, k)
	if err != nil {
		return nil, err
	}
	findings, err := s.store.RuleFindings(ctx, from, k)
	if err != nil {
		return nil, err
	}
	swept := map[calendar.Key]store.Sweep{}
	for _, sw := range sweeps {
		swept[sw.Period] = sw
	}
	out := map[string]*RuleRecord{}
	for i := range book.Rules {
		rule := &book.Rules[i]
		if rule.Each != k.Grain || !rule.On && !rule.Trial {
			continue
		}
		r := &RuleRecord{Findings: map[string]int{}}
		for _, of := range periods {
			point := RulePoint{Period: of}
			for _, t := range TalliesOf(swept[book.Calendar.Key(of)]) {
				if t.Rule == rule.Name {
					point.Swept = true
					point.Flagged, point.Judged = point.Flagged+t.Flagged, point.Judged+t.Judged()
				}
			}
			r.Points = append(r.Points, point)
		}
		for _, f := range findings {
			if f.Rule == rule.Name {
				r.Findings[f.Finding] += f.Cases
			}
		}
		r.Notes = notesOn(r, swept[k], rule.Name)
		out[rule.Name] = r
	}
	return out, nil
}

// notesOn says in words what a record of a rule suggests: too many, none for long, mostly
// explained.
func notesOn(r *RuleRecord, last store.Sweep, rule string) (notes []string) {
	for _, t := range TalliesOf(last) {
		if t.Rule == rule && t.Crowded() {
			notes = append(notes, fmt.Sprintf("It flags %d of the %d judged: too many to be useful.", t.Flagged, t.Judged()))
			break
		}
	}
	silent, judged := 0, 0
	for _, p := range r.Points {
		switch {
		case !p.Swept || p.Judged == 0:
		case p.Flagged == 0:
			silent, judged = silent+1, judged+1
		default:
			silent, judged = 0, judged+1
		}
	}
	if silent >= silentPeriods {
		notes = append(notes, fmt.Sprintf("It has flagged nothing in the last %d periods.", silent))
	}
	settled := 0
	for finding, n := range r.Findings {
		if finding != "cleared" {
			settled += n
		}
	}
	if explained := r.Findings["explained"]; settled >= fewSettled && 2*explained > settled {
		notes = append(notes, fmt.Sprintf("%d of its %d settled cases were explained.", explained, settled))
	}
	if n := r.Findings["rule fault"]; n > 0 {
		notes = append(notes, fmt.Sprintf("%d of its settled cases %s found to be rule errors.", n, map[bool]string{true: "was", false: "were"}[n == 1]))
	}
	return notes
}
