package rulebook_test

import (
	"math/big"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"oskel/core/amount"
	"oskel/core/method"
	. "oskel/core/rulebook"
)

const small = `oskel: 1
title: Small
kinds:
  rep: {attributes: {territory: text, started: date}}
  product: {attributes: {category: text}}
feeds:
  sales: {date: day, subjects: {rep: rep}, numbers: {net: money, cost: money}}
grades:
  - {name: act, label: Act now, tone: red, shape: diamond}
  - {name: look, tone: amber, shape: triangle}
dials:
  floor: {value: 22%, from: 19%, to: 40%}
measures:
  revenue: {sum: sales.net, unit: money}
  cost: {sum: sales.cost, unit: money}
  margin: {title: Margin rate, formula: "(revenue - cost) / revenue", unit: percent}
rules:
  - name: thin
    judges: rep
    where: rep.territory is not "Export"
    base: {revenue: at least 5000}
    no_data: look
    threshold:
      of: margin
      bands:
        - {grade: act, below: 18%}
        - {grade: look, below: floor}
        - {clear: rest}
desks: [{name: home, due: {act: 2 working days}}]
routes: [{when: rep.territory is "North", to: home}, {otherwise: home}]
`

func TestReadSmall(t *testing.T) {
	book, problems := Read([]byte(small), method.All())
	require.Empty(t, problems)
	assert.Equal(t, "Reps", book.Kind("rep").Plural)
	assert.Equal(t, amount.Amount(2200), book.Dial("floor").Value)
	assert.Equal(t, []string{"sales"}, book.FeedsUnder("margin"))
	assert.Equal(t, map[string]int{"act": 2}, book.Desk("home").Due)
	assert.Equal(t, `Each month, for every rep where rep.territory is not "Export": Act now when margin rate is below 18%, `+
		`else Look when below floor (22%), else clear. Only where revenue is at least 5,000. No data is Look.`,
		book.Words(book.Rule("thin")))
}

// Each edit of the small book must be refused at the line and with the words
// given.
func TestReadRefuses(t *testing.T) {
	cases := []struct{ name, old, new, at, says string }{
		{"unknown key", "    judges: rep\n", "    juges: rep\n", "line 19, column 5", `did you mean judges?`},
		{"unknown measure", "of: margin", "of: margins", "line 24, column 11", `unknown measure "margins"; did you mean margin?`},
		{"unknown name in a formula", "(revenue - cost) /", "(revenue - costs) /", "line 16, column 53", `unknown measure or dial "costs"; did you mean cost?`},
		{"cycle", `{sum: sales.cost, unit: money}`, `{formula: "margin * 2", unit: money}`, "line 15", "cost -> margin -> cost"},
		{"a hole", "- {grade: look, below: floor}\n        - {clear: rest}", "- {clear: true, above: 22%}", "", "from 18% and up to 22% is in no band"},
		{"unreachable", "below: floor", "below: 12%", "line 27", "no number can fall in this band: from 18% and below 12%"},
		{"overlap", "below: floor}", "at_least: 17%, below: 30%}", "", "two bands overlap from 17% and below 18%"},
		{"nothing left", "- {clear: rest}", "- {clear: true, at_least: floor}\n        - {clear: rest}", "line 29", "nothing is left for 'rest'"},
		{"a dial that opens a hole", "from: 19%", "from: 10%", "line 27", "once the dial floor is turned to 10%"},
		{"12 or 12 %", "below: 18%", "below: 18", "line 26, column 31", "18 for a percent measure: did you mean 18%?"},
		{"percent of money", "at least 5000", "at least 50%", "line 21", "a percentage, but revenue is in money"},
		{"unknown attribute", `rep.territory is not`, `rep.teritory is not`, "line 20, column 12", "did you mean rep.territory?"},
		{"no otherwise", "{otherwise: home}", `{when: kind is "rep", to: home}`, "line 30", "the last route must be 'otherwise'"},
		{"unknown grade", "no_data: look", "no_data: lok", "line 22", "did you mean look?"},
		{"unknown feed", "sum: sales.net", "sum: sale.net", "line 14", "did you mean sales?"},
		{"unknown column", "sum: sales.net", "sum: sales.nett", "line 14", "did you mean net?"},
		{"not yaml", "title: Small", "title: [Small", "line", "not readable as YAML"},
		{"not ours", "oskel: 1", "oskel: 2", "line 1", "expected 'oskel: 1'"},
		{"two families", "    threshold:", "    window: {silence: sales, at_least: 3 days, grade: act}\n    threshold:", "line 18", "exactly one of"},
		{"a kind the feed does not name", "judges: rep\n    where: rep.territory is not \"Export\"", "judges: product", "", "whose lines name no product"},
		{"a condition cut short", `is not "Export"`, `is not`, "line 20, column 32", "found the end"},
		{"days as nonsense", "2 working days", "soon", "line 29", "2 working days"},
		{"defined twice", "cost: {sum: sales.cost, unit: money}", "floor: {sum: sales.cost, unit: money}", "line 15", "already the name of a dial"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			require.Contains(t, small, c.old)
			_, problems := Read([]byte(strings.Replace(small, c.old, c.new, 1)), method.All())
			require.NotEmpty(t, problems)
			var all []string
			for _, p := range problems {
				all = append(all, p.String())
			}
			found := false
			for _, p := range all {
				found = found || strings.HasPrefix(p, c.at) && strings.Contains(p, c.says)
			}
			assert.True(t, found, "%s", strings.Join(all, "\n"))
		})
	}
}

func TestReadNeverPanics(t *testing.T) {
	lines := strings.Split(small, "\n")
	rapid.Check(t, func(t *rapid.T) {
		doc := append([]string(nil), lines...)
		for range rapid.IntRange(1, 4).Draw(t, "edits") {
			i := rapid.IntRange(0, len(doc)-1).Draw(t, "line")
			j := rapid.IntRange(0, len(doc)-1).Draw(t, "other")
			switch rapid.IntRange(0, 2).Draw(t, "edit") {
			case 0:
				doc[i] = doc[j]
			case 1:
				doc[i] = ""
			case 2:
				doc[i] = doc[i][:rapid.IntRange(0, len(doc[i])).Draw(t, "cut")]
			}
		}
		book, problems := Read([]byte(strings.Join(doc, "\n")), method.All())
		if len(problems) == 0 {
			for i := range book.Rules {
				assert.NotEmpty(t, book.Words(&book.Rules[i]))
			}
		}
	})
}

// Whatever the bands, a partition without faults puts every number in exactly
// one interval.
func TestPartitionTakesEveryNumberOnce(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		end := func(name string) *End {
			if rapid.Bool().Draw(t, name+" stated") {
				return &End{Bound{Number: amount.Amount(rapid.Int64Range(-3, 3).Draw(t, name))}, rapid.Bool().Draw(t, name+" in")}
			}
			return nil
		}
		var bands []Band
		for range rapid.IntRange(1, 4).Draw(t, "bands") {
			if b := (Band{Low: end("low"), High: end("high")}); b.Low != nil || b.High != nil {
				bands = append(bands, b)
			}
		}
		if rapid.Bool().Draw(t, "rest") {
			bands = append(bands, Band{Rest: true})
		}
		laid, faults := (&Book{}).Partition(bands)
		for n := amount.Amount(-4); n <= 4; n++ {
			in := 0
			for _, i := range laid {
				if !below(n, i.Low) && below(n, i.High) {
					in++
				}
			}
			if len(faults) == 0 {
				assert.Equal(t, 1, in, "number %d", n)
			}
		}
	})
}

func below(n amount.Amount, c Cut) bool {
	return c.Inf > 0 || c.Inf == 0 && (n < c.At || n == c.At && c.After)
}

func TestDifference(t *testing.T) {
	from, _ := Read([]byte(small), method.All())
	same, _ := Read([]byte("# a comment\n"+small), method.All())
	assert.Empty(t, Difference(from, same), "comments and moved lines are no change")
	edited := strings.NewReplacer("value: 22%", "value: 23%", "below: 18%", "below: 17%", "name: home, due", "name: away, due",
		"to: home", "to: away", "otherwise: home", "otherwise: away").Replace(small)
	to, problems := Read([]byte(edited), method.All())
	require.Empty(t, problems)
	assert.Equal(t, []string{"dial floor: 22% becomes 23%", "rule thin: changed", "desk away: added", "desk home: removed", "routes: changed"},
		Difference(from, to))
}

func TestFormat(t *testing.T) {
	assert.Equal(t, "-1,234,568", Format(big.NewRat(-12345675, 10), Money, 0))
	assert.Equal(t, "18.3%", Format(big.NewRat(1825, 10000), Percent, 1))
	assert.Equal(t, "1 day", Format(big.NewRat(1, 1), Days, 0))
	assert.Equal(t, "18.25%", FormatPercent(1825))
	m := &Measure{Unit: Money, Zero: "nil", Brackets: true}
	assert.Equal(t, "(1,234)", Show(m, big.NewRat(-1234, 1)))
	assert.Equal(t, "nil", Show(m, new(big.Rat)))
	assert.Equal(t, "0", Show(m, big.NewRat(1, 10)), "a little is not nothing")
	assert.Equal(t, "-5", Show(&Measure{Unit: Money}, big.NewRat(-5, 1)))
	a, b := FormatApart(big.NewRat(479998, 10), big.NewRat(48000, 1), Money, 0)
	assert.Equal(t, [2]string{"47,999.8", "48,000.0"}, [2]string{a, b})
}

// A rule looks at groups where any formula under it names one, its own or that of a
// measure it judges by, shows, asks a base of or says is at stake.
func TestRulesThatLookAtGroups(t *testing.T) {
	for _, c := range []struct {
		edit    [2]string
		gathers bool
	}{
		{[2]string{"", ""}, false},
		{[2]string{"    no_data: look\n", "    no_data: look\n    shows: [area]\n"}, true},
		{[2]string{"    no_data: look\n", "    no_data: look\n    stake: revenue * area\n"}, true},
		{[2]string{"    no_data: look\n", "    no_data: look\n    stake: revenue * floor\n"}, false},
		{[2]string{"{revenue: at least 5000}", "{area: at least 10%}"}, true},
		{[2]string{"of: margin\n", "of: beside\n"}, true},
		{[2]string{"of: margin\n", "of: margin\n      against: group_value(margin, rep.territory)\n      as: difference\n"}, true},
		{[2]string{"of: margin\n", "of: margin\n      against: group_value(margin)\n      as: difference\n"}, false},
	} {
		text := strings.Replace(small, "rules:\n", "  area: {formula: \"group_value(margin, rep.territory)\", unit: percent}\n  beside: {formula: \"area "+
			"+ 1%\", unit: percent}\nrules:\n", 1)
		book, problems := Read([]byte(strings.Replace(text, c.edit[0], c.edit[1], 1)), method.All())
		require.Empty(t, problems, c.edit[1])
		assert.Equal(t, c.gathers, book.Gathers(book.Rule("thin")), c.edit[1])
	}
}
