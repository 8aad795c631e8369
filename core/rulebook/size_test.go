package rulebook_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/method"
	"oskel/core/rulebook"
)

// A formula is counted with all that it names written out in it: each that names the one
// before twice doubles it, and one that looks at twelve periods counts twelve times. What is
// too much is refused where it first is, before anything is computed.
func TestStepsOfFormulas(t *testing.T) {
	book := func(measures string) string {
		return strings.Replace(planBook, "measures: {revenue: {sum: sales.net, unit: money}}\n", "measures:\n  revenue: {sum: sales.net, unit: money}\n"+measures, 1)
	}
	b, problems := rulebook.Read([]byte(book(`  twice: {formula: "revenue + revenue", unit: money}
  four: {formula: "twice + twice", unit: money}
  year: {formula: "history(four, 12, median)", unit: money}
  grown: {formula: "growth(four)", unit: percent}
`)), method.All())
	require.Empty(t, problems)
	for measure, steps := range map[string]int{"revenue": 1, "twice": 3, "four": 7, "nothing": 1} {
		assert.Equal(t, steps, b.Steps(measure), measure)
	}
	assert.Greater(t, b.Steps("year"), 12*b.Steps("four"))
	assert.Equal(t, 2*(1+b.Steps("four")), b.Steps("grown"))

	var chain strings.Builder
	before := "revenue"
	for n := range 40 {
		name := fmt.Sprintf("z%d", n)
		fmt.Fprintf(&chain, "  %s: {formula: \"%s/2 + %s/2\", unit: money}\n", name, before, before)
		before = name
	}
	_, problems = rulebook.Read([]byte(book(chain.String())), method.All())
	require.Len(t, problems, 1, "those that name it are not told too")
	assert.Contains(t, problems[0].String(), "measures.z")
	assert.Contains(t, problems[0].String(), "takes more than 20000 steps")

	// As many measures one after the other are no matter.
	chain.Reset()
	for n := range 40 {
		fmt.Fprintf(&chain, "  y%d: {formula: \"%s + 1\", unit: money}\n", n, map[bool]string{true: "revenue", false: fmt.Sprintf("y%d", n-1)}[n == 0])
	}
	_, problems = rulebook.Read([]byte(book(chain.String())), method.All())
	assert.Empty(t, problems)
}

// A rule is put into a list of rules that is empty, however that is written, and there is
// one list after it; the only rule can go and another come.
func TestTheFirstRule(t *testing.T) {
	d := rulebook.RuleDefinition{Name: "first", Title: "First", Judges: []string{"rep"}, Of: "revenue",
		Bands: []rulebook.BandDefinition{{Grade: "act", Below: "10"}, {Rest: true}}}
	rules := "rules: [{name: low, judges: rep, threshold: {of: revenue, bands: [{grade: act, below: 10}, {clear: rest}]}}]\n"
	for _, empty := range []string{"", "rules:\n", "rules: []\n", "rules: [ ] # none yet\n", "rules:   # none yet\r\n"} {
		out, err := rulebook.PlaceRule(strings.Replace(planBook, rules, empty, 1), d.Name, &d, method.All())
		require.NoError(t, err, "%q", empty)
		assert.Equal(t, 1, strings.Count(out, "rules:"), "%q: %s", empty, out)
		b, problems := rulebook.Read([]byte(out), method.All())
		require.Empty(t, problems, "%q: %s", empty, out)
		assert.NotNil(t, b.Rule("first"))
		gone, err := rulebook.PlaceRule(out, d.Name, nil, method.All())
		require.NoError(t, err)
		again, err := rulebook.PlaceRule(gone, d.Name, &d, method.All())
		require.NoError(t, err)
		assert.Equal(t, 1, strings.Count(again, "rules:"), again)
		_, problems = rulebook.Read([]byte(again), method.All())
		assert.Empty(t, problems)
	}
}
