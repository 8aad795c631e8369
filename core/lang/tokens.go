package lang

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"

	"oskel/core/amount"
)

// Error is a complaint about a formula or a condition. At is the column, in
// characters from 1, at which the offending part begins.
type Error struct {
	At   int
	Text string
}

func (e *Error) Error() string { return fmt.Sprintf("at character %d: %s", e.At, e.Text) }

func errorAt(at int, format string, args ...any) *Error {
	return &Error{At: at, Text: fmt.Sprintf(format, args...)}
}

// tokenKind is a sort of token.
type tokenKind int

const (
	tokenEnd tokenKind = iota
	tokenNumber
	tokenText
	tokenWord
	tokenSign // + - * / ( ) , < > <= >=
)

// token is one word, number, quoted text or sign of a formula, and the byte at which it begins.
type token struct {
	kind    tokenKind
	at      int
	text    string // as written; for tokenText what stands between the quotes
	number  amount.Amount
	percent bool
}

func (t token) String() string {
	switch t.kind {
	case tokenEnd:
		return "the end"
	case tokenText:
		return fmt.Sprintf("%q", t.text)
	}
	return "'" + t.text + "'"
}

// LongestText bounds what is parsed, so that nobody waits for a page of noise.
const LongestText = 10000

// tokenize parts a formula into tokens. Positions count characters from 1, as an editor does.
func tokenize(s string) ([]token, *Error) {
	if len(s) > LongestText {
		return nil, errorAt(1, "%d characters; at most %d are read", utf8.RuneCountInString(s), LongestText)
	}
	var out []token
	runes := []rune(s)
	for i := 0; i < len(runes); {
		r := runes[i]
		start := i
		switch {
		case unicode.IsSpace(r):
			i++
			continue
		case r == '"':
			i++
			for i < len(runes) && runes[i] != '"' {
				i++
			}
			if i == len(runes) {
				return nil, errorAt(start+1, "this quotation mark is never closed")
			}
			out = append(out, token{kind: tokenText, at: start + 1, text: string(runes[start+1 : i])})
			i++
		case unicode.IsDigit(r) || r == '.' && i+1 < len(runes) && unicode.IsDigit(runes[i+1]):
			for i < len(runes) && (unicode.IsDigit(runes[i]) || runes[i] == '.') {
				i++
			}
			text := string(runes[start:i])
			end := i
			for end < len(runes) && runes[end] == ' ' {
				end++
			}
			percent := end < len(runes) && runes[end] == '%'
			if percent {
				i = end + 1
				text += "%"
			}
			n, err := ParseNumber(text)
			if err != nil {
				return nil, errorAt(start+1, "%s", err)
			}
			out = append(out, token{kind: tokenNumber, at: start + 1, text: text, number: n, percent: percent})
		case isWordStart(r):
			for i < len(runes) && (isWordStart(runes[i]) || unicode.IsDigit(runes[i]) || runes[i] == '.' && i+1 < len(runes) && isWordStart(runes[i+1])) {
				i++
			}
			out = append(out, token{kind: tokenWord, at: start + 1, text: string(runes[start:i])})
		case r == '<' || r == '>':
			i++
			if i < len(runes) && runes[i] == '=' {
				i++
			}
			out = append(out, token{kind: tokenSign, at: start + 1, text: string(runes[start:i])})
		case strings.ContainsRune("+-*/(),", r):
			i++
			out = append(out, token{kind: tokenSign, at: start + 1, text: string(r)})
		case r == '=':
			return nil, errorAt(start+1, "'=' is not used here; write 'is'")
		default:
			return nil, errorAt(start+1, "%q means nothing here", string(r))
		}
	}
	return append(out, token{kind: tokenEnd, at: len(runes) + 1}), nil
}

func isWordStart(r rune) bool { return unicode.IsLetter(r) || r == '_' }

// ParseNumber reads "12", "0.5", "22%" or "22 %". A percentage is a fraction
// underneath: 22 % is 0.22, exact to four decimal places of the fraction.
func ParseNumber(s string) (amount.Amount, error) {
	s = strings.TrimSpace(s)
	digits, percent := strings.CutSuffix(s, "%")
	digits = strings.TrimSpace(digits)
	n, err := amount.Parse(digits)
	if err != nil {
		return 0, fmt.Errorf("%q: %w", s, err)
	}
	if percent {
		if n%100 != 0 {
			return 0, fmt.Errorf("%q: more than two decimal places in a percentage", s)
		}
		n /= 100
	}
	return n, nil
}
