package rulebook_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/method"
	. "oskel/core/rulebook"
)

const graded = `oskel: 1
grades: # the gravest first
  - {name: act, label: Act now, tone: red, shape: diamond} # today
  # watched
  - name: look
    tone: amber
    shape: triangle
dials:
  floor: {value: 22%}
`

func TestGradesAreRestyledInPlace(t *testing.T) {
	out, err := Restyle(graded, Grade{Name: "act", Label: "Do: it", Tone: "violet", Shape: "cross"}, method.All())
	require.NoError(t, err)
	assert.Equal(t, `oskel: 1
grades: # the gravest first
  - {name: act, label: "Do: it", tone: violet, shape: cross} # today
  # watched
  - name: look
    tone: amber
    shape: triangle
dials:
  floor: {value: 22%}
`, out)
	out, err = Restyle(graded, Grade{Name: "look", Label: "Look", Tone: "amber", Shape: "square"}, method.All())
	require.NoError(t, err)
	assert.Contains(t, out, "# today\n  # watched\n  - {name: look, label: Look, tone: amber, shape: square}\ndials:")
	good := strings.Replace(graded, "shape: triangle", "shape: triangle\n    cell: tint\n    good: true", 1)
	out, err = Restyle(good, Grade{Name: "look", Label: "Fine", Tone: "green", Shape: "tick"}, method.All())
	require.NoError(t, err)
	assert.Contains(t, out, "  - {name: look, label: Fine, tone: green, shape: tick, cell: tint, good: true}\ndials:", "what was not asked for stays")
	out, err = Restyle(good, Grade{Name: "act", Label: "Act now", Tone: "red", Shape: "diamond", Cell: "row"}, method.All())
	require.NoError(t, err)
	assert.Contains(t, out, "shape: diamond, cell: row} # today\n")
	_, err = Restyle(good, Grade{Name: "act", Label: "Act", Tone: "red", Shape: "cross", Cell: "loud"}, method.All())
	assert.ErrorContains(t, err, "expected one of shape, tint, figure, row")
	for why, style := range map[string][3]string{
		"no tone \"pink\": expected one of red":                {"Act", "pink", "cross"},
		"no shape \"star\": expected one of pennant":           {"Act", "red", "star"},
		"the grade look already has this mark: amber triangle": {"Act", "amber", "triangle"},
		"the grade look is already labelled \"Look\"":          {"Look", "red", "cross"},
	} {
		_, err = Restyle(graded, Grade{Name: "act", Label: style[0], Tone: style[1], Shape: style[2]}, method.All())
		assert.ErrorContains(t, err, why)
	}
	_, err = Restyle(graded, Grade{Name: "akt", Label: "Act", Tone: "red", Shape: "cross"}, method.All())
	assert.ErrorContains(t, err, "did you mean act?")
	_, err = Restyle("oskel: 1\ngrades: [{name: act, tone: red, shape: diamond}]\n", Grade{Name: "act", Label: "Act", Tone: "red", Shape: "cross"}, method.All())
	assert.ErrorContains(t, err, "not written one below the other")
}
