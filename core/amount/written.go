package amount

import (
	"regexp"
	"strings"
)

// people is a number as it is shown to people: digits in groups of three.
var people = regexp.MustCompile(`^\s*[-+]?[0-9]{1,3}(,[0-9]{3})+(\.[0-9]+)?%?\s*$`)

// Plain is a number that somebody wrote as it is shown, 1,234.50, as Parse reads it; any
// other text stays as it is. It is for what people type, never for files: there a comma
// may be meant as a point.
func Plain(s string) string {
	if !people.MatchString(s) {
		return s
	}
	return strings.TrimSpace(strings.ReplaceAll(s, ",", ""))
}
