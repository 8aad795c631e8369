package rulebook_test

import (
	"math/big"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/method"
	"oskel/core/rulebook"
)

const (
	lookHead = `oskel: 1
title: Small
kinds: {rep: {title: Rep}}
feeds:
  sales: {title: Lines, date: day, subjects: {rep: rep}, numbers: {net: money}}
`
	lookTail = `desks: [{name: office, title: Office}]
routes: [{otherwise: office}]
`
)

// Pennants are what grades have of themselves: the more serious, the fuller.
func TestGradesHavePennants(t *testing.T) {
	book, problems := rulebook.Read([]byte(lookHead+`grades: [{name: act}, {name: look}, {name: note}, {name: fyi}, {name: fine, tone: green, shape: tick}]
measures:
  revenue: {title: Revenue, sum: sales.net, unit: money}
`+lookTail), method.All())
	require.Empty(t, problems)
	var shapes []string
	for _, g := range book.Grades {
		shapes = append(shapes, g.Shape)
	}
	assert.Equal(t, []string{"pennant", "half pennant", "open pennant", "open pennant", "tick"}, shapes)
}

// Zero is a number or a word; the dash, which stands for what is missing, is read from before.
func TestZeroIsNoDash(t *testing.T) {
	read := func(zero string) (*rulebook.Book, []rulebook.Problem) {
		return rulebook.Read([]byte(lookHead+`grades: [{name: act}]
measures:
  revenue: {title: Revenue, sum: sales.net, unit: money, zero: `+zero+`}
`+lookTail), method.All())
	}
	for zero, shown := range map[string]string{"nil": "nil", "number": "0", "dash": "0", "twelve chars": "twelve chars"} {
		book, problems := read(zero)
		require.Empty(t, problems, zero)
		assert.Equal(t, shown, rulebook.Show(book.Measure("revenue"), new(big.Rat)), zero)
		assert.Equal(t, "5", rulebook.Show(book.Measure("revenue"), big.NewRat(5, 1)), zero)
		assert.Equal(t, zero == "dash", len(book.Renamed) == 1, zero)
	}
	for _, zero := range []string{"'–'", "'0'", "13 characters", "''"} {
		_, problems := read(zero)
		require.NotEmpty(t, problems, zero)
		assert.Contains(t, problems[0].Text, "a word of at most 12 characters", zero)
	}
}

// A legend says where a band truly lies: what earlier bands took is not its own.
func TestMarksInWords(t *testing.T) {
	book, problems := rulebook.Read([]byte(lookHead+`grades: [{name: act}, {name: look}, {name: note}]
dials: {floor: {value: 500}}
measures:
  revenue: {title: Revenue, sum: sales.net, unit: money}
rules:
  - name: low
    judges: rep
    no_data: note
    threshold: {of: revenue, bands: [{grade: act, at_most: 100, label: hardly any}, {grade: look, below: floor}, {grade: note, above: 900}, {clear: rest}]}
  - name: odd
    judges: rep
    no_data: act
    outlier: {of: revenue, beyond: 3.5, grade: look}
  - name: chosen
    judges: rep
    threshold:
      choose:
        - {grade: act, all: [revenue below 10]}
        - {grade: look, all: [revenue below 20]}
`+lookTail), method.All())
	require.Empty(t, problems)
	for grade, words := range map[string]string{"act": "revenue is at most 100 (hardly any)", "look": "revenue is above 100 and below floor (500)",
		"note": "revenue is above 900, or there is no data", "none": ""} {
		assert.Equal(t, words, book.MarkWords(book.Rule("low"), grade), grade)
	}
	assert.Equal(t, "there is no data", book.MarkWords(book.Rule("odd"), "act"), "its method gives another grade")
	assert.NotContains(t, book.MarkWords(book.Rule("odd"), "look"), "Look when")
	assert.NotEmpty(t, book.MarkWords(book.Rule("odd"), "look"))
	assert.Contains(t, book.MarkWords(book.Rule("chosen"), "look"), "revenue below 20")
	assert.NotContains(t, book.MarkWords(book.Rule("chosen"), "look"), "revenue below 10")
}
