package rulebook

import (
	"slices"
	"strings"

	"oskel/core/lang"
)

// readExample reads inputs and what the rule must say of them, such as
// {margin_rate: 22%, is: clear}. Inputs are measures, 'target' or 'comparison',
// attributes, or what a method states, such as the 'score' of an outlier.
func (r *reader) readExample(v value, book *Book, rule *Rule) Example {
	ex := Example{At: v.at}
	stated := false
	for _, e := range v.entries() {
		if e.key == "is" {
			stated = true
			s := e.scalar()
			switch {
			case s == "clear", s == "no data", s == "not judged":
				ex.Is = s
			case book.Grade(s) != nil:
				ex.Grade = s
			default:
				known := append(gradeNames(book), "clear", "no data", "not judged")
				e.complain("expected a grade, or clear, no data or not judged, found %q%s", s, suggest(s, known))
			}
			continue
		}
		ex.Inputs = append(ex.Inputs, r.readExampleInput(e, book, rule))
	}
	if !stated {
		v.complain("'is' is missing: what must the rule say?")
	}
	return ex
}

// readExampleInput reads one given figure of a rule's example: a measure, an attribute or a list of
// values.
func (r *reader) readExampleInput(e entry, book *Book, rule *Rule) ExampleInput {
	in := ExampleInput{At: e.at, Name: e.key}
	if strings.Contains(e.key, ".") {
		for _, l := range rule.Levels {
			if _, complaint := book.attributeTypes(l)(e.key); complaint != "" {
				r.complain(e.at, e.path, "%s", complaint)
				break
			}
		}
		in.Text = e.scalar()
		return in
	}
	m := book.Measure(e.key)
	known := append(measureNames(book), "target", "comparison")
	if rule.Method != nil {
		known = append(known, rule.Method.ExampleKeys...)
	}
	if m == nil && !slices.Contains(known, e.key) {
		in.Name = r.now("figure of an example", e.key, known, e.at, e.path)
	}
	if m == nil && !slices.Contains(known, in.Name) {
		r.complain(e.at, e.path, "unknown measure %q%s", e.key, suggest(e.key, known))
		return in
	}
	if e.scalar() == "missing" {
		in.Missing = true
		return in
	}
	if d := book.Dial(e.scalar()); d != nil {
		in.Dial, in.Percent = d.Name, d.Percent
		if m != nil {
			r.unitFits(Bound{At: e.value.at, Dial: d.Name, Percent: d.Percent}, e.path, m)
		}
		return in
	}
	n, err := lang.ParseNumber(strings.TrimSuffix(strings.TrimSuffix(e.scalar(), " days"), " day"))
	if err != nil {
		e.complain("expected a number, such as 12 or 22%%, a dial, or 'missing', found %q%s", e.scalar(), lang.Suggestion(e.scalar(), dialNames(book)))
		return in
	}
	in.Number, in.Percent = n, strings.HasSuffix(e.scalar(), "%")
	if m != nil {
		r.unitFits(Bound{At: e.value.at, Number: n, Percent: in.Percent}, e.path, m)
	}
	return in
}
