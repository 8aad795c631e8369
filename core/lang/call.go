package lang

import (
	"fmt"
	"sort"
	"strings"

	"oskel/core/amount"
	"oskel/core/words"
)

// More operations: Call is a function named by Text with its first part an
// expression; Choose is 'when … then … otherwise …'. Word and Span are
// arguments that are no expressions: 'average', 'at least 4', '1 year'.
const (
	Call   Op = "call"
	Choose Op = "when"
	Word   Op = "word"
	Span   Op = "span"
)

// Function says how a function is written, and what is known of its value. How
// it is computed is package measure's table.
type Function struct {
	Name   string
	Usage  string
	Says   string
	Gives  Gives
	Beyond bool // it looks at other periods or subjects than the one at hand
	Ranks  bool // its value for a group is another matter than the values of its subjects, nor their sum: a place, or what hangs on a target
	Past   bool // it looks at earlier periods
	least  int  // arguments
	most   int
	exprs  int // how many of the first arguments are expressions
}

// Gives says in which unit a function's value is.
type Gives string

// What functions give: the unit of their first argument, that of both, a
// percentage, or a count.
const (
	Same    Gives = "same"
	Either  Gives = "either"
	Share   Gives = "share"
	Ordinal Gives = "ordinal"
)

// Functions are all functions of formulas, by name.
var Functions = map[string]Function{}

// The functions of formulas, one entry each: the parser, the check, completion and the guide read
// this table.
func init() {
	for _, f := range []Function{
		{Name: "earlier", Usage: "earlier(revenue, 3)", Says: "the value 3 periods before, or the same period '1 year' before; 1 unless stated",
			Gives: Same, Beyond: true, Past: true, least: 1, most: 2, exprs: 1},
		{Name: "change", Usage: "change(revenue, 1 year)", Says: "the value less the earlier one", Gives: Same, Beyond: true, Past: true, least: 1, most: 2,
			exprs: 1},
		{Name: "growth", Usage: "growth(revenue, 1 year)", Says: "the change as a share of the earlier value, where that is above zero", Gives: Share,
			Beyond: true, Past: true, least: 1, most: 2, exprs: 1},
		{Name: "to_date", Usage: "to_date(revenue, year)", Says: "the sum from the start of the month, quarter, half or year to the period's end",
			Gives: Same, Beyond: true, least: 2, most: 2, exprs: 1},
		{Name: "trailing", Usage: "trailing(revenue, 6, average, at least 4)",
			Says: "of the last 6 periods, this one included: the sum, average, median, best or worst; all 6 are needed unless fewer are stated", Gives: Same,
			Beyond: true, Past: true, least: 2, most: 4, exprs: 1},
		{Name: "history", Usage: "history(revenue, 12, median, at least 8)",
			Says: "the same of the periods before this one; two thirds are needed unless stated", Gives: Same, Beyond: true, Past: true, least: 2, most: 4, exprs: 1},
		{Name: "share", Usage: "share(revenue, rep.territory)", Says: "of the total, or of the group, where that is above zero", Gives: Share, Beyond: true,
			least: 1, most: 2, exprs: 1},
		{Name: "rank", Usage: "rank(revenue, lowest, rep.territory)", Says: "the dense place, the highest first unless 'lowest' is; within the group",
			Gives: Ordinal, Beyond: true, Ranks: true, least: 1, most: 3, exprs: 1},
		{Name: "target", Usage: "target(revenue)", Says: "the subject's target", Gives: Same, Ranks: true, least: 1, most: 1, exprs: 1},
		{Name: "attainment", Usage: "attainment(revenue)", Says: "the value as a share of its target, where that is above zero", Gives: Share, Ranks: true,
			least: 1, most: 1, exprs: 1},
		{Name: "gap", Usage: "gap(revenue)", Says: "the value less its target", Gives: Same, Ranks: true, least: 1, most: 1, exprs: 1},
		{Name: "group_value", Usage: "group_value(margin_rate, rep.territory)", Says: "the value of the group as such, or of the total", Gives: Same,
			Beyond: true, least: 1, most: 2, exprs: 1},
		{Name: "range_position", Usage: "range_position(revenue, rep.territory)",
			Says: "where the value lies between the lowest, 0, and the highest, 1, of all or of the group", Gives: Share, Beyond: true, Ranks: true, least: 1,
			most: 2, exprs: 1},
		{Name: "percentile_rank", Usage: "percentile_rank(revenue, rep.territory)",
			Says: "the share of the others that are lower: the competition place from below less one, by the others; 0 where all are equal", Gives: Share,
			Beyond: true, Ranks: true, least: 1, most: 2, exprs: 1},
		{Name: "peers", Usage: "peers(margin_rate, percentile 75, rep.territory)", Says: "the average, median or a percentile of all, or of the group",
			Gives: Same, Beyond: true, least: 2, most: 3, exprs: 1},
		{Name: "score", Usage: "score(margin_rate, robust, rep.territory)",
			Says:  "how far from the peers, of all or of the group: the 'robust' score 0.6745 (x - median) / MAD, or the 'standard' one (x - mean) / s",
			Gives: Ordinal, Beyond: true, Ranks: true, least: 2, most: 3, exprs: 1},
		{Name: "history_score", Usage: "history_score(revenue, 12, at least 8)",
			Says: "how far from the median of its own 12 periods before, as a robust score; two thirds are needed unless stated", Gives: Ordinal, Beyond: true,
			Past: true, least: 2, most: 3, exprs: 1},
		{Name: "trend_score", Usage: "trend_score(revenue, 12, at least 8)",
			Says: "how far from what the trend of its own 12 periods before expects, as a robust score", Gives: Ordinal, Beyond: true, Past: true, least: 2,
			most: 3, exprs: 1},
		{Name: "credibility", Usage: "credibility(margin_rate, 12)",
			Says: "a ratio, those with a small denominator over the last 12 periods drawn in towards all others", Gives: Same, Beyond: true, Ranks: true,
			least: 2, most: 2, exprs: 1},
		{Name: "coalesce", Usage: "coalesce(returned, 0)", Says: "the first value, or where that is missing the second", Gives: Either, least: 2, most: 2, exprs: 2},
	} {
		Functions[f.Name] = f
	}
}

// RenamedFunction is a call by a name that a function had before, at its character from 1.
type RenamedFunction struct {
	Name, Now string
	At        int
}

// RenamedFunctions lists the calls by old names in a formula or a condition that was parsed.
func RenamedFunctions(text string) (out []RenamedFunction) {
	tokens, err := tokenize(text)
	if err != nil {
		return nil
	}
	for i, t := range tokens[:len(tokens)-1] {
		if t.kind != tokenWord || tokens[i+1].text != "(" {
			continue
		}
		if is, renamed := words.Now("function", t.text); renamed {
			out = append(out, RenamedFunction{t.text, is, t.at})
		}
	}
	return out
}

func functionNames() []string {
	var out []string
	for n := range Functions {
		out = append(out, n)
	}
	sort.Strings(out)
	return out
}

// call parses the arguments of a function; its name and '(' are taken.
func (p *parser) call(name token) (*Node, *Error) {
	is, _ := words.Now("function", name.text)
	f, ok := Functions[is]
	if !ok {
		return nil, errorAt(name.at, "there is no function %q%s", name.text, Suggestion(name.text, functionNames()))
	}
	if err := p.enter(name.at); err != nil {
		return nil, err
	}
	defer func() { p.depth-- }()
	node := &Node{Op: Call, At: name.at, Text: f.Name}
	for {
		part, err := p.argument(len(node.Parts) < f.exprs)
		if err != nil {
			return nil, err
		}
		node.Parts = append(node.Parts, part)
		if p.sign(")") {
			break
		}
		if !p.sign(",") {
			return nil, errorAt(p.peek().at, "expected ',' or ')' in %s, found %s", f.Name, p.peek())
		}
	}
	if n := len(node.Parts); n < f.least || n > f.most {
		return nil, errorAt(name.at, "%s is written so: %s", f.Name, f.Usage)
	}
	return node, checkArguments(node, f)
}

func (p *parser) argument(expression bool) (*Node, *Error) {
	if expression {
		return p.sum()
	}
	t := p.take()
	switch {
	case t.kind == tokenNumber && !t.percent:
		n := &Node{Op: Span, At: t.at, Number: t.number}
		if next := p.peek(); next.kind == tokenWord {
			n.Text = strings.TrimSuffix(p.take().text, "s")
		}
		return n, nil
	case t.kind == tokenWord && t.text == "at" && p.word("least"):
		count := p.take()
		if count.kind != tokenNumber {
			return nil, errorAt(count.at, "expected a number after 'at least', found %s", count)
		}
		return &Node{Op: Word, At: t.at, Text: "at least", Number: count.number}, nil
	case t.kind == tokenWord:
		n := &Node{Op: Word, At: t.at, Text: t.text}
		if next := p.peek(); next.kind == tokenNumber {
			n.Number = p.take().number
		}
		return n, nil
	}
	return nil, errorAt(t.at, "expected a word or a number, found %s", t)
}

// Summaries are what trailing and history make of several periods.
var summaries = map[string]bool{"sum": true, "average": true, "median": true, "best": true, "worst": true}

// checkArguments holds what stands behind the expressions of a call against what its function
// takes.
func checkArguments(n *Node, f Function) *Error {
	wrong := func(p *Node) *Error {
		return errorAt(p.At, "not understood in %s, which is written so: %s", f.Name, f.Usage)
	}
	for i, p := range n.Parts[f.exprs:] {
		ok := false
		switch f.Name {
		case "earlier", "change", "growth":
			ok = p.Op == Span && whole(p.Number, 1, 1000) && (p.Text == "" || p.Text == "year")
		case "to_date":
			ok = p.Op == Word && (p.Text == "month" || p.Text == "quarter" || p.Text == "half" || p.Text == "year")
		case "trailing", "history":
			if i == 0 {
				ok = p.Op == Span && p.Text == "" && whole(p.Number, 2, 1000)
			} else {
				ok = p.Op == Word && (summaries[p.Text] || p.Text == "at least" && whole(p.Number, 1, 1000))
			}
		case "score":
			if i == 0 {
				ok = p.Op == Word && (p.Text == "robust" || p.Text == "standard")
			} else {
				ok = p.Op == Word && strings.Contains(p.Text, ".")
			}
		case "history_score", "trend_score":
			if i == 0 {
				ok = p.Op == Span && p.Text == "" && whole(p.Number, 3, 1000)
			} else {
				ok = p.Op == Word && p.Text == "at least" && whole(p.Number, 2, 1000)
			}
		case "credibility":
			ok = p.Op == Span && p.Text == "" && whole(p.Number, 2, 1000)
		case "share", "group_value", "range_position", "percentile_rank":
			ok = p.Op == Word && strings.Contains(p.Text, ".")
		case "rank":
			ok = p.Op == Word && (strings.Contains(p.Text, ".") || p.Text == "lowest" || p.Text == "highest")
		case "peers":
			if i == 0 {
				ok = p.Op == Word && (p.Text == "average" || p.Text == "median" || p.Text == "percentile" && p.Number > 0 && p.Number < amount.FromInt(100))
			} else {
				ok = p.Op == Word && strings.Contains(p.Text, ".")
			}
		}
		if !ok {
			return wrong(p)
		}
	}
	if (f.Name == "target" || f.Name == "attainment" || f.Name == "gap") && n.Parts[0].Op != Name {
		return errorAt(n.Parts[0].At, "%s takes the name of a measure: %s", f.Name, f.Usage)
	}
	return nil
}

func whole(a amount.Amount, low, high int64) bool {
	return a%amount.Scale == 0 && a >= amount.FromInt(low) && a <= amount.FromInt(high)
}

// Int is the whole number of a Span or Word.
func (n *Node) Int() int { return int(n.Number / amount.Scale) }

// Any says whether a call of a function that is so stands anywhere in the tree.
func (n *Node) Any(is func(Function) bool) bool {
	found := false
	n.walk(func(m *Node) { found = found || m.Op == Call && is(Functions[m.Text]) })
	return found
}

// Has says whether an operation stands anywhere in the tree.
func (n *Node) Has(op Op) bool {
	found := false
	n.walk(func(m *Node) { found = found || m.Op == op })
	return found
}

// Bare is a number other than 0 that is written alone, without %, or "".
func (n *Node) Bare() string {
	switch {
	case n.Op == Negate && n.Parts[0].Bare() != "":
		return "-" + n.Parts[0].Bare()
	case n.Op == Number && !n.Percent && n.Number != 0:
		return n.Number.String()
	}
	return ""
}

// Argument finds a word argument of a call by what it is, or nil.
func (n *Node) Argument(is func(*Node) bool) *Node {
	for _, p := range n.Parts[1:] {
		if is(p) {
			return p
		}
	}
	return nil
}

// Group is the attribute a call is asked within, such as "territory" of
// rep.territory, with its kind; "" where it is asked of all.
func (n *Node) Group() (kind, attribute string) {
	p := n.Argument(func(p *Node) bool { return p.Op == Word && strings.Contains(p.Text, ".") })
	if p == nil {
		return "", ""
	}
	kind, attribute, _ = strings.Cut(p.Text, ".")
	return kind, attribute
}

// Gathers says whether any part of a formula is of a group.
func (n *Node) Gathers() (some bool) {
	n.walk(func(m *Node) {
		if m.Op == Call {
			kind, _ := m.Group()
			some = some || kind != ""
		}
	})
	return some
}

// choose parses the rest of 'when … then … otherwise …'.
func (p *parser) choose(at int) (*Node, *Error) {
	if err := p.enter(at); err != nil {
		return nil, err
	}
	defer func() { p.depth-- }()
	condition, err := p.or()
	if err != nil {
		return nil, err
	}
	node := &Node{Op: Choose, At: at, Parts: []*Node{condition}}
	for _, word := range []string{"then", "otherwise"} {
		if !p.word(word) {
			return nil, errorAt(p.peek().at, "expected '%s', found %s", word, p.peek())
		}
		if word == "otherwise" && p.word("missing") {
			return node, nil // two parts: otherwise missing
		}
		part, err := p.sum()
		if err != nil {
			return nil, err
		}
		node.Parts = append(node.Parts, part)
	}
	return node, nil
}

// Measured lists the comparisons a condition of a formula may use.
func measured(op Op) bool {
	switch op {
	case And, Or, Not, Is, IsNot, Below, AtMost, Above, AtLeast, Between, IsMissing, NotMissing:
		return true
	}
	return false
}

// CheckChoices finds conditions in a formula that compare what is no number.
func CheckChoices(n *Node) *Error {
	if n.Op == Choose {
		var visit func(c *Node) *Error
		visit = func(c *Node) *Error {
			if !measured(c.Op) {
				return errorAt(c.At, "%s", fmt.Sprintf("'%s' is for attributes; a formula compares numbers", c.Op))
			}
			if c.Op == And || c.Op == Or || c.Op == Not {
				for _, p := range c.Parts {
					if err := visit(p); err != nil {
						return err
					}
				}
			}
			return nil
		}
		if err := visit(n.Parts[0]); err != nil {
			return err
		}
	}
	for _, p := range n.Parts {
		if err := CheckChoices(p); err != nil {
			return err
		}
	}
	return nil
}
