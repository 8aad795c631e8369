package rulebook_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/method"
	"oskel/core/rulebook"
)

// Reasons are read with what they go with, named once, and part of the difference.
func TestReasons(t *testing.T) {
	const least = "oskel: 1\n"
	book, problems := rulebook.Read([]byte(least+"reasons: [{name: on-leave, for: explained}, {name: other, title: Something else, for: [confirmed, data fault]}, {name: any}]\n"), method.All())
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
