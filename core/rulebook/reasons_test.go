package rulebook_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/method"
	"oskel/core/rulebook"
)

// Reasons are read with what they go with, named once, and part of the difference.
func TestReasons(t *testing.T) {
	const least = "oskel: 1\n"
	book, problems := rulebook.Read([]byte(least+"reasons: [{name: on-leave, for: explained}, {name: other, title: Something else, for: [confirmed, "+
		"data fault]}, {name: any}]\n"), method.All())
	require.Empty(t, problems)
	assert.Equal(t, "On leave", book.Reason("on-leave").Title)
	assert.Equal(t, []string{"explained"}, book.Reason("on-leave").For)
	assert.Equal(t, []string{"confirmed", "data fault"}, book.Reason("other").For)
	assert.Empty(t, book.Reason("any").For)
	assert.Nil(t, book.Reason("none"))
	empty, _ := rulebook.Read([]byte(least), method.All())
	assert.Equal(t, []string{"reason on-leave: added", "reason other: added", "reason any: added"}, rulebook.Difference(empty, book))
	for text, says := range map[string]string{
		"reasons: [{title: x}]":                           "reasons[1].name",
		"reasons: [{name: a}, {name: a}]":                 `the reason "a" is defined twice`,
		"reasons: [{name: a, for: fine}]":                 `"fine" is not one of confirmed, explained, data fault, rule fault`,
		"reasons: [{name: a, for: [explained, cleared]}]": `"cleared" is not one of`,
	} {
		_, problems := rulebook.Read([]byte(least+text+"\n"), method.All())
		if assert.NotEmpty(t, problems, text) {
			assert.Contains(t, problems[0].String(), says)
		}
	}
}

// Routes to nobody and desks without members are warned of.
func TestAdviceOnPeople(t *testing.T) {
	book, problems := rulebook.Read([]byte(`oskel: 1
kinds: {rep: {attributes: {manager: person}}}
desks: [{name: north}, {name: south, shares: by turn}]
routes:
  - {when: rep.manager is "x", to: north, for: nele, copy: [south, tor, ghost]}
  - {otherwise: south, for: rep.manager}
`), method.All())
	require.Empty(t, problems)
	said := []string{}
	for _, p := range book.AdvisePeople(map[string][]string{"nell": {"north"}, "tor": {}}) {
		said = append(said, p.String())
	}
	assert.Equal(t, []string{
		`line 5, column 5: routes[1]: there is no account "nele"; did you mean nell?`,
		`line 5, column 5: routes[1]: there is no account "ghost"`,
		`line 3, column 24: desks.south: it has no members: only leads see its cases`,
	}, said)
	assert.Len(t, book.AdvisePeople(nil), 3, "before anybody is there, desks are no matter")
	alone := book.AdvisePeople(map[string][]string{"nele": {}, "ghost": {}, "tor": {}})
	require.Len(t, alone, 1)
	assert.Equal(t, "line 3, column 9: desks: no desk has members: only leads see its cases", alone[0].String())
	for text, says := range map[string]string{
		"routes: [{when: kind is \"rep\", to: north}, {when: kind is \"rep\", to: south}, {otherwise: north}]": "never reached: route 1 asks the same",
		"routes: [{otherwise: north, for: " +
			"rep.boss}]": `"rep.boss" is no attribute of type person; did you mean`,
		"routes: [{when: family is \"outliers\", to: north}, {otherwise: north}]":               `unknown family "outliers"; did you mean outlier?`,
		"routes: [{when: state is \"cleared\", to: north}, {otherwise: north}]":                 `unknown state "cleared"`,
		"routes: [{when: stake is \"much\", to: north}, {otherwise: north}]":                    "expected a number",
		"desks: [{name: north, shares: by name}]\nroutes: [{otherwise: north}]":                 `"by name" is not one of not, by turn, by load`,
		"kinds: {rep: {attributes: {a: {type: text, is: self}}}}\nroutes: [{otherwise: north}]": "only an attribute of type person",
	} {
		whole := "oskel: 1\n" + text + "\n"
		if !strings.Contains(text, "kinds:") {
			whole += "kinds: {rep: {attributes: {bass: person}}}\n"
		}
		if !strings.Contains(text, "desks:") {
			whole += "desks: [{name: north}, {name: south}]\n"
		}
		_, problems := rulebook.Read([]byte(whole), method.All())
		if assert.NotEmpty(t, problems, text) {
			assert.Contains(t, problems[0].String(), says)
		}
	}
}
