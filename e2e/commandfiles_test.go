package e2e

import (
	"encoding/csv"
	"encoding/json"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

// The command line's files of reports are the service's own, nothing in them is rounded or
// drawn, and the grid is a file too.
func TestFilesOfTheCommandLine(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	code, _, errs := s.oskel("rob", "case", "settle", "-finding", "confirmed", itoa(s.caseOf("rob", "R2").Id))
	require.Equal(t, 0, code, errs)
	write := func(name string, args ...string) string {
		file := filepath.Join(t.TempDir(), name)
		code, _, errs := s.oskel("lea", append(args, "-o", file)...)
		require.Equal(t, 0, code, errs)
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		return string(text)
	}
	for _, report := range []client.ExportReportParamsReport{"outcomes", "backlog"} {
		r, err := s.as("lea").ExportReport(ctx, &client.ExportReportParams{Report: report, Form: "csv"})
		require.NoError(t, err)
		own, err := io.ReadAll(r.Body)
		require.NoError(t, err)
		assert.Equal(t, string(own), write("r.csv", "report", string(report)))
		_, printed, _ := s.oskel("lea", "report", string(report), "-format", "csv")
		assert.Equal(t, string(own), printed)
	}
	assert.Contains(t, write("f.csv", "report", "outcomes"), "thin-margin,Thin margin,1,1,0,0,0,0,1.0000,")
	for _, list := range [][]string{{"exceptions", "-period", "2026-10"}, {"cases", "-all"}, {"report", "outcomes"}, {"report", "backlog"},
		{"exceptions", "grid", "-period", "2026-10"}, {"sweep", "list"}} {
		text := write("x.json", list...)
		assert.True(t, json.Valid([]byte(text)), "%s: %.60s", list[0], text)
	}
	cases := write("c.csv", "cases", "-all")
	assert.Contains(t, cases, ",Look,", "without its mark")
	assert.NotContains(t, cases, "▲")

	rows, err := csv.NewReader(strings.NewReader(write("g.csv", "grid", "-period", "2026-10"))).ReadAll()
	require.NoError(t, err)
	assert.Equal(t, []string{"kind", "key", "name"}, rows[0][:3])
	last := len(rows[0])
	assert.Equal(t, []string{"2026-10", "2026-10 flags"}, rows[0][last-2:])
	assert.Equal(t, []string{"rep", "R2", "Bera Made-Up", "", "", "act", "2"}, append(append([]string{}, rows[1][:3]...), rows[1][last-4:]...),
		"September was not swept: nobody knows")
	p := refused(t, 400, "invalid-request")(s.as("lea").ExportReport(ctx, &client.ExportReportParams{Report: "grid", Form: "csv"}))
	assert.Contains(t, *p.Detail, "expected the last period of the grid")
}
