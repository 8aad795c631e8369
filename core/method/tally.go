package method

import "slices"

// Tally counts the verdicts of a result.
type Tally struct {
	Subjects  int            `json:"subjects"` // in scope
	Clear     int            `json:"clear"`
	Breach    map[string]int `json:"breach"` // by grade
	NoData    int            `json:"no_data"`
	NotJudged map[string]int `json:"not_judged"`     // by reason
	Flagged   int            `json:"flagged"`        // breaches, and no data that has a grade
	Good      map[string]int `json:"good,omitempty"` // of those clear, by the grade that praises them
}

// Judged is how many were held against the comparison.
func (t Tally) Judged() int {
	n := t.Clear
	for _, c := range t.Breach {
		n += c
	}
	return n
}

// crowd is the share of those judged from which a rule is said to mark too
// much for its marks to stand out.
const crowd = 0.25

// Crowded says whether the rule flags so large a part of those judged that
// nothing stands out.
func (t Tally) Crowded() bool {
	return t.Flagged >= 10 && float64(t.Flagged) > crowd*float64(t.Judged()+t.NoData)
}

// Tally counts the verdicts.
func (r *Verdicts) Tally() Tally {
	t := Tally{Breach: map[string]int{}, NotJudged: map[string]int{}}
	type part struct {
		of   Mark
		many int
	}
	var parts []part // there are few different ones, and they come in runs
	last := -1
	for _, m := range r.marks {
		if last < 0 || parts[last].of != m {
			if last = slices.IndexFunc(parts, func(p part) bool { return p.of == m }); last < 0 {
				last = len(parts)
				parts = append(parts, part{of: m})
			}
		}
		parts[last].many++
	}
	for _, p := range parts {
		if p.of.outcome == OutOfScope {
			continue
		}
		t.Subjects += p.many
		if p.of.grade != 0 {
			t.Flagged += p.many
		}
		switch p.of.outcome {
		case Clear:
			t.Clear += p.many
			if p.of.good != 0 {
				if t.Good == nil {
					t.Good = map[string]int{}
				}
				t.Good[r.words[p.of.good]] += p.many
			}
		case Breach:
			t.Breach[r.words[p.of.grade]] += p.many
		case NoData:
			t.NoData += p.many
		case NotJudged:
			t.NotJudged[r.words[p.of.why]] += p.many
		}
	}
	return t
}
