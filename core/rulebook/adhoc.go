package rulebook

import (
	"strings"

	"oskel/core/lang"
)

// WithFormula is the book with one more measure, named by its own text: a
// formula that somebody tries. The book itself stays as it is. Errors say at
// which character.
func (b *Book) WithFormula(text string) (*Book, error) {
	tree, err := lang.Formula(text)
	if err != nil {
		return nil, err
	}
	if errs := formulaErrors(b, tree); len(errs) > 0 {
		return nil, errs[0]
	}
	unit, err := b.unitOf(tree)
	if err != nil {
		return nil, err
	}
	m := Measure{Name: text, Title: text, Unit: unit, Formula: &Formula{Text: text, Tree: tree}}
	switch unit {
	case ratioUnit, Percent:
		m.Unit = Percent
	case plainUnit, unknownUnit:
		m.Unit = Count
	}
	format := b.format(m.Unit)
	m.Places, m.Zero, m.Brackets = format.Places, format.Zero, format.Brackets
	if unit == plainUnit || unit == unknownUnit {
		m.Places = 2
	}
	out := *b
	out.Measures = append(append([]Measure(nil), b.Measures...), m)
	for _, name := range tree.Names() {
		if d := b.Measure(name); d != nil && d.GoodDown && tree.Op == lang.Name {
			out.Measures[len(out.Measures)-1].GoodDown = true
		}
	}
	return &out, nil
}

// SplitFormulas parts a list at its commas, but for those in parentheses.
func SplitFormulas(list string) []string {
	var out []string
	depth, from := 0, 0
	for i, r := range list {
		switch r {
		case '(':
			depth++
		case ')':
			depth--
		case ',':
			if depth == 0 {
				out = append(out, list[from:i])
				from = i + 1
			}
		}
	}
	out = append(out, list[from:])
	for i := range out {
		out[i] = strings.TrimSpace(out[i])
	}
	return out
}
