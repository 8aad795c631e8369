package cli

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/words"
)

// help runs oskel without a service.
func help(t *testing.T, args ...string) (code int, out, errs string) {
	t.Helper()
	var o, e bytes.Buffer
	code = Main(t.Context(), args, strings.NewReader(""), &o, &e)
	return code, o.String(), e.String()
}

// Every command is under a task, with a line, an example of its own and flags; there are at most
// 38 first words: the two of kept tables came after the 36.
func TestCommandsByTask(t *testing.T) {
	firsts := firstWords()
	assert.LessOrEqual(t, len(firsts), 38)
	seen := map[string]bool{}
	for _, first := range firsts {
		assert.False(t, seen[first], "%s is under two tasks", first)
		seen[first] = true
	}
	for _, c := range commands {
		first, _, grouped := strings.Cut(c.name, " ")
		assert.True(t, seen[first], "%s is under no task", c.name)
		assert.True(t, !grouped || groups[first] != "", "nothing says what oskel %s is about", first)
		assert.NotEmpty(t, c.short, c.name)
		require.NotEmpty(t, c.example, c.name)
		assert.Contains(t, strings.SplitN(c.example, "\n", 2)[0], "oskel "+c.name, "the example of %s", c.name)
		code, out, _ := help(t, append(strings.Fields(c.name), "-h")...)
		assert.Zero(t, code)
		assert.Contains(t, out, c.example[:strings.IndexByte(c.example+"\n", '\n')])
		_, same, _ := help(t, append([]string{"help"}, strings.Fields(c.name)...)...)
		assert.Contains(t, out+same, "oskel "+c.name)
	}
	_, all, _ := help(t, "help")
	for _, first := range firsts {
		assert.Contains(t, all, "\n  "+first+" ")
	}
	for _, topic := range topics {
		code, out, _ := help(t, "help", topic.name)
		assert.Zero(t, code, topic.name)
		assert.Contains(t, out, topic.title)
		assert.Nil(t, commandNamed(topic.name), "%s is a task and a command", topic.name)
	}
	for name, text := range texts {
		_, out, _ := help(t, "help", name)
		assert.Equal(t, text+"\n", out)
	}
}

func TestWhatIsNoCommand(t *testing.T) {
	code, _, errs := help(t, "tabel")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, `there is no command "tabel"; did you mean table?`)
	code, out, errs := help(t, "person", "ad")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, `oskel person: there is no verb "ad"; did you mean add?`)
	assert.Contains(t, out, "oskel person add NAME")
	code, out, _ = help(t, "token", "-h")
	assert.Zero(t, code)
	assert.Contains(t, out, "oskel token revoke TOKEN")
	code, _, errs = help(t, "help", "figure")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "did you mean figures?")
}

// Old names are understood, and the new ones said.
func TestOldNamesOfCommandsAndFlags(t *testing.T) {
	for _, r := range words.Renaming {
		switch r.Of {
		case "command":
			assert.NotNil(t, commandNamed(r.Is), r.Is)
			assert.Nil(t, commandNamed(r.Was), r.Was)
		case "flag":
			found := false
			for _, c := range commands {
				f := flagsOf(&env{}, c)
				if f.Lookup(r.Is) != nil {
					found = true
					assert.Nil(t, f.Lookup(r.Was), "%s of %s", r.Was, c.name)
				}
			}
			assert.True(t, found, r.Is)
		}
	}
	_, _, errs := help(t, "tokens", "-h")
	assert.Equal(t, "oskel tokens is now oskel token list\n", errs)
	_, _, errs = help(t, "token", "-title", "x", "-h") // which is the first word of others now
	assert.Equal(t, "oskel token is now oskel token add\n", errs)
	code, out, errs := help(t, "token", "-h")
	assert.Equal(t, []any{0, ""}, []any{code, errs})
	assert.Contains(t, out, "oskel token list")
	_, _, errs = help(t, "load", "-try", "-again=true", "-h")
	assert.Equal(t, "-try is now -dry-run\n-again is now -allow-duplicates\n", errs)
}

// What a shell reads completes commands, verbs and flags; bash does it here.
func TestCompletion(t *testing.T) {
	_, script, _ := help(t, "help", "completion", "bash")
	file := filepath.Join(t.TempDir(), "oskel.bash")
	require.NoError(t, os.WriteFile(file, []byte(script), 0o600))
	complete := func(line ...string) string {
		quoted := ""
		for _, w := range line {
			quoted += " '" + w + "'"
		}
		out, err := exec.Command("bash", "-c", "source "+file+"; COMP_WORDS=("+quoted+
			"); COMP_CWORD=$((${#COMP_WORDS[@]}-1)); _oskel; echo ${COMPREPLY[@]}").CombinedOutput()
		require.NoError(t, err, string(out))
		return strings.TrimSpace(string(out))
	}
	assert.Equal(t, "token todo table targets", strings.Join(sortedBy(strings.Fields(complete("oskel", "t")), "token todo table targets"), " "))
	assert.Equal(t, "list", complete("oskel", "token", "l"))
	assert.Equal(t, "-reason", complete("oskel", "case", "reopen", "-rea"))
	assert.Contains(t, complete("oskel", "sweep", "-"), "-period")
	assert.NotContains(t, complete("oskel", "sweep", "list", "-"), "-to-date")
	for _, shell := range []string{"zsh", "fish"} {
		code, out, _ := help(t, "help", "completion", shell)
		assert.Zero(t, code)
		assert.Contains(t, out, "hand-over")
	}
	code, _, errs := help(t, "help", "completion", "powershell")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "bash, zsh or fish")
}

// sortedBy orders words as they stand in a list.
func sortedBy(list []string, order string) (out []string) {
	for _, w := range strings.Fields(order) {
		for _, l := range list {
			if l == w {
				out = append(out, w)
			}
		}
	}
	return out
}

func TestManPages(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "man")
	code, _, errs := help(t, "help", "man", dir)
	require.Zero(t, code, errs)
	text, err := os.ReadFile(filepath.Join(dir, "oskel-case.1"))
	require.NoError(t, err)
	for _, part := range []string{".TH OSKEL-CASE 1", ".B oskel case hand\\-over", ".B \\-until day"} {
		assert.Contains(t, string(text), part)
	}
	all, err := filepath.Glob(filepath.Join(dir, "*.1"))
	require.NoError(t, err)
	assert.Greater(t, len(all), 30)
}

// The version stands once for all: in the change log and the console's package too.
func TestTheVersion(t *testing.T) {
	_, out, _ := help(t, "version")
	assert.Contains(t, out, "oskel "+Version+" (")
	for file, line := range map[string]string{"../../CHANGELOG.md": "## " + Version, "../../console/package.json": `"version": "` + Version + `"`,
		"../../api/openapi.yaml": "version: \"" + Version + "\""} {
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		assert.Contains(t, string(text), line, file)
	}
}
