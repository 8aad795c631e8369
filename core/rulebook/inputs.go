package rulebook

import "slices"

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
