package rulebook

import (
	"strings"

	"oskel/core/lang"
)

// Attributed says whether a comparison is of an attribute, such as
// rep.territory, rather than of measures.
func Attributed(n *lang.Node) bool {
	return len(n.Parts) > 0 && n.Parts[0].Op == lang.Name && strings.Contains(n.Parts[0].Text, ".")
}

// Comparisons lists the comparisons that a condition is made of.
func Comparisons(n *lang.Node) []*lang.Node {
	switch n.Op {
	case lang.And, lang.Or, lang.Not:
		var out []*lang.Node
		for _, p := range n.Parts {
			out = append(out, Comparisons(p)...)
		}
		return out
	}
	return []*lang.Node{n}
}

// checkMeasureCondition finds what is wrong with a condition that may compare
// measures, or ask attributes of every level judged.
func (r *reader) checkMeasureCondition(book *Book, c *Condition, levels []Level, path string) {
	for _, leaf := range Comparisons(c.Tree) {
		if Attributed(leaf) {
			for _, l := range levels {
				for _, e := range lang.CheckCondition(leaf, book.attributeTypes(l)) {
					r.complain(shift(c.At, e.At), path, "%s", e.Text)
				}
			}
			continue
		}
		if err := lang.CheckChoices(&lang.Node{Op: lang.Choose, At: leaf.At, Parts: []*lang.Node{leaf, {Op: lang.Number, At: leaf.At}}}); err != nil {
			r.complain(shift(c.At, err.At), path, "%s", err.Text)
			continue
		}
		broken := false
		for _, p := range leaf.Parts {
			for _, e := range formulaErrors(book, p) {
				broken = true
				r.complain(shift(c.At, e.At), path, "%s", e.Text)
			}
		}
		if !broken && len(r.problems) == 0 {
			if err := book.comparable(leaf); err != nil {
				r.complain(shift(c.At, err.At), path, "%s", err.Text)
			}
		}
	}
}

// measuresOf lists the measures that a condition compares.
func (c *Condition) measuresOf() []string {
	var out []string
	for _, leaf := range Comparisons(c.Tree) {
		if !Attributed(leaf) {
			out = append(out, leaf.Names()...)
		}
	}
	return out
}
