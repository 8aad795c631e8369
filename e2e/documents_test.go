package e2e

import (
	"bytes"
	"context"
	"flag"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/cli"
	"oskel/internal/people"
	"oskel/internal/store"
)

var update = flag.Bool("update", false, "write what the commands of the guide say into it")

var (
	fences      = regexp.MustCompile("(?s)```([a-z]*) ?([a-z0-9.-]*)\n(.*?)```")
	quotedOrNot = regexp.MustCompile(`"([^"]*)"|\S+`)
	moments     = regexp.MustCompile(`\d{1,2} [A-Z][a-z]{2} \d{4},? \d{2}:\d{2}|\d{4}-\d{2}-\d{2}[ T]\d{2}:\d{2}(?::\d{2})?(?:\.\d+)?(?: ` +
		`UTC|Z)?|oskel_[A-Z2-7]{26}|\b[A-Z2-7]{12}\b|(?:[a-z2-7]{4}-){3}[a-z2-7]{4}|in \d+ ms|in \d\.\d s`)
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
			s := guideService(t, filepath.Base(page))
			t.Cleanup(s.stop)
			g := &guide{service: s, oneTime: map[string]string{}}
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
					said := g.run(words(line))
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

// guideService is the service that a page begins with: the first page has a fresh one, in which
// there is the lead alone; the others have the cast.
func guideService(t *testing.T, page string) *service {
	if page != "start.md" {
		return newService(t)
	}
	return startService(t, func(ctx context.Context, p *people.Service) error {
		return p.Add(ctx, store.Person{Name: "lead", Title: "The lead", Role: people.Lead}, password)
	})
}

// guide is a page that is walked through.
type guide struct {
	*service
	oneTime map[string]string // passwords that were shown once, by account
}

// run runs one command as the person who is signed in, and gives what it says. Passwords are
// typed as they are asked for, and stand in no page.
func (g *guide) run(args []string) string {
	var out, errs bytes.Buffer
	stdin, at := password+"\n", args
	switch args[0] {
	case "check", "version", "help":
	default:
		args = append(args, "-server", g.url)
	}
	if args[0] == "sign-in" {
		args = append([]string{"sign-in", "-server", g.url}, args[1:len(args)-2]...)
		if once := g.oneTime[args[len(args)-1]]; once != "" {
			stdin = once + "\n" + stdin
		}
	}
	cli.Main(ctx, args, strings.NewReader(stdin), &out, &errs)
	if strings.Join(at[:min(2, len(at))], " ") == "person add" {
		g.oneTime[at[len(at)-1]] = strings.TrimSpace(out.String())
	}
	text := strings.ReplaceAll(out.String()+errs.String(), g.url, "http://127.0.0.1:8420")
	if host, err := os.Hostname(); err == nil {
		text = strings.ReplaceAll(text, "command line on "+host, "command line on harbour")
	}
	return strings.TrimRight(moments.ReplaceAllString(text, "…"), "\n")
}
