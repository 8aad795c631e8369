package judge

import (
	"math/big"
	"slices"

	"oskel/core/amount"
	"oskel/core/lang"
	"oskel/core/ledger"
	"oskel/core/measure"
	"oskel/core/rulebook"
	"oskel/core/stats"
)

// Evidence is all that is needed to recompute one verdict, exactly: rationals
// are written as "a/b". What does not apply is absent.
type Evidence struct {
	Measure   string        `json:"measure,omitempty"`
	Unit      rulebook.Unit `json:"unit,omitempty"`
	Places    int           `json:"places,omitempty"`
	Value     *big.Rat      `json:"value,omitempty"`
	Yardstick *big.Rat      `json:"yardstick,omitempty"` // what the value was held against, if not in bands of its own
	Against   string        `json:"against,omitempty"`   // "target", "number", the dial's name, or words
	As        string        `json:"as,omitempty"`        // "ratio", "difference" or "change"
	Held      *big.Rat      `json:"held,omitempty"`      // what fell in the band
	Band      *BandFound    `json:"band,omitempty"`
	Peers     *Peers        `json:"peers,omitempty"`
	Silence   *Silence      `json:"silence,omitempty"`
	Inputs    []Input       `json:"inputs,omitempty"`
	Shown     []Input       `json:"shown,omitempty"`   // what the rule puts beside
	Holding   []string      `json:"holding,omitempty"` // the conditions that hold, of a choice
	Persisted *Persisted    `json:"persisted,omitempty"`
	Stake     *big.Rat      `json:"stake,omitempty"`
	Why       string        `json:"why,omitempty"`
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
	Median    *big.Rat `json:"median"`
	MAD       *big.Rat `json:"mad"`
	Score     *big.Rat `json:"score"`
	Cut       *big.Rat `json:"cut"`
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
	Limit int    `json:"limit"`
}

// Input is one of the sums of lines that a value is made of.
type Input struct {
	Measure string        `json:"measure"`
	Unit    rulebook.Unit `json:"unit"`
	Value   *big.Rat      `json:"value,omitempty"`
	Why     string        `json:"why,omitempty"`
}

// EvidenceFor recomputes, exactly, what led to the verdict of one subject.
func EvidenceFor(e *measure.Engine, r *Result, code uint32) Evidence {
	rule, verdict := r.Rule, r.Verdict(code)
	ev := Evidence{Why: verdict.Why}
	if rule.Stake != nil {
		ev.Stake, _ = e.ExactFormula(rule.Stake.Tree, code, r.slot)
	}
	for _, name := range rule.Shows {
		v, why := e.Exact(name, code, r.slot)
		ev.Shown = append(ev.Shown, Input{name, e.Book.Measure(name).Unit, v, why.String()})
	}
	if p := rule.Persists; p != nil && (verdict.Outcome == Breach || verdict.Why == NotPersisting) {
		ev.Persisted = &Persisted{r.breaches(int(code)), p.Of, p.Least}
	}
	switch {
	case rule.Threshold != nil && rule.Threshold.Choices != nil:
		ev.choose(e, r, code)
	case rule.Threshold != nil:
		t := rule.Threshold
		ev.describe(e, r, t.Of, code)
		if t.Against != nil {
			ev.As = t.As
			ev.Against = againstWords(e.Book, t)
			if r.yard != nil && r.yard.Why[code] == measure.Present && noYardstick(e, r, code) == "" {
				ev.Yardstick, _ = e.ExactFormula(t.Against.Tree, code, r.slot)
			}
		}
		if ev.Value == nil {
			ev.Value = r.exactValue(e, code)
		}
		if ev.Value != nil && (t.Against == nil || ev.Yardstick != nil) {
			ev.Held = heldExactly(e, r, code, ev.Value)
			ev.Band = bandFound(e.Book, t.Bands, ev.Held)
		}
	case rule.Outlier != nil:
		ev.describe(e, r, rule.Outlier.Of, code)
		if verdict.Outcome == Breach || verdict.Outcome == Clear {
			ev.Peers = peersFound(e, r, code)
		}
	case rule.Window != nil:
		if last := r.lastSeen; last != nil && last[code] != ledger.Never {
			asOf := r.slot.Last
			ev.Silence = &Silence{rule.Window.Feed, last[code].String(), asOf.String(), int(asOf - last[code]), rule.Window.Days}
		}
	}
	return ev
}

func againstWords(book *rulebook.Book, t *rulebook.Threshold) string {
	tree := t.Against.Tree
	switch {
	case t.Against.Target:
		return "target"
	case tree.Op == lang.Number:
		return "number"
	case tree.Op == lang.Name && book.Dial(tree.Text) != nil:
		return tree.Text
	}
	return book.YardstickWords(t)
}

// choose lists the conditions that hold of the choice that was taken, and the
// figures they compare.
func (ev *Evidence) choose(e *measure.Engine, r *Result, code uint32) {
	seen := map[string]bool{}
	for _, c := range r.Rule.Threshold.Choices {
		for _, condition := range c.Of {
			if r.Verdict(code).Grade == c.Grade && !c.None && holds(e, condition.Tree, r.slot)(int(code)) && !slices.Contains(ev.Holding, condition.Text) {
				ev.Holding = append(ev.Holding, condition.Text)
			}
			for _, name := range condition.Tree.Names() {
				if m := e.Book.Measure(name); m != nil && !seen[name] {
					seen[name] = true
					v, why := e.Exact(name, code, r.slot)
					ev.Inputs = append(ev.Inputs, Input{name, m.Unit, v, why.String()})
				}
			}
		}
	}
}

func (ev *Evidence) describe(e *measure.Engine, r *Result, name string, code uint32) {
	m := e.Book.Measure(name)
	ev.Measure, ev.Unit, ev.Places = m.Name, m.Unit, m.Places
	ev.Value, _ = e.Exact(name, code, r.slot)
	for _, input := range e.Book.Inputs(name) {
		if input == name {
			continue
		}
		v, why := e.Exact(input, code, r.slot)
		ev.Inputs = append(ev.Inputs, Input{input, e.Book.Measure(input).Unit, v, why.String()})
	}
}

func bandFound(book *rulebook.Book, bands []rulebook.Band, held *big.Rat) *BandFound {
	intervals, _ := book.Partition(bands)
	f, _ := held.Float64()
	in := intervals[locate(intervals, f, 1e300, func() *big.Rat { return held })]
	end := func(c rulebook.Cut, included bool) *BandEnd {
		if c.Inf != 0 {
			return nil
		}
		out := &BandEnd{At: c.At, Included: included}
		for _, b := range bands {
			for _, stated := range []*rulebook.End{b.Low, b.High} {
				if stated != nil && book.Value(stated.Bound) == c.At {
					out.Percent, out.Dial = stated.Bound.Percent, stated.Bound.Dial
				}
			}
		}
		return out
	}
	return &BandFound{end(in.Low, !in.Low.After), end(in.High, in.High.After)}
}

// groupFigures is how the members of a group lie among themselves: how many they
// are, the dense place from above of each, and their exact median and MAD.
type groupFigures struct {
	members     int
	place       map[uint32]int
	median, mad *big.Rat
}

func (r *Result) figuresOf(e *measure.Engine, code uint32) *groupFigures {
	at := slices.IndexFunc(r.groups, func(group []int) bool {
		_, in := slices.BinarySearch(group, int(code))
		return in
	})
	if s := r.peers[at]; s != nil {
		return s
	}
	column, exact := e.Column(r.Rule.Outlier.Of, r.slot), r.exactly(e)
	codes := slices.Clone(r.groups[at])
	s := &groupFigures{members: len(codes), place: map[uint32]int{}}
	s.median, s.mad = column.Near(codes, exact).MedianMAD()
	places := column.Rank(codes, exact)
	for i, code := range codes {
		s.place[uint32(code)] = places[len(places)-1] - places[i] + 1
	}
	if r.peers == nil {
		r.peers = map[int]*groupFigures{}
	}
	r.peers[at] = s
	return s
}

func peersFound(e *measure.Engine, r *Result, code uint32) *Peers {
	o := r.Rule.Outlier
	p := &Peers{Attribute: o.Among, Cut: e.Book.Value(o.Beyond).Rat()}
	if o.Among != "" {
		p.Group = e.Snapshot.Registers[r.Level.Kind].Value(o.Among, code, r.slot.Last).Text
	}
	s := r.figuresOf(e, code)
	p.Others, p.Place = s.members-1, s.place[code]
	p.Median, p.MAD = s.median, s.mad
	p.Score = new(big.Rat).Mul(stats.RobustFactorRat, new(big.Rat).Sub(r.exactly(e)(int(code)), p.Median))
	p.Score.Quo(p.Score, p.MAD)
	return p
}
