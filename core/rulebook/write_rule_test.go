package rulebook_test

import (
	"os"
	"reflect"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/method"
	. "oskel/core/rulebook"
)

// Every rule of the demo, written out field by field and put back in its
// place, says the same; comments and all other lines stay.
func TestRulesAreWrittenBack(t *testing.T) {
	text, err := os.ReadFile("../../internal/demo/rulebook.yaml")
	require.NoError(t, err)
	book, problems := Read(text, method.All())
	require.Empty(t, problems)
	for i := range book.Rules {
		d := book.Define(&book.Rules[i])
		out, err := PlaceRule(string(text), d.Name, &d, method.All())
		require.NoError(t, err)
		after, problems := Read([]byte(out), method.All())
		require.Empty(t, problems, "%s\n%s", d.Name, out)
		assert.Empty(t, Difference(book, after), out)
		assert.True(t, reflect.DeepEqual(d, after.Define(after.Rule(d.Name))))
		gone, err := PlaceRule(out, d.Name, nil, method.All())
		require.NoError(t, err)
		without, problems := Read([]byte(gone), method.All())
		require.Empty(t, problems)
		assert.Equal(t, []string{"rule " + d.Name + ": removed"}, Difference(book, without))
		d.Name = "copied"
		added, err := PlaceRule(string(text), "copied", &d, method.All())
		require.NoError(t, err)
		more, problems := Read([]byte(added), method.All())
		require.Empty(t, problems)
		assert.Equal(t, []string{"rule copied: added"}, Difference(book, more))
	}
}

// A rule that uses every field comes back as it went in.
func TestEveryFieldIsWritten(t *testing.T) {
	text, err := os.ReadFile("../../internal/demo/rulebook.yaml")
	require.NoError(t, err)
	off := false
	for _, d := range []RuleDefinition{
		{Name: "full", Title: "Margin: under, or \"over\" #1", Judges: []string{"rep", "rep.territory"}, Where: `rep.territory is not "Outer Isles"`,
			Base:   []BaseDefinition{{"revenue", "above 5000.5"}, {"order_lines", "at least 3"}},
			NoData: "look", Persists: "2 of 3", On: &off, ToDate: true, LastWord: true, ValidFrom: "2026-01-01", ValidUntil: "2026-12-31",
			Shows: []string{"revenue", "cost"}, Stake: "revenue - cost",
			Of: "margin_rate", Against: "peers(margin_rate, median, rep.territory)", As: "difference",
			Bands: []BandDefinition{{Grade: "act", Below: "-5%", Label: "below -5%"}, {Grade: "look", AtMost: "-2%"}, {Above: "-2%"}},
			Examples: []map[string]string{{"margin_rate": "20%", "comparison": "25%", "rep.territory": "Lowmarsh", "is": "look"},
				{"margin_rate": "missing", "comparison": "1%", "is": "look"}}},
		{Name: "tried", Title: "On trial", Judges: []string{"rep"}, Trial: true, NoCase: true, Marks: "cost", Ended: "counts as zero", Of: "growth_year",
			Bands: []BandDefinition{{Grade: "act", Below: "5%"}, {Rest: true}}},
		{Name: "pairs", Title: "Pairs", Judges: []string{"rep x product"},
			Choose: []ChoiceDefinition{{Grade: "act", How: "some", AtLeast: 2,
				Of: []string{"revenue above 1000", "margin_rate below 5%", `rep.territory is "Lowmarsh"`}},
				{Grade: "look", How: "none", Of: []string{"revenue above 0"}}, {Grade: "look", How: "any", Of: []string{"cost above 5", "cost below 1"}},
				{Grade: "look", How: "all", Of: []string{"cost above 5", "cost below 1"}}}},
	} {
		out, err := PlaceRule(string(text), d.Name, &d, method.All())
		require.NoError(t, err)
		book, problems := Read([]byte(out), method.All())
		require.Empty(t, problems, out)
		d.Each = "month" // what is left out
		assert.Equal(t, d, book.Define(book.Rule(d.Name)))
		assert.Contains(t, book.RuleText(out, d.Name), "- name: "+d.Name)
	}
}

// Numbers come as they are shown, in groups of three.
func TestRulesTakeNumbersAsTheyAreShown(t *testing.T) {
	text, err := os.ReadFile("../../internal/demo/rulebook.yaml")
	require.NoError(t, err)
	d := RuleDefinition{Name: "large", Title: "Above 1,000", Judges: []string{"rep"},
		Base: []BaseDefinition{{"revenue", "at least 5,000.5"}, {"order_lines", "above 1,000"}}, Of: "revenue",
		Bands: []BandDefinition{{Grade: "act", Above: "1,234,567.50"}, {Rest: true}}}
	out, err := PlaceRule(string(text), d.Name, &d, method.All())
	require.NoError(t, err)
	book, problems := Read([]byte(out), method.All())
	require.Empty(t, problems)
	back := book.Define(book.Rule("large"))
	assert.Equal(t, []BaseDefinition{{"revenue", "at least 5000.5"}, {"order_lines", "above 1000"}}, back.Base)
	assert.Equal(t, []BandDefinition{{Grade: "act", Above: "1234567.5"}, {Rest: true}}, back.Bands)
	assert.Equal(t, "Above 1,000", back.Title)

	m := RuleDefinition{Name: "bursting", Title: "Bursting", Judges: []string{"customer"},
		Window: map[string]string{"burst": "returns", "within": "7 days", "number": "net", "at_least": "12,500"}}
	out, err = PlaceRule(string(text), m.Name, &m, method.All())
	require.NoError(t, err)
	assert.Contains(t, out, "at_least: 12500")
}

func TestDialsAreTurnedInPlace(t *testing.T) {
	text := "oskel: 1\ndials: # shared\n  floor: {value: 22%, from: 10%} # a fifth and more\n  far:\n    value: 3.5\n"
	out, err := ChangeDial(text, "floor", "24%", method.All())
	require.NoError(t, err)
	assert.Equal(t, "oskel: 1\ndials: # shared\n  floor: {value: 24%, from: 10%} # a fifth and more\n  far:\n    value: 3.5\n", out)
	out, err = ChangeDial(text, "far", "4", method.All())
	require.NoError(t, err)
	assert.Contains(t, out, "value: 4\n")
	out, err = ChangeDial(text, "far", "4,000.5", method.All())
	require.NoError(t, err)
	assert.Contains(t, out, "value: 4000.5\n")
	for value, why := range map[string]string{"5%": "lies outside", "much": "expected a number"} {
		_, err = ChangeDial(text, "floor", value, method.All())
		assert.ErrorContains(t, err, why)
	}
	_, err = ChangeDial(text, "flor", "5%", method.All())
	assert.ErrorContains(t, err, "did you mean floor?")
}
