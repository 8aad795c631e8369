package sheet

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
)

// A cell that a spreadsheet would run as a formula is text there; numbers, and
// what only looks like one, stay as they are.
func TestHarmless(t *testing.T) {
	for _, run := range []string{"=1+1", "+A1", "-A1", "@SUM(A1)", "\t=1", "\r=1", "-2+3", "=", "-"} {
		assert.Equal(t, "'"+run, Harmless(run))
	}
	for _, plain := range []string{"", "R-17", "Quay & Sons", "12.50", "12%", "a=b", "1+1"} {
		assert.Equal(t, plain, Harmless(plain))
	}
}

func TestCSVOfNothingHasItsHead(t *testing.T) {
	var out bytes.Buffer
	s := Sheet{Columns: []Column{{Name: "key"}, {Name: "value"}}}
	assert.NoError(t, s.CSV(&out))
	assert.Contains(t, out.String(), "key,value")
}
