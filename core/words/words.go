// Package words has the small English that sentences share: first letters and plurals.
package words

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// LowerFirst is a text with a small first letter, of whatever alphabet.
func LowerFirst(s string) string { return first(s, unicode.ToLower) }

// UpperFirst is a text with a capital first letter.
func UpperFirst(s string) string { return first(s, unicode.ToUpper) }

func first(s string, change func(rune) rune) string {
	r, size := utf8.DecodeRuneInString(s)
	if size == 0 || r == utf8.RuneError {
		return s
	}
	return string(change(r)) + s[size:]
}

// Plural is the plural of a word: half, halves; territory, territories; day, days.
func Plural(word string) string {
	for _, end := range []string{"s", "x", "z", "ch", "sh"} {
		if strings.HasSuffix(word, end) {
			return word + "es"
		}
	}
	if s, ok := strings.CutSuffix(word, "half"); ok {
		return s + "halves"
	}
	if s, ok := strings.CutSuffix(word, "y"); ok && s != "" && !strings.ContainsAny(s[len(s)-1:], "aeiou") {
		return s + "ies"
	}
	return word + "s"
}
