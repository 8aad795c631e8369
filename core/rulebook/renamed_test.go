package rulebook_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/lang"
	"oskel/core/method"
	"oskel/core/rulebook"
	"oskel/core/words"
)

// What was published with an old name is read as it was meant, and the check says the new one.
func TestOldNamesAreReadAndTheCheckSaysTheNewOnes(t *testing.T) {
	old := strings.Replace(small, "rules:\n", `  nth: {formula: "place(margin, lowest)", unit: count, groups: own figures}
  far: {formula: "apart(margin, robust) + filled(off_usual(margin, 4), 0)", unit: count, groups: own figures}
rules:
  - {name: falls, judges: rep, to_date: true, outlier: {of: margin, by: smoothed average, grade: act}}
  - {name: runs, judges: rep, so_far: true, outlier: {of: margin, by: control chart, runs: [steady, two of three], grade: act}}
  - name: first
    judges: rep
    outlier: {of: margin, by: best or worst, first: 2, grade: act}
    examples:
      - {place: 2, is: act}
`, 1)
	book, problems := rulebook.Read([]byte(old), method.All())
	require.Empty(t, problems)
	assert.Equal(t, "EWMA", book.Rule("falls").Method.Name)
	assert.Equal(t, []string{"trend", "2 of 3"}, book.Rule("runs").Settings["runs"].List)
	assert.True(t, book.Rule("runs").ToDate)
	assert.Equal(t, "rank", book.Rule("first").Examples[0].Inputs[0].Name)
	fresh, err := lang.Formula("rank(margin, lowest)")
	require.Nil(t, err)
	assert.Equal(t, fresh.Text, book.Measure("nth").Formula.Tree.Text)
	var said []string
	for _, a := range book.Advice() {
		if strings.Contains(a.Text, "now called") {
			said = append(said, strings.TrimSuffix(a.Text, "; the old name is still read"))
		}
	}
	assert.Equal(t, []string{`"place" is now called "rank"`, `"apart" is now called "score"`, `"filled" is now called "coalesce"`,
		`"off_usual" is now called "history_score"`,
		`"smoothed average" is now called "EWMA"`, `"so_far" is now called "to_date"`, `"steady" is now called "trend"`,
		`"two of three" is now called "2 of 3"`, `"best or worst" is now called "top or bottom"`,
		`"place" is now called "rank"`}, said)
}

// Each word that was renamed is one now, and none is renamed into what is renamed itself.
func TestWhatIsRenamedIsThere(t *testing.T) {
	for _, r := range words.Renaming {
		_, again := words.Now(r.Of, r.Is)
		assert.False(t, again, r.Is)
		switch r.Of {
		case "function":
			assert.Contains(t, lang.Functions, r.Is)
			assert.NotContains(t, lang.Functions, r.Was)
		case "method":
			assert.Condition(t, func() bool {
				for _, m := range method.All() {
					if m.Name == r.Is {
						return true
					}
				}
				return false
			}, r.Is)
		}
	}
}
