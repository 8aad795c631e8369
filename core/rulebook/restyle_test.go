package rulebook_test

import (
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
	out, err := Restyle(graded, "act", "Do: it", "violet", "cross", method.All())
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
	out, err = Restyle(graded, "look", "Look", "amber", "square", method.All())
	require.NoError(t, err)
	assert.Contains(t, out, "# today\n  # watched\n  - {name: look, label: Look, tone: amber, shape: square}\ndials:")
	for why, style := range map[string][3]string{
		"no tone \"pink\": expected one of red":                {"Act", "pink", "cross"},
		"no shape \"star\": expected one of pennant":           {"Act", "red", "star"},
		"the grade look already has this mark: amber triangle": {"Act", "amber", "triangle"},
		"the grade look is already labelled \"Look\"":          {"Look", "red", "cross"},
	} {
		_, err = Restyle(graded, "act", style[0], style[1], style[2], method.All())
		assert.ErrorContains(t, err, why)
	}
	_, err = Restyle(graded, "akt", "Act", "red", "cross", method.All())
	assert.ErrorContains(t, err, "did you mean act?")
	_, err = Restyle("oskel: 1\ngrades: [{name: act, tone: red, shape: diamond}]\n", "act", "Act", "red", "cross", method.All())
	assert.ErrorContains(t, err, "not written one below the other")
}
