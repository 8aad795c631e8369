package e2e

import (
	"os"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What was measured stands in one file each, of one run: the README takes its two numbers
// from there, and the changelog, which would keep those of long ago, has none.
func TestWhatWasMeasuredStandsOnce(t *testing.T) {
	t.Parallel()
	text := func(file string) string {
		b, err := os.ReadFile(file)
		require.NoError(t, err)
		return string(b)
	}
	readme := text("../README.md")
	pass := regexp.MustCompile(`computed at (0\.\d+) of the speed of one pass over memory`).FindStringSubmatch(readme)
	require.NotNil(t, pass)
	assert.Regexp(t, `\| the same against one pass \|.*\| `+regexp.QuoteMeta(pass[1])+` \|`, text("../docs/benchmarks.md"))
	desk := regexp.MustCompile(`answered within (\d+ ms) \(p99\)`).FindStringSubmatch(readme)
	require.NotNil(t, desk)
	assert.Contains(t, text("../docs/reliability.md"), "p99 stays under its bar of "+desk[1])
	assert.Empty(t, regexp.MustCompile(`\d ?(ms|s)\b|\d times (a second|the p\d)`).FindAllString(text("../CHANGELOG.md"), -1))
}
