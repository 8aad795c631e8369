package rulebook

import (
	"fmt"
	"slices"

	"oskel/core/lang"
)

// Narrowed is the book of certain lines alone: each aggregate counts those of its lines for which
// a condition holds too. What reads lines that cannot be asked so is left out, rules and measures
// alike; it is an error where that is all. Rules over windows read lines by themselves, and are
// left out too. The book itself stays as it is.
func (b *Book) Narrowed(text string) (*Book, error) {
	tree, err := lang.Condition(text)
	if err != nil {
		return nil, err
	}
	out := *b
	out.Measures = slices.Clone(b.Measures)
	wide, narrowed := map[string]bool{}, false
	var first error
	for i := range out.Measures {
		m := &out.Measures[i]
		fd := b.Feed(m.Of.Feed)
		if m.Formula != nil || m.Days != "" || fd == nil {
			continue
		}
		if errs := lang.CheckCondition(tree, lineTypes(b, fd)); len(errs) > 0 {
			if wide[m.Name] = true; first == nil {
				first = errs[0]
			}
			continue
		}
		narrowed = true
		all, whole := tree, text
		if m.Where != nil {
			all, whole = &lang.Node{Op: lang.And, At: 1, Parts: []*lang.Node{m.Where.Tree, tree}}, fmt.Sprintf("(%s) and (%s)", m.Where.Text, text)
		}
		m.Where = &Condition{Text: whole, Tree: all}
	}
	if !narrowed {
		return nil, first
	}
	for range b.Measures { // a formula may stand before what it reads
		for _, m := range b.Measures {
			if m.Formula != nil && slices.ContainsFunc(m.Formula.Tree.Names(), func(n string) bool { return wide[n] }) {
				wide[m.Name] = true
			}
		}
	}
	out.Measures = slices.DeleteFunc(out.Measures, func(m Measure) bool { return wide[m.Name] })
	out.Rules = nil
	for i := range b.Rules {
		r := &b.Rules[i]
		reads := false
		for name := range wide {
			reads = reads || r.uses(b, name)
		}
		if !reads && !r.Is("window") {
			out.Rules = append(out.Rules, *r)
		}
	}
	return &out, nil
}

// RowCondition reads a condition on the rows of a table at a level: it may compare measures, and
// ask attributes, key and name.
func (b *Book) RowCondition(text string, l Level) (*lang.Node, error) {
	tree, err := lang.Condition(text)
	if err != nil {
		return nil, err
	}
	r := &reader{}
	r.checkMeasureCondition(b, &Condition{At: Position{1, 1}, Text: text, Tree: tree}, []Level{l}, "rows")
	if len(r.problems) > 0 {
		p := r.problems[0]
		return nil, fmt.Errorf("at character %d: %s", p.Column, p.Text)
	}
	for _, leaf := range Comparisons(tree) {
		if Attributed(leaf) {
			continue
		}
		for _, name := range leaf.Names() {
			if why := b.AskableAt(name, l); why != "" {
				return nil, fmt.Errorf("%s", why)
			}
		}
	}
	return tree, nil
}
