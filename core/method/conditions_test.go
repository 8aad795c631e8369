package method_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/lang"
)

// Which lines a condition lets count is what the language says of each line, missing
// numbers and empty labels among them.
func TestConditionsOnLinesAreWhatTheLanguageSays(t *testing.T) {
	var all []line
	for _, net := range []string{"", "-5", "-4.9999", "0", "5", "10", "10.0001"} {
		for _, ticket := range []string{"", "A", "B", "AB", "BA"} {
			all = append(all, line{"sales", "2026-10-05", 0, 0, net, ticket})
		}
	}
	for _, text := range []string{
		`net above 10`, `net at least 10`, `net below 10`, `net at most 10`, `net above -5`, `net at least -5`, `net is 10`, `net is not 10`,
		`net between -5 and 5`, `net is missing`, `net is not missing`,
		`not net above 10`, `not (net below 5 or ticket is "A")`, `ticket is "A"`, `ticket is not "A"`, `ticket in ("A", "B")`, `ticket not in ("A", "B")`,
		`ticket is missing`, `ticket is not missing`,
		`ticket starts with "A" or net above 9 and ticket contains "B"`, `net above 0 and net at most 10 and not ticket contains "A"`,
	} {
		tree, wrong := lang.Condition(text)
		require.Nil(t, wrong, text)
		want := 0
		for _, l := range all {
			holds := lang.Test(tree, func(name string) lang.Value {
				switch {
				case name == "ticket" && l.ticket != "":
					return lang.Value{Type: lang.TextType, Text: l.ticket}
				case name == "net" && l.net != "":
					a, err := amount.Parse(l.net)
					require.NoError(t, err)
					return lang.Value{Type: lang.NumberType, Number: a}
				}
				return lang.Value{}
			})
			if holds {
				want++
			}
		}
		book, problems, _ := judge.ReadBook([]byte(strings.Replace(head, "measures:\n",
			fmt.Sprintf("measures:\n  some: {count: sales, where: '%s', unit: count}\n", text), 1) +
			fmt.Sprintf("  - {name: x, judges: shop, window: {burst: '%s', at_least: 1 lines, within: 7 days, grade: act}}\n", "sales where "+text)))
		require.Empty(t, problems, text)
		e := world(t, book, 1, all...)
		n, why := e.Exact("some", 0, e.Slot(book.Rules[0].Levels[0], calendar.MonthPeriod(october)))
		got := "0"
		if n != nil {
			got = n.RatString()
		}
		assert.Equal(t, fmt.Sprint(want), got, "%s %s", text, why)
		ev := judge.EvidenceFor(e, found(e, october), 0)
		assert.Equal(t, fmt.Sprint(want), ev.Figures[0].Value.RatString(), text)
	}
}
