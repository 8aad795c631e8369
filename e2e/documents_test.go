package e2e

import (
	"bytes"
	"flag"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/cli"
)

var update = flag.Bool("update", false, "write what the commands of the guide say into it")

var (
	fences      = regexp.MustCompile("(?s)```([a-z]*) ?([a-z0-9.-]*)\n(.*?)```")
	quotedOrNot = regexp.MustCompile(`"([^"]*)"|\S+`)
	moments     = regexp.MustCompile(`\d{1,2} [A-Z][a-z]{2} \d{4},? \d{2}:\d{2}|\d{4}-\d{2}-\d{2} \d{2}:\d{2}(?::\d{2})?(?: UTC)?|oskel_[A-Z2-7]{26}|\b[A-Z2-7]{12}\b|(?:[a-z2-7]{4}-){3}[a-z2-7]{4}|in \d+ ms|in \d\.\d s`)
)

// commands finds the commands of a block and what it shows below each.
func commands(block string) (lines, below []string) {
	for _, shown := range strings.Split("\n"+block, "\n$ oskel ")[1:] {
		line, rest, _ := strings.Cut(shown, "\n")
		lines, below = append(lines, line), append(below, strings.TrimRight(rest, "\n"))
	}
	return lines, below
}

func words(line string) (out []string) {
	for _, m := range quotedOrNot.FindAllStringSubmatch(line, -1) {
		out = append(out, strings.Trim(m[0], `"`))
	}
	return out
}

// Each page of the guide is walked through on a service of its own: its files
// are those it shows, its commands are run in order, and what stands below them
// is what they say. Moments and durations are '…'. -update writes them anew.
func TestTheGuide(t *testing.T) {
	pages, err := filepath.Glob("../docs/guide/*.md")
	require.NoError(t, err)
	require.NotEmpty(t, pages)
	_, err = contractRouter() // which is read from here
	require.NoError(t, err)
	for i := range pages {
		pages[i], err = filepath.Abs(pages[i])
		require.NoError(t, err)
	}
	for _, page := range pages {
		if filepath.Base(page) == "README.md" {
			continue
		}
		t.Run(strings.TrimSuffix(filepath.Base(page), ".md"), func(t *testing.T) {
			t.Setenv("XDG_CONFIG_HOME", t.TempDir())
			t.Chdir(t.TempDir())
			text, err := os.ReadFile(page)
			require.NoError(t, err)
			s := newService(t)
			t.Cleanup(s.stop)
			ran := 0
			var out strings.Builder
			at := 0
			for _, m := range fences.FindAllSubmatchIndex(text, -1) {
				file, body := string(text[m[4]:m[5]]), string(text[m[6]:m[7]])
				if file != "" {
					require.NoError(t, os.WriteFile(file, []byte(body), 0o600))
					continue
				}
				lines, below := commands(body)
				out.Write(text[at:m[6]])
				for i, line := range lines {
					said := guided(t, s, words(line))
					if !*update {
						assert.Equal(t, even(below[i]), even(said), line)
					}
					out.WriteString(strings.TrimRight("$ oskel "+line+"\n"+said, "\n") + "\n")
					ran++
				}
				if len(lines) == 0 {
					out.WriteString(body)
				}
				at = m[7]
			}
			out.Write(text[at:])
			assert.Positive(t, ran)
			if *update {
				require.NoError(t, os.WriteFile(page, []byte(out.String()), 0o600))
			}
		})
	}
}

var gaps = regexp.MustCompile(` {2,}`)

// even is a table whatever the width of its columns: moments are longer on some days of the
// month than on others.
func even(said string) string { return gaps.ReplaceAllString(said, "  ") }

// guided runs one command as whoever is signed in, and gives what it says.
func guided(t *testing.T, s *service, args []string) string {
	var out, errs bytes.Buffer
	stdin := password + "\n"
	switch args[0] {
	case "check":
	default:
		args = append(args, "-server", s.url)
	}
	if args[0] == "sign-in" {
		args = append([]string{"sign-in", "-server", s.url}, args[1:len(args)-2]...)
	}
	cli.Main(ctx, args, strings.NewReader(stdin), &out, &errs)
	text := strings.ReplaceAll(out.String()+errs.String(), s.url, "http://127.0.0.1:8420")
	if host, err := os.Hostname(); err == nil {
		text = strings.ReplaceAll(text, "command line on "+host, "command line on harbour")
	}
	return strings.TrimRight(moments.ReplaceAllString(text, "…"), "\n")
}
