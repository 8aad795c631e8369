package cli

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAnswersDoNotCommandTheTerminal(t *testing.T) {
	for in, out := range map[string]string{
		"plain, ünïcode and 漢字":   "plain, ünïcode and 漢字",
		"a\x1b[31mred":            "a\ufffd[31mred",
		"bell\a, back\b, del\x7f": "bell\ufffd, back\ufffd, del\ufffd",
		"c1 \u009b2J":             "c1 \ufffd2J",
		"lines\nand\ttabs\r":      "lines\nand\ttabs\r",
		`a \u001b written out`:    `a \u001b written out`,
		`back\\slashes "quoted"`:  `back\\slashes "quoted"`,
	} {
		text, err := json.Marshal(in)
		require.NoError(t, err)
		var back string
		require.NoError(t, json.Unmarshal(stripControl(text), &back), "%s", text)
		assert.Equal(t, out, back)
	}
}
