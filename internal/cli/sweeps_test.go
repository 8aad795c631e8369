package cli

import (
	"bytes"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

// Beside a rule stands what one must know of it: that it marks too many, or why it judged
// nobody; where somebody was judged, or had no data, the counts say it.
func TestNotesOfASweep(t *testing.T) {
	var out bytes.Buffer
	why := map[string]int{"few": 3, "no spread among the peers": 40, "below the minimum": 40}
	require.NoError(t, showSweep(&env{out: &out, err: io.Discard, format: "csv"}, client.Sweep{Tallies: []client.Tally{
		{Rule: "nobody", NotJudged: why},
		{Rule: "some", NotJudged: why, Judged: 1, Clear: 1},
		{Rule: "missing", NotJudged: why, NoData: 1},
		{Rule: "many", NotJudged: why, Judged: 40, Flagged: 30, Crowded: true},
		{Rule: "none"},
	}}))
	var notes []string
	for _, line := range strings.Split(strings.TrimSpace(out.String()), "\n")[1:] {
		notes = append(notes, line[:strings.Index(line, ",")]+": "+line[strings.LastIndex(line, ",")+1:])
	}
	assert.Equal(t, []string{"nobody: no subject is judged: below the minimum", "some: ", "missing: ",
		"many: flags too many to be useful; mark the rarer side", "none: "}, notes)
}
