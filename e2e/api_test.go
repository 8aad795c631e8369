package e2e

import (
	"bytes"
	"io"
	"net/http"
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/cli"
)

var apiRow = regexp.MustCompile("(?m)^\\| (\\w+) \\| `([A-Z]+) (\\S+)` \\| (.+) \\|$")

// The page of the API has every operation with its tag and summary, and the examples are answered
// on the demo.
func TestThePageOfTheAPI(t *testing.T) {
	t.Parallel()
	page, err := os.ReadFile("../docs/api.md")
	require.NoError(t, err)
	spec, err := openapi3.NewLoader().LoadFromFile("../api/openapi.yaml")
	require.NoError(t, err)
	type operation struct{ tag, call, path, summary string }
	of := map[string]operation{}
	for path, item := range spec.Paths.Map() {
		for method, o := range item.Operations() {
			require.Len(t, o.Tags, 1, o.OperationID)
			of[o.OperationID] = operation{o.Tags[0], method, path, o.Summary}
		}
	}
	s := demoService(t)
	asked := 0
	for _, part := range strings.Split(string(page), "\n## ")[1:] {
		tag, rows, _ := strings.Cut(part, "\n")
		for _, row := range apiRow.FindAllStringSubmatch(rows, -1) {
			o, there := of[row[1]]
			require.True(t, there, row[1])
			delete(of, row[1])
			assert.Equal(t, []string{o.tag, o.call, o.summary}, []string{tag, row[2], row[4]}, row[1])
			path, _, _ := strings.Cut(row[3], "?")
			assert.Regexp(t, "^"+regexp.MustCompile(`\\\{\w+\\\}`).ReplaceAllString(regexp.QuoteMeta(o.path), `(\{\w+\}|[^/]+)`)+"$", path)
			if row[2] != "GET" || strings.Contains(row[3], "{") || row[1] == "listChanges" {
				continue
			}
			person := "ines"
			if strings.Contains(row[4], "(leads only)") && row[1] != "listTokens" {
				person = "tor"
			}
			r, err := http.NewRequest("GET", s.url+row[3], nil)
			require.NoError(t, err)
			r.Header.Set("Authorization", "Bearer "+s.tokens[person])
			answer, err := http.DefaultClient.Do(r)
			require.NoError(t, err)
			said, err := io.ReadAll(answer.Body)
			require.NoError(t, err)
			assert.Equal(t, 200, answer.StatusCode, "%s: %s", row[3], said)
			asked++
		}
	}
	assert.Empty(t, of, "operations that the page leaves out")
	assert.Greater(t, asked, 50)
}

// Each example of a command is understood, and the service answers it: it is done, or refused for
// the state of the demo, as a second take of a case is.
func TestExamplesOfCommands(t *testing.T) {
	s := demoService(t)
	book, err := os.ReadFile("../internal/demo/rulebook.yaml")
	require.NoError(t, err)
	t.Chdir(t.TempDir())
	for _, name := range []string{"rulebook.yaml", "draft.yaml"} {
		require.NoError(t, os.WriteFile(name, book, 0o600))
	}
	for _, name := range []string{"invoice.pdf", "october.csv", "reps.csv", "customers.csv", "targets.csv", "orders.csv"} {
		require.NoError(t, os.WriteFile(name, []byte("%PDF-1.4 x"), 0o600))
	}
	// What changes the demo that other tests read is looked at elsewhere.
	elsewhere := regexp.MustCompile(`^(serve|demo|check|version|sign-in|sign-out|password|token|person|absence|load|intake revert|publish|dial ` +
		`set|grade change|rulebook restore|sweep( |$)|period (close|reopen)|view (save|delete)|case ` +
		`(take|return|hand-over|ask|park|resume|comment|settle|reopen|open|undo|attach|remove-file|end-snooze)|todo (add|done|remove)|data-issue ` +
		`close|service (backup|restore|clock))`)
	topics := regexp.MustCompile(`(?m)^  ([a-z-]+(?: [a-z-]+)?)  `)
	ran := 0
	for _, topic := range []string{"start", "data", "figures", "writing", "sweeping", "results", "review", "reporting", "accounts", "running"} {
		var list bytes.Buffer
		require.Zero(t, cli.Main(ctx, []string{"help", topic}, nil, &list, &list))
		for _, m := range topics.FindAllStringSubmatch(list.String(), -1) {
			_, help, _ := s.oskel("tor", append(strings.Fields(m[1]), "-h")...)
			_, examples, found := strings.Cut(help, "\nExample:\n")
			require.True(t, found, m[1])
			examples, _, _ = strings.Cut(examples, "\noskel ")
			for line := range strings.Lines(examples) {
				line = strings.TrimSpace(line)
				command, ok := strings.CutPrefix(line, "oskel ")
				if !ok || elsewhere.MatchString(command) {
					continue
				}
				code, _, errs := s.oskel("tor", words(strings.ReplaceAll(command, "'", `"`))...)
				assert.Contains(t, []int{0, 1}, code, "%s: %s", line, errs)
				ran++
			}
		}
	}
	assert.Greater(t, ran, 40)
}
