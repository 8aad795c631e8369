package lang

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"oskel/core/amount"
	"oskel/core/calendar"
)

func TestValuesAreReadByTheirType(t *testing.T) {
	for _, c := range []struct {
		of   Type
		text string
		want Value
	}{
		{TextType, "North", Value{Type: TextType, Text: "North"}},
		{TextType, "12", Value{Type: TextType, Text: "12"}},
		{NumberType, "12.5", Value{Type: NumberType, Number: 125000}},
		{NumberType, "many", Value{}},
		{DateType, "2026-10-31", Value{Type: DateType, Day: calendar.Date(2026, 10, 31)}},
		{DateType, "2026-02-30", Value{}},
		{TextType, "", Value{}},
		{NumberType, "", Value{}},
	} {
		assert.Equal(t, c.want, ParseValue(c.of, c.text), "%s as %s", c.text, c.of)
	}
}

// A condition and its negation never agree, whatever is missing; a comparison
// with what is missing does not hold.
func TestNegationIsTheOpposite(t *testing.T) {
	leaves := []string{`a is "x"`, `a is not "x"`, `a in ("x", "y")`, `a not in ("x", "y")`, `a contains "x"`, `a starts with "x"`, `a is missing`,
		`a is not missing`, `n above 3`, `n at most 3`, `n between 1 and 3`, `n is 3`}
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.SampledFrom(leaves).Draw(t, "leaf")
		for range rapid.IntRange(0, 3).Draw(t, "more") {
			text = "(" + text + rapid.SampledFrom([]string{" and ", " or "}).Draw(t, "joined") + rapid.SampledFrom(leaves).Draw(t, "leaf") + ")"
		}
		n := lookAt(rapid.IntRange(0, 5).Draw(t, "n"), rapid.SampledFrom([]string{"", "x", "xy", "z"}).Draw(t, "a"))
		condition, err := Condition(text)
		assert.Nil(t, err)
		opposite, err := Condition("not " + text)
		assert.Nil(t, err)
		assert.NotEqual(t, Test(condition, n), Test(opposite, n), text)
	})
	nothing := func(string) Value { return Value{} }
	for _, text := range leaves {
		condition, _ := Condition(text)
		holds := text == "a is missing"
		assert.Equal(t, holds, Test(condition, nothing), text)
	}
}

// lookAt answers for a number, missing at 0, and a text, missing if empty.
func lookAt(n int, a string) Lookup {
	return func(name string) Value {
		switch {
		case name == "n" && n > 0:
			return Value{Type: NumberType, Number: amount.FromInt(int64(n))}
		case name == "a":
			return ParseValue(TextType, a)
		}
		return Value{}
	}
}

// What is offered for a wrong name is the nearest known one, if any is near.
func TestSuggestions(t *testing.T) {
	known := []string{"revenue", "margin_rate", "orders"}
	for given, want := range map[string]string{"revenu": "revenue", "margin_rat": "margin_rate", "order": "orders", "zebra": ""} {
		s := Suggestion(given, known)
		if want == "" {
			assert.NotContains(t, s, "did you mean", given)
			continue
		}
		assert.Contains(t, s, "did you mean "+want+"?", given)
	}
}
