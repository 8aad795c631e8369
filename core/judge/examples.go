package judge

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/measure"
	"oskel/core/method"
	"oskel/core/rulebook"
)

// Examples runs the examples stated with the rules of a sound book, and lists
// those that fail, each with what the rule says instead.
func Examples(book *rulebook.Book) []rulebook.Problem {
	var out []rulebook.Problem
	for i := range book.Rules {
		rule := &book.Rules[i]
		for n := range rule.Examples {
			if text := tryExample(book, rule, &rule.Examples[n]); text != "" {
				out = append(out, rulebook.Problem{Position: rule.Examples[n].At, Path: fmt.Sprintf("rules.%s.examples[%d]", rule.Name, n+1), Text: text})
			}
		}
	}
	return out
}

// tryExample says how an example fails, or "".
func tryExample(book *rulebook.Book, rule *rulebook.Rule, ex *rulebook.Example) string {
	v, complaint := Example(book, rule, ex)
	if complaint != "" {
		return complaint
	}
	want, got := ex.Is, said(v)
	if ex.Grade != "" {
		want = ex.Grade
	}
	if v.Given() != ex.Grade || ex.Grade == "" && v.Outcome.String() != ex.Is {
		return fmt.Sprintf("the example expects %s, and the rule says %s", want, got)
	}
	return ""
}

func said(v Verdict) string {
	s := cmp.Or(v.Given(), v.Outcome.String())
	if v.Why != "" {
		s += " (" + v.Why + ")"
	}
	return s
}

// Example is what a rule says of stated inputs, or why they are not enough.
// Where an example says nothing of it, the scope and the base are taken as
// given, and a persistence as fulfilled.
func Example(book *rulebook.Book, rule *rulebook.Rule, ex *rulebook.Example) (Verdict, string) {
	st := stated{level: rule.Levels[0], given: measure.Given{}, target: amount.Missing, attributes: map[string]lang.Value{}, told: map[string]bool{}}
	asked := false
	types := book.Attributes(st.level)
	for _, in := range ex.Inputs {
		st.told[in.Name] = true
		v := book.Stated(in).Rat()
		if in.Missing {
			v, asked = nil, true
		}
		switch t := rule.Threshold; {
		case strings.Contains(in.Name, "."):
			st.attributes[in.Name] = lang.ParseValue(types[in.Name].Type, in.Text)
		case in.Name == "target" || in.Name == "comparison" && t != nil && t.Against != nil && t.Against.Target:
			if !in.Missing {
				st.target = book.Stated(in)
			}
		default:
			st.given[in.Name] = v
		}
	}
	return st.verdict(book, rule, asked)
}

// stated is what is said of one subject, for a rule to judge.
type stated struct {
	level      rulebook.Level
	given      measure.Given // "comparison" and what a method states among them
	target     amount.Amount
	attributes map[string]lang.Value // none: the scope is taken as given
	told       map[string]bool       // inputs that were stated, if only as missing
}

// verdict is what the rule says, or why it cannot; asked lets no data be an
// answer.
func (st stated) verdict(book *rulebook.Book, rule *rulebook.Rule, asked bool) (Verdict, string) {
	tried := *rule
	tried.Persists, tried.Base = nil, nil
	if len(st.attributes) == 0 {
		tried.Where = nil
	}
	if t := rule.Threshold; t != nil && t.Against != nil && st.given["comparison"] != nil {
		held, y := *t, *t.Against
		y.Tree = &lang.Node{Op: lang.Name, At: 1, Text: "comparison"}
		held.Against = &y
		tried.Threshold = &held
	}
	if t := rule.Threshold; t != nil && t.Against != nil && !t.Against.Target && st.given["comparison"] == nil && !st.told["comparison"] && calls(t.Against.Tree) {
		return Verdict{}, "the example does not say the comparison"
	}
	e := measure.NewGiven(book, st.level, exampleMonth, st.given, st.target, st.attributes)
	slot := e.Slot(st.level, calendar.MonthPeriod(exampleMonth))
	for _, b := range rule.Base {
		if e.Column(b.Measure, slot).Why[0] == measure.Present || st.told[b.Measure] {
			tried.Base = append(tried.Base, b)
		}
	}
	if m := rule.Method; m != nil {
		flagged, complaint := m.DecideExample(book, rule, st.given)
		if complaint != "" || !flagged {
			return Verdict{Outcome: Clear}, complaint
		}
		said := method.NewVerdicts(1, book.GoodGrades()...)
		said.Set(0, Verdict{Outcome: Breach, Grade: rule.Says("grade")})
		return said.Verdict(0), ""
	}
	r := once(e, &tried, st.level, calendar.MonthPeriod(exampleMonth))
	v := r.Verdict(uint32(r.Len() - 1))
	if v.Outcome == NoData && !asked {
		return v, "the example does not say enough: " + notTold(book, rule, e, slot)
	}
	if v.Why == method.NoTarget && !st.told["target"] && !st.told["comparison"] {
		return v, "the example does not say the target"
	}
	return v, ""
}

// calls says whether a formula looks beyond the subject and period at hand.
func calls(n *lang.Node) bool {
	return n.Op == lang.Call || slices.ContainsFunc(n.Parts, calls)
}

// exampleMonth is any month: what examples state holds in each.
const exampleMonth calendar.Month = 2026 * 12

func notTold(book *rulebook.Book, rule *rulebook.Rule, e *measure.Engine, s measure.Slot) string {
	var missing []string
	names := []string{rule.Threshold.Of}
	for _, c := range rule.Threshold.Choices {
		for _, condition := range c.Of {
			names = append(names, condition.Tree.Names()...)
		}
	}
	for _, input := range book.Inputs(names...) {
		if e.Column(input, s).Why[0] != measure.Present {
			missing = append(missing, input)
		}
	}
	return "nothing of " + strings.Join(missing, ", ")
}
