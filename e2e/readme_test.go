package e2e

import (
	"bytes"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/cli"
)

// What the README shows of the command line is what comes on the demo: the
// commands that change nothing are run, and what stands below them is found in what comes.
func TestTheReadmeIsTrue(t *testing.T) {
	s := demoService(t)
	readme, err := os.ReadFile("../README.md")
	require.NoError(t, err)
	book, err := os.ReadFile("../internal/demo/rulebook.yaml")
	require.NoError(t, err)
	t.Chdir(t.TempDir())
	gap := strings.Replace(string(book), "- {clear: rest}", "- {clear: true, at_least: margin_floor}", 1)
	gap = strings.Replace(gap, "        - {grade: look, below: margin_floor}\n", "", 1)
	require.NoError(t, os.WriteFile("rulebook.yaml", []byte(gap), 0o600))
	require.NoError(t, os.WriteFile("october.csv",
		[]byte("day,order_no,rep,customer,product,quantity,net,cost,discount,channel\n"+
			"2026-10-01,A1,R-99,C-0001,P-001,1,1,1,0,visit\n2026-10-01,A2,R-01,C-0001,P-001,1,1.23456,1,0,visit\n"), 0o600))
	changing := map[string]bool{"sign-in": true, "publish": true, "take": true, "settle": true, "turn": true}
	ran := 0
	for _, block := range fences.FindAllStringSubmatch(string(readme), -1) {
		lines, below := commands(block[3])
		for i, line := range lines {
			args := words(line)
			if changing[args[0]] {
				continue
			}
			var out, errs string
			if args[0] == "check" { // it needs no service
				var o, e bytes.Buffer
				cli.Main(ctx, args, strings.NewReader(""), &o, &e)
				out, errs = o.String(), e.String()
			} else {
				_, out, errs = s.oskel("ines", args...)
			}
			assert.NotEmpty(t, out+errs, line)
			assert.Contains(t, out+errs, below[i], line)
			ran++
		}
	}
	assert.GreaterOrEqual(t, ran, 3)
}
