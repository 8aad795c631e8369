package rulebook

import (
	"fmt"
	"math/big"
	"slices"
	"strings"

	"oskel/core/amount"
	"oskel/core/lang"
)

// Method is what a rulebook knows of a way to judge that is not a threshold: how
// a document asks for it, what may be set, and how it is said. How it judges is
// package method's, which hands these in.
type Method struct {
	Family        string // "outlier" or "window"
	Name          string // what 'by' says in an outlier; the first key of a window
	Among         string // whom or what it looks at: "peers", "own past" or "lines"
	UseFor        string // what it is good for, in a line
	Requires      string // what it needs, in a line
	Settings      []Setting
	ExampleKeys   []string                                                          // what an example states of it, such as "score"
	DecideExample func(b *Book, r *Rule, stated map[string]*big.Rat) (bool, string) // whether what an example states is flagged, or what it fails to say
	RefuseLevel   func(l Level) string                                              // why it cannot judge a level; nil judges any
	Check         func(b *Book, r *Rule, say func(key, format string, args ...any)) // what the settings cannot tell each alone
	Advise        func(b *Book, r *Rule) string                                     // what a sound rule had better not have, or ""
	Words         func(b *Book, r *Rule) string                                     // after "Each month, for every rep: "
}

// SettingType is what stands in a setting.
type SettingType string

// The types of settings. Numbers, percentages and quantities may be dials; a
// quantity is a number with one of the nouns of Choices, such as '7 days'.
// Lines are a feed, or some of its lines: 'sales where net above 1000'.
const (
	MeasureSetting   SettingType = "measure"
	AttributeSetting SettingType = "attribute"
	NumberSetting    SettingType = "number"
	PercentSetting   SettingType = "percent"
	QuantitySetting  SettingType = "quantity"
	WordSetting      SettingType = "word"  // one of Choices
	WordsSetting     SettingType = "words" // a list of Choices, each once
	GradeSetting     SettingType = "grade"
	LinesSetting     SettingType = "lines"
	NamesSetting     SettingType = "names" // a list of columns or kinds
	PeriodSetting    SettingType = "period"
	TextSetting      SettingType = "text"
	ColumnSetting    SettingType = "column" // a number of the lines
	FigureSetting    SettingType = "figure" // a number in the unit of the measure looked at
)

// Setting is one key of a method.
type Setting struct {
	Key      string
	Type     SettingType
	Doc      string // what it is, for people
	Default  string // as a document writes it; "" is required, unless Optional
	Optional bool
	Choices  []string       // the words, or the nouns of a quantity
	Whole    bool           // no fraction
	From, To *amount.Amount // of numbers, both allowed unless Open
	Open     bool           // neither From nor To is allowed itself
	Example  string         // for complaints, "3.5"
}

// Value is what is set.
type Value struct {
	At    Position
	Text  string     // as a document writes it
	Bound Bound      // of a number, a percentage, a quantity
	Noun  string     // of a quantity
	Feed  string     // of lines
	Where *Condition // of lines; nil is all
	List  []string   // of words and names
}

// DefaultMethod is that of an outlier which does not say by what.
const DefaultMethod = "robust score"

// Methods is a list of them.
type Methods []*Method

// find is the method of a family by name, or nil.
func (all Methods) find(family, name string) *Method {
	i := slices.IndexFunc(all, func(m *Method) bool { return m.Family == family && m.Name == name })
	if i < 0 {
		return nil
	}
	return all[i]
}

// names lists the methods of a family.
func (all Methods) names(family string) (out []string) {
	for _, m := range all {
		if m.Family == family {
			out = append(out, m.Name)
		}
	}
	return out
}

// Is says whether a rule judges by a method of a family.
func (r *Rule) Is(family string) bool { return r.Method != nil && r.Method.Family == family }

// Number is a number that is set, or its dial's value.
func (b *Book) Set(r *Rule, key string) amount.Amount { return b.Value(r.Settings[key].Bound) }

// Whole is a whole number that is set; of a dial that is no whole number the
// nearest one.
func (b *Book) Whole(r *Rule, key string) int {
	return int((b.Set(r, key) + amount.Scale/2) / amount.Scale)
}

// Says is the text of a setting, "" where nothing is set.
func (r *Rule) Says(key string) string { return r.Settings[key].Text }

// measures lists the measures that a rule's settings name.
func (r *Rule) setMeasures() (out []string) {
	if r.Method == nil {
		return nil
	}
	for _, s := range r.Method.Settings {
		if v := r.Settings[s.Key]; s.Type == MeasureSetting && v.Text != "" {
			out = append(out, v.Text)
		}
	}
	return out
}

// setFeeds lists the feeds whose lines a rule's settings name.
func (r *Rule) setFeeds() (out []string) {
	if r.Method == nil {
		return nil
	}
	for _, s := range r.Method.Settings {
		if v := r.Settings[s.Key]; v.Feed != "" && !slices.Contains(out, v.Feed) {
			out = append(out, v.Feed)
		}
	}
	return out
}

// readMethod reads what stands under 'outlier' or 'window'.
func (r *reader) readMethod(v value, family string, book *Book, rule *Rule) {
	rule.MethodAt, rule.Settings = v.at, map[string]Value{}
	var keys []string
	by := ""
	for _, e := range v.entries() {
		keys = append(keys, e.key)
		if e.key == "by" && family == "outlier" {
			by = r.now("method", e.scalar(), r.methods.names(family), e.at, e.path)
			if rule.Method = r.methods.find(family, by); rule.Method == nil {
				e.complain("there is no method %q%s", by, suggest(by, r.methods.names(family)))
				return
			}
		}
	}
	switch names := r.methods.names(family); {
	case !v.isMapping():
		v.fields() // which complains
		return
	case family == "outlier" && by == "":
		rule.Method = r.methods.find(family, DefaultMethod)
	case family == "window":
		for _, name := range names {
			if !slices.Contains(keys, name) {
				continue
			}
			if rule.Method != nil {
				v.complain("state either %q or %q, not both", rule.Method.Name, name)
				return
			}
			rule.Method = r.methods.find(family, name)
		}
		if rule.Method == nil {
			v.complain("state what is looked for: one of %s", strings.Join(names, ", "))
			for _, e := range v.entries() {
				if s := lang.Suggestion(e.key, names); s != "" {
					r.complain(e.at, e.path, "unknown key %q%s", e.key, s)
				}
			}
			return
		}
	}
	m := rule.Method
	known := []string{}
	if family == "outlier" {
		known = append(known, "by")
	}
	for _, s := range m.Settings {
		known = append(known, s.Key)
	}
	f := v.fields(known...)
	for _, s := range m.Settings {
		field := f[s.Key]
		if field.absent() && s.Default == "" {
			if !s.Optional {
				field.complain("%q is missing: %s", s.Key, s.Doc)
			}
			continue
		}
		rule.Settings[s.Key] = r.readSetting(field, s, book, rule)
	}
	for _, l := range rule.Levels {
		if m.RefuseLevel != nil {
			if why := m.RefuseLevel(l); why != "" {
				v.complain("%s cannot judge %s: %s", m.Name, l, why)
			}
		}
	}
}

// readSetting reads one; what is absent has its default.
func (r *reader) readSetting(v value, s Setting, book *Book, rule *Rule) Value {
	out := Value{At: v.at, Text: s.Default}
	if s.Type == WordsSetting || s.Type == NamesSetting {
		return r.readList(v, s, book)
	}
	if !v.absent() {
		out.Text = v.required()
		if out.Text == "" {
			return out
		}
	}
	switch s.Type {
	case MeasureSetting:
		v.measure(book)
	case GradeSetting:
		v.grade(book)
	case WordSetting:
		if !slices.Contains(s.Choices, out.Text) {
			v.complain("%q is not one of %s", out.Text, strings.Join(s.Choices, ", "))
		}
	case AttributeSetting:
		r.readPeers(v, out.Text, book, rule)
	case TextSetting: // its method reads it
	case ColumnSetting:
		// The first lines are those that are counted.
		if feeds := rule.setFeeds(); len(feeds) > 0 {
			if fd := book.Feed(feeds[0]); fd != nil && fd.Figure(out.Text) == nil {
				v.complain("the lines of %s have no number %q%s", fd.Name, out.Text, suggest(out.Text, figureNames(fd)))
			}
		}
	case LinesSetting:
		r.readLines(v, &out, book, rule)
	case PeriodSetting:
		if _, err := book.Calendar.Parse(out.Text); err != nil {
			v.complain("%s", err)
		}
	default:
		r.readQuantity(v, s, &out, book, rule)
	}
	return out
}

// readPeers reads the attribute whose equals are peers: one of every level.
func (r *reader) readPeers(v value, name string, book *Book, rule *Rule) {
	for _, l := range rule.Levels {
		if _, complaint := book.attributeTypes(l)(name); complaint != "" {
			first, _ := l.Sides()
			if k := book.Kind(first.Kind); k != nil && l.Plain() {
				complaint = "expected an attribute of " + k.Name + suggest(name, attributeNames(k))
			}
			v.complain("%s", complaint)
			return
		}
		if l.By != "" && name == l.Kind+"."+l.By {
			v.complain("each %s is alone in its own %s, so it has no peers there", l, l.By)
		}
	}
}

// readLines reads 'sales', or 'sales where net above 1000'.
func (r *reader) readLines(v value, out *Value, book *Book, rule *Rule) {
	feed, condition, some := strings.Cut(out.Text, " where ")
	out.Feed = strings.TrimSpace(feed)
	fd := book.Feed(out.Feed)
	if fd == nil {
		v.complain("unknown feed %q%s", out.Feed, suggest(out.Feed, feedNames(book)))
		return
	}
	for _, kind := range rule.kinds() {
		if fd.SubjectColumn(kind) == "" {
			v.complain("the lines of %s name no %s, so they cannot be counted for one", out.Feed, kind)
		}
	}
	if !some {
		return
	}
	tree, err := lang.Condition(condition)
	at := shift(v.textStart(), len([]rune(feed))+len(" where ")+1)
	if err != nil {
		r.complain(shift(at, err.At), v.path, "%s", err.Text)
		return
	}
	out.Where = &Condition{At: at, Text: condition, Tree: tree}
	for _, e := range lang.CheckCondition(tree, lineTypes(book, fd, fd.Notes...)) {
		r.complain(shift(at, e.At), v.path, "%s", e.Text)
	}
}

// readQuantity reads a number, a percentage or a quantity, or a dial for it.
func (r *reader) readQuantity(v value, s Setting, out *Value, book *Book, rule *Rule) {
	number, noun, worded := strings.Cut(out.Text, " ")
	if s.Type != QuantitySetting && worded {
		number, noun = out.Text, ""
	}
	out.Bound = Bound{At: v.at}
	if d := book.Dial(number); d != nil {
		out.Bound.Dial, out.Bound.Percent = d.Name, d.Percent
	} else if plainName.MatchString(number) {
		v.complain("expected %s, such as %s, or a dial, found %q%s", wanted(s), s.Example, out.Text, lang.Suggestion(number, dialNames(book)))
		return
	} else if n, err := lang.ParseNumber(number); err != nil {
		v.complain("expected %s, such as %s, found %q", wanted(s), s.Example, out.Text)
		return
	} else {
		out.Bound.Number, out.Bound.Percent = n, strings.HasSuffix(number, "%")
	}
	if s.Type == QuantitySetting {
		if out.Noun = nounOf(noun, s.Choices); out.Noun == "" && (noun != "" || out.Bound.Dial == "") {
			v.complain("expected %s, such as %s, found %q", wanted(s), s.Example, out.Text)
			return
		}
		if out.Noun == "" {
			out.Noun = s.Choices[0]
		}
	}
	value := book.Value(out.Bound)
	switch {
	case s.Type == FigureSetting:
		r.unitFits(out.Bound, v.path, book.Measure(rule.Says("of")))
	case s.Type == PercentSetting && !out.Bound.Percent && (value <= 0 || value == amount.Scale): // which percentage could be meant is none that may be set
		v.complain("expected %s, such as %s, found %s%s", wanted(s), s.Example, value, dialNote(out.Bound))
	case out.Bound.Percent != (s.Type == PercentSetting) && s.Type == PercentSetting:
		v.complain("expected %s, such as %s: %s", wanted(s), s.Example, percentMeant(value))
	case out.Bound.Percent != (s.Type == PercentSetting):
		v.complain("expected %s, such as %s, found %s%s", wanted(s), s.Example, Bound{Number: value, Percent: true}.Text(), dialNote(out.Bound))
	case (s.Whole || strings.HasSuffix(out.Noun, "days")) && value%amount.Scale != 0:
		what := "a whole number"
		if out.Noun != "" {
			what = "a whole number of " + out.Noun
		}
		v.complain("expected %s, found %s%s", what, value, dialNote(out.Bound))
	case s.From != nil && (value < *s.From || s.Open && value == *s.From), s.To != nil && (value > *s.To || s.Open && value == *s.To):
		v.complain("expected %s, such as %s, found %s%s", wanted(s), s.Example, Bound{Number: value, Percent: out.Bound.Percent}.Text(), dialNote(out.Bound))
	}
}

func dialNote(b Bound) string {
	if b.Dial == "" {
		return ""
	}
	return " (the dial " + b.Dial + ")"
}

// wanted says what stands in a setting, with how far it may go.
func wanted(s Setting) string {
	if s.From == nil {
		return s.Doc
	}
	return s.Doc + " " + rangeWords(s)
}

func rangeWords(s Setting) string {
	text := func(a amount.Amount) string { return Bound{Number: a, Percent: s.Type == PercentSetting}.Text() }
	switch {
	case s.To == nil && s.Open:
		return "above " + text(*s.From)
	case s.To == nil:
		return "at least " + text(*s.From)
	case s.Open:
		return "above " + text(*s.From) + " and below " + text(*s.To)
	}
	return "from " + text(*s.From) + " to " + text(*s.To)
}

// nounOf finds 'days' for 'day' and 'days', or "".
func nounOf(noun string, known []string) string {
	for _, k := range known {
		if noun == k || noun+"s" == k {
			return k
		}
	}
	return ""
}

// readList reads words or names, each once.
func (r *reader) readList(v value, s Setting, book *Book) Value {
	out := Value{At: v.at}
	if v.absent() {
		out.List = strings.Split(s.Default, ", ")
		out.Text = s.Default
		return out
	}
	items := []value{v}
	if v.isList() {
		items = v.items()
	}
	for _, item := range items {
		word := item.required()
		if s.Key == "runs" && !slices.Contains(s.Choices, word) {
			word = r.now("run rule", word, s.Choices, item.at, item.path)
		}
		switch {
		case word == "":
		case slices.Contains(out.List, word):
			item.complain("%q is named twice", word)
		case s.Type == WordsSetting && !slices.Contains(s.Choices, word):
			item.complain("expected one of %s, found %q%s", strings.Join(s.Choices, ", "), word, lang.Suggestion(word, s.Choices))
		default:
			out.List = append(out.List, word)
		}
	}
	if len(out.List) == 0 {
		v.complain("name at least one: %s", s.Doc)
	}
	out.Text = strings.Join(out.List, ", ")
	return out
}

// checkMethod finds what only the whole document can show of a method.
func (r *reader) checkMethod(book *Book, rule *Rule, path string) {
	m := rule.Method
	path += "." + m.Family
	for _, s := range m.Settings {
		if v := rule.Settings[s.Key]; s.Type == MeasureSetting && book.Measure(v.Text) != nil {
			r.reaches(book, rule, v.Text, v.At, path)
		}
	}
	if m.Family == "window" {
		if rule.Ended != "" {
			r.complain(rule.At, path+".ended", "%s compares nothing with the past; 'ended' is for growth and change", Article(m.Name))
		}
		if rule.NoData != "" {
			r.complain(rule.At, path+".no_data", "%s has no 'no data': what was never seen is not judged", Article(m.Name))
		}
	}
	if m.Check != nil && !rule.unsettled {
		m.Check(book, rule, func(key, format string, args ...any) {
			at := rule.MethodAt
			if v, set := rule.Settings[key]; set {
				at = v.At
			}
			r.complain(at, path+"."+key, format, args...)
		})
	}
}

// usesSetting says whether a rule's settings name something of a book.
func (r *Rule) usesSetting(name string) bool {
	for _, v := range r.Settings {
		if v.Bound.Dial == name || v.Feed == name || v.Text == name || v.Where != nil && asks(v.Where, name) || strings.HasPrefix(v.Text, name+".") {
			return true
		}
	}
	return false
}

// defineMethod gives the settings of a rule as a document writes them, without
// those that have their default.
func (r *Rule) defineMethod() map[string]string {
	out := map[string]string{}
	if r.Method.Family == "outlier" {
		out["by"] = r.Method.Name
	}
	for _, s := range r.Method.Settings {
		if v, set := r.Settings[s.Key]; set && v.Text != s.Default {
			out[s.Key] = v.Text
		}
	}
	return out
}

// writeMethod writes settings in the order of their method: a flow mapping.
func writeMethod(settings map[string]string, family string, methods Methods) string {
	m := methods.find(family, settings["by"])
	if family == "window" {
		for name := range settings {
			if found := methods.find(family, name); found != nil {
				m = found
			}
		}
	}
	var out []string
	put := func(key, text string) {
		if settings[key] != "" {
			out = append(out, key+": "+text)
		}
	}
	seen, by := map[string]bool{}, family != "outlier"
	if m != nil {
		for i, s := range m.Settings {
			if !by && i > 0 && s.Key != "among" {
				by = true
				put("by", scalarText(settings["by"])) // behind what is looked at, among whom
			}
			seen[s.Key] = true
			if s.Type == WordsSetting || s.Type == NamesSetting {
				var items []string
				for _, item := range strings.Split(settings[s.Key], ", ") {
					items = append(items, scalarText(item))
				}
				put(s.Key, "["+strings.Join(items, ", ")+"]")
				continue
			}
			put(s.Key, scalarText(amount.Plain(settings[s.Key])))
		}
	}
	for _, key := range sortedNames(settings) { // what the method does not know is complained of when it is read
		if !seen[key] && (key != "by" || !by) {
			put(key, scalarText(settings[key]))
		}
	}
	return "{" + strings.Join(out, ", ") + "}"
}

// SettingWords says a number, percentage or quantity that is set.
func (b *Book) SettingWords(r *Rule, key string) string {
	v := r.Settings[key]
	n := b.Number(v.Bound)
	if v.Noun == "" {
		return n
	}
	noun := v.Noun
	if b.Value(v.Bound) == amount.Scale {
		noun = strings.TrimSuffix(noun, "s")
	}
	if v.Bound.Dial != "" {
		return fmt.Sprintf("%s %s (%s)", b.Set(r, key), noun, v.Bound.Dial)
	}
	return fmt.Sprintf("%s %s", n, noun)
}
