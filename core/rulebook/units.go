package rulebook

import (
	"fmt"
	"strings"

	"oskel/core/lang"
)

// A formula's unit is one of the Units, or: a plain number, which fits any; a
// ratio, which is a percent or a count; or unknown, which is not held against
// anything.
const (
	plainUnit   Unit = "number"
	ratioUnit   Unit = "ratio"
	unknownUnit Unit = ""
)

// checkUnits refuses adding money to days and formulas that give another unit
// than the measure declares.
func (r *reader) checkUnits(book *Book) {
	for i := range book.Measures {
		m := &book.Measures[i]
		path := "measures." + m.Name
		if m.Formula == nil {
			r.checkAggregateUnit(book, m, path)
			continue
		}
		u, err := book.unitOf(m.Formula.Tree)
		switch {
		case err != nil:
			r.complain(shift(m.Formula.At, err.At), path+".formula", "%s", err.Text)
		case !fitsUnit(u, m.Unit):
			r.complain(m.Formula.At, path+".formula", "the formula gives %s, and the measure is declared in %s", unitWords(u), m.Unit)
		}
	}
	// What a formula of a rule names that is not there is said with the rule.
	known := func(n *lang.Node) bool { return n != nil && len(formulaErrors(book, n)) == 0 }
	for i := range book.Rules {
		if t := book.Rules[i].Threshold; t != nil && t.Against != nil && known(t.Against.Tree) && book.Measure(t.Of) != nil {
			of := &lang.Node{Op: lang.Name, At: t.Against.Tree.At, Text: t.Of}
			u, err := book.unitOf(of)
			if err == nil {
				_, err = book.sameUnit(of, u, t.Against.Tree, "holding against one another")
			}
			if err != nil {
				r.complain(shift(t.Against.At, err.At), "rules."+book.Rules[i].Name+".threshold.against", "%s", err.Text)
			}
		}
		if s := book.Rules[i].Stake; s != nil && known(s.Tree) {
			if _, err := book.unitOf(s.Tree); err != nil {
				r.complain(shift(s.At, err.At), "rules."+book.Rules[i].Name+".stake", "%s", err.Text)
			}
		}
	}
}

// StakeUnit is what a rule's stake is in: money, where its formula does not say otherwise.
func (b *Book) StakeUnit(r *Rule) Unit {
	if r == nil || r.Stake == nil {
		return Money
	}
	switch u, err := b.unitOf(r.Stake.Tree); {
	case err != nil || u == unknownUnit || u == plainUnit:
		return Money
	case u == ratioUnit:
		return Percent
	default:
		return u
	}
}

// OtherStakes names the rules whose stake is no money, with commas between.
func (b *Book) OtherStakes() string {
	var names []string
	for i := range b.Rules {
		if b.StakeUnit(&b.Rules[i]) != Money {
			names = append(names, b.Rules[i].Name)
		}
	}
	return strings.Join(names, ",")
}

func (r *reader) checkAggregateUnit(book *Book, m *Measure, path string) {
	want := Count
	if m.Aggregate != "count" && m.Aggregate != "distinct" {
		f := book.Feed(m.Of.Feed)
		if f == nil || f.Figure(m.Of.Figure) == nil {
			return
		}
		want = f.Figure(m.Of.Figure).Unit
	}
	if m.Days == "" && m.Unit != want {
		r.complain(m.At, path+".unit", "%s of %s is in %s, and the measure is declared in %s", m.Aggregate, m.Of.Feed+"."+m.Of.Figure, want, m.Unit)
	}
}

func fitsUnit(u, declared Unit) bool {
	return u == declared || u == unknownUnit || u == plainUnit || u == ratioUnit && (declared == Percent || declared == Count)
}

func unitWords(u Unit) string {
	if u == ratioUnit {
		return "a ratio"
	}
	return string(u)
}

// unitOf is the unit of a formula's value: money by money is a plain number, money and percent do
// not add.
func (b *Book) unitOf(n *lang.Node) (Unit, *lang.Error) {
	switch n.Op {
	case lang.Number:
		if n.Percent {
			return Percent, nil
		}
		return plainUnit, nil
	case lang.Name:
		if d := b.Dial(n.Text); d != nil {
			if d.Percent {
				return Percent, nil
			}
			return plainUnit, nil
		}
		return b.Measure(n.Text).Unit, nil
	case lang.Negate:
		return b.unitOf(n.Parts[0])
	case lang.Call:
		return b.unitOfCall(n)
	case lang.Choose:
		if err := b.comparable(n.Parts[0]); err != nil {
			return "", err
		}
		u, err := b.unitOf(n.Parts[1])
		if err != nil || len(n.Parts) == 2 {
			return u, err
		}
		return b.sameUnit(n, u, n.Parts[2], "choosing between")
	}
	left, err := b.unitOf(n.Parts[0])
	if err != nil {
		return "", err
	}
	if n.Op == lang.Plus || n.Op == lang.Minus {
		return b.sameUnit(n, left, n.Parts[1], map[lang.Op]string{lang.Plus: "adding", lang.Minus: "subtracting"}[n.Op])
	}
	right, err := b.unitOf(n.Parts[1])
	if err != nil {
		return "", err
	}
	return combined(n.Op, left, right), nil
}

// combined is the unit of a product or quotient.
func combined(op lang.Op, left, right Unit) Unit {
	pure := func(u Unit) bool { return u == plainUnit || u == Percent || u == ratioUnit || u == Count }
	switch {
	case op == lang.Divide && left == right && left != plainUnit:
		return ratioUnit
	case right == plainUnit:
		return left
	case op == lang.Times && left == plainUnit:
		return right
	case pure(left) && pure(right):
		return ratioUnit
	case pure(right):
		return left
	case op == lang.Times && pure(left):
		return right
	}
	return unknownUnit
}

// sameUnit holds a unit against another part that is added to it, or that may
// stand in its place.
func (b *Book) sameUnit(n *lang.Node, left Unit, part *lang.Node, doing string) (Unit, *lang.Error) {
	right, err := b.unitOf(part)
	switch {
	case err != nil:
		return "", err
	case left == unknownUnit || left == plainUnit:
		return right, nil
	case right == unknownUnit || right == plainUnit || left == right:
		return left, nil
	case fitsUnit(left, right) || fitsUnit(right, left):
		return Percent, nil
	}
	return "", &lang.Error{At: n.At, Text: fmt.Sprintf("%s %s and %s makes no sense", doing, unitWords(left), unitWords(right))}
}

func (b *Book) unitOfCall(n *lang.Node) (Unit, *lang.Error) {
	u, err := b.unitOf(n.Parts[0])
	if err != nil {
		return "", err
	}
	switch lang.Functions[n.Text].Gives {
	case lang.Share:
		return Percent, nil
	case lang.Ordinal:
		return Count, nil
	case lang.Either:
		return b.sameUnit(n, u, n.Parts[1], "filling")
	}
	return u, nil
}

func (b *Book) comparable(n *lang.Node) *lang.Error {
	switch n.Op {
	case lang.And, lang.Or, lang.Not:
		for _, p := range n.Parts {
			if err := b.comparable(p); err != nil {
				return err
			}
		}
		return nil
	}
	u, err := b.unitOf(n.Parts[0])
	for _, p := range n.Parts[1:] {
		if number := p.Bare(); err == nil && u == Percent && number != "" {
			return &lang.Error{At: p.At, Text: number + " for a percentage: " + percentMeantText(number)}
		}
		if err == nil {
			_, err = b.sameUnit(n, u, p, "comparing")
		}
	}
	return err
}
