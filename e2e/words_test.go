package e2e

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// out are the words that people are not to read any more, and what is said instead.
var out = map[string]string{
	`yardstick`: "comparison value", `held against`: "compared with", `in peace`: "snoozed", `mended`: "fixed, closed", `one-time words?\b`: "one-time password",
	`slip of the pen`: "typing mistake", `take[ns]? back|taking back`: "revert", `puts? back|put it back`: "return to the desk", `what waits`: "backlog",
	`what was found`:      "outcomes",
	`faults? of the data`: "data issue", `gathered by|not gathered`: "group by", `lit up|light up`: "highlight", `not now\b`: "Cancel", `leave it\b`: "Cancel",
	`take away|takes away`: "remove, decreases", `forget this view|keep this view`: "delete view, save view", `in vain`: "failed, refused",
	`somebody|nobody|whoever|anybody|everybody`: "a person, no subject, the kind's own word",
	`by themselves`: "scheduled", `says nothing`: "not flagged", `last word`: "later rules skip it", `the pen\b`: "typing mistake", `anew`: "again",
	`all of it is so`: "all checks passed",
	`republish|keep-view|forget-view|left-in-peace|to-desk|take-back|data-faults|add-person`: "the new name of the command",
	`(?:swept|sweep|is|period) so far\b`:                                                     "to date", `as it is so\b`: "as it is",
	`drawn_in|off_usual|off_trend|percent_place|in_range`: "the function's new name",
}

// visible are the texts that people read in a file: of a component, what is between tags and in
// quotation marks; of Go, the strings; of documents and the contract, all of it.
func visible(t *testing.T, file string) string {
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	s := string(text)
	switch filepath.Ext(file) {
	case ".vue", ".ts", ".go":
		s = regexp.MustCompile(`(?s)/\*.*?\*/|<!--.*?-->`).ReplaceAllString(s, "")
		s = regexp.MustCompile(`(?m)(^|[\s;{(,])//.*$`).ReplaceAllString(s, "")
		s = regexp.MustCompile(`(?m)^import .*$`).ReplaceAllString(s, "")
	}
	if filepath.Ext(file) == ".go" {
		s = strings.ReplaceAll(s, `json:"yardstick,omitempty"`, "") // stored evidence has it
		return strings.Join(regexp.MustCompile(`"(?:[^"\\\n]|\\.)*"`).FindAllString(s, -1), "\n")
	}
	return s
}

// One thing has one word in the console, the command line, the contract and the documents.
func TestWordsThatAreOut(t *testing.T) {
	t.Parallel()
	var files []string
	for _, glob := range []string{"../README.md", "../CONTRIBUTING.md", "../docs/*.md", "../docs/guide/*.md", "../api/openapi.yaml",
		"../internal/cli/*.go", "../internal/httpapi/*.go", "../internal/review/*.go", "../internal/intake/*.go", "../internal/people/*.go",
		"../internal/sweep/*.go", "../internal/books/*.go",
		"../core/casework/*.go", "../core/method/*.go", "../core/explain/*.go", "../core/rulebook/*.go", "../core/routing/*.go", "../console/src/*.vue",
		"../console/src/pages/*.vue", "../console/src/lib/*.ts", "../console/src/parts/*/*.vue", "../console/src/parts/*/*/*.vue"} {
		found, err := filepath.Glob(glob)
		require.NoError(t, err)
		files = append(files, found...)
	}
	read := 0
	for _, file := range files {
		if strings.Contains(file, "_test.go") || strings.Contains(file, ".test.") || strings.Contains(file, ".gen.") {
			continue
		}
		read++
		text := visible(t, file)
		for pattern, better := range out {
			for _, at := range regexp.MustCompile(`(?i)\b(?:`+pattern+`)`).FindAllStringIndex(text, -1) {
				assert.Fail(t, "a word that is out", "%s: %q; say %s", file, text[max(0, at[0]-30):min(len(text), at[1]+30)], better)
			}
		}
	}
	assert.Greater(t, read, 200)
}
