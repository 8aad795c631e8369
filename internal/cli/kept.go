package cli

import (
	"cmp"
	"context"
	"flag"
	"fmt"
	"strconv"
	"strings"

	"oskel/internal/client"
)

var keptCommands = []command{
	{
		name: "tables", lists: true, short: "list the kept tables: yours and the shared ones",
		long:    "oskel table -keep NAME keeps one, -kept NAME shows it, oskel view delete -of tables NAME deletes it.",
		example: "oskel tables",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, _ []string) error { return listKept(ctx, e, "tables") }
		},
	},
	{
		name: "board show", args: "NAME", short: "the kept tables and trends of a board, of one period",
		example: "oskel board show -period 2026-10 'Monday meeting'",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			period := periodFlag(f)
			return func(ctx context.Context, args []string) error {
				if len(args) != 1 {
					return usagef("expected the name of the board")
				}
				if err := periodGiven(*period, nil); err != nil {
					return err
				}
				v, err := viewNamed(ctx, e, "boards", args[0])
				if err != nil {
					return err
				}
				return showBoard(ctx, e, v, *period)
			}
		},
	},
	{
		name: "board list", lists: true, short: "list the boards: yours and the shared ones",
		example: "oskel board list",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, _ []string) error { return listKept(ctx, e, "boards") }
		},
	},
	{
		name: "board save", args: "NAME", short: "put up to four kept tables and trends on one page",
		long: "The tables stand before the trends. A board that is shared holds shared tables alone. A board of yours\nof the same name becomes this one. " +
			"oskel view delete -of boards NAME deletes it.",
		example: "oskel board save -shared -table 'Margins by territory' -trend rule 'Monday meeting'",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			shared := f.Bool("shared", false, "share it")
			board := client.Board{}
			stringFlag(f, &board.TextAbove, "above", "the `text` above it")
			var tables []string
			var trends []client.BoardPart
			f.Func("table", "the `name` of a kept table; may be given several times", func(v string) error { tables = append(tables, v); return nil })
			f.Func("trend", "the flagged by `rule`, desk, kind or grade; may be given several times", func(v string) error {
				by := client.BoardPartTrend(v)
				trends = append(trends, client.BoardPart{Trend: &by})
				return oneOf(v, "rule", "desk", "kind", "grade")
			})
			return func(ctx context.Context, args []string) error {
				names := map[int64]string{}
				switch n := len(tables) + len(trends); {
				case len(args) != 1:
					return usagef("expected the name of the board")
				case n == 0 || n > 4:
					return usagef("expected one to four of -table and -trend; there are %d", n)
				}
				for _, name := range tables {
					v, err := viewNamed(ctx, e, "tables", name)
					if err != nil {
						return err
					}
					board.Parts, names[v.Id] = append(board.Parts, client.BoardPart{Table: &v.Id}), v.Name
				}
				board.Parts = append(board.Parts, trends...)
				v, err := read[client.View](e)(e.client.SaveView(ctx, client.NewView{
					Name: args[0], Shared: shared, Of: ptr(client.NewViewOfBoards), Board: &board,
				}))
				if err == nil {
					e.printf("Saved the board %s: %s.\n", v.Name, boardWords(*v.Board, names))
				}
				return err
			}
		},
	},
}

func listKept(ctx context.Context, e *env, of string) error {
	all, err := views(ctx, e, of)
	if err != nil {
		return err
	}
	names := map[int64]string{}
	if of == "boards" {
		tables, err := views(ctx, e, "tables")
		if err != nil {
			return err
		}
		for _, t := range tables {
			names[t.Id] = t.Name
		}
	}
	var rows [][]string
	for _, v := range all {
		shared := ""
		if v.Shared {
			shared = "yes"
		}
		rows = append(rows, []string{strconv.FormatInt(v.Id, 10), v.Name, v.Owner, shared, inWords(v, names)})
	}
	return e.show(all, []column{{head: "number", right: true}, {head: "name"}, {head: "owner"}, {head: "shared"}, {head: "what", wrap: true}}, rows)
}

// tableWords say what a kept table shows.
func tableWords(q client.TableQuery) string {
	out := []string{q.Measures}
	for _, f := range []struct {
		name string
		of   *string
	}{{"by", q.By}, {"grouped by", q.Groups}, {"across", q.Across}, {"of", q.Period}, {"with", q.Text}, {"rows where", q.Rows}, {"lines where", q.Where},
		{"with", q.Dials}} {
		if f.of != nil && *f.of != "" {
			out = append(out, f.name+" "+*f.of)
		}
	}
	if q.Periods != nil && *q.Periods > 1 {
		out = append(out, counted(*q.Periods, "period"))
	}
	if q.Flagged != nil && *q.Flagged {
		out = append(out, "flagged only")
	}
	return strings.Join(out, ", ")
}

// boardWords say what stands on a board; a table that one may not see has no name.
func boardWords(b client.Board, names map[int64]string) string {
	var out []string
	for _, p := range b.Parts {
		if p.Table != nil {
			out = append(out, cmp.Or(names[*p.Table], fmt.Sprintf("table %d", *p.Table)))
		} else {
			out = append(out, "the trend by "+string(*p.Trend))
		}
	}
	return strings.Join(out, ", ")
}

// keepTable keeps what a table asks for.
func keepTable(ctx context.Context, e *env, name, above string, shared bool, p *client.GetTableParams) error {
	q := client.TableQuery{
		Measures: p.Measures, By: p.By, Groups: p.Groups, Across: p.Across, Text: p.Text, Rows: p.Rows, Where: p.Where,
		Flagged: p.Flagged, WithFigures: p.WithFigures, Marks: p.Marks, Dials: p.Dials, Sort: p.Sort, Descending: p.Descending, Periods: p.Periods,
	}
	if above != "" {
		q.TextAbove = &above
	}
	if p.Period != "" {
		q.Period = &p.Period
	}
	v, err := read[client.View](e)(e.client.SaveView(ctx, client.NewView{Name: name, Shared: &shared, Of: ptr(client.NewViewOfTables), Table: &q}))
	if err == nil {
		e.printf("Kept the table %s: %s.\n", v.Name, tableWords(*v.Table))
	}
	return err
}

// asKept is what a kept table asks for, wherever nothing else is stated.
func asKept(q client.TableQuery, p *client.GetTableParams, stated map[string]bool) {
	p.Measures = q.Measures
	if !stated["period"] {
		p.Period = text(q.Period)
	}
	for _, f := range []struct {
		name     string
		of, from **string
	}{{"by", &p.By, &q.By}, {"groups", &p.Groups, &q.Groups}, {"across", &p.Across, &q.Across}, {"text", &p.Text, &q.Text},
		{"rows", &p.Rows, &q.Rows}, {"where", &p.Where, &q.Where}, {"dial", &p.Dials, &q.Dials}} {
		if !stated[f.name] {
			*f.of = *f.from
		}
	}
	if !stated["periods"] && q.Periods != nil {
		p.Periods = q.Periods
	}
	if !stated["sort"] && q.Sort != nil {
		p.Sort = q.Sort
	}
	if !stated["descending"] && q.Descending != nil {
		p.Descending = q.Descending
	}
	if !stated["flagged"] {
		p.Flagged = q.Flagged
	}
	if !stated["with-figures"] {
		p.WithFigures = q.WithFigures
	}
	if !stated["marks"] {
		p.Marks = q.Marks
	}
}

// boardRows is how many rows of a table stand on a board.
const boardRows = 12

func showBoard(ctx context.Context, e *env, v client.View, period string) error {
	if e.format != "table" {
		return usagef("a board is for people: -format %s is for its tables, one by one, with oskel table -kept NAME", e.format)
	}
	if v.Board.TextAbove != nil {
		fmt.Fprintln(e.out, *v.Board.TextAbove)
	}
	for i, part := range v.Board.Parts {
		if i > 0 || v.Board.TextAbove != nil {
			fmt.Fprintln(e.out)
		}
		if part.Trend != nil {
			fmt.Fprintln(e.out, e.bold("Flagged, by "+string(*part.Trend)))
			by := client.GetExceptionTrendParamsBy(*part.Trend)
			if err := showTrend(ctx, e, &client.GetExceptionTrendParams{Period: period, By: &by}); err != nil {
				return err
			}
			continue
		}
		of := client.GetViewParamsOfTables
		kept, err := read[client.View](e)(e.client.GetView(ctx, *part.Table, &client.GetViewParams{Of: &of}))
		if err != nil { // one that is gone takes nothing from the others
			fmt.Fprintln(e.out, err)
			continue
		}
		fmt.Fprintln(e.out, e.bold(kept.Name))
		if err := showKept(ctx, e, *kept.Table, period); err != nil {
			fmt.Fprintln(e.out, err)
		}
	}
	return nil
}

func showKept(ctx context.Context, e *env, q client.TableQuery, period string) error {
	if q.TextAbove != nil {
		fmt.Fprintln(e.out, *q.TextAbove)
	}
	p := &client.GetTableParams{Period: period}
	asKept(q, p, map[string]bool{"period": q.Period == nil})
	t, err := tablePages(ctx, e, p, boardRows)
	if err != nil {
		return err
	}
	return showTable(ctx, e, t)
}
