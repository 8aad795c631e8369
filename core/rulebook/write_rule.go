package rulebook

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"oskel/core/amount"
)

// RuleDefinition is a rule as a form or another program hands it over: the
// texts of the rulebook file, field by field. What is empty has its default.
type RuleDefinition struct {
	Name       string              `json:"name,omitempty"`
	Title      string              `json:"title,omitempty"`
	Judges     []string            `json:"judges,omitempty"`
	Each       string              `json:"each,omitempty"`
	Where      string              `json:"where,omitempty"`
	Base       []BaseDefinition    `json:"base,omitempty"`
	NoData     string              `json:"no_data,omitempty"`
	Ended      string              `json:"ended,omitempty"`
	Persists   string              `json:"persists,omitempty"`
	On         *bool               `json:"on,omitempty"`
	Trial      bool                `json:"trial,omitempty"`
	NoCase     bool                `json:"listed,omitempty"`
	ToDate     bool                `json:"to_date,omitempty"`
	LastWord   bool                `json:"last_word,omitempty"`
	ValidFrom  string              `json:"valid_from,omitempty"`
	ValidUntil string              `json:"valid_until,omitempty"`
	Shows      []string            `json:"shows,omitempty"`
	Marks      string              `json:"marks,omitempty"`
	Stake      string              `json:"stake,omitempty"`
	Of         string              `json:"of,omitempty"`
	Against    string              `json:"against,omitempty"`
	As         string              `json:"as,omitempty"`
	Bands      []BandDefinition    `json:"bands,omitempty"`
	Choose     []ChoiceDefinition  `json:"choose,omitempty"`
	Outlier    map[string]string   `json:"outlier,omitempty"`
	Window     map[string]string   `json:"window,omitempty"`
	Examples   []map[string]string `json:"examples,omitempty"`
}

// BaseDefinition is one minimum, such as revenue: at least 5000.
type BaseDefinition struct {
	Measure string `json:"measure"`
	Least   string `json:"least"`
}

// BandDefinition is one band; without a grade it is clear.
type BandDefinition struct {
	Grade   string `json:"grade,omitempty"`
	Label   string `json:"label,omitempty"`
	Below   string `json:"below,omitempty"`
	AtMost  string `json:"at_most,omitempty"`
	Above   string `json:"above,omitempty"`
	AtLeast string `json:"at_least,omitempty"`
	Rest    bool   `json:"rest,omitempty"`
}

// ChoiceDefinition is one choice: How is all, any, none or some.
type ChoiceDefinition struct {
	Grade   string   `json:"grade"`
	How     string   `json:"how"`
	AtLeast int      `json:"at_least,omitempty"`
	Of      []string `json:"of"`
}

// Text is a bound as the file writes it: a dial's name, 18% or 5000.
func (x Bound) Text() string {
	switch {
	case x.Dial != "":
		return x.Dial
	case x.Percent:
		return strings.ReplaceAll(FormatPercent(x.Number), ",", "")
	}
	return x.Number.String()
}

// Text is a dial's value as the file writes it.
func (d *Dial) Text(a amount.Amount) string { return Bound{Number: a, Percent: d.Percent}.Text() }

// Define gives a rule of the book field by field.
func (b *Book) Define(r *Rule) RuleDefinition {
	d := RuleDefinition{Name: r.Name, Title: r.Title, Each: r.Each, NoData: r.NoData, NoCase: r.NoCase, ToDate: r.ToDate, LastWord: r.LastWord, Shows: r.Shows}
	d.Ended = map[string]string{"zero": "counts as zero", "missing": "no data"}[r.Ended]
	for _, l := range r.Levels {
		d.Judges = append(d.Judges, l.String())
	}
	d.Trial, d.Marks = r.Trial, r.Marks
	if !r.On && !r.Trial {
		off := false
		d.On = &off
	}
	if r.Where != nil {
		d.Where = r.Where.Text
	}
	for _, base := range r.Base {
		d.Base = append(d.Base, BaseDefinition{base.Measure, atLeast(base.Included) + " " + base.Bound.Text()})
	}
	if r.Persists != nil {
		d.Persists = fmt.Sprintf("%d of %d", r.Persists.Least, r.Persists.Of)
	}
	if r.From != nil {
		d.ValidFrom = r.From.String()
	}
	if r.Until != nil {
		d.ValidUntil = r.Until.String()
	}
	if r.Stake != nil {
		d.Stake = r.Stake.Text
	}
	switch {
	case r.Threshold != nil:
		t := r.Threshold
		d.Of, d.As = t.Of, t.As
		if t.Against != nil {
			d.Against = t.Against.Text
		}
		for _, band := range t.Bands {
			d.Bands = append(d.Bands, defineBand(band))
		}
		for _, c := range t.Choices {
			d.Choose = append(d.Choose, defineChoice(c))
		}
	case r.Is("outlier"):
		d.Outlier = r.defineMethod()
	case r.Is("window"):
		d.Window = r.defineMethod()
	}
	for _, ex := range r.Examples {
		d.Examples = append(d.Examples, defineExample(ex))
	}
	return d
}

func defineBand(band Band) BandDefinition {
	d := BandDefinition{Grade: band.Grade, Label: band.Label, Rest: band.Rest}
	if e := band.Low; e != nil && e.Included {
		d.AtLeast = e.Bound.Text()
	} else if e != nil {
		d.Above = e.Bound.Text()
	}
	if e := band.High; e != nil && e.Included {
		d.AtMost = e.Bound.Text()
	} else if e != nil {
		d.Below = e.Bound.Text()
	}
	return d
}

func defineChoice(c Choice) ChoiceDefinition {
	d := ChoiceDefinition{Grade: c.Grade, How: "some"}
	for _, condition := range c.Of {
		d.Of = append(d.Of, condition.Text)
	}
	switch {
	case c.None:
		d.How = "none"
	case c.Least == len(c.Of):
		d.How = "all"
	case c.Least == 1:
		d.How = "any"
	default:
		d.AtLeast = c.Least
	}
	return d
}

func defineExample(ex Example) map[string]string {
	d := map[string]string{"is": ex.Is}
	if ex.Grade != "" {
		d["is"] = ex.Grade
	}
	for _, in := range ex.Inputs {
		switch {
		case in.Missing:
			d[in.Name] = "missing"
		case strings.Contains(in.Name, "."):
			d[in.Name] = in.Text
		default:
			d[in.Name] = Bound{Number: in.Number, Percent: in.Percent, Dial: in.Dial}.Text()
		}
	}
	return d
}

var (
	plainScalar = regexp.MustCompile(`^[A-Za-z0-9_-][A-Za-z0-9_ %./-]*$`)
	notPlain    = regexp.MustCompile(`(?i)^(true|false|null|yes|no|on|off|-.*|.* )$`)
)

// scalarText writes a scalar so that it is read back as it is, in a flow too.
func scalarText(s string) string {
	if n, err := strconv.ParseFloat(strings.TrimSuffix(s, "%"), 64); err == nil && n == n {
		return s
	}
	if plainScalar.MatchString(s) && !notPlain.MatchString(s) {
		return s
	}
	return strconv.Quote(s)
}

func flow(pairs ...string) string {
	var out []string
	for i := 0; i < len(pairs); i += 2 {
		if pairs[i+1] != "" {
			out = append(out, pairs[i]+": "+scalarText(amount.Plain(pairs[i+1])))
		}
	}
	return "{" + strings.Join(out, ", ") + "}"
}

// Write is the definition as an item of the rulebook's list of rules, each
// line behind an indent.
func (d *RuleDefinition) Write(indent string, methods Methods) string {
	w := ruleWriter{indent: indent}
	w.head(d)
	switch {
	case len(d.Window) > 0:
		w.line("window: " + writeMethod(d.Window, "window", methods))
	case len(d.Outlier) > 0:
		w.line("outlier: " + writeMethod(d.Outlier, "outlier", methods))
	case len(d.Choose) > 0:
		w.line("threshold:")
		w.choose(d.Choose)
	default:
		w.line("threshold:")
		w.put("  of", d.Of)
		w.put("  against", d.Against)
		w.put("  as", d.As)
		w.bands(d.Bands)
	}
	w.put("stake", d.Stake)
	w.examples(d.Examples)
	return w.out.String()
}

// ruleWriter writes one item of a list, line by line; the first begins with its dash.
type ruleWriter struct {
	indent string
	out    strings.Builder
}

func (w *ruleWriter) line(text string) {
	lead := "  "
	if w.out.Len() == 0 {
		lead = "- "
	}
	w.out.WriteString(w.indent + lead + text + "\n")
}

// put writes a key where there is a value.
func (w *ruleWriter) put(key, value string) {
	if value != "" {
		w.line(key + ": " + scalarText(value))
	}
}

func flowList(items []string) string {
	var out []string
	for _, item := range items {
		out = append(out, scalarText(item))
	}
	return "[" + strings.Join(out, ", ") + "]"
}

// head writes what a rule of any family has: whom it judges, when, and what becomes of it.
func (w *ruleWriter) head(d *RuleDefinition) {
	w.put("name", d.Name)
	w.put("title", d.Title)
	if len(d.Judges) == 1 {
		w.put("judges", d.Judges[0])
	} else {
		w.line("judges: " + flowList(d.Judges))
	}
	w.put("each", cmp.Or(d.Each, "month"))
	w.put("where", d.Where)
	if len(d.Base) > 0 {
		var pairs []string
		for _, b := range d.Base {
			at := strings.LastIndex(b.Least, " ") + 1 // at least 5,000
			pairs = append(pairs, b.Measure, b.Least[:at]+amount.Plain(b.Least[at:]))
		}
		w.line("base: " + flow(pairs...))
	}
	w.put("no_data", d.NoData)
	w.put("ended", d.Ended)
	w.put("persists", d.Persists)
	switch {
	case d.Trial:
		w.line("on: trial")
	case d.On != nil && !*d.On:
		w.line("on: false")
	}
	if d.NoCase {
		w.line("cases: none")
	}
	if d.ToDate {
		w.line("to_date: true")
	}
	if d.LastWord {
		w.line("last_word: true")
	}
	w.put("valid_from", d.ValidFrom)
	w.put("valid_until", d.ValidUntil)
	if len(d.Shows) > 0 {
		w.line("shows: " + flowList(d.Shows))
	}
	w.put("marks", d.Marks)
}

func (w *ruleWriter) choose(choices []ChoiceDefinition) {
	w.line("  choose:")
	for _, c := range choices {
		how := c.How + ": " + flowList(c.Of)
		if c.How == "some" {
			how = fmt.Sprintf("some: {at_least: %d, of: %s}", c.AtLeast, flowList(c.Of))
		}
		w.line("    - {grade: " + scalarText(c.Grade) + ", " + how + "}")
	}
}

func (w *ruleWriter) bands(bands []BandDefinition) {
	if len(bands) > 0 {
		w.line("  bands:")
	}
	for _, b := range bands {
		if b.Rest {
			w.line("    - {clear: rest}")
			continue
		}
		text := flow("grade", b.Grade, "label", b.Label, "below", b.Below, "at_most", b.AtMost, "above", b.Above, "at_least", b.AtLeast)
		if b.Grade == "" {
			text = strings.Replace(text, "{", "{clear: true, ", 1)
		}
		w.line("    - " + strings.Replace(text, ", }", "}", 1))
	}
}

func (w *ruleWriter) examples(examples []map[string]string) {
	if len(examples) > 0 {
		w.line("examples:")
	}
	for _, ex := range examples {
		var pairs []string
		for _, name := range sortedNames(ex) {
			pairs = append(pairs, name, ex[name])
		}
		w.line("  - " + flow(pairs...))
	}
}

// sortedNames puts the verdict last.
func sortedNames(ex map[string]string) []string {
	var out []string
	for name := range ex {
		if name != "is" {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	if _, said := ex["is"]; said {
		out = append(out, "is")
	}
	return out
}

// PlaceRule writes a rule into the text of a book in the place of the one of
// that name, or after the last one; a nil definition takes it out. Everything
// else stays as it stands. The text need not be sound, but readable as YAML.
// It begins the list of rules anew where there is none, or an empty one.
func PlaceRule(text, name string, d *RuleDefinition, methods Methods) (string, error) {
	book, problems := Read([]byte(text), methods)
	if len(book.Kinds) == 0 && len(problems) > 0 {
		return "", fmt.Errorf("the text cannot be read: %s", problems[0])
	}
	lines := strings.SplitAfter(text, "\n")
	if n := len(lines); n > 0 && lines[n-1] == "" {
		lines = lines[:n-1]
	} else if n > 0 {
		lines[n-1] += "\n"
	}
	indent := "  "
	var from, to int
	switch i := slices.IndexFunc(book.Rules, func(r Rule) bool { return r.Name == name }); {
	case i >= 0:
		from, to = ruleLines(lines, book, i)
		indent = indentOf(lines[from])
	case d == nil:
		return "", fmt.Errorf("there is no rule %q", name)
	case len(book.Rules) > 0:
		start, end := ruleLines(lines, book, len(book.Rules)-1)
		indent = indentOf(lines[start])
		from, to = end, end
	default:
		if i := slices.IndexFunc(lines, noRules.MatchString); i >= 0 { // the key is there
			lines[i] = "rules:\n"
			from, to = i+1, i+1
			break
		}
		lines = append(lines, "\n", "rules:\n")
		from, to = len(lines), len(lines)
	}
	if from < len(lines) && from < to && !strings.HasPrefix(strings.TrimSpace(lines[from]), "-") {
		return "", fmt.Errorf("the rules are not written one below the other; edit the text instead")
	}
	out := append([]string(nil), lines[:from]...)
	if d != nil {
		if from == to && from > 0 && strings.TrimSpace(lines[from-1]) != "" && len(book.Rules) > 0 {
			out = append(out, "\n")
		}
		out = append(out, d.Write(indent, methods))
	}
	out = append(out, lines[to:]...)
	return strings.Join(out, ""), nil
}

// noRules is the line of a list of rules that has none.
var noRules = regexp.MustCompile(`^rules:[ \t]*(\[[ \t]*\])?[ \t]*(#.*)?\r?\n?$`)

// OrderRules writes the rules of a text in the order of some names, which must
// be all of them; each takes the comments right above it along.
func OrderRules(text string, names []string, methods Methods) (string, error) {
	book, problems := Read([]byte(text), methods)
	if len(book.Rules) == 0 {
		if len(problems) > 0 {
			return "", fmt.Errorf("the text cannot be read: %s", problems[0])
		}
		return "", fmt.Errorf("the text has no rules")
	}
	if len(names) != len(book.Rules) {
		return "", fmt.Errorf("the text has %d rules, and %d are named", len(book.Rules), len(names))
	}
	lines := strings.SplitAfter(text, "\n")
	if last := len(lines) - 1; lines[last] == "" {
		lines = lines[:last]
	} else {
		lines[last] += "\n"
	}
	type block struct{ from, to int }
	blocks := make([]block, len(book.Rules))
	for i := range book.Rules {
		from, to := ruleLines(lines, book, i)
		if !strings.HasPrefix(strings.TrimSpace(lines[from]), "-") || i > 0 && from < blocks[i-1].to {
			return "", fmt.Errorf("the rules are not written one below the other; edit the text instead")
		}
		for from > 0 && strings.HasPrefix(strings.TrimSpace(lines[from-1]), "#") && (i == 0 || from > blocks[i-1].to) {
			from--
		}
		blocks[i] = block{from, to}
	}
	out := append([]string(nil), lines[:blocks[0].from]...)
	seen := map[string]bool{}
	for n, name := range names {
		i := slices.IndexFunc(book.Rules, func(r Rule) bool { return r.Name == name })
		if i < 0 || seen[name] {
			return "", fmt.Errorf("expected each rule of the text once, found %q", name)
		}
		seen[name] = true
		out = append(out, lines[blocks[i].from:blocks[i].to]...)
		// What stood between the rules stays between them.
		if n+1 < len(blocks) {
			out = append(out, lines[blocks[n].to:blocks[n+1].from]...)
		}
	}
	return strings.Join(append(out, lines[blocks[len(blocks)-1].to:]...), ""), nil
}

// ruleLines is the stretch of lines of rule number i, from 0.
func ruleLines(lines []string, book *Book, i int) (from, to int) {
	return itemLines(lines, len(book.Rules), i, func(i int) Position { return book.Rules[i].At })
}

// itemLines is the stretch of lines of one of n items of a list: up to the
// comments and blank lines that belong to what follows.
func itemLines(lines []string, n, i int, at func(int) Position) (from, to int) {
	from = at(i).Line - 1
	if i+1 < n {
		to = at(i+1).Line - 1
	} else {
		to = from + 1
		for to < len(lines) && (strings.HasPrefix(lines[to], " ") || strings.HasPrefix(lines[to], "#") || strings.TrimSpace(lines[to]) == "") {
			to++
		}
	}
	for to > from+1 {
		if t := strings.TrimSpace(lines[to-1]); t != "" && !strings.HasPrefix(t, "#") {
			break
		}
		to--
	}
	return from, to
}

func indentOf(line string) string { return line[:len(line)-len(strings.TrimLeft(line, " "))] }

// RuleText is a rule as it stands in the text the book was read from.
func (b *Book) RuleText(text, name string) string {
	i := slices.IndexFunc(b.Rules, func(r Rule) bool { return r.Name == name })
	if i < 0 {
		return ""
	}
	lines := strings.SplitAfter(text, "\n")
	from, to := ruleLines(lines, b, i)
	return strings.Join(lines[from:to], "")
}
