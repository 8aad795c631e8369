package method_test

import (
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/method"
)

var (
	section = regexp.MustCompile("(?s)### ([a-zA-Z ]+)\n(.*?)```yaml\n(.*?)\n```\n\n\\| .*?\n\\| --- .*?\n(.*?)\n\n")
	row     = regexp.MustCompile("\\| `([^`]+)` \\| `([^`]+)` \\|")
)

// Every method has its part in the reference, which names each of its keys, and
// whose worked example comes out as written.
func TestTheReferenceIsTrue(t *testing.T) {
	text, err := os.ReadFile("../../docs/methods.md")
	require.NoError(t, err)
	parts := map[string][]string{}
	for _, m := range section.FindAllStringSubmatch(string(text)+"\n\n", -1) {
		parts[m[1]] = m
	}
	for _, m := range method.All() {
		part := parts[m.Name]
		if !assert.NotNil(t, part, m.Name) {
			continue
		}
		for _, s := range m.Settings {
			assert.Contains(t, part[2], "`"+s.Key+"`", "%s does not tell %s", m.Name, s.Key)
		}
		rows := row.FindAllStringSubmatch(part[4], -1)
		assert.NotEmpty(t, rows, m.Name)
		for _, r := range rows {
			fields := strings.Fields(r[1])
			e := world(t, read(t, part[3]), 1, lines(onlyLines(m.Among, r[1]))...)
			switch m.Among {
			case "peers":
				e = world(t, read(t, part[3]), len(fields), all(fields...)...)
			case "own past":
				e = world(t, read(t, part[3]), 1, monthly(0, fields...)...)
			}
			assert.Equal(t, r[2], said(found(e, october)), "%s: %s", m.Name, r[1])
		}
		delete(parts, m.Name)
	}
	assert.Empty(t, parts, "there is no such method")
}

func onlyLines(among, text string) string {
	if among == "lines" {
		return text
	}
	return ""
}
