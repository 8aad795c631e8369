package intake

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Whatever stands in the cells comes back, by the names of the columns, in
// whatever order they are asked for; faults name the line they stand on.
func TestTableReadsWhatWasWritten(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		columns := rapid.Permutation([]string{"day", "rep", "net", "note"}).Draw(t, "columns")
		cell := rapid.StringOfN(rapid.RuneFrom([]rune("ab1 ,;\"'ä\n—")), 0, 6, -1)
		rows := rapid.SliceOfN(rapid.SliceOfN(cell, 4, 4), 1, 6).Draw(t, "rows")
		var file bytes.Buffer
		if rapid.Bool().Draw(t, "mark") {
			file.WriteString("\xef\xbb\xbf")
		}
		w := csv.NewWriter(&file)
		w.UseCRLF = rapid.Bool().Draw(t, "windows")
		require.NoError(t, w.WriteAll(append([][]string{columns}, rows...)))
		read := openTable("f.csv", &file, []string{"net", "day"}, []string{"rep", "note", "other"})
		line := 2
		for _, row := range rows {
			require.True(t, read.next(), "%v", read.refusal.Faults)
			require.Equal(t, line, read.line)
			for range 2 {
				for _, k := range rapid.Permutation([]int{0, 1, 2, 3}).Draw(t, "asked") {
					require.Equal(t, row[k], read.get(columns[k]))
				}
				require.Empty(t, read.get("other"), "a column the file does not have")
			}
			line += 1 + strings.Count(strings.Join(row, ""), "\n")
		}
		require.False(t, read.next())
		require.Zero(t, read.refusal.Count)
	})
}

func TestFaultsAreShownShortAndCounted(t *testing.T) {
	var file strings.Builder
	file.WriteString("net\n")
	for range 30 {
		fmt.Fprintln(&file, strings.Repeat("ä", 500))
	}
	read := openTable("f.csv", strings.NewReader(file.String()), []string{"net"}, nil)
	for read.next() {
		read.number("net")
	}
	assert.Equal(t, "f.csv was not loaded: 30 faults", read.refusal.Error())
	require.Len(t, read.refusal.Faults, shownFaults)
	last := read.refusal.Faults[shownFaults-1]
	assert.Equal(t, shownFaults+1, last.Line)
	assert.Equal(t, strings.Repeat("ä", 40)+"…", last.Value)
}

// Any bytes at all are read to an end or refused with a place in the file.
func FuzzTable(f *testing.F) {
	for _, seed := range []string{"a,b\n1,2\n", "\xef\xbb\xbfa,b\r\n\"1\r\n\",2", "a,b\n\"x", "a;b\n1;2", "a,a\n", "\x00", "", "\"", "a,b\n1\n1,2,3\n\xff,\n"} {
		f.Add([]byte(seed))
	}
	f.Fuzz(func(t *testing.T, body []byte) {
		read := openTable("f.csv", bytes.NewReader(body), []string{"a"}, []string{"b"})
		rows, lines := 0, bytes.Count(body, []byte("\n"))+1
		for read.next() {
			rows++
			read.text("a")
			read.number("b")
			read.day("a", false)
		}
		if read.refusal.Count == 0 && len(read.header) == 0 {
			t.Fatal("neither a header nor a fault")
		}
		if rows >= lines {
			t.Fatalf("%d rows in %d lines", rows, lines)
		}
		for _, fault := range read.refusal.Faults {
			if fault.Line < 0 || fault.Line > lines+1 || fault.Text == "" {
				t.Fatalf("%+v of a file of %d lines", fault, lines)
			}
		}
	})
}
