package cli

import (
	"context"
	"flag"
	"net/http"
	"strconv"
	"strings"

	"oskel/internal/client"
)

var gridCommands = []command{
	{
		name: "exceptions grid", lists: true, short: "show subjects by periods: who was flagged when",
		example: "oskel exceptions grid -period 2026-10\noskel exceptions grid -period 2026-10 -rule thin-margin -top 20",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			p := &client.GetExceptionGridParams{}
			period := periodFlag(f)
			stringFlag(f, &p.Rule, "rule", "only what this `rule` flags")
			stringFlag(f, &p.Kind, "kind", "only subjects of this `kind`")
			stringFlag(f, &p.Desk, "desk", "only what goes to this `desk`")
			stringFlag(f, &p.Text, "text", "only subjects whose key or name contains this `text`")
			top := f.Int("top", 0, "at most this many; 0 is all")
			return func(ctx context.Context, args []string) error {
				if err := periodGiven(*period, args); err != nil {
					return err
				}
				p.Period = *period
				if e.file != "" && *top == 0 {
					return e.report(ctx, &client.ExportReportParams{Report: "grid", Period: period, Rule: p.Rule, Kind: p.Kind, Desk: p.Desk, Text: p.Text})
				}
				limit := 500
				p.Limit = &limit
				var all client.ExceptionGrid
				if err := allPages(e, func(cursor *string) (*http.Response, error) {
					p.Cursor = cursor
					return e.client.GetExceptionGrid(ctx, p)
				}, func(page client.ExceptionGrid) (*string, bool) {
					page.Rows = joined(all.Rows, page.Rows)
					all = page
					return page.Next, *top > 0 && len(all.Rows) >= *top
				}); err != nil {
					return err
				}
				if *top > 0 {
					all.Rows = all.Rows[:min(*top, len(all.Rows))]
				}
				return showGrid(ctx, e, all)
			}
		},
	},
	{
		name: "exceptions trend", lists: true, short: "count the exceptions of the last periods by rule, desk, kind or grade",
		example: "oskel exceptions trend -period 2026-10\noskel exceptions trend -period 2026-10 -by desk",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			p := &client.GetExceptionTrendParams{}
			period := periodFlag(f)
			enumFlag(f, &p.By, "by", "rule (the default), desk, kind or grade")
			return func(ctx context.Context, args []string) error {
				if err := periodGiven(*period, args); err != nil {
					return err
				}
				p.Period = *period
				return showTrend(ctx, e, p)
			}
		},
	},
}

func showTrend(ctx context.Context, e *env, p *client.GetExceptionTrendParams) error {
	t, err := read[client.ExceptionTrend](e)(e.client.GetExceptionTrend(ctx, p))
	if err != nil {
		return err
	}
	columns, unswept := []column{{head: "flagged"}}, ""
	if e.format == "table" {
		unswept = "–"
	}
	for _, p := range t.Periods {
		columns = append(columns, column{head: p.Period, right: true})
	}
	row := func(name string, counts []int) []string {
		out := []string{name}
		for i, n := range counts {
			text := strconv.Itoa(n)
			if !t.Periods[i].Swept {
				text = unswept
			}
			out = append(out, text)
		}
		return out
	}
	var rows [][]string
	for _, r := range t.Rows {
		rows = append(rows, row(r.Name, r.Flagged))
	}
	rows = append(rows, row(e.bold("raised"), t.Raised), row(e.bold("standing"), t.Standing), row(e.bold("cleared"), t.Cleared))
	return e.show(t, columns, rows)
}

func showGrid(ctx context.Context, e *env, g client.ExceptionGrid) error {
	book, err := theBook(ctx, e)
	if err != nil {
		return err
	}
	mark := func(grade string) string {
		for _, x := range book.Grades {
			if x.Name == grade && e.format == "table" {
				return strings.TrimSpace(e.mark(x.Shape, x.Tone, ""))
			}
		}
		return grade
	}
	columns := []column{{head: "kind"}, {head: "key"}, {head: "name"}}
	for _, p := range g.Periods {
		columns = append(columns, column{head: p.Period})
	}
	var rows [][]string
	for _, r := range g.Rows {
		row := []string{r.Kind, r.Key, r.Name}
		for i, c := range r.Cells {
			switch {
			case c.Flags > 1:
				row = append(row, mark(c.Grade)+strconv.Itoa(c.Flags))
			case c.Flags == 1:
				row = append(row, mark(c.Grade))
			case !g.Periods[i].Swept && e.format == "table":
				row = append(row, "–")
			default:
				row = append(row, "")
			}
		}
		rows = append(rows, row)
	}
	if err := e.show(g, columns, rows); err != nil {
		return err
	}
	if len(g.Rows) < g.Total {
		e.printf("%d of %s.\n", len(g.Rows), counted(g.Total, "subject"))
	}
	return nil
}
