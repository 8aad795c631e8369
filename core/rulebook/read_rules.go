package rulebook

import (
	"strconv"
	"strings"

	"oskel/core/amount"
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

func (r *reader) readRules(v value, book *Book) {
	for _, item := range v.items() {
		f := item.fields("name", "title", "judges", "each", "where", "base", "no_data", "on", "stake", "threshold", "outlier", "window")
		rule := Rule{At: item.at, Name: f["name"].required(), On: f["on"].yes(true)}
		r.name(f["name"].at, f["name"].path, rule.Name, true)
		rule.Title = titled(f["title"], strings.ReplaceAll(rule.Name, "-", "_"))
		if book.Rule(rule.Name) != nil {
			f["name"].complain("the rule %q is defined twice", rule.Name)
		}
		rule.Judges = f["judges"].required()
		kind := book.Kind(rule.Judges)
		if rule.Judges != "" && kind == nil {
			f["judges"].complain("unknown kind %q%s", rule.Judges, suggest(rule.Judges, kindNames(book)))
		}
		rule.Each = f["each"].oneOf("month", "month")
		if w := f["where"]; !w.absent() {
			rule.Where = w.condition()
			if rule.Where != nil && kind != nil {
				for _, e := range lang.CheckCondition(rule.Where.Tree, attributeTypes(kind)) {
					r.complain(shift(rule.Where.At, e.At), w.path, "%s", e.Text)
				}
			}
		}
		for _, e := range f["base"].entries() {
			rule.Base = append(rule.Base, r.readBase(e, book))
		}
		if n := f["no_data"]; !n.absent() && n.scalar() != "say nothing" {
			rule.NoData = n.grade(book)
		}
		if s := f["stake"]; !s.absent() {
			rule.Stake = s.formula()
		}
		families := 0
		if t := f["threshold"]; !t.absent() {
			families++
			rule.Threshold = r.readThreshold(t, book)
		}
		if o := f["outlier"]; !o.absent() {
			families++
			rule.Outlier = r.readOutlier(o, book, kind)
		}
		if w := f["window"]; !w.absent() {
			families++
			rule.Window = r.readWindow(w, book, kind)
		}
		if families != 1 {
			item.complain("state exactly one of threshold, outlier and window; %d are stated", families)
		}
		book.Rules = append(book.Rules, rule)
	}
}

func attributeTypes(kind *Kind) func(string) (lang.Type, string) {
	return func(name string) (lang.Type, string) {
		var known []string
		for _, a := range kind.Attributes {
			if name == kind.Name+"."+a.Name {
				return a.Type, ""
			}
			known = append(known, kind.Name+"."+a.Name)
		}
		return "", "unknown attribute " + strconv.Quote(name) + suggest(name, known)
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

func (r *reader) readThreshold(v value, book *Book) *Threshold {
	before := len(r.problems)
	f := v.fields("of", "against", "as", "bands")
	t := &Threshold{At: v.at, Of: f["of"].measure(book)}
	m := book.Measure(t.Of)
	if a := f["against"]; !a.absent() {
		t.Against = &Yardstick{Target: a.scalar() == "target"}
		if !t.Against.Target {
			t.Against.Bound = a.bound(book)
			r.unitFits(t.Against.Bound, a.path, m)
		}
		t.As = f["as"].oneOf("", "ratio", "difference")
		if f["as"].absent() {
			a.complain("'against' needs 'as: ratio' or 'as: difference'")
		}
	} else if !f["as"].absent() {
		f["as"].complain("'as' needs 'against'")
	}
	for _, b := range f["bands"].items() {
		t.Bands = append(t.Bands, r.readBand(b, book, t, m))
	}
	if f["bands"].absent() {
		v.complain("bands are missing")
	}
	t.broken = len(r.problems) > before
	return t
}

func (r *reader) readBand(v value, book *Book, t *Threshold, m *Measure) Band {
	f := v.fields("grade", "clear", "below", "at_most", "above", "at_least")
	band := Band{At: v.at}
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
				if t.As == "ratio" {
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
		r.complain(b.At, path, "%s for a percent measure: did you mean %s%%?", b.Number, b.Number)
	case m.Unit == Percent && !b.Percent && b.Dial != "":
		r.complain(b.At, path, "the dial %s is not a percentage, and %s is one", b.Dial, m.Name)
	case m.Unit != Percent && b.Percent:
		r.complain(b.At, path, "a percentage, but %s is in %s", m.Name, m.Unit)
	}
}

func (r *reader) ratioFits(b Bound, path string) {
	if !b.Percent && b.Number != 0 || !b.Percent && b.Dial != "" {
		r.complain(b.At, path, "a ratio is held against a percentage: write %s%% of the yardstick", b.Number)
	}
}

func (r *reader) readOutlier(v value, book *Book, kind *Kind) *Outlier {
	f := v.fields("of", "among", "by", "beyond", "side", "peers", "grade")
	o := &Outlier{At: v.at, Of: f["of"].measure(book), Grade: f["grade"].grade(book), Peers: 8}
	if a := f["among"]; !a.absent() && kind != nil {
		name, ok := strings.CutPrefix(a.scalar(), kind.Name+".")
		if !ok || kind.Attribute(name) == nil {
			a.complain("expected an attribute of %s%s", kind.Name, suggest(a.scalar(), attributeNames(kind)))
		}
		o.Among = name
	}
	o.By = f["by"].oneOf("robust score", "robust score")
	o.Beyond = f["beyond"].bound(book)
	if o.Beyond.Percent || o.Beyond.Dial == "" && o.Beyond.Number <= 0 {
		f["beyond"].complain("expected a score above 0, such as 3.5")
	}
	o.Side = f["side"].oneOf("both", "high", "low", "both")
	if p := f["peers"]; !p.absent() {
		o.Peers = p.whole(2, 1_000_000)
	}
	return o
}

func (r *reader) readWindow(v value, book *Book, kind *Kind) *Window {
	f := v.fields("silence", "at_least", "grade")
	w := &Window{At: v.at, Feed: f["silence"].required(), Grade: f["grade"].grade(book)}
	if feed := book.Feed(w.Feed); w.Feed != "" && feed == nil {
		f["silence"].complain("unknown feed %q%s", w.Feed, suggest(w.Feed, feedNames(book)))
	} else if feed != nil && kind != nil && feed.SubjectColumn(kind.Name) == "" {
		f["silence"].complain("the lines of %s name no %s, so its silence cannot be seen there", w.Feed, kind.Name)
	}
	n, ok := countOf(f["at_least"].required(), "day")
	if !f["at_least"].absent() && (!ok || n < 1 || n > 3660) {
		f["at_least"].complain("expected a number of days, such as '45 days', found %q", f["at_least"].scalar())
	}
	w.Days = n
	return w
}
