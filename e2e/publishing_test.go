package e2e

import (
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

// A file that was taken from an older revision does not undo what others have
// published since, unless that is meant.
func TestPublishingAnOldFile(t *testing.T) {
	t.Parallel()
	s := small(t)
	file := filepath.Join(t.TempDir(), "rules.yaml")
	code, out, errs := s.oskel("ana", "rulebook", "show", "-o", file)
	require.Equal(t, 0, code, out+errs)
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(string(text), "# From revision 1"), string(text[:60]))
	// Meanwhile a dial is turned.
	want[client.Revision](t, 201)(s.as("lea").ChangeDial(ctx, "floor", client.DialChange{Value: "25%", Note: "Tighter", BasedOn: 1}))
	mine := strings.Replace(string(text), "below: 18%", "below: 17%", 1)
	require.NoError(t, os.WriteFile(file, []byte(mine), 0o600))
	code, _, errs = s.oskel("", "publish", "-note", "Mine", file)
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "made from revision 1")
	assert.Contains(t, errs, "dial floor: 22% becomes 25%")
	assert.Contains(t, errs, "-force")
	code, _, errs = s.oskel("", "publish", "-note", "Mine", "-force", file)
	assert.Equal(t, 0, code, errs)
	published := want[client.Rulebook](t, 200)(s.as("ana").GetRulebook(ctx))
	assert.Equal(t, 3, published.Revision)
	// The file now is from revision 3: the next publishing of it goes through.
	text, err = os.ReadFile(file)
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(string(text), "# From revision 3"), string(text[:60]))
	require.NoError(t, os.WriteFile(file, []byte(strings.Replace(string(text), "below: 17%", "below: 16%", 1)), 0o600))
	code, _, errs = s.oskel("", "publish", "-note", "Mine again", file)
	assert.Equal(t, 0, code, errs)
}

// A file without that line is compared with the last revisions: what it is
// nearest to is what it was made from.
func TestPublishingAnOldFileThatDoesNotSay(t *testing.T) {
	t.Parallel()
	s := small(t)
	want[client.Revision](t, 201)(s.as("lea").ChangeDial(ctx, "floor", client.DialChange{Value: "25%", Note: "Tighter", BasedOn: 1}))
	old := strings.Replace(smallBook, "title: Small", "title: Smaller", 1)
	p := refused(t, 409, "overtaken")(s.as("ana").PublishRevision(ctx, client.NewRevision{Text: old, Note: "x"}))
	assert.Contains(t, *p.Detail, "made from revision 1")
	require.Len(t, *p.Faults, 1)
	current := strings.Replace(old, "value: 22%", "value: 25%", 1)
	want[client.Revision](t, 201)(s.as("ana").PublishRevision(ctx, client.NewRevision{Text: current, Note: "x"}))
}

// A file with none of the published rules is of another origin, or drops all: it says what
// goes, and is published if that is meant.
func TestPublishingWhatDropsAllRules(t *testing.T) {
	t.Parallel()
	s := small(t)
	for _, first := range []string{"", "# From revision 1, by ana\n"} {
		p := refused(t, 409, "overtaken")(s.as("ana").PublishRevision(ctx, client.NewRevision{Text: first + "oskel: 1\n", Note: "x"}))
		assert.Contains(t, *p.Detail, "this has none of the rules of revision 1, which ana published")
		assert.Contains(t, *p.Detail, "rule thin-margin")
		assert.NotContains(t, *p.Detail, "made from")
	}
	assert.Equal(t, 1, want[client.Rulebook](t, 200)(s.as("ana").GetRulebook(ctx)).Revision)
	want[client.Revision](t, 201)(s.as("ana").PublishRevision(ctx,
		client.NewRevision{Text: strings.Replace(smallBook, "- name: behind\n", "- name: far-behind\n", 1), Note: "one rule is another"}))
	want[client.Revision](t, 201)(s.as("ana").PublishRevision(ctx, client.NewRevision{Text: "oskel: 1\n", Note: "x", Force: ptr(true)}))
}

// An example that names a dial holds at any value of it; one that pins its value
// refuses the turning.
func TestExamplesAndDials(t *testing.T) {
	t.Parallel()
	s := small(t)
	example := "    examples: [{margin: floor, is: clear}]\n"
	s.publish(strings.Replace(smallBook, "  - name: behind\n", example+"  - name: behind\n", 1), 1)
	want[client.Revision](t, 201)(s.as("ana").ChangeDial(ctx, "floor", client.DialChange{Value: "25%", Note: "x", BasedOn: 2}))
	s.publish(strings.Replace(smallBook, "  - name: behind\n", "    examples: [{margin: 22%, is: clear}]\n  - name: behind\n", 1), 3)
	refused(t, 422, "rulebook-refused")(s.as("ana").ChangeDial(ctx, "floor", client.DialChange{Value: "25%", Note: "x", BasedOn: 4}))
}

// No text ends the service, whoever sends it and wherever.
func TestRulebooksThatWouldNotEnd(t *testing.T) {
	t.Parallel()
	s := small(t)
	rea := s.as("rea")
	bombs := map[string]string{
		"nested lists":    strings.Repeat("- ", 60_000) + "x",
		"nested brackets": strings.Repeat("[", 60_000),
		"nested braces":   strings.Repeat("{a: ", 60_000),
		"aliases":         "a: &a [x, x]\nb: &b [*a, *a]\nc: [*b, *b]\n",
		"nodes":           "a: [" + strings.Repeat("x,", 100_000) + "x]",
		"a formula":       strings.Replace(smallBook, "(revenue - cost) / revenue", strings.Repeat("(", 3000)+"revenue"+strings.Repeat(")", 3000), 1),
		"a long formula":  strings.Replace(smallBook, "(revenue - cost) / revenue", "revenue"+strings.Repeat(" + revenue", 30_000), 1),
	}
	for name, text := range bombs {
		r := want[client.CheckReport](t, 200)(rea.CheckRulebook(ctx, client.RulebookText{Text: text}))
		assert.NotEmpty(t, r.Problems, name)
		for _, f := range r.Problems {
			assert.Less(t, len(f.Text), 2000, name)
		}
	}
	res, err := rea.CheckRulebook(ctx, client.RulebookText{Text: strings.Repeat("# long\n", 1<<18)})
	require.NoError(t, err)
	assert.Contains(t, []int{200, 400, 413}, res.StatusCode)
	// Deep JSON is no better.
	for _, body := range []string{strings.Repeat("[", 100_000), `{"text": ` + strings.Repeat(`{"a":`, 50_000)} {
		res, err := rea.CheckRulebookWithBody(ctx, "application/json", strings.NewReader(body))
		require.NoError(t, err)
		assert.Equal(t, 400, res.StatusCode)
	}
	assert.Equal(t, "1999.9999", s.revenue("2026-10"), "it is still there")
}

// Publishing, loading and sweeping on two services at once: all of it ends, and
// no sweep is older than what it was asked after.
func TestTwoServicesAtOnce(t *testing.T) {
	t.Parallel()
	s := small(t)
	other := s.beside(t)
	var wait sync.WaitGroup
	at := func(work func(s *service, i int)) {
		for _, on := range []*service{s, other} {
			wait.Go(func() {
				for i := range 6 {
					work(on, i)
				}
			})
		}
	}
	busy := func(r *http.Response, err error) {
		if assert.NoError(t, err) {
			r.Body.Close()
			assert.Less(t, r.StatusCode, 500)
		}
	}
	ana := map[*service]*client.Client{s: s.as("ana"), other: other.as("ana")}
	at(func(on *service, i int) {
		value := []string{"20%", "24%", "26%"}[i%3]
		busy(ana[on].ChangeDial(ctx, "floor", client.DialChange{Value: value, Note: "t", BasedOn: want[client.Rulebook](t, 200)(ana[on].GetRulebook(ctx)).Revision}))
	})
	at(func(on *service, i int) {
		file := "f.csv"
		busy(ana[on].CreateIntakeWithBody(ctx, &client.CreateIntakeParams{Into: "feed", Name: "sales", File: &file, AllowDuplicates: ptr(true)}, "text/csv",
			strings.NewReader(salesHead+"2026-10-1"+string(rune('0'+i))+",X"+on.url[len(on.url)-5:]+",R1,10,5\n")))
	})
	at(func(on *service, _ int) {
		busy(ana[on].CreateSweep(ctx, client.NewSweep{Period: "2026-10"}))
	})
	wait.Wait()
	last := s.sweep("2026-10")
	sweeps := want[[]client.Sweep](t, 200)(other.as("ana").ListSweeps(ctx, &client.ListSweepsParams{}))
	for i := 1; i < len(sweeps); i++ { // the newest first
		assert.GreaterOrEqual(t, sweeps[i-1].DataVersion, sweeps[i].DataVersion)
		assert.GreaterOrEqual(t, sweeps[i-1].Revision, sweeps[i].Revision)
	}
	assert.Equal(t, "2119.9999", other.revenue("2026-10"))
	assert.Equal(t, other.sweep("2026-10").DataVersion, last.DataVersion)
	assert.Len(t, s.exceptions("2026-10"), len(other.exceptions("2026-10")))
}
