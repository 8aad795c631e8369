package intake

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"

	"oskel/core/lang"
)

// Fault is one thing wrong with a file.
type Fault struct {
	Line   int    // of the file, from 1; 0 is the file as a whole
	Column string // its name
	Value  string
	Text   string // what was expected
}

// Refusal says why a file was not loaded: the first faults, and how many
// there are.
type Refusal struct {
	File   string
	Count  int
	Faults []Fault
	Cut    bool // reading stopped before the end, so there may be more
}

func (r *Refusal) Error() string {
	if r.Count == 1 {
		return r.File + " was not loaded: 1 fault"
	}
	return fmt.Sprintf("%s was not loaded: %d faults", r.File, r.Count)
}

// How many faults are listed, and after how many a file is read no further.
const (
	shownFaults = 20
	mostFaults  = 100
)

func (r *Refusal) add(f Fault) {
	r.Count++
	if len(r.Faults) < shownFaults {
		if len(f.Value) > 80 {
			f.Value = strings.ToValidUTF8(f.Value[:80], "?") + "…"
		}
		r.Faults = append(r.Faults, f)
	}
}

// table reads a CSV file (RFC 4180; Windows line ends and a byte-order mark
// are fine) row by row, by the names in its header.
type table struct {
	csv     *csv.Reader
	guard   *guard
	refusal *Refusal
	header  []string
	place   map[string]int
	row     []string
	line    int
	asked   []asked
	guess   int // where in asked to look first
}

// openTable reads the header and checks it. Each of the required columns must
// be there, and no other but the optional ones.
func openTable(file string, in io.Reader, required, optional []string) *table {
	g := &guard{in: bufio.NewReaderSize(in, 1<<16)}
	t := &table{csv: csv.NewReader(g), guard: g, refusal: &Refusal{File: file}, place: map[string]int{}}
	t.csv.ReuseRecord = true
	t.csv.FieldsPerRecord = -1
	if mark, _ := g.in.Peek(3); bytes.Equal(mark, []byte("\xef\xbb\xbf")) {
		g.in.Discard(3) //nolint:errcheck // they were just seen
	}
	first, err := t.csv.Read()
	switch {
	case errors.Is(err, io.EOF):
		t.refusal.add(Fault{Text: "the file is empty; expected a header with the columns " + strings.Join(required, ", ")})
		t.refusal.Cut = true
		return t
	case err != nil:
		t.unreadable(err)
		return t
	}
	known := append(append([]string(nil), required...), optional...)
	if separator := separatedBy(first); separator != "" {
		t.refusal.add(Fault{Line: 1, Text: "the columns seem to be separated by " + separator + ", expected commas"})
		t.refusal.Cut = true
		return t
	}
	for i, name := range first {
		name = strings.TrimSpace(name)
		t.header = append(t.header, name)
		switch _, twice := t.place[name]; {
		case twice:
			t.refusal.add(Fault{Line: 1, Column: name, Text: "the column is there twice"})
		case !slices.Contains(known, name):
			t.refusal.add(Fault{Line: 1, Column: name, Text: "not a known column here" + lang.Suggestion(name, known)})
		}
		t.place[name] = i
	}
	for _, name := range required {
		if _, ok := t.place[name]; !ok {
			t.refusal.add(Fault{Line: 1, Column: name, Text: "the header lacks this column"})
		}
	}
	if t.refusal.Count > 0 {
		t.refusal.Cut = true
	}
	return t
}

// separatedBy says by what the columns of a header are separated that has none by commas.
func separatedBy(header []string) string {
	switch {
	case len(header) == 1 && strings.Contains(header[0], ";"):
		return "semicolons"
	case len(header) == 1 && strings.Contains(header[0], "\t"):
		return "tabs"
	}
	return ""
}

func (t *table) unreadable(err error) {
	t.refusal.Cut = true
	line, text := t.line+1, err.Error()
	var parse *csv.ParseError
	if errors.As(err, &parse) {
		line, text = parse.Line, parse.Err.Error()
		switch {
		case errors.Is(parse.Err, csv.ErrQuote):
			line, text = parse.StartLine, "a quotation mark that begins here is not closed, or text follows it"
		case errors.Is(parse.Err, csv.ErrBareQuote):
			text = "a quotation mark inside a value that is not quoted; double it and quote the value"
		}
	}
	if t.guard.err != nil {
		line, text = t.guard.line+1, t.guard.err.Error()
		if t.guard.record > longestLine {
			line = t.line + 1 // where it begins
		}
	}
	t.refusal.add(Fault{Line: line, Text: text})
}

// next reads one row; false is the end, or a file that cannot be read on.
func (t *table) next() bool {
	for {
		if t.refusal.Count >= mostFaults {
			t.refusal.Cut = true // a file with so many is another file
		}
		if t.refusal.Cut {
			return false
		}
		t.guard.record = 0
		row, err := t.csv.Read()
		if errors.Is(err, io.EOF) {
			return false
		}
		if err != nil {
			t.unreadable(err)
			return false
		}
		t.line, _ = t.csv.FieldPos(0)
		if len(row) != len(t.header) {
			t.refusal.add(Fault{Line: t.line, Text: fmt.Sprintf("%d values, and the header has %d columns", len(row), len(t.header))})
			continue
		}
		t.row, t.guess = row, 0
		return true
	}
}

// get is the value of a column, "" where the file does not have it. Columns
// are asked for in the same order row after row, so the next one is guessed.
func (t *table) get(column string) string {
	for i := t.guess; i < len(t.asked); i++ {
		if t.asked[i].column == column {
			t.guess = i
			if at := t.asked[i].at; at >= 0 {
				return t.row[at]
			}
			return ""
		}
	}
	at, ok := t.place[column]
	if !ok {
		at = -1
	}
	known := false
	for _, a := range t.asked {
		known = known || a.column == column
	}
	if !known {
		t.asked = append(t.asked, asked{column, at})
	}
	if at < 0 {
		return ""
	}
	return t.row[at]
}

// asked remembers where a column stands, so that its name is looked up once a file.
type asked struct {
	column string
	at     int
}

func (t *table) fault(column, text string, args ...any) {
	t.refusal.add(Fault{Line: t.line, Column: column, Value: t.get(column), Text: fmt.Sprintf(text, args...)})
}

// text is a value that must be readable text on one line.
func (t *table) text(column string) string { return t.readable(column, "") }

// note is text that may go over several lines.
func (t *table) note(column string) string { return t.readable(column, "\n\r\t") }

func (t *table) readable(column, besides string) string {
	s := strings.TrimSpace(t.get(column))
	if !utf8.ValidString(s) {
		t.fault(column, "expected text in UTF-8")
		return ""
	}
	for i := range len(s) { // in UTF-8 these bytes stand for themselves alone
		if c := s[i]; (c < ' ' || c == 0x7f) && strings.IndexByte(besides, c) < 0 {
			t.fault(column, "expected text without control characters; it holds %q", c)
			return ""
		}
	}
	return s
}

// longestLine bounds a line, so that a file without line ends does not fill
// the memory.
const longestLine = 1 << 20

// guard passes bytes on while they can be a CSV file.
type guard struct {
	in    *bufio.Reader
	line  int // complete lines so far
	width int // bytes of the line at hand

	record int // bytes since the last row was read
	err    error
}

func (g *guard) Read(p []byte) (int, error) {
	if g.err != nil {
		return 0, g.err
	}
	n, err := g.in.Read(p)
	seen := p[:n]
	if g.record += n; g.record > longestLine+len(p) {
		g.err = fmt.Errorf("a row of more than %d bytes over several lines; is a quotation mark not closed?", longestLine)
		return 0, g.err
	}
	if bytes.IndexByte(seen, 0) >= 0 {
		g.err = errors.New("this is a binary file; expected CSV text")
		return 0, g.err
	}
	for len(seen) > 0 {
		end := bytes.IndexByte(seen, '\n')
		if end < 0 {
			g.width += len(seen)
			break
		}
		g.line++
		g.width = 0
		seen = seen[end+1:]
	}
	if g.width > longestLine {
		g.err = fmt.Errorf("a line of more than %d bytes; expected rows of CSV", longestLine)
		return 0, g.err
	}
	return n, err
}
