package explain

import (
	"cmp"
	"errors"
	"fmt"
	"math/big"
	"slices"

	"oskel/core/lang"
	"oskel/core/ledger"
	"oskel/core/measure"
	"oskel/core/rulebook"
)

// Walk is what made a figure move from what it was to what it is: its parts, ranked by
// how much each made, which add up to the change exactly. After the usual accounts of a
// change: of a sum each part's now less then; of a ratio N / D part i makes
// (n1 - r0 d1) / D1 - (n0 - r0 d0) / D0, of which its own rate w1 (r1i - r0i) and its
// weight (w1 - w0) (r0i - r0), with w = d / D, where it has both.
type Walk struct {
	Then, Now *big.Rat
	Ratio     bool
	Periods   int // of then, those that have a figure
	Parts     []WalkPart
	Effects   []Effect // price, volume, mix and the like, where the measure has a quantity
}

// WalkPart is one part of a walk. Then and Now are its own figures, nil where it has
// none; of the lines that name no part Code is Unnamed. Own and Weight are of a ratio, nil where it had no rate then or has none now.
type WalkPart struct {
	Code        uint32
	Then, Now   *big.Rat
	Change      *big.Rat
	Own, Weight *big.Rat

	size *big.Rat // of Change, whatever its sign
}

// Unnamed is the part of the lines that name none.
const Unnamed = ledger.Nobody

// New says that a part was not there then, Lost that it is not there now.
func (p WalkPart) New() bool  { return p.Then == nil && p.Now != nil }
func (p WalkPart) Lost() bool { return p.Then != nil && p.Now == nil }

// Effect is one of the causes of a change that hold over all parts together.
type Effect struct {
	Name   string // volume, mix, price, cost, new, lost or without quantities; "volume and mix" where they cannot be told apart
	Change *big.Rat
}

// Errors of walks that cannot be.
var (
	ErrNoParts = errors.New("it cannot be broken down")
	ErrNoThen  = errors.New("nothing to compare with")
)

// NoFigure says that a figure is missing then, now, or both, and why; it is an ErrNoThen.
type NoFigure struct{ Then, Now measure.Why }

func (n *NoFigure) Error() string {
	return fmt.Sprintf("%s: then %q, now %q", ErrNoThen, n.Then, n.Now)
}

// Is implements errors.Is.
func (n *NoFigure) Is(target error) bool { return target == ErrNoThen }

// WalkOf takes a change apart: of a formula, from some slots to another of the same
// level, for one code, by the parts of another level. Of several slots then is the
// average of those that have a figure, and of a ratio the ratio of their sums. With a quantity the change of a sum
// is told by volume, mix and price as well, and of a sum less costs by cost.
func WalkOf(e *measure.Engine, n, quantity *lang.Node, then []measure.Slot, now measure.Slot, code uint32, by measure.Level) (*Walk, error) {
	above, below, den, ok := parted(e, n)
	if !ok {
		return nil, fmt.Errorf("%w: only sums of lines, and ratios of such sums, can be broken down", ErrNoParts)
	}
	var sold []measure.Term
	if quantity != nil && den == nil {
		if sold, ok = e.Linear(quantity); !ok {
			return nil, fmt.Errorf("%w: its quantity is not a sum of lines", ErrNoParts)
		}
	}
	for _, t := range slices.Concat(above, below, sold) {
		if feed := e.Book.Feed(e.Book.Measure(t.Measure).Of.Feed); by.Kind != "" && feed.SubjectColumn(by.Kind) == "" {
			return nil, fmt.Errorf("%w: the lines of %s name no %s", ErrNoParts, feed.Name, by.Kind)
		}
	}
	// What is missing is not walked from as if it were zero.
	none := &NoFigure{}
	_, none.Now = e.ExactFormula(n, code, now)
	then = slices.DeleteFunc(slices.Clone(then), func(s measure.Slot) bool {
		_, why := e.ExactFormula(n, code, s)
		if why != measure.Present {
			none.Then = why
		}
		return why != measure.Present
	})
	if len(then) > 0 {
		none.Then = measure.Present
	}
	if *none != (NoFigure{}) {
		return nil, none
	}
	g := &gathering{e: e.Only(now.Level, code, append(slices.Clone(then), now)...), whole: e, code: code, then: then, now: now, by: by}
	if den == nil && len(then) > 1 {
		g.share = big.NewRat(1, int64(len(then)))
	}
	w := &Walk{Ratio: den != nil, Periods: len(then)}
	var err error
	if w.Ratio {
		err = w.ratio(g.sums(above), g.sums(below))
	} else {
		err = w.sum(g, above, sold)
	}
	if g.why != measure.Present {
		err = fmt.Errorf("%w: %s", ErrNoParts, g.why)
	}
	return w, err
}

// parted is a formula as a sum of lines, or as a ratio of two such sums, whose denominator is
// den then.
func parted(e *measure.Engine, n *lang.Node) (above, below []measure.Term, den *lang.Node, ok bool) {
	for n.Op == lang.Name && e.Book.Measure(n.Text) != nil && e.Book.Measure(n.Text).Formula != nil && e.Book.Measure(n.Text).Groups.How == "" {
		n = e.Book.Measure(n.Text).Formula.Tree
	}
	if above, ok = e.Linear(n); ok || n.Op != lang.Divide {
		return above, nil, nil, ok
	}
	above, ok = e.Linear(n.Parts[0])
	below, second := e.Linear(n.Parts[1])
	return above, below, n.Parts[1], ok && second
}

// Parted says whether the figure that a walk of a measure goes by can be taken apart.
func Parted(e *measure.Engine, name string) bool {
	n, _ := Moved(e.Book, name)
	_, _, _, ok := parted(e, n)
	return ok
}

// gathering adds up lines of one code by the codes of a level.
type gathering struct {
	e     *measure.Engine // that sees the code's lines alone
	whole *measure.Engine
	code  uint32
	then  []measure.Slot
	now   measure.Slot
	by    measure.Level
	share *big.Rat    // of what the slots of then add up to; nil is all
	why   measure.Why // why some part cannot be told
}

// sides are a part's figures then and now, nil where there is none.
type sides struct{ then, now *big.Rat }

// sums are terms added up by part.
func (g *gathering) sums(terms []measure.Term) map[uint32]*sides {
	out := map[uint32]*sides{}
	put := func(code uint32, term measure.Term, v *big.Rat, side func(*sides) **big.Rat) {
		if out[code] == nil {
			out[code] = &sides{}
		}
		to := side(out[code])
		if *to == nil {
			*to = new(big.Rat)
		}
		(*to).Add(*to, new(big.Rat).Mul(term.Times, v))
	}
	add := func(term measure.Term, s measure.Slot, side func(*sides) **big.Rat) {
		rest, some := g.whole.Exact(term.Measure, g.code, s)
		if some == measure.Present {
			rest = new(big.Rat).Set(rest)
		}
		s.Level = g.by
		named := false
		for _, code := range g.e.Seeing(term.Measure, s) {
			if g.e.Stopped() { // whoever asks looks for that
				return
			}
			v, why := g.e.Exact(term.Measure, code, s)
			if why != measure.Present {
				g.why = why
				continue
			}
			put(code, term, v, side)
			named = true
			if some == measure.Present {
				rest.Sub(rest, v)
			}
		}
		// Lines that name no part are in the figure all the same, also where they make it zero.
		if some == measure.Present && (rest.Sign() != 0 || !named) {
			put(Unnamed, term, rest, side)
		}
	}
	for _, term := range terms {
		for _, s := range g.then {
			add(term, s, func(x *sides) **big.Rat { return &x.then })
		}
		add(term, g.now, func(x *sides) **big.Rat { return &x.now })
	}
	if g.share != nil {
		for _, x := range out {
			if x.then != nil {
				x.then.Mul(x.then, g.share)
			}
		}
	}
	return out
}

func total(of map[uint32]*sides) (then, now *big.Rat) {
	for _, x := range of {
		then, now = plus(then, x.then), plus(now, x.now)
	}
	return then, now
}

func plus(a, b *big.Rat) *big.Rat {
	if b == nil {
		return a
	}
	if a == nil {
		return new(big.Rat).Set(b)
	}
	return a.Add(a, b)
}

// less is a - b, where nil counts as nothing.
func less(a, b *big.Rat) *big.Rat {
	out := new(big.Rat)
	if a != nil {
		out.Set(a)
	}
	if b != nil {
		out.Sub(out, b)
	}
	return out
}

func (w *Walk) sum(g *gathering, terms, sold []measure.Term) error {
	of := g.sums(terms)
	w.Then, w.Now = total(of)
	if w.Then == nil || w.Now == nil {
		return ErrNoThen
	}
	for code, x := range of {
		w.Parts = append(w.Parts, WalkPart{Code: code, Then: x.then, Now: x.now, Change: less(x.now, x.then)})
	}
	w.rank()
	if sold != nil {
		w.effects(g, terms, sold)
	}
	return nil
}

// ratio parts the change of a quotient into what each member's mix and rate brought; the parts add
// up to the change exactly, as fractions.
func (w *Walk) ratio(above, below map[uint32]*sides) error {
	n0, n1 := total(above)
	d0, d1 := total(below)
	if n0 == nil || n1 == nil || d0 == nil || d1 == nil || d0.Sign() == 0 || d1.Sign() == 0 {
		return ErrNoThen
	}
	w.Then, w.Now = new(big.Rat).Quo(n0, d0), new(big.Rat).Quo(n1, d1)
	part := func(n, d, whole *big.Rat) *big.Rat { // (n - r0 d) / D
		out := less(n, nil)
		if d != nil {
			out.Sub(out, new(big.Rat).Mul(w.Then, d))
		}
		return out.Quo(out, whole)
	}
	rate := func(n, d *big.Rat) *big.Rat {
		if n == nil || d == nil || d.Sign() == 0 {
			return nil
		}
		return new(big.Rat).Quo(n, d)
	}
	codes := map[uint32]bool{}
	for code := range above {
		codes[code] = true
	}
	for code := range below {
		codes[code] = true
	}
	none := &sides{}
	for code := range codes {
		n, d := above[code], below[code]
		if n == nil {
			n = none
		}
		if d == nil {
			d = none
		}
		p := WalkPart{Code: code, Then: rate(n.then, d.then), Now: rate(n.now, d.now)}
		p.Change = new(big.Rat).Sub(part(n.now, d.now, d1), part(n.then, d.then, d0))
		if p.Then != nil && p.Now != nil {
			was, is := new(big.Rat).Quo(d.then, d0), new(big.Rat).Quo(d.now, d1)
			p.Own = new(big.Rat).Mul(is, new(big.Rat).Sub(p.Now, p.Then))
			p.Weight = new(big.Rat).Mul(is.Sub(is, was), new(big.Rat).Sub(p.Then, w.Then))
		}
		w.Parts = append(w.Parts, p)
	}
	w.rank()
	return nil
}

// rank puts first what made most of the change.
func (w *Walk) rank() {
	for i := range w.Parts {
		w.Parts[i].size = new(big.Rat).Abs(w.Parts[i].Change)
	}
	slices.SortFunc(w.Parts, func(a, b WalkPart) int {
		return cmp.Or(b.size.Cmp(a.size), cmp.Compare(a.Code, b.Code))
	})
}

// effects tells a change by causes, over the parts with a quantity then and now:
// volume (Q1 - Q0) M0 / Q0, mix sum q1 m0 - M0 Q1 / Q0, price sum (p1 - p0) q1 and,
// where something is taken off, cost -sum (c1 - c0) q1; the other parts are new,
// lost, or without quantities where they have money on both sides. Small letters are a part's, and m, p and c are per unit.
func (w *Walk) effects(g *gathering, terms, sold []measure.Term) {
	var gains, costs []measure.Term
	for _, t := range terms {
		if t.Times.Sign() < 0 {
			costs = append(costs, measure.Term{Measure: t.Measure, Times: new(big.Rat).Neg(t.Times)})
		} else {
			gains = append(gains, t)
		}
	}
	money, quantities, taken := g.sums(gains), g.sums(sold), g.sums(costs)
	volume, mix, price, cost, fresh, lost := new(big.Rat), new(big.Rat), new(big.Rat), new(big.Rat), new(big.Rat), new(big.Rat)
	var uncounted *big.Rat // of parts with money on both sides, and not both quantities
	m0, q0, q1, mixed := new(big.Rat), new(big.Rat), new(big.Rat), new(big.Rat)
	for code := range union(money, quantities, taken) {
		r, c, q := or(money[code]), or(taken[code]), or(quantities[code])
		then, now := less(r.then, c.then), less(r.now, c.now)
		none := q.then == nil || q.now == nil || q.then.Sign() == 0 || q.now.Sign() == 0
		switch was, is := r.then != nil || c.then != nil, r.now != nil || c.now != nil; {
		case none && was && is: // it is neither new nor lost
			if uncounted == nil {
				uncounted = new(big.Rat)
			}
			uncounted.Add(uncounted, new(big.Rat).Sub(now, then))
			continue
		case none:
			lost.Sub(lost, then)
			fresh.Add(fresh, now)
			continue
		}
		m0.Add(m0, then)
		q0.Add(q0, q.then)
		q1.Add(q1, q.now)
		grown := new(big.Rat).Quo(q.now, q.then)
		mixed.Add(mixed, new(big.Rat).Mul(then, grown)) // q1 m0
		price.Add(price, new(big.Rat).Sub(less(r.now, nil), new(big.Rat).Mul(less(r.then, nil), grown)))
		cost.Sub(cost, new(big.Rat).Sub(less(c.now, nil), new(big.Rat).Mul(less(c.then, nil), grown)))
	}
	if q0.Sign() == 0 {
		w.Effects = append(w.Effects, Effect{"volume and mix", mixed.Sub(mixed, m0)})
	} else {
		unit := new(big.Rat).Quo(m0, q0)
		volume.Mul(new(big.Rat).Sub(q1, q0), unit)
		mix.Sub(mixed, new(big.Rat).Mul(unit, q1))
		w.Effects = append(w.Effects, Effect{"volume", volume}, Effect{"mix", mix})
	}
	w.Effects = append(w.Effects, Effect{"price", price})
	if len(costs) > 0 {
		w.Effects = append(w.Effects, Effect{"cost", cost})
	}
	w.Effects = append(w.Effects, Effect{"new", fresh}, Effect{"lost", lost})
	if uncounted != nil {
		w.Effects = append(w.Effects, Effect{"without quantities", uncounted})
	}
}

func or(s *sides) *sides {
	if s == nil {
		return &sides{}
	}
	return s
}

func union(all ...map[uint32]*sides) map[uint32]bool {
	out := map[uint32]bool{}
	for _, m := range all {
		for code := range m {
			out[code] = true
		}
	}
	return out
}

// What a figure may be walked from.
const (
	Before     = "before"      // the period before
	YearBefore = "year before" // the same period a year before
	Usual      = "usual"       // the average of the last periods
)

// Moved is the formula to be walked where a measure is asked for: of growth, change,
// attainment and gaps that of which they are, of which from says the comparison if it is
// in time.
func Moved(book *rulebook.Book, name string) (n *lang.Node, from string) {
	n = &lang.Node{Op: lang.Name, Text: name}
	m := book.Measure(name)
	if m == nil || m.Formula == nil || m.Formula.Tree.Op != lang.Call {
		return n, ""
	}
	switch call := m.Formula.Tree; call.Text {
	case "growth", "change":
		return call.Parts[0], inTime(call)
	case "attainment", "gap", "trailing", "to_date":
		return call.Parts[0], ""
	}
	return n, ""
}

// MovedBy is the measure that a rule looks at, "" if it is none, and from when its walk
// is asked first: the rule's comparison where that is in time.
func MovedBy(book *rulebook.Book, rule *rulebook.Rule) (name, from string) {
	name, from = rule.Says("of"), ""
	if t := rule.Threshold; t != nil {
		name = t.Of
		if t.Against != nil && t.Against.Tree != nil {
			from = inTime(t.Against.Tree)
		}
	}
	if book.Measure(name) == nil {
		return "", ""
	}
	if from == "" {
		_, from = Moved(book, name)
	}
	if from == "" && rule.Method != nil {
		from = ownPast[rule.Method.Name]
	}
	if from == "" {
		from = Before
	}
	return name, from
}

// WalkAnswers says whether a walk answers what a rule asks: not that of a window, whose days
// are others than the period's, nor that of a comparison that is not in time, such as a
// target, from which a figure does not move.
func WalkAnswers(rule *rulebook.Rule) bool {
	if t := rule.Threshold; t != nil && t.Against != nil {
		return t.Against.Tree != nil && inTime(t.Against.Tree) != ""
	}
	return rule.Family() != "event window"
}

// ownPast is what methods that look at the own past hold a figure against.
var ownPast = map[string]string{"same season": YearBefore, "own past": Usual, "deviation from trend": Usual, "control chart": Usual, "EWMA": Usual,
	"CUSUM": Usual, "level shift": Usual}

// inTime says which comparison in time a call is.
func inTime(call *lang.Node) string {
	if call.Op != lang.Call {
		return ""
	}
	switch call.Text {
	case "earlier", "growth", "change":
		if len(call.Parts) > 1 && call.Parts[1].Text == "year" {
			return YearBefore
		}
		return Before
	case "history", "trailing":
		return Usual
	}
	return ""
}
