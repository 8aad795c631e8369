package cli

import (
	"context"
	"fmt"
	"strings"

	"oskel/internal/client"
)

func showException(ctx context.Context, e *env, d client.ExceptionDetail) error {
	if e.format != "table" {
		var rows [][]string
		for _, r := range d.Rows {
			rows = append(rows, []string{r.Label, r.Text})
		}
		return e.show(d, []column{{head: "label"}, {head: "text"}}, rows)
	}
	mark, err := marks(ctx, e)
	if err != nil {
		return err
	}
	x := d.Exception
	grade := mark(x.Grade)
	if x.State == "cleared" {
		grade = "cleared"
	}
	fmt.Fprintf(e.out, "%s  %s (%s %s), %s\n\n", grade, e.bold(x.Name), x.Kind, x.Key, d.Label)
	for _, line := range wrapText(x.Sentence, e.room(0)) {
		fmt.Fprintln(e.out, line)
	}
	fmt.Fprintf(e.out, "\n%s: %s, %s\n", e.dim("Rule"), x.RuleTitle, x.State)
	if d.Words != "" {
		for _, line := range wrapText(d.Words, e.room(2)) {
			fmt.Fprintln(e.out, "  "+line)
		}
	}
	fmt.Fprintln(e.out, "\n"+e.dim("Evidence"))
	var rows [][]string
	for _, r := range d.Rows {
		rows = append(rows, []string{"  " + r.Label, r.Text})
	}
	e.pairs(rows)
	if len(d.History.Points) > 0 { // none of what is gone
		fmt.Fprintln(e.out, "\n"+e.dim(d.History.Axis+", by "+d.History.Each))
	}
	rows = nil
	for _, p := range d.History.Points {
		note := ""
		if p.Grade != "" {
			note = mark(p.Grade)
		} else if p.Outcome != "clear" {
			note = p.Outcome
		}
		rows = append(rows, []string{"  " + p.Label, p.Text, note})
	}
	e.pairs(rows)
	if len(d.Versions) > 1 {
		fmt.Fprintln(e.out, "\n"+e.dim("History by sweep"))
		for _, v := range d.Versions {
			for i, line := range wrapText(fmt.Sprintf("%s: %s. %s", sweepsWords(v), stateOf(v, mark), v.Sentence), e.room(4)) {
				fmt.Fprintln(e.out, "  "+strings.Repeat("  ", min(i, 1))+line)
			}
		}
	}
	fmt.Fprintf(e.out, "\nRevision %d, data version %d, sweep %d.", d.Revision, d.DataVersion, d.Sweep)
	if x.Case != nil {
		fmt.Fprintf(e.out, " Case %d on %s is %s.", *x.Case, x.Desk, *x.CaseState)
	}
	fmt.Fprintln(e.out)
	e.stale(d.Stale)
	return nil
}

// sweepsWords says which sweeps found an exception so.
func sweepsWords(v client.ExceptionVersion) string {
	if v.Since == v.Until {
		return fmt.Sprintf("Sweep %d", v.Since)
	}
	return fmt.Sprintf("Sweeps %d to %d", v.Since, v.Until)
}

func stateOf(v client.ExceptionVersion, mark func(string) string) string {
	if v.State == "cleared" {
		return v.State
	}
	return v.State + ", " + plainText(mark(v.Grade))
}

// stale says that verdicts shown are out of date.
func (e *env) stale(why *string) {
	if why != nil {
		e.printf("%s\n", *why)
	}
}

// pairs prints rows aligned, without a head; the second column is figures.
func (e *env) pairs(rows [][]string) {
	if len(rows) == 0 {
		return
	}
	wide := make([]int, len(rows[0]))
	for _, r := range rows {
		for i, c := range r {
			wide[i] = max(wide[i], len([]rune(plainText(c))))
		}
	}
	for _, r := range rows {
		fmt.Fprintf(e.out, "%-*s  %*s", wide[0], r[0], wide[1], r[1])
		for _, c := range r[2:] {
			fmt.Fprintf(e.out, "  %s", c)
		}
		fmt.Fprintln(e.out)
	}
}
