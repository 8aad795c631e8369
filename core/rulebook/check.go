package rulebook

import (
	"slices"
	"strconv"
	"strings"

	"oskel/core/calendar"
	"oskel/core/lang"
)

// check finds what only the whole document can show: names that clash or mean
// nothing, formulas that go in circles, bands with holes, routes that ask for
// what is not there.
func (r *reader) check(book *Book) {
	r.checkNames(book)
	for i := range book.Measures {
		if f := book.Measures[i].Formula; f != nil {
			r.checkFormula(book, f, "measures."+book.Measures[i].Name+".formula")
		}
	}
	r.checkCycles(book)
	if !slices.ContainsFunc(r.problems, func(p Problem) bool { return !p.late }) {
		r.checkUnits(book)
		r.checkSteps(book)
	}
	for i := range book.Rules {
		r.checkRule(book, &book.Rules[i])
	}
	for i := range book.Routes {
		if w := book.Routes[i].When; w != nil {
			for _, e := range lang.CheckCondition(w.Tree, routeTypes(book)) {
				r.complain(shift(w.At, e.At), "routes["+strconv.Itoa(i+1)+"].when", "%s", e.Text)
			}
			r.checkRouteWords(book, w, "routes["+strconv.Itoa(i+1)+"].when")
		}
	}
}

// checkNames: measures and dials share one space of names, since formulas
// mention both.
func (r *reader) checkNames(book *Book) {
	seen := map[string]string{}
	add := func(at Position, what, name string) {
		if before := seen[name]; before != "" {
			r.complain(at, what+"s."+name, "%q is already the name of a %s", name, before)
		}
		seen[name] = what
	}
	for _, d := range book.Dials {
		add(d.At, "dial", d.Name)
	}
	for _, m := range book.Measures {
		add(m.At, "measure", m.Name)
	}
}

func (r *reader) checkFormula(book *Book, f *Formula, path string) {
	for _, e := range formulaErrors(book, f.Tree) {
		r.complain(shift(f.At, e.At), path, "%s", e.Text)
	}
}

func formulaErrors(book *Book, n *lang.Node) []*lang.Error {
	var out []*lang.Error
	switch n.Op {
	case lang.Call:
		if kind, attribute := n.Group(); kind != "" && (book.Kind(kind) == nil || book.Kind(kind).Attribute(attribute) == nil) {
			known := []string{}
			for i := range book.Kinds {
				known = append(known, attributeNames(&book.Kinds[i])...)
			}
			out = append(out, &lang.Error{At: n.At, Text: "unknown attribute " + strconv.Quote(kind+"."+attribute) + suggest(kind+"."+attribute, known)})
		}
		if n.Text == "credibility" && !book.ratio(n.Parts[0]) {
			out = append(out, &lang.Error{At: n.Parts[0].At, Text: "credibility takes a ratio, such as revenue / orders, or a measure that is one"})
		}
	case lang.Name:
		if book.Measure(n.Text) == nil && book.Dial(n.Text) == nil {
			known := append(measureNames(book), dialNames(book)...)
			out = append(out, &lang.Error{At: n.At, Text: "unknown measure or dial " + strconv.Quote(n.Text) + suggest(n.Text, known)})
		}
	case lang.Text:
		out = append(out, &lang.Error{At: n.At, Text: "a text cannot be used in arithmetic"})
	}
	for _, p := range n.Parts {
		out = append(out, formulaErrors(book, p)...)
	}
	return out
}

// ratio says whether a formula is a quotient, or the name of a measure that is.
func (b *Book) ratio(n *lang.Node) bool {
	if m := b.Measure(n.Text); n.Op == lang.Name && m != nil && m.Formula != nil {
		n = m.Formula.Tree
	}
	return n.Op == lang.Divide
}

// checkCycles names a circle of formulas in full, once, at its first measure
// in the document.
func (r *reader) checkCycles(book *Book) {
	done := map[string]bool{}
	for i := range book.Measures {
		var trail []string
		var visit func(name string) bool
		visit = func(name string) bool {
			for at, t := range trail {
				if t == name {
					circle := append(append([]string(nil), trail[at:]...), name)
					r.complain(book.Measure(name).Formula.At, "measures."+name+".formula", "circular reference between formulas: %s", strings.Join(circle, " -> "))
					return false
				}
			}
			m := book.Measure(name)
			if m == nil || m.Formula == nil || done[name] {
				return true
			}
			trail = append(trail, name)
			for _, next := range m.Formula.Tree.Names() {
				if !visit(next) {
					done[name] = true
					return false
				}
			}
			trail = trail[:len(trail)-1]
			done[name] = true
			return true
		}
		visit(book.Measures[i].Name)
	}
}

// checkRule holds a rule against the whole book: names, units, levels and settings. All that is
// wrong is told, not the first alone.
func (r *reader) checkRule(book *Book, rule *Rule) {
	path := "rules." + rule.Name
	formula := func(f *Formula, path string) {
		r.checkFormula(book, f, path)
		for _, l := range rule.Levels {
			if why := book.groupsFit(f.Tree, l, map[string]bool{}); why != "" && l.Kind != "" {
				r.complain(f.At, path, "%s", why)
			}
		}
		for _, n := range f.Tree.Names() {
			r.reaches(book, rule, n, f.At, path)
		}
	}
	if rule.Stake != nil {
		formula(rule.Stake, path+".stake")
	}
	switch {
	case rule.Ended == "" || rule.Is("window") || book.comparesWithPast(rule):
	case rule.Method != nil && rule.Method.Among == "own past":
		r.complain(rule.At, path+".ended", "%s judges values that are there: a subject without one now has no data, which 'no_data' may give a grade; "+
			"'ended' is for growth, change and comparisons with earlier periods", rule.Method.Name)
	default:
		r.complain(rule.At, path+".ended", "the rule compares nothing with the past, so no value can be gone; 'ended' is for growth, change and "+
			"comparisons with earlier periods")
	}
	if unit, _ := calendar.ParseUnit(rule.Each); unit < calendar.Monthly && book.aims(rule) {
		r.complain(rule.At, path+".each", "targets are monthly, so a rule of each %s has none to compare with", rule.Each)
	}
	for _, b := range rule.Base {
		r.reaches(book, rule, b.Measure, b.Bound.At, path+".base")
	}
	for _, m := range rule.Shows {
		r.reaches(book, rule, m, rule.At, path+".shows")
	}
	switch t := rule.Threshold; {
	case t != nil && t.Choices != nil:
		for _, c := range t.Choices {
			for _, condition := range c.Of {
				for _, m := range condition.measuresOf() {
					r.reaches(book, rule, m, condition.At, path+".threshold.choose")
				}
			}
		}
	case t != nil:
		r.reaches(book, rule, t.Of, t.At, path+".threshold")
		if y := t.Against; y != nil && !y.Target && y.Tree != nil {
			formula(&y.Formula, path+".threshold.against")
		}
		if len(t.Bands) > 0 && !t.broken {
			r.checkBands(book, t, path+".threshold.bands")
			r.checkLabels(book, t, path+".threshold.bands")
		}
	case rule.Method != nil:
		r.checkMethod(book, rule, path)
	}
}

// aims says whether a rule holds a figure against a target.
func (b *Book) aims(r *Rule) bool {
	names := r.setMeasures()
	if t := r.Threshold; t != nil {
		names = append(names, t.Of)
		if t.Against != nil && t.Against.Tree != nil {
			if t.Against.Target || t.Against.Tree.Any(targets) {
				return true
			}
			names = append(names, t.Against.Tree.Names()...)
		}
		for _, c := range t.Choices {
			for _, condition := range c.Of {
				names = append(names, condition.Tree.Names()...)
			}
		}
	}
	seen := map[string]bool{}
	for i := 0; i < len(names); i++ {
		m := b.Measure(names[i])
		if m == nil || m.Formula == nil || seen[names[i]] {
			continue
		}
		seen[names[i]] = true
		if m.Formula.Tree.Any(targets) {
			return true
		}
		names = append(names, m.Formula.Tree.Names()...)
	}
	return false
}

func targets(f lang.Function) bool {
	return f.Name == "target" || f.Name == "attainment" || f.Name == "gap"
}

// reaches: every feed under a measure must name subjects of every kind judged.
func (r *reader) reaches(book *Book, rule *Rule, measure string, at Position, path string) {
	for _, feed := range book.FeedsUnder(measure) {
		for _, kind := range rule.kinds() {
			if f := book.Feed(feed); f != nil && book.Kind(kind) != nil && f.SubjectColumn(kind) == "" {
				r.complain(at, path, "%s comes from the feed %s, whose lines name no %s", measure, feed, kind)
			}
		}
	}
	for _, l := range rule.Levels {
		if m := book.Measure(measure); m != nil && m.Formula != nil && l.Kind != "" {
			if why := book.groupsFit(m.Formula.Tree, l, map[string]bool{measure: true}); why != "" {
				r.complain(at, path, "%s: %s", measure, why)
			}
		}
	}
}

// kinds lists the kinds of the levels a rule judges, each once.
func (r *Rule) kinds() []string {
	var out []string
	for _, l := range r.Levels {
		for _, kind := range []string{l.Kind, l.With} {
			if kind != "" && !slices.Contains(out, kind) {
				out = append(out, kind)
			}
		}
	}
	return out
}

// checkRouteWords finds the grades, rules and kinds that a route asks for and
// that there are none of: it would never match.
func (r *reader) checkRouteWords(book *Book, c *Condition, path string) {
	for _, leaf := range Comparisons(c.Tree) {
		if len(leaf.Parts) == 0 || !slices.Contains([]lang.Op{lang.Is, lang.IsNot, lang.In, lang.NotIn}, leaf.Op) {
			continue
		}
		for _, p := range leaf.Parts[1:] {
			complaint := ""
			switch leaf.Parts[0].Text {
			case "grade":
				if book.Grade(p.Text) == nil {
					complaint = "unknown grade " + strconv.Quote(p.Text) + suggest(p.Text, gradeNames(book))
				}
			case "rule":
				if book.Rule(p.Text) == nil {
					complaint = "unknown rule " + strconv.Quote(p.Text) + suggest(p.Text, names(book.Rules, func(r Rule) string { return r.Name }))
				}
			case "kind":
				_, complaint = book.ParseLevel(p.Text)
			case "family":
				complaint = oneOfWords("family", p.Text, []string{"threshold", "outlier", "event window"})
			case "state":
				complaint = oneOfWords("state", p.Text, []string{"raised", "standing"})
			}
			if complaint != "" {
				r.complain(shift(c.At, p.At), path, "%s", complaint)
			}
		}
	}
}

func oneOfWords(what, text string, known []string) string {
	if slices.Contains(known, text) {
		return ""
	}
	return "unknown " + what + " " + strconv.Quote(text) + suggest(text, known)
}

// routeTypes are the names that a route may ask for: the attributes of every
// kind, and of the exception itself its kind, rule, family, grade, state (raised or
// standing), what is at stake and for how many periods it is flagged.
func routeTypes(book *Book) func(string) (lang.Type, string) {
	return func(name string) (lang.Type, string) {
		known := []string{"kind", "rule", "family", "grade", "state", "stake", "streak"}
		switch name {
		case "kind", "rule", "family", "grade", "state":
			return lang.TextType, ""
		case "stake", "streak":
			return lang.NumberType, ""
		}
		for i := range book.Kinds {
			for _, a := range book.Kinds[i].Attributes {
				if name == book.Kinds[i].Name+"."+a.Name {
					return a.Type, ""
				}
			}
			known = append(known, attributeNames(&book.Kinds[i])...)
		}
		return "", "unknown name " + strconv.Quote(name) + suggest(name, known)
	}
}
