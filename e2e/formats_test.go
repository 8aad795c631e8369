package e2e

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/cli"
)

// Every command that shows something shows it to people and to machines: JSON
// that is JSON, CSV whose rows are as wide as its head and as many as the list,
// and no word of a message among them.
func TestEveryListingInEveryFormat(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	exception := s.exceptions("2026-10")["thin-margin R-17"]
	id, opened := strconv.FormatInt(exception.Id, 10), strconv.FormatInt(*exception.Case, 10)
	shown := map[string]bool{}
	for _, c := range []struct {
		args []string
		list string // what holds the list in JSON, "." for all of it
		see  string // in the table
	}{
		{[]string{"person", "list"}, ".", "ines"},
		{[]string{"intake", "list"}, ".", "sales"},
		{[]string{"rules"}, ".", "thin-margin"},
		{[]string{"rulebook", "measures"}, ".", "margin_rate"},
		{[]string{"dial", "list"}, ".", "margin_floor"},
		{[]string{"grade", "list"}, ".", "half pennant"},
		{[]string{"rulebook", "revisions"}, ".", "REVISION"},
		{[]string{"rulebook", "uses", "margin_floor"}, ".", "rule thin-margin"},
		{[]string{"period", "calendar", "2026"}, "periods", "Spring fair 2026"},
		{[]string{"register", "rep"}, "rows", "Halyardin"},
		{[]string{"register", "rep", "R-17"}, ".", "Halyardin"},
		{[]string{"targets", "rep"}, "rows", "R-17"},
		{[]string{"table", "-by", "rep.territory", "-period", "2026-10", "-periods", "3", "revenue"}, "rows", "Skerry Coast"},
		{[]string{"table", "-by", "rep", "-period", "2026-10", "-text", "nobody", "revenue"}, "rows", "Total"},
		{[]string{"breakdown", "-by", "rep", "-key", "R-17", "-period", "2026-10", "revenue"}, "lines", "13,612"},
		{[]string{"exceptions", "-period", "2026-10"}, ".", "thin-margin"},
		{[]string{"exceptions", "-state", "all", "-rule", "thin-margin", "-period", "2026-10"}, ".", "R-17"},
		{[]string{"exceptions", "-top", "2", "-period", "2026-10"}, ".", "GRADE"},
		{[]string{"show", id}, "rows", "Evidence"},
		{[]string{"cases", "-all"}, ".", "DUE"},
		{[]string{"case", opened}, "", "Margin under the floor"},
		{[]string{"sweep", "-period", "2026-10"}, "tallies", "behind-target"},
		{[]string{"token", "list"}, "", "ID"},
		{[]string{"rulebook", "methods"}, ".", "burst"},
		{[]string{"sweep", "list"}, ".", "SWEEP"},
		{[]string{"service", "check"}, ".", "CHECK"},
		{[]string{"absence", "list"}, ".", "STAND-IN"},
		{[]string{"report", "outcomes"}, ".", "PRECISION"},
		{[]string{"report", "backlog", "-by", "person"}, ".", "UNSEEN"},
		{[]string{"report", "suggestions", "-period", "2026-10", "thin-margin"}, "suggestions", "SPARED"},
		{[]string{"todo", "list", "-all"}, ".", "DUE"},
		{[]string{"notifications", "-all", "-keep-unread"}, ".", "ABOUT"},
		{[]string{"data-issue", "list", "-all"}, ".", "FEEDS"},
		{[]string{"case", "snoozes"}, ".", "UNTIL"},
		{[]string{"period", "schedule"}, "", "2026-11"},
		{[]string{"view", "list"}, ".", "NAME"},
		{[]string{"tables"}, ".", "NUMBER"},
		{[]string{"board", "list"}, ".", "NUMBER"},
		{[]string{"exceptions", "grid", "-period", "2026-10"}, "rows", "Halyardin"},
		{[]string{"exceptions", "grid", "-period", "2026-10", "-text", "nobody at all"}, "rows", "KEY"},
		{[]string{"exceptions", "trend", "-period", "2026-10", "-by", "kind"}, "", "standing"},
		{[]string{"variance", "-parts", "product.category", id}, "", "All"},
		{[]string{"variance", "-measure", "revenue", "-period", "2026-10", "-parts", "rep.territory"}, "parts", "Skerry Coast"},
		{[]string{"exceptions", "-group", "desk", "-period", "2026-10"}, ".", "R-17"},
		{[]string{"rehearse", "-period", "2026-10"}, "rules", "PUBLISHED"},
		{[]string{"rehearse", "-period", "2026-10", "-routes"}, "desks", "OPEN NOW"},
		{[]string{"rehearse", "-period", "2026-10", "-rule", "thin-margin"}, "flagged", "Nearest to the cut"},
		{[]string{"rehearse", "-period", "2026-10", "-solve", "margin_floor", "-about", "5"}, "tried", "nearest"},
	} {
		name := strings.Join(c.args, " ")
		shown[c.args[0]], shown[strings.Join(c.args[:min(2, len(c.args))], " ")] = true, true
		person := "ines"
		if c.args[0] == "service" {
			person = "tor"
		}
		run := func(format string) string {
			code, out, errs := s.oskel(person, append(c.args, "-format", format)...)
			require.Equal(t, 0, code, "%s as %s: %s", name, format, errs)
			assert.NotContains(t, out+errs, "%!", name)
			return out
		}
		assert.Contains(t, run("table"), c.see, name)
		var all any
		require.NoError(t, json.Unmarshal([]byte(run("json")), &all), name)
		rows, err := csv.NewReader(strings.NewReader(run("csv"))).ReadAll()
		require.NoError(t, err, name)
		require.NotEmpty(t, rows, name)
		for _, head := range rows[0] {
			assert.NotEmpty(t, head, name)
		}
		if c.list == "" {
			continue
		}
		list := all
		if c.list != "." {
			list = all.(map[string]any)[c.list]
		}
		if list == nil {
			list = []any{}
		}
		assert.Len(t, list, len(rows)-1, name)
	}
	named := map[string]bool{}
	for _, topic := range []string{"start", "data", "figures", "writing", "sweeping", "results", "review", "reporting", "accounts", "running"} {
		var help bytes.Buffer
		require.Zero(t, cli.Main(ctx, []string{"help", topic}, nil, &help, &help))
		for _, m := range regexp.MustCompile(`(?m)^  ([a-z-]+(?: [a-z-]+)?)  `).FindAllStringSubmatch(help.String(), -1) {
			assert.False(t, named[m[1]], "two commands are named %s", m[1])
			named[m[1]] = true
			if _, one, _ := s.oskel("", append(strings.Fields(m[1]), "-h")...); strings.Contains(one, "the column to sort by") {
				assert.True(t, shown[m[1]], "%s lists something, and is not looked at here", m[1])
			}
		}
	}
	assert.Greater(t, len(named), 60)
}

// A file is written whole, or what was there stays.
func TestAFileThatCannotBeWritten(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	dir := t.TempDir()
	before := filepath.Join(dir, "t.csv")
	require.NoError(t, os.WriteFile(before, []byte("as it was\n"), 0o600))
	code, _, errs := s.oskel("ines", "table", "-period", "2026-10", "-o", before, "revenu")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "did you mean revenue?")
	code, _, errs = s.oskel("ines", "table", "-period", "2026-10", "-o", filepath.Join(dir, "none", "t.csv"), "revenue")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "t.csv")
	text, err := os.ReadFile(before)
	require.NoError(t, err)
	assert.Equal(t, "as it was\n", string(text))
	code, _, errs = s.oskel("ines", "table", "-period", "2026-10", "-o", before, "revenue")
	assert.Equal(t, 0, code, errs)
	text, err = os.ReadFile(before)
	require.NoError(t, err)
	assert.Equal(t, "key,name,revenue 2026-10\nall,Total,1313485.79\n", string(text))
	left, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, left, 1, "nothing else is left")
}
