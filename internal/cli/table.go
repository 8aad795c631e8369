package cli

import (
	"cmp"
	"encoding/json"
	"fmt"
	"io"
	"path/filepath"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"oskel/core/rulebook"
	"oskel/internal/sheet"
)

// column is one column of a table.
type column struct {
	head  string
	right bool // numbers
	wrap  bool // takes what room is left, over several lines
}

// show writes a list in the format asked for: the value itself as JSON, or
// rows as a table or CSV.
func (e *env) show(value any, columns []column, rows [][]string) error {
	order, err := e.order(columns, rows)
	if err != nil {
		return err
	}
	sorted := make([][]string, len(rows))
	for i, from := range order {
		sorted[i] = rows[from]
	}
	if e.file != "" {
		if err := writeFile(e.file, func(out io.Writer) error {
			if filepath.Ext(e.file) == ".json" {
				return writeJSON(out, ordered(value, order))
			}
			return machine(columns, sorted).Write(out, e.file)
		}); err != nil {
			return fmt.Errorf("writing %s: %w", e.file, err)
		}
		e.printf("Wrote %s to %s.\n", counted(len(rows), "row"), e.file)
		return nil
	}
	switch e.format {
	case "json":
		return writeJSON(e.out, ordered(value, order))
	case "csv":
		return machine(columns, sorted).CSV(e.out)
	}
	e.table(columns, sorted)
	return nil
}

func writeJSON(out io.Writer, value any) error {
	w := json.NewEncoder(out)
	w.SetIndent("", "  ")
	w.SetEscapeHTML(false)
	return w.Encode(value)
}

// machine is a list for other programs: figures without signs for people.
func machine(columns []column, rows [][]string) sheet.Sheet {
	var out sheet.Sheet
	for _, c := range columns {
		kind := sheet.Text
		if c.right {
			kind = sheet.Number
		}
		out.Columns = append(out.Columns, sheet.Column{Name: columnName(c), Kind: kind})
	}
	for _, row := range rows {
		cells := make([]string, len(row))
		for i, text := range row {
			if cells[i] = plainText(text); columns[i].right {
				if n := strings.ReplaceAll(cells[i], ",", ""); isNumber(n) {
					cells[i] = n
				}
			}
		}
		out.Rows = append(out.Rows, cells)
	}
	return out
}

func columnName(c column) string { return strings.ReplaceAll(strings.ToLower(c.head), " ", "_") }

func isNumber(s string) bool {
	_, err := strconv.ParseFloat(s, 64)
	return err == nil
}

// order is the rows in the order asked for, by their places.
func (e *env) order(columns []column, rows [][]string) ([]int, error) {
	order := make([]int, len(rows))
	for i := range order {
		order[i] = i
	}
	if e.sort == "" {
		return order, nil
	}
	at := slices.IndexFunc(columns, func(c column) bool {
		return strings.EqualFold(c.head, e.sort) || columnName(c) == strings.ToLower(e.sort)
	})
	if at < 0 {
		var known []string
		for _, c := range columns {
			known = append(known, columnName(c))
		}
		return nil, usagef("there is no column %q to sort by; there are %s", e.sort, strings.Join(known, ", "))
	}
	slices.SortStableFunc(order, func(a, b int) int {
		x, y := plainText(rows[a][at]), plainText(rows[b][at])
		by := strings.Compare(x, y)
		if columns[at].right {
			p, errP := strconv.ParseFloat(strings.NewReplacer(",", "", "%", "").Replace(x), 64)
			q, errQ := strconv.ParseFloat(strings.NewReplacer(",", "", "%", "").Replace(y), 64)
			switch {
			case errP == nil && errQ == nil:
				by = cmp.Compare(p, q)
			case errP == nil:
				return -1 // what is no number comes last either way
			case errQ == nil:
				return 1
			}
		}
		if e.down {
			return -by
		}
		return by
	})
	return order, nil
}

// ordered puts a list in an order; one of another length stays as it is. No
// list is written as an empty one.
func ordered(value any, order []int) any {
	v := reflect.ValueOf(value)
	if v.Kind() != reflect.Slice {
		return value
	}
	out := reflect.MakeSlice(v.Type(), v.Len(), v.Len())
	for i := range v.Len() {
		from := i
		if v.Len() == len(order) {
			from = order[i]
		}
		out.Index(i).Set(v.Index(from))
	}
	return out.Interface()
}

const gap = "  "

// onOneLine keeps a note of several lines within its row.
var onOneLine = strings.NewReplacer("\r\n", " ", "\n", " ", "\t", " ", "\r", " ")

// table aligns columns; the one that wraps takes the width that is left on a
// terminal.
func (e *env) table(columns []column, rows [][]string) {
	widths := make([]int, len(columns))
	wrapAt, fixed := -1, 0
	for i, c := range columns {
		widths[i] = utf8.RuneCountInString(c.head)
		for _, r := range rows {
			widths[i] = max(widths[i], utf8.RuneCountInString(plainText(r[i])))
		}
		if c.wrap {
			wrapAt = i
		} else {
			fixed += widths[i] + len(gap)
		}
	}
	if wrapAt >= 0 && e.width > 0 {
		widths[wrapAt] = min(widths[wrapAt], max(24, e.width-fixed))
	}
	line := func(cells []string) {
		var b strings.Builder
		for i, c := range cells {
			pad := strings.Repeat(" ", max(0, widths[i]-utf8.RuneCountInString(plainText(c))))
			if columns[i].right {
				b.WriteString(pad + c)
			} else {
				b.WriteString(c + pad)
			}
			b.WriteString(gap)
		}
		fmt.Fprintln(e.out, strings.TrimRight(b.String(), " "))
	}
	head := make([]string, len(columns))
	for i, c := range columns {
		head[i] = strings.ToUpper(c.head)
	}
	line(head)
	for _, r := range rows {
		cells := make([]string, len(r))
		for i, c := range r {
			cells[i] = onOneLine.Replace(c)
		}
		var more []string
		if wrapAt >= 0 {
			parts := wrapText(cells[wrapAt], widths[wrapAt])
			cells[wrapAt], more = parts[0], parts[1:]
		}
		line(cells)
		for _, m := range more {
			rest := make([]string, len(columns))
			rest[wrapAt] = m
			line(rest)
		}
	}
}

// room is the width for running text that is indented: the terminal's, or 80.
func (e *env) room(indent int) int {
	if e.width == 0 {
		return 80 - indent
	}
	return max(40, min(e.width, 110)-indent)
}

func wrapText(s string, width int) []string {
	var out []string
	line := ""
	for _, word := range strings.Fields(s) {
		if line != "" && utf8.RuneCountInString(line)+1+utf8.RuneCountInString(word) > width {
			out = append(out, line)
			line = ""
		}
		if line != "" {
			line += " "
		}
		line += word
	}
	return append(out, line)
}

// The tones of marks on a terminal.
var tones = map[string]string{"red": "31", "amber": "33", "green": "32", "blue": "34", "violet": "35", "grey": "90"}

func (e *env) mark(shape, tone, label string) string {
	text := rulebook.Glyphs[shape] + " " + label
	if e.format != "table" || !e.colour || tones[tone] == "" {
		if e.format != "table" {
			return label
		}
		return text
	}
	return "\x1b[" + tones[tone] + "m" + text + "\x1b[0m"
}

func (e *env) dim(text string) string {
	if !e.colour || e.format != "table" {
		return text
	}
	return "\x1b[2m" + text + "\x1b[0m"
}

func (e *env) bold(text string) string {
	if !e.colour {
		return text
	}
	return "\x1b[1m" + text + "\x1b[0m"
}

// plainText is a cell without its colours, for measuring.
func plainText(s string) string {
	for {
		start := strings.IndexByte(s, '\x1b')
		if start < 0 {
			return s
		}
		end := strings.IndexByte(s[start:], 'm')
		if end < 0 {
			return s
		}
		s = s[:start] + s[start+end+1:]
	}
}
