package cli

import (
	"context"
	"encoding/csv"
	"flag"
	"fmt"
	"io"
	"net/http"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"oskel/internal/client"
	"oskel/internal/sheet"
)

// exportExceptions writes the service's own export, whose columns are typed.
func exportExceptions(ctx context.Context, e *env, p *client.ListExceptionsParams, top int) error {
	if e.file != "" && top == 0 {
		return exceptionFile(ctx, e, p)
	}
	r, err := e.client.ExportExceptions(ctx, &client.ExportExceptionsParams{Period: p.Period, Rule: p.Rule, Grade: p.Grade,
		State: (*client.ExportExceptionsParamsState)(p.State), Kind: p.Kind, Desk: p.Desk, Text: p.Text, Sweep: p.Sweep,
		Group: p.Group, Sort: (*client.ExportExceptionsParamsSort)(p.Sort), Descending: p.Descending})
	body, err := readText(e)(r, err)
	if err != nil {
		return err
	}
	rows, err := csv.NewReader(strings.NewReader(body)).ReadAll()
	if err != nil || len(rows) == 0 {
		return fmt.Errorf("reading the service's answer: %w", err)
	}
	out := sheet.Sheet{Rows: rows[1:]}
	if top > 0 {
		out.Rows = out.Rows[:min(top, len(out.Rows))]
	}
	for _, name := range rows[0] {
		kind := sheet.Text
		if slices.Contains([]string{"id", "value", "comparison", "stake", "case", "streak", "beyond"}, name) {
			kind = sheet.Number
		}
		out.Columns = append(out.Columns, sheet.Column{Name: name, Kind: kind})
	}
	if e.file == "" {
		return out.CSV(e.out)
	}
	if err := writeFile(e.file, func(w io.Writer) error { return out.Write(w, e.file) }); err != nil {
		return fmt.Errorf("writing %s: %w", e.file, err)
	}
	e.printf("Wrote %s to %s.\n", counted(len(out.Rows), "exception"), e.file)
	return nil
}

// exceptionFile has the service write the file: a workbook has a legend.
func exceptionFile(ctx context.Context, e *env, p *client.ListExceptionsParams) error {
	form := strings.TrimPrefix(filepath.Ext(e.file), ".")
	if !slices.Contains(sheet.Forms, "."+form) {
		form = "csv"
	}
	r, err := e.client.ExportExceptionFile(ctx, &client.ExportExceptionFileParams{Form: client.ExportExceptionFileParamsForm(form), Period: p.Period,
		Rule: p.Rule, Grade: p.Grade, State: (*client.ExportExceptionFileParamsState)(p.State), Kind: p.Kind, Desk: p.Desk, Text: p.Text, Sweep: p.Sweep,
		Group: p.Group, Sort: (*client.ExportExceptionFileParamsSort)(p.Sort), Descending: p.Descending})
	body, err := readText(e)(r, err)
	if err != nil {
		return err
	}
	return e.written("the exceptions of "+p.Period, body)
}

func exceptionPages(ctx context.Context, e *env, p *client.ListExceptionsParams, top int) (all client.ExceptionPage, err error) {
	limit := mostPage
	if top > 0 {
		limit = min(top, limit)
	}
	p.Limit = &limit
	err = allPages(e, func(cursor *string) (*http.Response, error) {
		p.Cursor = cursor
		return e.client.ListExceptions(ctx, p)
	}, func(page client.ExceptionPage) (*string, bool) {
		page.Items = joined(all.Items, page.Items)
		if all.Facets != nil { // which the first page has
			page.Stake, page.Groups, page.Facets = all.Stake, all.Groups, all.Facets
		}
		all = page
		return page.Next, top > 0 && len(all.Items) >= top
	})
	if top > 0 {
		all.Items = all.Items[:min(top, len(all.Items))]
	}
	return all, err
}

func showExceptions(ctx context.Context, e *env, page client.ExceptionPage, period string) error {
	all, total := page.Items, page.Total
	mark, err := marks(ctx, e)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, x := range all {
		caseID := ""
		if x.Case != nil {
			caseID = strconv.FormatInt(*x.Case, 10)
		}
		grade := mark(x.Grade)
		if x.State == "cleared" {
			grade = "cleared"
		}
		streak := ""
		if x.Streak != nil && *x.Streak > 1 {
			streak = strconv.Itoa(*x.Streak)
		}
		rows = append(rows, []string{strconv.FormatInt(x.Id, 10), grade, stateWords(x), streak, x.Rule, x.Key, x.Name, caseID, x.Sentence})
	}
	columns := []column{{head: "id", right: true}, {head: "grade"}, {head: "state"}, {head: "in a row", right: true}, {head: "rule"}, {head: "key"},
		{head: "name"}, {head: "case", right: true}, {head: "sentence", wrap: true}}
	if err := e.show(all, columns, rows); err != nil {
		return err
	}
	e.stale(page.Stale)
	if page.Groups != nil && e.format == "table" {
		for _, g := range *page.Groups {
			stake := ""
			if g.Stake != "" {
				stake = ", at stake " + g.Stake
			}
			e.printf("%s: %s%s.\n", g.Title, counted(g.Count, "exception"), stake)
		}
	}
	stake := ""
	if page.Stake != nil {
		stake = ", at stake " + *page.Stake
	}
	switch {
	case total == 0:
		e.printf("No exceptions match in %s. Was it swept? oskel sweep -period %s\n", period, period)
	case len(all) < total:
		e.printf("%d of %d exceptions%s.\n", len(all), total, stake)
	default:
		e.printf("%s%s.\n", counted(total, "exception"), stake)
	}
	return nil
}

// stateWords say how an exception stands; one that is raised and was flagged before is
// back.
func stateWords(x client.Exception) string {
	if x.Back != nil && *x.Back {
		return "back"
	}
	return string(x.State)
}

var exceptionCommands = []command{
	{
		name: "exceptions", short: "list the exceptions of a period, most serious first",
		long: "Grades, rules, kinds and desks may be called by name or by title. CSV and files have\nnumbers as numbers; a percentage is the fraction underneath.",
		example: "oskel exceptions -period 2026-10\noskel exceptions -period 2026-10 -sort stake -descending\noskel exceptions -period 2026-10 -grade act " +
			"-o act.xlsx",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			p := &client.ListExceptionsParams{}
			period := periodFlag(f)
			f.StringVar(&e.file, "o", "", "write this `file` instead: .csv, .json, .xlsx or .parquet")
			by := f.String("sort", "grade", "grade, subject, rule, state, stake, streak (periods in a row), beyond (its cut) or desk")
			group := f.String("group", "", "group by grade, rule, kind, desk, state, subject or an `attribute` such as territory")
			view := f.String("view", "", "as this saved `view`; other flags override it")
			p.Descending = f.Bool("descending", false, "sort from the last to the first")
			stringFlag(f, &p.Rule, "rule", "only of this `rule`")
			stringFlag(f, &p.Grade, "grade", "only of this `grade`")
			stringFlag(f, &p.Kind, "kind", "only subjects of this `kind`")
			stringFlag(f, &p.Desk, "desk", "only those that go to this `desk`")
			stringFlag(f, &p.Text, "text", "only subjects whose key or name contains this `text`")
			numberFlag(f, &p.Sweep, "sweep", "as this `sweep` of the period left them, whatever later ones did")
			state := f.String("state", "flagged", "raised, standing, cleared, flagged (raised and standing) or all")
			top := f.Int("top", 0, "at most this many; 0 is all")
			return func(ctx context.Context, args []string) error {
				if err := periodGiven(*period, args); err != nil {
					return err
				}
				stated := map[string]bool{}
				f.Visit(func(f *flag.Flag) { stated[f.Name] = true })
				if *view != "" {
					if err := viewed(ctx, e, *view, p, stated, by, state, group); err != nil {
						return err
					}
				}
				p.Period, p.Sort = *period, (*client.ListExceptionsParamsSort)(by)
				if *state != "all" {
					p.State = (*client.ListExceptionsParamsState)(state)
				}
				if *group != "" {
					p.Group = group
				}
				if form := filepath.Ext(e.file); e.format == "csv" || form != "" && form != ".json" {
					return exportExceptions(ctx, e, p, *top)
				}
				all, err := exceptionPages(ctx, e, p, *top)
				if err != nil {
					return err
				}
				return showExceptions(ctx, e, all, *period)
			}
		},
	},
	{
		name: "show", args: "EXCEPTION", short: "show one exception: its sentence, evidence and history",
		example: "oskel show 41\noskel show -sweep 12 41",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			p := &client.GetExceptionParams{}
			numberFlag(f, &p.Sweep, "sweep", "as this `sweep` of its period left it; the last unless stated")
			return func(ctx context.Context, args []string) error {
				id, err := idArg(args, "exception")
				if err != nil {
					return err
				}
				d, err := read[client.ExceptionDetail](e)(e.client.GetException(ctx, id, p))
				if err != nil {
					return err
				}
				return showException(ctx, e, d)
			}
		},
	},
}
