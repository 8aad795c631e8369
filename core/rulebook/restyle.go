package rulebook

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strings"
)

var trailingComment = regexp.MustCompile(`\}(\s+#.*)$`)

// Restyle writes other looks of the grade that they name into the text of a
// book: label, tone, shape and, unless empty, what of a cell it colours. It leaves everything
// else as it stands, comments too. Rules name grades, so that it holds wherever the grade is given.
func Restyle(text string, looks Grade, methods Methods) (string, error) {
	name, label, tone, shape := looks.Name, looks.Label, looks.Tone, looks.Shape
	book, problems := Read([]byte(text), methods)
	if len(problems) > 0 {
		return "", fmt.Errorf("the rulebook has problems of its own: %s", problems[0])
	}
	i := slices.IndexFunc(book.Grades, func(g Grade) bool { return g.Name == name })
	switch {
	case i < 0:
		return "", fmt.Errorf("there is no grade %q%s", name, suggest(name, gradeNames(book)))
	case !slices.Contains(Tones, tone):
		return "", fmt.Errorf("there is no tone %q: expected one of %s", tone, strings.Join(Tones, ", "))
	case !slices.Contains(Shapes, shape):
		return "", fmt.Errorf("there is no shape %q: expected one of %s", shape, strings.Join(Shapes, ", "))
	case looks.Cell != "" && !slices.Contains(CellLooks, looks.Cell):
		return "", fmt.Errorf("a cell has no %q to colour: expected one of %s", looks.Cell, strings.Join(CellLooks, ", "))
	}
	for k, g := range book.Grades {
		switch {
		case k != i && g.Tone == tone && g.Shape == shape:
			return "", fmt.Errorf("the grade %s already has this mark: %s %s", g.Name, tone, shape)
		case k != i && g.Label == label:
			return "", fmt.Errorf("the grade %s is already labelled %q", g.Name, label)
		}
	}
	lines := strings.SplitAfter(text, "\n")
	from, to := itemLines(lines, len(book.Grades), i, func(i int) Position { return book.Grades[i].At })
	if !strings.HasPrefix(strings.TrimSpace(lines[from]), "-") {
		return "", fmt.Errorf("the grades are not written one below the other; edit the text instead")
	}
	comment := ""
	if m := trailingComment.FindStringSubmatch(strings.TrimRight(lines[from], "\r\n")); m != nil && to == from+1 {
		comment = m[1]
	}
	cell := cmp.Or(looks.Cell, book.Grades[i].Cell)
	if cell == CellLooks[0] {
		cell = ""
	}
	item := indentOf(lines[from]) + "- " + flow("name", name, "label", label, "tone", tone, "shape", shape, "cell", cell)
	if book.Grades[i].Good {
		item = strings.TrimSuffix(item, "}") + ", good: true}"
	}
	item += comment + "\n"
	out := strings.Join(slices.Concat(lines[:from], []string{item}, lines[to:]), "")
	after, problems := Read([]byte(out), methods)
	if len(problems) > 0 {
		return "", fmt.Errorf("%s", problems[0].Text)
	}
	if g := after.Grade(name); g == nil || len(Difference(book, after)) > 1 {
		return "", fmt.Errorf("the grade %q could not be written in its place", name)
	}
	return out, nil
}
