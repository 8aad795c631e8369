package rulebook

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"sort"
	"strconv"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"

	"oskel/core/lang"
	"oskel/core/words"
)

// Problem is one thing wrong with a document: where, and what was expected.
type Problem struct {
	Position
	Path string `json:"path"` // such as rules.thin-margin.threshold
	Text string `json:"text"`

	late bool // asked for since some documents were published, which are read all the same
}

func (p Problem) String() string {
	return fmt.Sprintf("line %d, column %d: %s: %s", p.Line, p.Column, p.Path, p.Text)
}

// reader gathers the problems of one document.
type reader struct {
	problems []Problem
	renamed  []Problem             // words that are called otherwise now
	formulas map[string]*lang.Node // by text
	methods  Methods
}

func (r *reader) complain(at Position, path, format string, args ...any) {
	r.problems = append(r.problems, Problem{Position: at, Path: path, Text: fmt.Sprintf(format, args...)})
}

// require complains of what is asked of a document before it is published, and
// not of one that was published before it was asked.
func (r *reader) require(at Position, path, format string, args ...any) {
	r.complain(at, path, format, args...)
	r.problems[len(r.problems)-1].late = true
}

// Reread reads a document that was published once: what is asked since is not
// asked of it.
func Reread(text []byte, methods Methods) (*Book, []Problem) {
	book, problems := Read(text, methods)
	return book, slices.DeleteFunc(problems, func(p Problem) bool { return p.late })
}

// value is a node of the document with its path. The zero value is absent;
// its readers then answer with nothing and do not complain.
type value struct {
	r    *reader
	node ast.Node
	path string
	at   Position

	quiet bool // what should hold it is no mapping, which was told
}

func (v value) absent() bool { return v.node == nil }

func (v value) complain(format string, args ...any) { v.r.complain(v.at, v.path, format, args...) }

func (v value) child(node ast.Node, name string) value {
	path := name
	if v.path != "" {
		path = v.path + "." + name
	}
	return value{r: v.r, node: node, path: path, at: positionOf(node)}
}

func positionOf(n ast.Node) Position {
	switch n := n.(type) {
	case *ast.MappingNode:
		if !n.IsFlowStyle && len(n.Values) > 0 {
			return positionOf(n.Values[0].Key)
		}
	case *ast.MappingValueNode:
		return positionOf(n.Key)
	}
	if n == nil || n.GetToken() == nil || n.GetToken().Position == nil {
		return Position{1, 1}
	}
	p := n.GetToken().Position
	return Position{p.Line, p.Column}
}

// entry is one key of a mapping with its value.
type entry struct {
	key string
	at  Position
	value
}

// entries lists a mapping in order, or complains that it is none.
func (v value) entries() []entry {
	if v.absent() {
		return nil
	}
	var pairs []*ast.MappingValueNode
	switch n := v.node.(type) {
	case *ast.MappingNode:
		pairs = n.Values
	case *ast.MappingValueNode:
		pairs = []*ast.MappingValueNode{n}
	default:
		v.complain("expected keys with values, found %s", describe(v.node))
		return nil
	}
	var out []entry
	for _, p := range pairs {
		key := p.Key.GetToken().Value
		out = append(out, entry{key, positionOf(p.Key), v.child(p.Value, key)})
	}
	return out
}

// fields reads a mapping with a fixed set of keys; an unknown one is a
// problem, with the nearest known one.
func (v value) fields(known ...string) map[string]value {
	out := map[string]value{}
	quiet := !v.absent() && !v.isMapping() // one complaint is enough
	for _, k := range known {
		out[k] = value{r: v.r, path: v.path + "." + k, at: v.at, quiet: quiet}
	}
	for _, e := range v.entries() {
		key := e.key
		if !slices.Contains(known, key) {
			key = v.r.now("key", key, known, e.at, e.path)
		}
		if _, ok := out[key]; !ok {
			v.r.complain(e.at, e.path, "unknown key %q%s", e.key, suggest(e.key, known))
			continue
		}
		out[key] = e.value
	}
	return out
}

// now is what a word is called now, if that is known where it stands; the check says so.
func (r *reader) now(of, word string, known []string, at Position, path string) string {
	is, renamed := words.Now(of, word)
	if !renamed || !slices.Contains(known, is) {
		return word
	}
	r.renamed = append(r.renamed, Problem{Position: at, Path: path, Text: fmt.Sprintf("%q is now called %q; the old name is still read", word, is)})
	return is
}

// renamedIn notes the functions of a formula or a condition that are called otherwise now.
func (r *reader) renamedIn(text string, start Position, path string) {
	for _, f := range lang.RenamedFunctions(text) {
		r.now("function", f.Name, []string{f.Now}, shift(start, f.At), path)
	}
}

func suggest(name string, known []string) string {
	if s := lang.Suggestion(name, known); s != "" {
		return s
	}
	sorted := slices.DeleteFunc(slices.Clone(known), func(s string) bool { return s == "" })
	sort.Strings(sorted)
	if len(sorted) == 0 {
		return ""
	}
	return "; known here: " + strings.Join(sorted, ", ")
}

func (v value) items() []value {
	if v.absent() {
		return nil
	}
	n, ok := v.node.(*ast.SequenceNode)
	if !ok {
		v.complain("expected a list, found %s", describe(v.node))
		return nil
	}
	var out []value
	for i, item := range n.Values {
		out = append(out, value{r: v.r, node: item, path: v.path + itemName(item, i), at: positionOf(item)})
	}
	return out
}

// maps lists a sequence of mappings; whatever else stands there is a problem.
func (v value) maps() []value {
	return slices.DeleteFunc(v.items(), func(item value) bool {
		switch item.node.(type) {
		case *ast.MappingNode, *ast.MappingValueNode:
			return false
		}
		item.complain("expected keys with values, found %s", describe(item.node))
		return true
	})
}

// itemName is how a list's item is called in a path: by its name if it has
// one, else by its number.
func itemName(item ast.Node, i int) string {
	if m, ok := item.(*ast.MappingNode); ok {
		for _, p := range m.Values {
			if s, ok := p.Value.(*ast.StringNode); ok && p.Key.GetToken().Value == "name" {
				return "." + s.Value
			}
		}
	}
	return fmt.Sprintf("[%d]", i+1)
}

// scalar is the text of a value as written, or "" with a complaint.
func (v value) scalar() string {
	if v.absent() {
		return ""
	}
	switch n := v.node.(type) {
	case *ast.StringNode:
		return n.Value
	case *ast.LiteralNode:
		return strings.TrimSpace(n.Value.Value)
	case *ast.IntegerNode, *ast.FloatNode, *ast.BoolNode:
		return n.GetToken().Value
	case *ast.NullNode:
		v.complain("this value is empty")
		return ""
	}
	v.complain("expected a single value, found %s", describe(v.node))
	return ""
}

func (v value) required() string {
	if v.absent() && v.quiet {
		return ""
	}
	if v.absent() {
		v.complain("'%s' is missing", v.path[strings.LastIndex(v.path, ".")+1:])
		return ""
	}
	before := len(v.r.problems)
	s := v.scalar()
	if s == "" && len(v.r.problems) == before {
		v.complain("this value is empty")
	}
	return s
}

func (v value) oneOf(fallback string, allowed ...string) string {
	if v.absent() {
		return fallback
	}
	s := v.scalar()
	for _, a := range allowed {
		if s == a {
			return s
		}
	}
	v.complain("%q is not one of %s", s, strings.Join(allowed, ", "))
	return fallback
}

func (v value) whole(low, high int) int {
	s := v.required()
	n, err := strconv.Atoi(s)
	if s != "" && (err != nil || n < low || n > high) {
		v.complain("expected a whole number from %d to %d, found %q", low, high, s)
	}
	return n
}

func (v value) yes(fallback bool) bool {
	return v.oneOf(strconv.FormatBool(fallback), "true", "false") == "true"
}

// textStart is where the characters of a scalar begin: after the quotation
// mark, if it has one.
func (v value) textStart() Position {
	at := v.at
	if s, ok := v.node.(*ast.StringNode); ok && s.Token != nil && strings.HasPrefix(strings.TrimLeft(s.Token.Origin, " \n"), `"`) {
		at.Column++
	} else if ok && s.Token != nil && strings.HasPrefix(strings.TrimLeft(s.Token.Origin, " \n"), "'") {
		at.Column++
	}
	return at
}

func (v value) formula() *Formula {
	text := v.required()
	if text == "" {
		return nil
	}
	// The same text is the same tree, so that what is computed of it is shared.
	tree := v.r.formulas[text]
	if tree == nil {
		var err *lang.Error
		if tree, err = lang.Formula(text); err != nil {
			v.complainAt(err)
			return nil
		}
		if v.r.formulas == nil {
			v.r.formulas = map[string]*lang.Node{}
		}
		v.r.formulas[text] = tree
	}
	v.r.renamedIn(text, v.textStart(), v.path)
	return &Formula{v.textStart(), text, tree}
}

func (v value) condition() *Condition {
	text := v.required()
	if text == "" {
		return nil
	}
	tree, err := lang.Condition(text)
	if err != nil {
		v.complainAt(err)
		return nil
	}
	v.r.renamedIn(text, v.textStart(), v.path)
	return &Condition{v.textStart(), text, tree}
}

func (v value) complainAt(err *lang.Error) {
	v.r.complain(shift(v.textStart(), err.At), v.path, "%s", err.Text)
}

func shift(start Position, at int) Position {
	return Position{start.Line, start.Column + at - 1}
}

var (
	plainName  = regexp.MustCompile(`^[a-z][a-z0-9_]{0,39}$`)
	hyphenName = regexp.MustCompile(`^[a-z][a-z0-9_-]{0,59}$`)
)

// name checks a defined name: letters, digits and underscores, as formulas
// need them, or with hyphens for what formulas never mention.
func (r *reader) name(at Position, path, name string, hyphens bool) {
	switch {
	case name == "": // told already
	case hyphens && !hyphenName.MatchString(name):
		r.complain(at, path, "%q cannot be a name; use small letters, digits, - and _, beginning with a letter", name)
	case !hyphens && !plainName.MatchString(name):
		r.complain(at, path, "%q cannot be a name; use small letters, digits and _, beginning with a letter", name)
	case lang.Reserved(name):
		r.complain(at, path, "%q is a word of the language and cannot be a name", name)
	}
}

func describe(n ast.Node) string {
	switch n.(type) {
	case *ast.MappingNode, *ast.MappingValueNode:
		return "keys with values"
	case *ast.SequenceNode:
		return "a list"
	case *ast.NullNode:
		return "nothing"
	case *ast.AnchorNode, *ast.AliasNode:
		return "an anchor or alias, which is not read here"
	}
	return "a single value"
}

// parseDocument turns text into the root value. Syntax errors become problems.
func parseDocument(r *reader, text []byte) value {
	file, err := parser.ParseBytes(text, 0)
	if err != nil {
		at := Position{1, 1}
		var located yaml.Error
		if errors.As(err, &located) && located.GetToken() != nil && located.GetToken().Position != nil {
			p := located.GetToken().Position
			at = Position{p.Line, p.Column}
			err = errors.New(located.GetMessage())
		}
		r.complain(at, "document", "not readable as YAML: %s%s", err, yamlHint(text, at.Line))
		return value{}
	}
	if len(file.Docs) != 1 || file.Docs[0].Body == nil {
		found := "nothing"
		if len(file.Docs) > 1 {
			found = strconv.Itoa(len(file.Docs)) + " of them"
		}
		r.complain(Position{1, 1}, "document", "expected one document that begins with 'oskel: 1', found %s", found)
		return value{}
	}
	root := value{r: r, node: file.Docs[0].Body, at: positionOf(file.Docs[0].Body)}
	if !root.isMapping() {
		r.complain(root.at, "document", "expected keys with values, the first of them 'oskel: 1', found %s", describe(root.node))
		return value{}
	}
	return root
}

// yamlHint guesses what a line that YAML does not read was meant to be.
func yamlHint(text []byte, line int) string {
	lines := strings.Split(string(text), "\n")
	if line < 1 || line > len(lines) {
		return ""
	}
	// The parser often stops at the line after the one at fault.
	for _, s := range []string{lines[line-1], lines[max(0, line-2)]} {
		key, value, ok := strings.Cut(strings.TrimSpace(s), ":")
		value = strings.TrimSpace(value)
		switch {
		case strings.Contains(s, "\t") && strings.TrimLeft(s, " \t") != strings.TrimLeft(s, " "):
			return "; indent with spaces, not with tabs"
		case !ok || value == "":
		case strings.HasPrefix(value, `"`) && strings.Count(value, `"`)%2 == 1, strings.HasPrefix(value, "'") && strings.Count(value, "'")%2 == 1:
			return "; a quotation mark is not closed"
		case strings.ContainsAny(value[:1], `"'`) && !strings.HasSuffix(value, value[:1]):
			return fmt.Sprintf("; put the whole %s in quotes, '%s', since it begins with a quotation mark and goes on after it", lastWord(key),
				strings.ReplaceAll(value, "'", "''"))
		case strings.ContainsAny(value[:1], "[{") && strings.Count(value, value[:1]) != strings.Count(value, map[string]string{"[": "]", "{": "}"}[value[:1]]):
			return "; a bracket is not closed, or something in it needs quotes"
		case strings.ContainsAny(value[:1], "%@`*&!|>"):
			return fmt.Sprintf("; put the %s in quotes: '%s'", lastWord(key), strings.ReplaceAll(value, "'", "''"))
		case strings.Contains(value, ": ") && !strings.ContainsAny(value[:1], "[{"):
			return fmt.Sprintf("; put the %s in quotes, since a colon with a space begins a new key: '%s'", lastWord(key), strings.ReplaceAll(value, "'", "''"))
		}
		// The same within braces: where: "x" is "y".
		if m := goesOn.FindStringSubmatch(s); m != nil {
			return fmt.Sprintf("; put the whole %s in quotes, '%s …', since it begins with a quotation mark and goes on after it", m[1], m[2])
		}
	}
	return ""
}

var goesOn = regexp.MustCompile(`([a-z_]+): *("[^"]*") +[^ ,}\]#]`)

func lastWord(key string) string {
	words := strings.FieldsFunc(key, func(r rune) bool { return strings.ContainsRune(" -{,", r) })
	if len(words) == 0 {
		return "value"
	}
	return words[len(words)-1]
}

func (v value) isList() bool {
	_, ok := v.node.(*ast.SequenceNode)
	return ok && !v.absent()
}

func (v value) isMapping() bool {
	switch v.node.(type) {
	case *ast.MappingNode, *ast.MappingValueNode:
		return !v.absent()
	}
	return false
}
