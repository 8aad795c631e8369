package rulebook

import (
	"fmt"
	"slices"
	"strings"

	"oskel/core/lang"
)

// Advice lists what a sound book had better not have: rules that an earlier
// one hides, dials and measures that nothing uses.
func (b *Book) Advice() []Problem {
	out := slices.Clone(b.Renamed)
	say := func(at Position, path, format string, args ...any) {
		out = append(out, Problem{Position: at, Path: path, Text: fmt.Sprintf(format, args...)})
	}
	for i := range b.Rules {
		for j := range i {
			if b.hides(&b.Rules[j], &b.Rules[i]) {
				say(b.Rules[i].At, "rules."+b.Rules[i].Name, "never reached: %s flags the same subjects first and skips later rules", b.Rules[j].Name)
				break
			}
		}
	}
	for i := range b.Rules {
		b.adviseEnded(&b.Rules[i], say)
		if r := &b.Rules[i]; r.Method != nil && r.Method.Advise != nil {
			if text := r.Method.Advise(b, r); text != "" {
				say(r.MethodAt, "rules."+r.Name+"."+r.Method.Family, "%s", text)
			}
		}
	}
	for i, g := range b.Grades {
		for _, other := range b.Grades[:i] {
			if other.Tone == g.Tone && other.Shape == g.Shape {
				say(g.At, "grades."+g.Name, "looks like %s, %s %s: their marks cannot be told apart", other.Name, g.Tone, g.Shape)
				break
			}
		}
	}
	b.advisePlans(say)
	b.adviseKinds(say)
	for _, d := range b.Dials {
		if len(b.Uses(d.Name)) == 0 {
			say(d.At, "dials."+d.Name, "used by nothing")
		}
	}
	// Measures may be there to be looked at; those with no use are told
	// together, once.
	var idle []string
	for _, m := range b.Measures {
		if len(b.Uses(m.Name)) == 0 {
			idle = append(idle, m.Name)
		}
	}
	if len(idle) > 0 {
		say(b.Measure(idle[0]).At, "measures", "used by no rule and no other measure, only to be looked at: %s", strings.Join(idle, ", "))
	}
	return out
}

// adviseEnded minds growth rules that do not say what those count as who had
// a value and have none now, and those whose base leaves them out.
func (b *Book) adviseEnded(r *Rule, say saying) {
	switch {
	case !b.comparesWithPast(r):
	case r.Ended == "":
		say(r.At, "rules."+r.Name, "a subject that had a value and has none now is 'no data' for this rule, so the steepest fall is not flagged: say "+
			"'ended: counts as zero', or 'ended: no data' if that is meant")
	case r.Ended == "zero":
		for _, base := range r.Base {
			if m := b.Measure(base.Measure); m != nil && m.Formula == nil {
				say(base.Bound.At, "rules."+r.Name+".base", "subjects without %s this period fall below the minimum; ask for it in an earlier period",
					strings.ToLower(m.Title))
			}
		}
	}
}

// comparesWithPast says whether a threshold holds a value against the same
// one of earlier periods, in its measure or as its comparison.
func (b *Book) comparesWithPast(r *Rule) bool {
	t := r.Threshold
	if t == nil {
		return slices.ContainsFunc(r.setMeasures(), b.grows)
	}
	past := func(f lang.Function) bool { return f.Past }
	if t.Against != nil && t.Against.Tree != nil && t.Against.Tree.Any(past) {
		return true
	}
	for _, c := range t.Choices {
		for _, condition := range c.Of {
			if slices.ContainsFunc(condition.Tree.Names(), b.grows) {
				return true
			}
		}
	}
	return b.grows(t.Of)
}

// grows says whether a measure is made of growth or change.
func (b *Book) grows(measure string) bool {
	seen := map[string]bool{}
	var visit func(name string) bool
	visit = func(name string) bool {
		m := b.Measure(name)
		if m == nil || m.Formula == nil || seen[name] {
			return false
		}
		seen[name] = true
		return m.Formula.Tree.Any(func(f lang.Function) bool { return f.Name == "growth" || f.Name == "change" }) ||
			slices.ContainsFunc(m.Formula.Tree.Names(), visit)
	}
	return visit(measure)
}

// hides says whether every subject that b flags was flagged and stopped by a.
func (b *Book) hides(first, second *Rule) bool {
	s, t := first.Threshold, second.Threshold
	if !first.On || !second.On || !first.LastWord || s == nil || t == nil || s.Choices != nil || t.Choices != nil || s.Of != t.Of || s.As != t.As ||
		(s.Against == nil) != (t.Against == nil) || s.Against != nil && s.Against.Text != t.Against.Text ||
		first.Where != nil || len(first.Base) > 0 || first.Persists != nil || first.From != nil || first.Until != nil {
		return false
	}
	for _, l := range second.Levels {
		if !slices.Contains(first.Levels, l) {
			return false
		}
	}
	if second.NoData != "" && first.NoData == "" {
		return false
	}
	flagged := func(t *Threshold) (out []Interval) {
		intervals, _ := b.Partition(t.Bands)
		for _, in := range intervals {
			if t.Bands[in.Band].Grade == "" {
				continue
			}
			if n := len(out); n > 0 && out[n-1].High == in.Low {
				out[n-1].High = in.High
				continue
			}
			out = append(out, in)
		}
		return out
	}
	for _, in := range flagged(t) {
		inside := slices.ContainsFunc(flagged(s), func(o Interval) bool { return o.Low.compare(in.Low) <= 0 && o.High.compare(in.High) >= 0 })
		if !inside {
			return false
		}
	}
	return true
}

// distinctKind is the kind of which a measure counts different subjects, or "".
func (b *Book) distinctKind(m *Measure) string {
	if m.Aggregate != "distinct" {
		return ""
	}
	for _, s := range b.Feed(m.Of.Feed).Subjects {
		if s.Column == m.Of.Figure {
			return s.Kind
		}
	}
	return ""
}

// Uses lists everything that would feel a change of a measure, dial, kind,
// grade, feed or desk: "measure margin_rate", "rule thin-margin", "route 2".
func (b *Book) Uses(name string) []string {
	var out []string
	for i := range b.Measures {
		m := &b.Measures[i]
		if m.Formula != nil && slices.Contains(m.Formula.Tree.Names(), name) || m.Formula == nil && (m.Of.Feed == name || b.distinctKind(m) == name) ||
			m.Where != nil && asks(m.Where, name) || m.Quantity == name {
			out = append(out, "measure "+m.Name)
		}
	}
	for i := range b.Rules {
		if b.Rules[i].uses(b, name) {
			out = append(out, "rule "+b.Rules[i].Name)
		}
	}
	for i, r := range b.Routes {
		if r.To == name || r.When != nil && (asks(r.When, name) ||
			slices.ContainsFunc(Comparisons(r.When.Tree), func(n *lang.Node) bool { return saysText(n, name) })) {
			out = append(out, fmt.Sprintf("route %d", i+1))
		}
	}
	for _, d := range b.Desks {
		if _, ok := d.Due[name]; ok {
			out = append(out, "desk "+d.Name)
		}
	}
	return out
}

// asks says whether a condition asks for an attribute of a kind or column.
func asks(c *Condition, name string) bool {
	return slices.ContainsFunc(c.Tree.Names(), func(n string) bool { return n == name || strings.HasPrefix(n, name+".") })
}

func saysText(n *lang.Node, text string) bool {
	return slices.ContainsFunc(n.Parts, func(p *lang.Node) bool { return p.Op == lang.Text && p.Text == text })
}

// uses says whether a rule names something anywhere: a measure, a dial, a grade, a kind or an
// attribute.
func (r *Rule) uses(b *Book, name string) bool {
	formula := func(f *Formula) bool { return f != nil && f.Tree != nil && slices.Contains(f.Tree.Names(), name) }
	bound := func(x Bound) bool { return x.Dial == name }
	if slices.Contains(r.kinds(), name) || r.NoData == name || formula(r.Stake) || r.Where != nil && asks(r.Where, name) ||
		slices.Contains(r.Shows, name) || r.Marks == name {
		return true
	}
	for _, base := range r.Base {
		if base.Measure == name || bound(base.Bound) {
			return true
		}
	}
	for _, ex := range r.Examples {
		if slices.ContainsFunc(ex.Inputs, func(in ExampleInput) bool { return in.Dial == name }) {
			return true
		}
	}
	switch {
	case r.Threshold != nil:
		t := r.Threshold
		if t.Of == name || t.Against != nil && formula(&t.Against.Formula) {
			return true
		}
		for _, band := range t.Bands {
			if band.Grade == name || band.Low != nil && bound(band.Low.Bound) || band.High != nil && bound(band.High.Bound) {
				return true
			}
		}
		for _, c := range t.Choices {
			if c.Grade == name || slices.ContainsFunc(c.Of, func(c Condition) bool { return asks(&c, name) || slices.Contains(c.Tree.Names(), name) }) {
				return true
			}
		}
	}
	return r.usesSetting(name)
}

// RulesUnder lists the rules that would feel a change of a dial or measure,
// if only through measures made of it.
func (b *Book) RulesUnder(name string) []string {
	names, out := []string{name}, []string{}
	for i := 0; i < len(names); i++ {
		for _, use := range b.Uses(names[i]) {
			what, user, _ := strings.Cut(use, " ")
			switch {
			case what == "measure" && !slices.Contains(names, user):
				names = append(names, user)
			case what == "rule" && !slices.Contains(out, user):
				out = append(out, user)
			}
		}
	}
	return out
}
