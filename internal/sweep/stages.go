package sweep

import (
	"encoding/json"
	"time"

	"oskel/core/calendar"
	"oskel/internal/store"
)

// The stages of a sweep, in order.
const (
	Reading   = "reading the data"
	Judging   = "judging"
	Comparing = "comparing with the record"
	Writing   = "writing"
)

// Stages are those of a sweep, in order.
var Stages = []string{Reading, Judging, Comparing, Writing}

// Progress is how far a sweep is.
type Progress struct {
	Period calendar.Period
	Words  string // the period, for people
	Stage  string // "" when it has ended
}

// Took is how long a stage took.
type Took struct {
	Stage string `json:"stage"`
	MS    int    `json:"ms"`
}

// StagesOf reads how long the stages of a sweep took; of old ones nothing is known.
func StagesOf(s store.Sweep) (all []Took) {
	if len(s.Stages) > 0 {
		json.Unmarshal(s.Stages, &all) //nolint:errcheck // written by the sweep
	}
	return all
}

// Tell has progress be told of; it must not wait.
func (s *Service) Tell(told func(Progress)) { s.told = told }

// watch times the stages of one sweep, and tells of them.
type watch struct {
	told   func(Progress)
	of     Progress
	began  time.Time
	stages []Took
}

// enter begins a stage, and ends the one before; "" ends the last.
func (w *watch) enter(stage string) {
	now := time.Now()
	if w.of.Stage != "" {
		w.stages = append(w.stages, Took{w.of.Stage, int(now.Sub(w.began).Milliseconds())})
	}
	w.of.Stage, w.began = stage, now
	if w.told != nil {
		w.told(w.of)
	}
}
