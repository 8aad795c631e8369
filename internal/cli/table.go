package cli

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"strings"
	"unicode/utf8"
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
	switch e.format {
	case "json":
		w := json.NewEncoder(e.out)
		w.SetIndent("", "  ")
		w.SetEscapeHTML(false)
		return w.Encode(value)
	case "csv":
		w := csv.NewWriter(e.out)
		head := make([]string, len(columns))
		for i, c := range columns {
			head[i] = strings.ReplaceAll(strings.ToLower(c.head), " ", "_")
		}
		w.Write(head)    //nolint:errcheck // Error tells
		w.WriteAll(rows) //nolint:errcheck // Error tells
		return w.Error()
	}
	e.table(columns, rows)
	return nil
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

// The marks of grades and verdicts; on a terminal with their colour.
var shapes = map[string]string{"diamond": "◆", "triangle": "▲", "circle": "●", "square": "■", "cross": "✕"}

var tones = map[string]string{"red": "31", "amber": "33", "blue": "34", "violet": "35", "grey": "90"}

func (e *env) mark(shape, tone, label string) string {
	text := shapes[shape] + " " + label
	if e.format != "table" || !e.colour || tones[tone] == "" {
		if e.format != "table" {
			return label
		}
		return text
	}
	return "\x1b[" + tones[tone] + "m" + text + "\x1b[0m"
}

func (e *env) quiet(text string) string {
	if !e.colour || e.format != "table" {
		return text
	}
	return "\x1b[2m" + text + "\x1b[0m"
}

func (e *env) strong(text string) string {
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
