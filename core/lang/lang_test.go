package lang

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/amount"
	"oskel/core/calendar"
)

func show(n *Node) string {
	switch n.Op {
	case Number:
		return n.Number.String()
	case Text:
		return `"` + n.Text + `"`
	case Name:
		return n.Text
	}
	var parts []string
	for _, p := range n.Parts {
		parts = append(parts, show(p))
	}
	switch n.Op {
	case Call:
		return n.Text + "(" + strings.Join(parts, ", ") + ")"
	case Word, Span:
		if n.Number == 0 {
			return n.Text
		}
		return strings.TrimSpace(n.Number.String() + " " + n.Text)
	}
	return "[" + string(n.Op) + " " + strings.Join(parts, " ") + "]"
}

func TestFormulaBindsAsOnPaper(t *testing.T) {
	cases := map[string]string{
		"revenue - cost - 2":                 "[- [- revenue cost] 2]",
		"revenue - cost * 2":                 "[- revenue [* cost 2]]",
		"(revenue - cost) / revenue":         "[/ [- revenue cost] revenue]",
		"-a * b":                             "[* [negate a] b]",
		"(floor - 12.5%) * 1000":             "[* [- floor 0.125] 1000]",
		"22 % + 0.5":                         "[+ 0.22 0.5]",
		"sales.net/ sales.cost":              "[/ sales.net sales.cost]",
		"((((a))))":                          "a",
		"growth(revenue - cost, 1 year) * 2": "[* growth([- revenue cost], 1 year) 2]",
		"trailing(a, 6, best, at least 4)":   "trailing(a, 6, best, 4 at least)",
		"peers(a, percentile 75, rep.area)":  "peers(a, 75 percentile, rep.area)",
		"coalesce(a + 1, b)":                 "coalesce([+ a 1], b)",
		"when a above 1 and not b is missing then a / b otherwise missing": "[when [and [above a 1] [not [is missing b]]] [/ a b]]",
		"when a is 0 then 1 otherwise 2 + earlier(a)":                      "[when [is a 0] 1 [+ 2 earlier(a)]]",
		"margin_floor - margin_rate2 + .0001":                              "[+ [- margin_floor margin_rate2] 0.0001]",
	}
	for in, want := range cases {
		n, err := Formula(in)
		require.Nil(t, err, in)
		assert.Equal(t, want, show(n), in)
	}
}

func TestFormulaComplaintsCarryThePosition(t *testing.T) {
	cases := []struct {
		in   string
		at   int
		says string
	}{
		{"", 1, "this value is empty"}, {"   ", 1, "this value is empty"}, {"revenue -", 10, "the end"}, {"(a + b", 7, "expected ')'"},
		{"a b", 3, "'b' was not expected"}, {"a = b", 3, "write 'is'"}, {"a + 1.23456", 5, "four decimal places"},
		{"a + 1.255%", 5, "two decimal places in a percentage"}, {"a ? b", 3, "\"?\" means nothing here"}, {`a + "x`, 5, "never closed"},
		{"is + 1", 1, "expected a number"}, {"1 + grwth(a)", 5, "did you mean growth?"}, {"growth(a, 1 month)", 11, "written so: growth(revenue, 1 year)"},
		{"trailing(a)", 1, "written so"}, {"trailing(a, 6, mode)", 16, "written so"}, {"earlier(a, 0)", 12, "written so"},
		{"target(a + b)", 10, "the name of a measure"},
		{"rank(a, 3)", 9, "written so"}, {"growth(a", 9, "',' or ')'"}, {"when a above 1 then 2", 22, "'otherwise'"},
		{"when a contains 3 then 1 otherwise 2", 8, "for attributes"}, {strings.Repeat("(", 300) + "a", 201, "nested"}, {strings.Repeat("a+", 6000), 1, "at most"},
	}
	for _, c := range cases {
		_, err := Formula(c.in)
		require.NotNil(t, err, c.in)
		assert.Equal(t, c.at, err.At, c.in)
		assert.Contains(t, err.Text, c.says, c.in)
	}
}

func values(name string) Value {
	switch name {
	case "rep.territory":
		return Value{Type: TextType, Text: "Skerry Coast"}
	case "rep.started":
		return Value{Type: DateType, Day: calendar.Date(2026, 3, 1)}
	case "rep.size":
		return Value{Type: NumberType, Number: amount.FromInt(12)}
	}
	return Value{}
}

func TestConditions(t *testing.T) {
	cases := map[string]bool{
		`rep.territory is "Skerry Coast"`:                       true,
		`rep.territory is not "Skerry Coast"`:                   false,
		`rep.territory in ("Lowmarsh", "Skerry Coast")`:         true,
		`rep.territory not in ("Lowmarsh")`:                     true,
		`rep.territory starts with "Sk"`:                        true,
		`rep.territory contains "erry C"`:                       true,
		`rep.started below "2026-03-01"`:                        false,
		`rep.started at most "2026-03-01"`:                      true,
		`rep.started > "2026-02-28"`:                            true,
		`rep.size between 12 and 20`:                            true,
		`rep.size >= 12.0001`:                                   false,
		`rep.size above -3`:                                     true,
		`rep.gone is "x"`:                                       false,
		`rep.gone is not "x"`:                                   false,
		`rep.gone is missing and not (rep.size is missing)`:     true,
		`(rep.size below 3 or rep.size is 12) and rep.size > 1`: true,
		`not rep.size below 3`:                                  true,
		`rep.gone below 3 or rep.gone above 3`:                  false,
	}
	for in, want := range cases {
		n, err := Condition(in)
		require.Nil(t, err, in)
		assert.Equal(t, want, Test(n, values), in)
	}
}

func TestConditionChecks(t *testing.T) {
	typeOf := func(name string) (Type, string) {
		if v := values(name); v.Type != "" {
			return v.Type, ""
		}
		return "", "unknown " + name + Suggestion(name, []string{"rep.territory", "rep.started"})
	}
	cases := map[string]string{
		`rep.teritory is "X"`:            "did you mean rep.territory",
		`rep.territory below "X"`:        "for numbers and dates",
		`rep.territory is 3`:             "a text in quotation marks",
		`rep.started below "March"`:      "is not a day",
		`rep.size contains 3`:            "is for texts",
		`rep.size is "big"`:              "expected a number",
		`"x" is rep.territory`:           "left side",
		`not (rep.size is "a" or x > 1)`: "expected a number",
	}
	for in, want := range cases {
		n, err := Condition(in)
		require.Nil(t, err, in)
		problems := CheckCondition(n, typeOf)
		require.NotEmpty(t, problems, in)
		assert.Contains(t, problems[0].Text, want, in)
	}
	for in, want := range map[string]string{
		`rep.territory`: "expected a comparison", `rep.territory in "A"`: "expected '('", `rep.size between 1 or 2`: "'between'",
		`rep.territory in ("A" "B")`: "',' or ')'", `(rep.size is 1`: "expected ')'",
	} {
		_, err := Condition(in)
		require.NotNil(t, err, in)
		assert.Contains(t, err.Text, want, in)
	}
}

func FuzzParse(f *testing.F) {
	for _, s := range []string{"(a-b)/c", `x is "y" and not z in (1,2%)`, "1 2", "((", "a between 1 and 2 or", "%"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		for _, parse := range []func(string) (*Node, *Error){Formula, Condition} {
			n, err := parse(s)
			if err == nil && n == nil {
				t.Fatal("neither a tree nor a complaint")
			}
			if err != nil && (err.At < 1 || err.Text == "") {
				t.Fatalf("a complaint without a place or a text: %+v", err)
			}
		}
	})
}

// What functions take reaches exactly so far, and no further.
func TestWhatFunctionsTake(t *testing.T) {
	for formula, fits := range map[string]bool{
		"earlier(a, 1)": true, "earlier(a, 0)": false, "earlier(a, 1000)": true, "earlier(a, 1001)": false, "earlier(a, 1.5)": false,
		"earlier(a, 1 year)": true, "growth(a, 2 year)": true, "change(a, 1)": true,
		"trailing(a, 1)": false, "trailing(a, 2)": true, "trailing(a, 1000)": true, "trailing(a, 1001)": false, "trailing(a, 3, worst)": true,
		"trailing(a, 3, mode)":               false,
		"history(a, 12, median, at least 1)": true, "history(a, 12, median, at least 0)": false, "history(a, 12, at least 2.5)": false, "history(a, 2 year)": false,
		"to_date(a, month)": true, "to_date(a, quarter)": true, "to_date(a, half)": true, "to_date(a, year)": true, "to_date(a, week)": false,
		"share(a)": true, "share(a, rep.area)": true, "share(a, area)": false, "group_value(a, rep.area)": true, "group_value(a, 3)": false,
		"rank(a)": true, "rank(a, lowest)": true, "rank(a, highest, rep.area)": true, "rank(a, least)": false,
		"peers(a, average)": true, "peers(a, median)": true, "peers(a, mean)": false, "peers(a)": false, "peers(a, rep.area, average)": false,
		"peers(a, percentile 0)": false, "peers(a, percentile 0.0001)": true, "peers(a, percentile 99.9999)": true, "peers(a, percentile 100)": false,
		"peers(a, average, area)": false, "peers(a, average, rep.area)": true,
		"range_position(a, rep.area)": true, "percentile_rank(a)": true, "coalesce(a, b)": true, "coalesce(a)": false, "target(a)": true,
		"target(a + b)": false, "attainment(1)": false, "gap(a, b)": false,
	} {
		_, err := Formula(formula)
		assert.Equal(t, fits, err == nil, "%s: %v", formula, err)
	}
}
