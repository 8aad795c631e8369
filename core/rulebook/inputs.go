package rulebook

import (
	"slices"

	"oskel/core/lang"
)

// Inputs lists what some measures are made of through their formulas, in order
// of appearance: aggregates of lines, and counts of days. Names that are no
// measures are passed over.
func (b *Book) Inputs(names ...string) (out []string) {
	seen := map[string]bool{}
	var visit func(name string)
	visit = func(name string) {
		m := b.Measure(name)
		if m == nil || seen[name] {
			return
		}
		seen[name] = true
		if m.Formula == nil {
			out = append(out, name)
			return
		}
		for _, n := range m.Formula.Tree.Names() {
			visit(n)
		}
	}
	for _, name := range names {
		visit(name)
	}
	return out
}

// DialsUnder lists the dials that a formula hangs on, through the measures it
// names too, sorted.
func (b *Book) DialsUnder(n *lang.Node) (out []string) {
	seen := map[string]bool{}
	var visit func(names []string)
	visit = func(names []string) {
		for _, name := range names {
			if seen[name] {
				continue
			}
			seen[name] = true
			if b.Dial(name) != nil {
				out = append(out, name)
			} else if m := b.Measure(name); m != nil && m.Formula != nil {
				visit(m.Formula.Tree.Names())
			}
		}
	}
	visit(n.Names())
	slices.Sort(out)
	return out
}

// FeedsUnder lists the feeds a measure is made of, through its formulas.
func (b *Book) FeedsUnder(measure string) (out []string) {
	inputs := b.Inputs(measure)
	for _, f := range b.Feeds {
		if slices.ContainsFunc(inputs, func(name string) bool {
			m := b.Measure(name)
			return m.Days == "" && m.Of.Feed == f.Name
		}) {
			out = append(out, f.Name)
		}
	}
	return out
}

// judgedBy lists the measures that a rule names to judge by, and its own formulas.
func (r *Rule) judgedBy() (names []string, formulas []*lang.Node) {
	if t := r.Threshold; t != nil {
		names = append(names, t.Of)
		if t.Against != nil && t.Against.Tree != nil {
			formulas = append(formulas, t.Against.Tree)
		}
		for _, c := range t.Choices {
			for _, condition := range c.Of {
				formulas = append(formulas, condition.Tree)
			}
		}
	}
	for _, f := range formulas {
		names = append(names, f.Names()...)
	}
	return append(names, r.setMeasures()...), formulas
}

// Gathers says whether a rule looks at groups beside those it judges: in its own
// formulas, or in those of the measures it names in any way.
func (b *Book) Gathers(r *Rule) bool {
	names, formulas := r.judgedBy()
	names = append(names, r.Shows...)
	for _, base := range r.Base {
		names = append(names, base.Measure)
	}
	if r.Stake != nil {
		names, formulas = append(names, r.Stake.Tree.Names()...), append(formulas, r.Stake.Tree)
	}
	seen := map[string]bool{}
	for len(names) > 0 {
		name := names[0]
		names = names[1:]
		if m := b.Measure(name); m != nil && m.Formula != nil && !seen[name] {
			seen[name] = true
			names, formulas = append(names, m.Formula.Tree.Names()...), append(formulas, m.Formula.Tree)
		}
	}
	return slices.ContainsFunc(formulas, (*lang.Node).Gathers)
}

// FeedsRead lists the feeds whose lines a rule judges by.
func (b *Book) FeedsRead(r *Rule) (out []string) {
	names, _ := r.judgedBy()
	for _, f := range b.Feeds {
		if slices.Contains(r.setFeeds(), f.Name) || slices.ContainsFunc(names, func(name string) bool { return slices.Contains(b.FeedsUnder(name), f.Name) }) {
			out = append(out, f.Name)
		}
	}
	return out
}
