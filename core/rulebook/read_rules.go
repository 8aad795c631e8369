package rulebook

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/lang"
)

// number reads "12" or "22%".
func (v value) number() (amount.Amount, bool) {
	s := v.required()
	if s == "" {
		return 0, false
	}
	n, err := lang.ParseNumber(s)
	if err != nil {
		v.complain("expected a number such as 12 or 22%%: %s", err)
	}
	return n, strings.HasSuffix(s, "%")
}

// bound reads a number or the name of a dial.
func (v value) bound(book *Book) Bound {
	s := v.required()
	if plainName.MatchString(s) {
		if book.Dial(s) == nil {
			v.complain("unknown dial %q%s", s, suggest(s, dialNames(book)))
			return Bound{At: v.at}
		}
		return Bound{At: v.at, Dial: s, Percent: book.Dial(s).Percent}
	}
	n, percent := v.number()
	return Bound{At: v.at, Number: n, Percent: percent}
}

// countOf reads "2 working days" or "1 day" for the given noun.
func countOf(s, noun string) (int, bool) {
	digits, rest, ok := strings.Cut(s, " ")
	n, err := strconv.Atoi(digits)
	return n, ok && err == nil && (rest == noun || rest == noun+"s")
}

// readRules reads 'rules'. Names are only noted here; whether they are known is checked once all is
// read, since a rule may use what stands further down.
func (r *reader) readRules(v value, book *Book) {
	for _, item := range v.maps() {
		f := item.fields(sections["rule"]...)
		rule := Rule{At: item.at, Name: f["name"].required(), NoCase: f["cases"].oneOf("on desks", "on desks", "none") == "none",
			ToDate: f["to_date"].yes(false), LastWord: f["last_word"].yes(false)}
		switch f["on"].oneOf("true", "true", "false", "trial") {
		case "true":
			rule.On = true
		case "trial":
			rule.Trial = true
		}
		r.name(f["name"].at, f["name"].path, rule.Name, true)
		if old := f["stops"]; !old.absent() {
			rule.LastWord = old.yes(false)
			r.require(old.at, old.path, "'stops' is called 'last_word' now")
		}
		rule.Title = titled(f["title"], strings.ReplaceAll(rule.Name, "-", "_"))
		if book.Rule(rule.Name) != nil {
			f["name"].complain("the rule %q is defined twice", rule.Name)
		}
		if rule.Levels = f["judges"].levels(book); f["judges"].isList() && len(f["judges"].items()) == 0 {
			f["judges"].complain("state at least one kind, such as %s", strings.Join(kindNames(book), " or "))
		}
		rule.Each = f["each"].grain(book)
		if w := f["where"]; !w.absent() {
			rule.Where = r.readScope(w, book, rule.Levels)
		}
		for _, e := range f["base"].entries() {
			rule.Base = append(rule.Base, r.readBase(e, book))
		}
		if n := f["no_data"]; !n.absent() && n.scalar() != "say nothing" {
			rule.NoData = n.grade(book)
			if g := book.Grade(rule.NoData); g != nil && g.Good {
				n.complain("%s is a good grade, and what is missing is no good", g.Name)
			}
		}
		switch f["ended"].oneOf("", "counts as zero", "no data") {
		case "counts as zero":
			rule.Ended = "zero"
		case "no data":
			rule.Ended = "missing"
		}
		if p := f["persists"]; !p.absent() {
			rule.Persists = p.persistence()
		}
		for key, to := range map[string]**calendar.Day{"valid_from": &rule.From, "valid_until": &rule.Until} {
			if d := f[key]; !d.absent() {
				day := d.day()
				*to = &day
			}
		}
		if rule.From != nil && rule.Until != nil && *rule.Until < *rule.From {
			f["valid_until"].complain("expected a day not before valid_from, %s", *rule.From)
		}
		if m := f["marks"]; !m.absent() {
			rule.Marks = m.measure(book)
		}
		for _, m := range f["shows"].items() {
			rule.Shows = append(rule.Shows, m.measure(book))
		}
		if s := f["stake"]; !s.absent() {
			rule.Stake = s.formula()
		}
		families := 0
		if t := f["threshold"]; !t.absent() {
			families++
			rule.Threshold = r.readThreshold(t, book, rule.Levels)
		}
		for _, family := range []string{"outlier", "window"} {
			if m := f[family]; !m.absent() {
				families++
				before := len(r.problems)
				r.readMethod(m, family, book, &rule)
				rule.unsettled = len(r.problems) > before
			}
		}
		if families != 1 {
			item.complain("state exactly one of threshold, outlier and window; %d are stated", families)
		}
		for _, e := range f["examples"].maps() {
			rule.Examples = append(rule.Examples, r.readExample(e, book, &rule))
		}
		book.Rules = append(book.Rules, rule)
	}
}

// grain reads how often a rule is evaluated: a length of period, or a kind of
// window of the calendar.
func (v value) grain(book *Book) string {
	if v.absent() {
		return "month"
	}
	s := v.required()
	known := []string{"day", "week", "month", "quarter", "half", "year"}
	for _, w := range book.Calendar.Windows {
		if !slices.Contains(known, w.Kind) {
			known = append(known, w.Kind)
		}
	}
	if !slices.Contains(known, s) {
		v.complain("expected one of %s, found %q%s", strings.Join(known, ", "), s, lang.Suggestion(s, known))
		return "month"
	}
	return s
}

// levels reads 'rep', 'rep x product', or a list of such.
func (v value) levels(book *Book) []Level {
	items := []value{v}
	if v.isList() {
		items = v.items()
	}
	var out []Level
	for _, item := range items {
		s := item.required()
		if s == "" {
			continue
		}
		l, complaint := book.ParseLevel(s)
		if complaint != "" {
			if book.Kind(s) == nil && plainName.MatchString(s) {
				complaint = "unknown kind " + strconv.Quote(s) + suggest(s, append(kindNames(book), "whole"))
			}
			item.complain("%s", complaint)
			continue
		}
		if slices.Contains(out, l) {
			item.complain("the rule already judges %s", s)
		}
		out = append(out, l)
	}
	return out
}

// persistence reads '2 of 3'.
func (v value) persistence() *Persistence {
	least, of, ok := strings.Cut(v.required(), " of ")
	k, err := strconv.Atoi(least)
	n, err2 := strconv.Atoi(of)
	if !ok || err != nil || err2 != nil || k < 1 || n < k || n > 24 {
		v.complain("expected how many of the last periods, such as '2 of 3', found %q", v.scalar())
		return nil
	}
	return &Persistence{k, n}
}

// readScope reads a condition that every level of a rule must be able to
// answer.
func (r *reader) readScope(v value, book *Book, levels []Level) *Condition {
	c := v.condition()
	if c == nil {
		return nil
	}
	for _, l := range levels {
		for _, e := range lang.CheckCondition(c.Tree, book.attributeTypes(l)) {
			r.complain(shift(c.At, e.At), v.path, "%s", e.Text)
		}
	}
	return c
}

func (b *Book) attributeTypes(l Level) func(string) (lang.Type, string) {
	attributes := b.Attributes(l)
	for _, kind := range l.named() {
		for _, own := range []string{kind + ".key", kind + ".name"} {
			if _, declared := attributes[own]; !declared {
				attributes[own] = Attribute{Name: own, Type: lang.TextType}
			}
		}
	}
	return func(name string) (lang.Type, string) {
		if a, ok := attributes[name]; ok {
			return a.Type, ""
		}
		known := slices.Sorted(maps.Keys(attributes))
		if len(known) == 0 {
			return "", "the whole has no attribute " + strconv.Quote(name)
		}
		what := ""
		if !l.Plain() {
			what = " of " + l.String()
		}
		return "", "unknown attribute " + strconv.Quote(name) + what + suggest(name, known)
	}
}

func (v value) grade(book *Book) string {
	g := v.required()
	if g != "" && book.Grade(g) == nil {
		v.complain("unknown grade %q%s", g, suggest(g, gradeNames(book)))
	}
	return g
}

func (v value) measure(book *Book) string {
	m := v.required()
	if m != "" && book.Measure(m) == nil {
		v.complain("unknown measure %q%s", m, suggest(m, measureNames(book)))
	}
	return m
}

func (r *reader) readBase(e entry, book *Book) Base {
	base := Base{Measure: e.key, Included: true}
	m := book.Measure(e.key)
	if m == nil {
		r.complain(e.at, e.path, "unknown measure %q%s", e.key, suggest(e.key, measureNames(book)))
	}
	s := e.scalar()
	text, ok := strings.CutPrefix(s, "at least ")
	if !ok {
		base.Included = false
		text, ok = strings.CutPrefix(s, "above ")
	}
	n, err := lang.ParseNumber(text)
	if !ok || err != nil {
		e.complain("expected a minimum such as 'at least 5000' or 'above 5000', found %q", s)
		return base
	}
	base.Bound = Bound{At: e.value.at, Number: n, Percent: strings.HasSuffix(text, "%")}
	r.unitFits(base.Bound, e.path, m)
	return base
}

// readThreshold reads a threshold rule's core: bands of a measure, or 'choose' by conditions, never
// both.
func (r *reader) readThreshold(v value, book *Book, levels []Level) *Threshold {
	before := len(r.problems)
	f := v.fields(sections["threshold"]...)
	t := &Threshold{At: v.at}
	if c := f["choose"]; !c.absent() {
		for _, other := range []string{"of", "against", "as", "bands"} {
			if !f[other].absent() {
				f[other].complain("'choose' decides by conditions; %q is for bands", other)
			}
		}
		for _, item := range c.maps() {
			t.Choices = append(t.Choices, r.readChoice(item, book, levels))
		}
		if len(t.Choices) == 0 {
			c.complain("state at least one choice: a grade with 'all', 'any', 'none' or 'some' of a list of conditions")
		}
		t.broken = true // there are no bands to lay
		return t
	}
	t.Of = f["of"].measure(book)
	m := book.Measure(t.Of)
	if a := f["against"]; !a.absent() {
		t.Against = r.readComparison(a, book, m)
		t.As = f["as"].oneOf("", "ratio", "difference", "change")
		if f["as"].absent() {
			a.complain("'against' needs 'as: ratio', 'as: difference' or 'as: change'")
		}
	} else if !f["as"].absent() {
		f["as"].complain("'as' needs 'against'")
	}
	bands := f["bands"].maps()
	for i, b := range bands {
		band := r.readBand(b, book, t, m)
		t.Bands = append(t.Bands, band)
		if band.Rest && i+1 < len(bands) {
			b.complain("'rest' is what all bands leave over: write it last")
		}
	}
	switch {
	case f["bands"].absent():
		v.complain("'bands' are missing")
	case len(bands) == 0:
		f["bands"].complain("state at least one band, such as {grade: act, below: 10}")
	}
	t.broken = len(r.problems) > before
	return t
}

// readComparison reads 'target', or a formula.
func (r *reader) readComparison(v value, book *Book, m *Measure) *Comparison {
	y := &Comparison{Target: v.scalar() == "target"}
	if y.Target {
		y.Formula = Formula{v.at, "target", nil}
		if m != nil {
			y.Tree = &lang.Node{Op: lang.Call, At: 1, Text: "target", Parts: []*lang.Node{{Op: lang.Name, At: 1, Text: m.Name}}}
		}
		return y
	}
	f := v.formula()
	if f == nil {
		return y
	}
	y.Formula = *f
	switch f.Tree.Op {
	case lang.Number:
		r.unitFits(Bound{At: v.at, Number: f.Tree.Number, Percent: f.Tree.Percent}, v.path, m)
	case lang.Name:
		if d := book.Dial(f.Tree.Text); d != nil {
			r.unitFits(Bound{At: v.at, Dial: d.Name, Percent: d.Percent}, v.path, m)
		}
	}
	return y
}

// readChoice reads a grade with 'all', 'any', 'none', or 'some' of a list of
// conditions.
func (r *reader) readChoice(v value, book *Book, levels []Level) Choice {
	f := v.fields(sections["choice"]...)
	c := Choice{At: v.at, Grade: f["grade"].grade(book)}
	stated := 0
	for _, word := range []string{"all", "any", "none", "some"} {
		list := f[word]
		if list.absent() {
			continue
		}
		stated++
		if word == "some" {
			s := list.fields(sections["some"]...)
			c.Least, list = s["at_least"].whole(1, 100), s["of"]
		}
		for _, item := range list.items() {
			if condition := item.condition(); condition != nil {
				r.checkMeasureCondition(book, condition, levels, item.path)
				c.Of = append(c.Of, *condition)
			}
		}
		switch word {
		case "all":
			c.Least = len(c.Of)
		case "any":
			c.Least = 1
		case "none":
			c.None = true
		}
		if len(c.Of) == 0 {
			list.complain("expected a list of conditions")
		} else if c.Least > len(c.Of) {
			list.complain("at least %d of %d can never hold", c.Least, len(c.Of))
		}
	}
	if stated != 1 {
		v.complain("state exactly one of all, any, none and some; %d are stated", stated)
	}
	return c
}

// readBand reads one band: a grade between bounds, or 'clear: rest'. Bounds are numbers of the unit
// of the measure m, or dials.
func (r *reader) readBand(v value, book *Book, t *Threshold, m *Measure) Band {
	f := v.fields(sections["band"]...)
	band := Band{At: v.at, Label: f["label"].scalar()}
	switch {
	case f["grade"].absent() == f["clear"].absent():
		v.complain("state either 'grade: …' or 'clear: rest'")
	case !f["grade"].absent():
		band.Grade = f["grade"].scalar()
		if band.Grade == "rest" {
			f["grade"].complain("name the grade, and say 'clear: rest' of the others")
		} else {
			f["grade"].grade(book)
		}
	default:
		if c := f["clear"].oneOf("true", "rest", "true"); c == "rest" {
			band.Rest = true
		}
	}
	end := func(outer, inner string) *End {
		open, closed := f[outer], f[inner]
		if !open.absent() && !closed.absent() {
			closed.complain("%q and %q state the same end twice", outer, inner)
		}
		for _, x := range []struct {
			v        value
			included bool
		}{{open, false}, {closed, true}} {
			if !x.v.absent() {
				e := &End{x.v.bound(book), x.included}
				if t.Relative() {
					r.ratioFits(e.Bound, x.v.path)
				} else {
					r.unitFits(e.Bound, x.v.path, m)
				}
				return e
			}
		}
		return nil
	}
	band.High = end("below", "at_most")
	band.Low = end("above", "at_least")
	if band.Rest && (band.High != nil || band.Low != nil) {
		v.complain("'rest' has no ends of its own")
	}
	if !band.Rest && band.High == nil && band.Low == nil {
		v.complain("a band needs an end: below, at_most, above or at_least; or 'clear: rest'")
	}
	return band
}

// unitFits refuses 12 where the measure is a percent, and 12 % where it is
// not.
func (r *reader) unitFits(b Bound, path string, m *Measure) {
	switch {
	case m == nil || m.Unit == "":
	case m.Unit == Percent && !b.Percent && b.Number != 0:
		r.complain(b.At, path, "%s for a percent measure: %s", b.Number, percentMeant(b.Number))
	case m.Unit == Percent && !b.Percent && b.Dial != "":
		r.complain(b.At, path, "the dial %s is not a percentage, and %s is one", b.Dial, m.Name)
	case m.Unit != Percent && b.Percent:
		r.complain(b.At, path, "a percentage, but %s is in %s", m.Name, m.Unit)
	}
}

// percentMeant asks which percentage a bare number stands for: one up to 1.5
// may be the fraction it is underneath.
func percentMeant(a amount.Amount) string {
	fraction := FormatPercent(a)
	if a > 3*amount.Scale/2 || a < -3*amount.Scale/2 {
		return fmt.Sprintf("did you mean %s%%?", a)
	}
	return fmt.Sprintf("did you mean %s? (%s%% would be written %s%%)", fraction, a, a)
}

func percentMeantText(number string) string {
	a, err := amount.Parse(number)
	if err != nil {
		return "did you mean " + number + "%?"
	}
	return percentMeant(a)
}

func (r *reader) ratioFits(b Bound, path string) {
	switch {
	case b.Percent:
	case b.Dial != "":
		r.complain(b.At, path, "the dial %s is not a percentage, and a share of the comparison value is one", b.Dial)
	case b.Number != 0:
		r.complain(b.At, path, "a share of the comparison value is a percentage: %s", percentMeant(b.Number))
	}
}
