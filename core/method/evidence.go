package method

import (
	"math/big"

	"oskel/core/amount"
	"oskel/core/rulebook"
)

// Evidence is all that is needed to recompute one verdict, exactly: rationals
// are written as "a/b". What does not apply is absent.
type Evidence struct {
	Measure    string        `json:"measure,omitempty"`
	Unit       rulebook.Unit `json:"unit,omitempty"`
	Places     int           `json:"places,omitempty"`
	Value      *big.Rat      `json:"value,omitempty"`
	Comparison *big.Rat      `json:"yardstick,omitempty"` // what the value was held against, if not in bands of its own
	Against    string        `json:"against,omitempty"`   // "target", "number", the dial's name, or words
	As         string        `json:"as,omitempty"`        // "ratio", "difference" or "change"
	Held       *big.Rat      `json:"held,omitempty"`      // what fell in the band
	Band       *BandFound    `json:"band,omitempty"`
	Peers      *Peers        `json:"peers,omitempty"`
	Silence    *Silence      `json:"silence,omitempty"`
	Past       *Past         `json:"past,omitempty"`
	Events     *Events       `json:"events,omitempty"`
	Figures    []Figure      `json:"figures,omitempty"` // further ones that decided
	Inputs     []Input       `json:"inputs,omitempty"`
	Shown      []Input       `json:"shown,omitempty"`   // what the rule puts beside
	Holding    []string      `json:"holding,omitempty"` // the conditions that hold, of a choice
	Persisted  *Persisted    `json:"persisted,omitempty"`
	Stake      *big.Rat      `json:"stake,omitempty"`
	Why        string        `json:"why,omitempty"`
	Brief      bool          `json:"-"` // asked for the sentence alone: no lines are listed
}

// BandFound is the stretch a value fell in; an open end is nil.
type BandFound struct {
	Low  *BandEnd `json:"low,omitempty"`
	High *BandEnd `json:"high,omitempty"`
}

// BandEnd is one end of a band.
type BandEnd struct {
	At       amount.Amount `json:"at"` // in ten-thousandths
	Included bool          `json:"included"`
	Percent  bool          `json:"percent,omitempty"`
	Dial     string        `json:"dial,omitempty"`
}

// Peers is where a value stands among its group, own value included.
type Peers struct {
	Attribute string   `json:"attribute,omitempty"`
	Group     string   `json:"group,omitempty"`
	Others    int      `json:"others"`
	Place     int      `json:"place"` // dense, 1 is the highest
	Median    *big.Rat `json:"median,omitempty"`
	MAD       *big.Rat `json:"mad,omitempty"`
	Score     *big.Rat `json:"score,omitempty"`
	Cut       *big.Rat `json:"cut,omitempty"`
	Log       bool     `json:"log,omitempty"` // the score is of the logarithms
}

// Persisted is in how many of the last periods the rule found a breach.
type Persisted struct {
	Breaches int `json:"breaches"`
	Of       int `json:"of"`
	Least    int `json:"least"`
}

// Silence is how long nothing was seen. Days are ISO.
type Silence struct {
	Feed  string `json:"feed"`
	Last  string `json:"last"`
	AsOf  string `json:"as_of"`
	Days  int    `json:"days"`
	Limit int    `json:"limit,omitempty"`

	Working  bool     `json:"working,omitempty"`   // the limit is in working days
	UsualGap *big.Rat `json:"usual_gap,omitempty"` // the median of the own gaps, in days
	Gaps     int      `json:"gaps,omitempty"`
	Times    *big.Rat `json:"times,omitempty"` // of the usual gap that are allowed
}

// Input is one of the sums of lines that a value is made of.
type Input struct {
	Measure string        `json:"measure"`
	Unit    rulebook.Unit `json:"unit"`
	Value   *big.Rat      `json:"value,omitempty"`
	Why     string        `json:"why,omitempty"`
}

// Figure is a number that decided, with what it is.
type Figure struct {
	Label  string        `json:"label"`
	Value  *big.Rat      `json:"value,omitempty"`
	Unit   rulebook.Unit `json:"unit,omitempty"`
	Places int           `json:"places,omitempty"`
	Text   string        `json:"text,omitempty"` // instead of a value
}

// Past is a subject's own values, the oldest first, the judged one last, with
// the lines they are held against.
type Past struct {
	Values []PastValue `json:"values"`
	Centre *big.Rat    `json:"centre,omitempty"`
	Low    *big.Rat    `json:"low,omitempty"`
	High   *big.Rat    `json:"high,omitempty"`
	Score  *big.Rat    `json:"score,omitempty"`
	Cut    *big.Rat    `json:"cut,omitempty"`
	Words  []string    `json:"words,omitempty"` // the run rules that broke
	Since  string      `json:"since,omitempty"` // the first period after a shift
}

// PastValue is the value of one period; nil is missing.
type PastValue struct {
	Period string   `json:"period"`
	Value  *big.Rat `json:"value,omitempty"`
	Why    string   `json:"why,omitempty"`
	Fitted *big.Rat `json:"fitted,omitempty"` // what a trend expects, or the centre then
	Marked bool     `json:"marked,omitempty"` // it is one of those that decided
}

// Events are the lines that decided, in order, and the windows they lie in.
type Events struct {
	Lines   []EventLine   `json:"lines"`
	More    int           `json:"more,omitempty"` // lines beyond those listed
	Windows []EventWindow `json:"windows,omitempty"`
	AsOf    string        `json:"as_of"`
}

// EventLine is one line: what it was, and what it counts. Days are ISO.
type EventLine struct {
	Day    string   `json:"day"`
	Feed   string   `json:"feed"`
	Role   string   `json:"role,omitempty"` // "event" or "answer"
	Amount *big.Rat `json:"amount,omitempty"`
}

// EventWindow is a stretch of days, both ends included, and what was found of it.
type EventWindow struct {
	First string `json:"first"`
	Last  string `json:"last"`
	Role  string `json:"role,omitempty"`
	Broke bool   `json:"broke,omitempty"`
}

// describe adds the value of a measure, and what it is made of.
func (ev *Evidence) describe(w *Work, name string, code uint32) {
	e := w.Engine
	m := e.Book.Measure(name)
	ev.Measure, ev.Unit, ev.Places = m.Name, m.Unit, m.Places
	ev.Value, _ = e.Exact(name, code, w.Slot)
	for _, input := range e.Book.Inputs(name) {
		if input == name {
			continue
		}
		v, why := e.Exact(input, code, w.Slot)
		ev.Inputs = append(ev.Inputs, Input{input, e.Book.Measure(input).Unit, v, why.String()})
	}
}
