package rulebook

import (
	"fmt"
	"slices"
	"strings"

	"oskel/core/lang"
	"oskel/core/words"
)

// Words says what a rule does, made from its definition alone.
func (b *Book) Words(r *Rule) string {
	var s strings.Builder
	var levels []string
	for i, l := range r.Levels {
		one := b.One(l)
		if l.Kind != "" {
			one = "every " + one
			if l.Paired() {
				one = "every pair of " + b.One(l)
			}
		}
		if i > 0 && i == len(r.Levels)-1 {
			one = "and for " + one
		} else if i > 0 {
			one = "for " + one
		}
		levels = append(levels, one)
	}
	fmt.Fprintf(&s, "Each %s, for %s", r.Each, strings.Join(levels, ", "))
	if r.Where != nil {
		fmt.Fprintf(&s, " where %s", r.Where.Text)
	}
	s.WriteString(": ")
	switch {
	case r.Threshold != nil:
		s.WriteString(b.thresholdWords(r.Threshold))
	case r.Method != nil:
		s.WriteString(r.Method.Words(b, r))
	}
	s.WriteString(".")
	for _, base := range r.Base {
		fmt.Fprintf(&s, " Only where %s is %s %s.", strings.ToLower(b.Measure(base.Measure).Title), atLeast(base.Included), b.Number(base.Bound))
	}
	switch {
	case r.Is("window"):
	case r.NoData != "":
		fmt.Fprintf(&s, " No data is %s.", b.Grade(r.NoData).Label)
	default:
		s.WriteString(" Subjects without data are not flagged.")
	}
	if r.Ended == "zero" {
		s.WriteString(" A value that is gone counts as zero.")
	}
	if r.Persists != nil {
		fmt.Fprintf(&s, " Flagged only when it happens in at least %d of the last %d %s.", r.Persists.Least, r.Persists.Of, words.Plural(r.Each))
	}
	if r.Marks != "" {
		fmt.Fprintf(&s, " In a table its mark stands on %s.", words.LowerFirst(b.Measure(r.Marks).Title))
	}
	if r.NoCase {
		s.WriteString(" Its flags are listed and open no cases.")
	}
	if r.ToDate {
		s.WriteString(" Its flags open cases while the period runs, too.")
	}
	if r.LastWord {
		s.WriteString(" If it flags a subject, later rules skip that subject.")
	}
	switch {
	case r.From != nil && r.Until != nil:
		fmt.Fprintf(&s, " Valid for periods that end from %s to %s.", r.From.Words(), r.Until.Words())
	case r.From != nil:
		fmt.Fprintf(&s, " Valid for periods that end from %s on.", r.From.Words())
	case r.Until != nil:
		fmt.Fprintf(&s, " Valid for periods that end until %s.", r.Until.Words())
	}
	switch {
	case r.Trial:
		s.WriteString(" The rule is on trial: its flags are counted, not listed.")
	case !r.On:
		s.WriteString(" The rule is off.")
	}
	return s.String()
}

func atLeast(included bool) string {
	if included {
		return "at least"
	}
	return "above"
}

// heldWords says what a threshold holds against its bands.
func (b *Book) heldWords(t *Threshold) string {
	what := words.LowerFirst(b.Measure(t.Of).Title)
	if t.Against == nil {
		return what
	}
	comparison := b.ComparisonWords(t)
	switch t.As {
	case "ratio":
		return what + " as a share of " + comparison
	case "change":
		return what + " as a change from " + comparison
	}
	return what + " less " + comparison
}

// thresholdWords says a threshold in a sentence's part, in the same words in the console, files and
// mails.
func (b *Book) thresholdWords(t *Threshold) string {
	if t.Choices != nil {
		return b.choiceWords(t.Choices)
	}
	what := b.heldWords(t)
	var parts []string
	for i, band := range t.Bands {
		verdict := "clear"
		if band.Grade != "" {
			verdict = b.Grade(band.Grade).Label
		}
		switch {
		case band.Rest:
			parts = append(parts, verdict)
		case i == 0:
			parts = append(parts, verdict+" when "+what+" is "+b.endWords(band))
		default:
			parts = append(parts, verdict+" when "+b.endWords(band))
		}
	}
	return strings.Join(parts, ", else ")
}

// MarkWords says when a rule gives a grade, for the legend of a table: the band with its own
// name, or what its method looks for.
func (b *Book) MarkWords(r *Rule, grade string) string {
	var out []string
	switch t := r.Threshold; {
	case t == nil && r.Method != nil && r.Says("grade") == grade:
		out = append(out, strings.TrimPrefix(r.Method.Words(b, r), b.Grade(grade).Label+" when "))
	case t != nil && t.Choices != nil:
		its := slices.DeleteFunc(slices.Clone(t.Choices), func(c Choice) bool { return c.Grade != grade })
		for _, c := range its {
			said := strings.TrimSuffix(b.choiceWords([]Choice{c}), ", else clear")
			out = append(out, strings.TrimPrefix(said, b.Grade(grade).Label+" when "))
		}
	case t != nil && t.Bands != nil:
		what := b.heldWords(t)
		laid, _ := b.Partition(t.Bands)
		for _, in := range laid {
			band := t.Bands[in.Band]
			if band.Grade != grade {
				continue
			}
			said := what + " is " + b.cutWords(t.Bands, in)
			if band.Label != "" {
				said += " (" + band.Label + ")"
			}
			out = append(out, said)
		}
	}
	if r.NoData == grade {
		out = append(out, "there is no data")
	}
	return strings.Join(out, ", or ")
}

// cutWords says from where to where an interval of bands reaches, with the ends that its band
// leaves to the others.
func (b *Book) cutWords(bands []Band, in Interval) string {
	number := func(c Cut) string {
		for _, band := range bands {
			for _, end := range []*End{band.Low, band.High} {
				if end != nil && b.Value(end.Bound) == c.At {
					return b.Number(end.Bound)
				}
			}
		}
		return c.At.String()
	}
	var said []string
	if in.Low.Inf == 0 {
		said = append(said, atLeast(!in.Low.After)+" "+number(in.Low))
	}
	if in.High.Inf == 0 {
		word := "below"
		if in.High.After {
			word = "at most"
		}
		said = append(said, word+" "+number(in.High))
	}
	if len(said) == 0 {
		return "anything"
	}
	return strings.Join(said, " and ")
}

// ComparisonWords says what a threshold holds its measure against.
func (b *Book) ComparisonWords(t *Threshold) string {
	y := t.Against
	switch {
	case y.Target:
		return "its target"
	case y.Tree.Op == lang.Number:
		return b.Number(Bound{Number: y.Tree.Number, Percent: y.Tree.Percent})
	case y.Tree.Op == lang.Name && b.Dial(y.Tree.Text) != nil:
		return b.Number(Bound{Dial: y.Tree.Text, Percent: b.Dial(y.Tree.Text).Percent})
	}
	return b.formulaWords(y.Tree, y.Text)
}

// formulaWords says a formula in words where it is one function of a measure;
// any other is said as it is written.
func (b *Book) formulaWords(n *lang.Node, text string) string {
	if n.Op == lang.Name && b.Measure(n.Text) != nil {
		return words.LowerFirst(b.Measure(n.Text).Title)
	}
	if n.Op != lang.Call || n.Parts[0].Op != lang.Name || b.Measure(n.Parts[0].Text) == nil {
		return text
	}
	of := words.LowerFirst(b.Measure(n.Parts[0].Text).Title)
	among := "all"
	if kind, attribute := n.Group(); kind != "" {
		among = "its " + strings.ReplaceAll(attribute, "_", " ")
	}
	switch n.Text {
	case "target":
		return "the target of " + of
	case "earlier":
		switch {
		case len(n.Parts) == 1:
			return "its " + of + " of the period before"
		case n.Parts[1].Text == "year" && n.Parts[1].Int() == 1:
			return "its " + of + " of a year before"
		case n.Parts[1].Text == "year":
			return fmt.Sprintf("its %s of %d years before", of, n.Parts[1].Int())
		}
		return fmt.Sprintf("its %s of %d periods before", of, n.Parts[1].Int())
	case "history", "trailing":
		summary := "sum"
		for _, p := range n.Parts[2:] {
			if p.Text != "at least" {
				summary = p.Text
			}
		}
		which := "before"
		if n.Text == "trailing" {
			which = "up to this one"
		}
		return fmt.Sprintf("its own %s %s of the %d periods %s", summary, of, n.Parts[1].Int(), which)
	case "group_value":
		if among == "all" {
			return of + " of the whole"
		}
		return of + " of " + among
	case "peers":
		summary := n.Parts[1].Text
		if summary == "percentile" {
			if among == "all" {
				return "percentile " + n.Parts[1].Number.String() + " of " + of + " among all"
			}
			return "percentile " + n.Parts[1].Number.String() + " of " + of + " in " + among
		}
		return "the " + summary + " " + of + " of " + among
	}
	return text
}

func (b *Book) choiceWords(choices []Choice) string {
	var parts []string
	for _, c := range choices {
		var of []string
		for _, condition := range c.Of {
			of = append(of, condition.Text)
		}
		how := ""
		switch {
		case c.None:
			how = "none of these conditions is met: "
		case len(c.Of) == 1:
		case c.Least == len(c.Of):
			how = "all of these conditions are met: "
		case c.Least == 1:
			how = "any of these conditions is met: "
		default:
			how = fmt.Sprintf("at least %d of these conditions are met: ", c.Least)
		}
		parts = append(parts, b.Grade(c.Grade).Label+" when "+how+strings.Join(of, "; "))
	}
	return strings.Join(append(parts, "clear"), ", else ")
}

func (b *Book) endWords(band Band) string {
	var stated []string
	if band.Low != nil {
		stated = append(stated, atLeast(band.Low.Included)+" "+b.Number(band.Low.Bound))
	}
	if band.High != nil {
		word := "below"
		if band.High.Included {
			word = "at most"
		}
		stated = append(stated, word+" "+b.Number(band.High.Bound))
	}
	return strings.Join(stated, " and ")
}
