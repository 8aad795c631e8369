// Package lang is the small language of formulas and conditions.
//
//	formula    (revenue - cost) / revenue
//	condition  rep.territory is not "Export" and rep.started below "2026-01-01"
//
// Parsing gives a tree with positions; what names mean is the caller's matter,
// who checks them with Check and hands values to Test. Numbers are exact
// decimals, percentages are fractions underneath.
package lang

import (
	"oskel/core/amount"
)

// Op is what a Node does.
type Op string

// The operations. The comparisons are written in words; the signs < <= > >=
// are read as below, at most, above and at least.
const (
	Number     Op = "number"
	Text       Op = "text"
	Name       Op = "name"
	List       Op = "list"
	Negate     Op = "negate"
	Plus       Op = "+"
	Minus      Op = "-"
	Times      Op = "*"
	Divide     Op = "/"
	Is         Op = "is"
	IsNot      Op = "is not"
	In         Op = "in"
	NotIn      Op = "not in"
	Contains   Op = "contains"
	StartsWith Op = "starts with"
	Below      Op = "below"
	AtMost     Op = "at most"
	Above      Op = "above"
	AtLeast    Op = "at least"
	Between    Op = "between"
	IsMissing  Op = "is missing"
	NotMissing Op = "is not missing"
	And        Op = "and"
	Or         Op = "or"
	Not        Op = "not"
)

// Node is one part of a parsed text. At is its column in characters from 1.
type Node struct {
	Op      Op
	At      int
	Number  amount.Amount // of Number
	Percent bool          // Number was written with %
	Text    string        // of Text and Name
	Parts   []*Node
}

// Names lists every name used, in order of appearance, each once.
func (n *Node) Names() []string {
	var out []string
	seen := map[string]bool{}
	n.walk(func(m *Node) {
		if m.Op == Name && !seen[m.Text] {
			seen[m.Text] = true
			out = append(out, m.Text)
		}
	})
	return out
}

func (n *Node) walk(visit func(*Node)) {
	visit(n)
	for _, p := range n.Parts {
		p.walk(visit)
	}
}

// Formula parses arithmetic: numbers, names, + - * /, parentheses, the
// Functions, and 'when … then … otherwise …'.
func Formula(s string) (*Node, *Error) {
	p, err := newParser(s)
	if err != nil {
		return nil, err
	}
	n, err := p.sum()
	if err == nil {
		err = p.done()
	}
	if err == nil {
		err = CheckChoices(n)
	}
	if err != nil {
		return nil, err
	}
	return n, nil
}

// Condition parses a yes-or-no question.
func Condition(s string) (*Node, *Error) {
	p, err := newParser(s)
	if err != nil {
		return nil, err
	}
	n, err := p.or()
	if err != nil {
		return nil, err
	}
	return n, p.done()
}

// parser reads a formula by recursive descent; depth is how many are open, which is bounded, since
// a deeper one would take the stack.
type parser struct {
	tokens []token
	next   int
	depth  int
}

// deepest bounds the nesting and longest the length, so that no text can
// exhaust the stack: a long chain of sums is as deep a tree.
const (
	deepest = 200
	longest = 8000 // bytes
	most    = 2000 // words and signs
)

func newParser(s string) (*parser, *Error) {
	if len(s) > longest {
		return nil, errorAt(1, "%d characters long; at most %d are read", len(s), longest)
	}
	tokens, err := tokenize(s)
	if err != nil {
		return nil, err
	}
	if len(tokens) > most {
		return nil, errorAt(tokens[most].at, "more than %d words and signs", most)
	}
	if tokens[0].kind == tokenEnd {
		return nil, errorAt(1, "this value is empty")
	}
	return &parser{tokens: tokens}, nil
}

func (p *parser) peek() token { return p.tokens[p.next] }

func (p *parser) take() token {
	t := p.tokens[p.next]
	if t.kind != tokenEnd {
		p.next++
	}
	return t
}

// word takes the given words in a row, if they are next.
func (p *parser) word(words ...string) bool {
	for i, w := range words {
		if p.next+i >= len(p.tokens) || p.tokens[p.next+i].kind != tokenWord || p.tokens[p.next+i].text != w {
			return false
		}
	}
	p.next += len(words)
	return true
}

func (p *parser) sign(s string) bool {
	if t := p.peek(); t.kind == tokenSign && t.text == s {
		p.next++
		return true
	}
	return false
}

func (p *parser) done() *Error {
	if t := p.peek(); t.kind != tokenEnd {
		return errorAt(t.at, "%s was not expected here", t)
	}
	return nil
}

func (p *parser) enter(at int) *Error {
	if p.depth++; p.depth > deepest {
		return errorAt(at, "nested more than %d deep", deepest)
	}
	return nil
}

func (p *parser) or() (*Node, *Error) { return p.chain(p.and, "or", Or) }

func (p *parser) and() (*Node, *Error) { return p.chain(p.not, "and", And) }

func (p *parser) chain(part func() (*Node, *Error), word string, op Op) (*Node, *Error) {
	left, err := part()
	if err != nil {
		return nil, err
	}
	for {
		at := p.peek().at
		if !p.word(word) {
			return left, nil
		}
		right, err := part()
		if err != nil {
			return nil, err
		}
		left = &Node{Op: op, At: at, Parts: []*Node{left, right}}
	}
}

func (p *parser) not() (*Node, *Error) {
	at := p.peek().at
	if p.word("not") {
		if err := p.enter(at); err != nil {
			return nil, err
		}
		defer func() { p.depth-- }()
		part, err := p.not()
		if err != nil {
			return nil, err
		}
		return &Node{Op: Not, At: at, Parts: []*Node{part}}, nil
	}
	if p.opensCondition() {
		p.take()
		if err := p.enter(at); err != nil {
			return nil, err
		}
		defer func() { p.depth-- }()
		inner, err := p.or()
		if err != nil {
			return nil, err
		}
		if !p.sign(")") {
			return nil, errorAt(p.peek().at, "expected ')' to close the one at character %d, found %s", at, p.peek())
		}
		return inner, nil
	}
	return p.comparison()
}

// opensCondition tells a parenthesis around a condition, "(a is 1 or b is 2)",
// from one around arithmetic, "(a + b) above 1", by the comparing word inside.
func (p *parser) opensCondition() bool {
	if t := p.peek(); t.kind != tokenSign || t.text != "(" {
		return false
	}
	depth, call := 0, 0 // call is the depth at which a function's arguments began
	for i, t := range p.tokens[p.next:] {
		switch {
		case t.kind == tokenSign && t.text == "(":
			depth++
			if before := p.tokens[max(0, p.next+i-1)]; i > 0 && call == 0 && before.kind == tokenWord && !reserved[before.text] {
				call = depth
			}
		case t.kind == tokenSign && t.text == ")":
			if depth == call {
				call = 0
			}
			if depth--; depth == 0 {
				return false
			}
		case call > 0: // what stands in there compares nothing here
		case t.kind == tokenWord && comparing[t.text], t.kind == tokenSign && (t.text[0] == '<' || t.text[0] == '>'):
			return true
		}
	}
	return false
}

var comparing = map[string]bool{"is": true, "in": true, "contains": true, "starts": true, "below": true, "above": true, "at": true, "between": true,
	"not": true}

// comparison is a sum, or two with a relation between them: 'is', 'in', 'between', below, above and
// so on.
func (p *parser) comparison() (*Node, *Error) {
	left, err := p.sum()
	if err != nil {
		return nil, err
	}
	t := p.peek()
	two := func(op Op) (*Node, *Error) {
		right, err := p.sum()
		if err != nil {
			return nil, err
		}
		return &Node{Op: op, At: t.at, Parts: []*Node{left, right}}, nil
	}
	switch {
	case p.word("is", "not", "missing"):
		return &Node{Op: NotMissing, At: t.at, Parts: []*Node{left}}, nil
	case p.word("is", "missing"):
		return &Node{Op: IsMissing, At: t.at, Parts: []*Node{left}}, nil
	case p.word("is", "not"):
		return two(IsNot)
	case p.word("is"):
		return two(Is)
	case p.word("contains"):
		return two(Contains)
	case p.word("starts", "with"):
		return two(StartsWith)
	case p.word("below"), p.sign("<"):
		return two(Below)
	case p.word("at", "most"), p.sign("<="):
		return two(AtMost)
	case p.word("above"), p.sign(">"):
		return two(Above)
	case p.word("at", "least"), p.sign(">="):
		return two(AtLeast)
	case p.word("between"):
		low, err := p.sum()
		if err != nil {
			return nil, err
		}
		if !p.word("and") {
			return nil, errorAt(p.peek().at, "expected 'and' and the upper end of 'between', found %s", p.peek())
		}
		high, err := p.sum()
		if err != nil {
			return nil, err
		}
		return &Node{Op: Between, At: t.at, Parts: []*Node{left, low, high}}, nil
	case p.word("in"):
		return p.list(In, t.at, left)
	case p.word("not", "in"):
		return p.list(NotIn, t.at, left)
	}
	return nil, errorAt(t.at, "expected a comparison (is, is not, in, contains, starts with, above, below, at least, at most, between), found %s", t)
}

func (p *parser) list(op Op, at int, left *Node) (*Node, *Error) {
	if !p.sign("(") {
		return nil, errorAt(p.peek().at, "expected '(' and a list, as in: in (\"A\", \"B\")")
	}
	node := &Node{Op: op, At: at, Parts: []*Node{left}}
	for {
		item, err := p.sum()
		if err != nil {
			return nil, err
		}
		node.Parts = append(node.Parts, item)
		if p.sign(")") {
			return node, nil
		}
		if !p.sign(",") {
			return nil, errorAt(p.peek().at, "expected ',' or ')' in the list, found %s", p.peek())
		}
	}
}

func (p *parser) sum() (*Node, *Error) {
	return p.arithmetic(p.product, map[string]Op{"+": Plus, "-": Minus})
}

func (p *parser) product() (*Node, *Error) {
	return p.arithmetic(p.factor, map[string]Op{"*": Times, "/": Divide})
}

func (p *parser) arithmetic(part func() (*Node, *Error), signs map[string]Op) (*Node, *Error) {
	left, err := part()
	if err != nil {
		return nil, err
	}
	for {
		t := p.peek()
		op, ok := signs[t.text]
		if t.kind != tokenSign || !ok {
			return left, nil
		}
		p.take()
		right, err := part()
		if err != nil {
			return nil, err
		}
		left = &Node{Op: op, At: t.at, Parts: []*Node{left, right}}
	}
}

// factor is the smallest part: a number, a text, a name, a call, or anything in brackets.
func (p *parser) factor() (*Node, *Error) {
	t := p.take()
	switch {
	case t.kind == tokenNumber:
		return &Node{Op: Number, At: t.at, Number: t.number, Percent: t.percent}, nil
	case t.kind == tokenText:
		return &Node{Op: Text, At: t.at, Text: t.text}, nil
	case t.kind == tokenWord && t.text == "when":
		return p.choose(t.at)
	case t.kind == tokenWord && !reserved[t.text]:
		if p.sign("(") {
			return p.call(t)
		}
		return &Node{Op: Name, At: t.at, Text: t.text}, nil
	case t.kind == tokenSign && t.text == "-":
		if err := p.enter(t.at); err != nil {
			return nil, err
		}
		defer func() { p.depth-- }()
		part, err := p.factor()
		if err != nil {
			return nil, err
		}
		return &Node{Op: Negate, At: t.at, Parts: []*Node{part}}, nil
	case t.kind == tokenSign && t.text == "(":
		if err := p.enter(t.at); err != nil {
			return nil, err
		}
		defer func() { p.depth-- }()
		inner, err := p.sum()
		if err != nil {
			return nil, err
		}
		if !p.sign(")") {
			return nil, errorAt(p.peek().at, "expected ')' to close the one at character %d, found %s", t.at, p.peek())
		}
		return inner, nil
	}
	return nil, errorAt(t.at, "expected a number, a name or '(', found %s", t)
}

var reserved = map[string]bool{
	"and": true, "or": true, "not": true, "is": true, "in": true, "contains": true, "starts": true, "with": true,
	"below": true, "above": true, "at": true, "least": true, "most": true, "between": true, "missing": true,
	"when": true, "then": true, "otherwise": true,
}

// Reserved says whether a word belongs to the language and so cannot name
// anything.
func Reserved(word string) bool { return reserved[word] }
