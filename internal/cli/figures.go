package cli

import (
	"context"
	"flag"
	"fmt"
	"io"
	"net/http"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"oskel/core/amount"
	"oskel/internal/client"
	"oskel/internal/sheet"
)

var figureCommands = []command{
	{
		name: "table", args: "MEASURE[,MEASURE…]", short: "measures by subject, by group or in total, in one or several periods",
		long: "A measure may also be a formula that is tried, in quotation marks. Periods are written\n2026-10, 2026-Q4, 2026-H2, 2026, 2026-W44 or " +
			"2026-10-31, or name a window of the calendar. The\nrows are all who are active in one of the periods, and pairs that have a figure; a dash is\n" +
			"a value that is missing. The last row is the total: of a ratio, the ratio of the sums. -o\nwrites a file that its ending " +
			"names: .csv, .json, .xlsx or .parquet.",
		example: "oskel table -by rep -period 2026-10 -sort 1 -descending -top 10 revenue,margin_rate\noskel table -by rep.territory -period 2026-Q3 " +
			"-periods 4 revenue\noskel table -by product -groups product.family,product.category -period 2026-Q3 revenue\noskel table -by \"rep x product\" " +
			"-period 2026-10 -sort 1 -descending -top 10 revenue\noskel table -by rep -period 2026-10 -periods 3 \"target(revenue)\"\noskel table -by rep.territory " +
			"-across product.family -period 2026-10 margin_rate\noskel table -by customer -period 2026-10 -o october.xlsx revenue\noskel table -by rep.territory " +
			"-keep \"Margins by territory\" -shared revenue,margin_rate\noskel table " +
			"-period 2026-10 -kept \"Margins by territory\"",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			p := &client.GetTableParams{}
			stringFlag(f, &p.By, "by", "a kind such as `rep`, an attribute such as rep.territory, a pair such as \"rep x product\", or whole (the default)")
			stringFlag(f, &p.Groups, "groups", "group the rows under subtotals of these `attributes`, the widest first, such as rep.territory,rep.manager")
			stringFlag(f, &p.Across, "across", "columns are those of this `level` of another kind, such as product.category: one measure in one period")
			f.StringVar(&p.Period, "period", "", "the `period`, or the last of several (required)")
			stringFlag(f, &p.Text, "text", "only subjects whose key or name contains this `text`")
			stringFlag(f, &p.Rows, "rows", "only rows for which a `condition` holds, such as 'rep.territory is \"North\" and revenue above 1000'")
			stringFlag(f, &p.Where, "where", "figures, places and marks of those lines alone for which a `condition` holds, such as 'customer.category is \"Marina\"'")
			f.Func("version", "as of this data `version`; default: the newest", versionFlag(&p.Version))
			flagged := f.Bool("flagged", false, "only those that are flagged in one of the periods")
			f.BoolFunc("with-figures", "leave out those without a figure; with =false list them of pairs too", func(v string) error {
				yes, err := strconv.ParseBool(v)
				p.WithFigures = &yes
				return err
			})
			periods := f.Int("periods", 1, "how many periods up to that one")
			sort := 0
			f.Func("sort", "the `column` to sort by, from 1; 0 is the names (the default), marks the most serious mark", sortFlag(&sort))
			f.Func("marks", "where `marks` come from: recorded (by sweeps; the default), now (what the published rules say now) or draft (what your draft says)",
				func(v string) error { p.Marks = ptr(client.MarksFrom(v)); return oneOf(v, "recorded", "now", "draft") })
			f.Func("dial", "try another value of a `dial` of the published rules, such as floor=23%; may be given several times; nothing is changed",
				func(v string) error { p.Dials = ptr(strings.TrimPrefix(text(p.Dials)+","+v, ",")); return nil })
			descending := f.Bool("descending", false, "the largest, or the most serious, first")
			top := f.Int("top", 0, "at most this many rows; 0 is all")
			f.StringVar(&e.file, "o", "", "write this `file` instead: .csv, .json, .xlsx or .parquet")
			keep := f.String("keep", "", "keep what this asks for under a `name`; without -period it is of any period")
			above := f.String("above", "", "with -keep: the `text` above it")
			shared := f.Bool("shared", false, "with -keep: share it")
			kept := f.String("kept", "", "show the kept table of this `name`; other flags change what it asks for")
			return func(ctx context.Context, args []string) error {
				if *flagged {
					p.Flagged = flagged
				}
				p.Periods, p.Sort, p.Descending = periods, &sort, descending
				switch {
				case *kept != "" && (*keep != "" || len(args) > 0):
					return usagef("-kept shows a table that is kept; it takes no measures, and not -keep")
				case *kept != "":
					stated := map[string]bool{}
					f.Visit(func(f *flag.Flag) { stated[f.Name] = true })
					v, err := viewNamed(ctx, e, "tables", *kept)
					if err != nil {
						return err
					}
					asKept(*v.Table, p, stated)
					if v.Table.TextAbove != nil && e.file == "" && e.format == "table" {
						fmt.Fprintln(e.out, *v.Table.TextAbove)
					}
				case len(args) != 1:
					return usagef("expected the names of measures, separated by commas")
				default:
					p.Measures = args[0]
				}
				if *keep != "" {
					if e.file != "" {
						return usagef("-keep keeps what is asked, -o writes what is answered: one after the other")
					}
					return keepTable(ctx, e, *keep, *above, *shared, p)
				}
				if *above != "" || *shared {
					return usagef("-above and -shared go with -keep")
				}
				if p.Period == "" {
					return usagef("-period is missing, such as -period 2026-10")
				}
				if form := strings.TrimPrefix(filepath.Ext(e.file), "."); e.file != "" && form != "json" || e.format == "csv" {
					p.Top = top
					return tableFile(ctx, e, p, or(form, "csv"))
				}
				t, err := tablePages(ctx, e, p, *top)
				if err != nil {
					return err
				}
				if e.file != "" {
					if err := writeFile(e.file, func(out io.Writer) error { return writeJSON(out, t) }); err != nil {
						return fmt.Errorf("writing %s: %w", e.file, err)
					}
					e.printf("Wrote %s to %s.\n", counted(len(t.Rows), "row"), e.file)
					return nil
				}
				return showTable(ctx, e, t)
			}
		},
	},
	{
		name: "rulebook measures", lists: true, short: "list the measures of the published rulebook",
		example: "oskel rulebook measures",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, _ []string) error {
				all, err := read[[]client.Measure](e)(e.client.ListMeasures(ctx))
				if err != nil {
					return err
				}
				var rows [][]string
				for _, m := range all {
					rows = append(rows, []string{m.Name, m.Title, m.Unit, strings.Join(m.Kinds, ", "), m.Words})
				}
				return e.show(all, []column{{head: "measure"}, {head: "title"}, {head: "unit"}, {head: "by"}, {head: "made of", wrap: true}}, rows)
			}
		},
	},
	{
		name: "breakdown", args: "MEASURE", short: "break a figure down to its lines",
		example: "oskel breakdown -by rep -key R-17 -period 2026-10 revenue",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			p := &client.GetBreakdownParams{}
			stringFlag(f, &p.By, "by", "a kind such as `rep`, an attribute such as rep.territory, or whole (the default)")
			stringFlag(f, &p.Key, "key", "the subject's or group's `key`")
			stringFlag(f, &p.Where, "where", "of those lines alone for which a `condition` holds")
			f.StringVar(&p.Period, "period", "", "the `period` (required)")
			f.StringVar(&e.file, "o", "", "write this `file` instead: .csv, .json, .xlsx or .parquet")
			f.Func("version", "as of this data `version`; default: the newest", versionFlag(&p.Version))
			return func(ctx context.Context, args []string) error {
				if len(args) != 1 || p.Period == "" {
					return usagef("expected the name of a measure, and -period")
				}
				p.Measure = args[0]
				return showParts(ctx, e, p)
			}
		},
	},
}

func versionFlag(to **int64) func(string) error {
	return func(s string) error {
		v, err := strconv.ParseInt(s, 10, 64)
		*to = &v
		return err
	}
}

func tablePages(ctx context.Context, e *env, p *client.GetTableParams, top int) (client.Table, error) {
	limit := 1000
	if top > 0 {
		limit = min(limit, top)
	}
	p.Limit = &limit
	var all client.Table
	err := allPages(e, func(cursor *string) (*http.Response, error) {
		p.Cursor = cursor
		return e.client.GetTable(ctx, p)
	}, func(page client.Table) (*string, bool) {
		page.Rows = joined(all.Rows, page.Rows)
		if page.Legend == nil {
			page.Legend, page.Marking = all.Legend, all.Marking
		}
		all = page
		return all.Next, top > 0 && len(all.Rows) >= top
	})
	if top > 0 {
		all.Rows = all.Rows[:min(top, len(all.Rows))]
	}
	return all, err
}

// tableFile has the service write the table: a workbook has its marks, subtotals and a legend.
func tableFile(ctx context.Context, e *env, p *client.GetTableParams, form string) error {
	r, err := e.client.ExportTableFile(ctx, form, (*client.ExportTableFileParams)(p))
	body, err := readText(e)(r, err)
	if err != nil {
		return err
	}
	if e.file == "" {
		_, err = io.WriteString(e.out, body)
		return err
	}
	return e.written("the table of "+p.Period, body)
}

// heads names the columns: by measure, by period, or by both where both vary.
func heads(t client.Table) []string {
	var out []string
	oneMeasure, onePeriod := true, true
	crossed := len(t.Columns) > 0 && t.Columns[0].Across != nil
	for _, c := range t.Columns {
		oneMeasure = oneMeasure && c.Measure == t.Columns[0].Measure
		onePeriod = onePeriod && c.Period == t.Columns[0].Period
	}
	for _, c := range t.Columns {
		switch {
		case crossed:
			out = append(out, c.Label)
		case onePeriod:
			out = append(out, c.Title)
		case oneMeasure:
			out = append(out, c.Label)
		default:
			out = append(out, c.Title+" "+c.Label)
		}
	}
	return out
}

func showTable(ctx context.Context, e *env, t client.Table) error {
	columns := []column{{head: "key"}, {head: "name"}}
	for _, h := range heads(t) {
		columns = append(columns, column{head: h, right: true})
	}
	figure := func(c client.Cell) string {
		if c.Why != nil {
			return "–"
		}
		return c.Text
	}
	// Why somebody has no figure at all, and what is flagged, stand where people read it.
	var beside []func(r client.TableRow) string
	if e.format == "table" {
		if slices.ContainsFunc(t.Rows, func(r client.TableRow) bool { return r.Why != nil }) {
			columns = append(columns, column{head: "no figure"})
			beside = append(beside, func(r client.TableRow) string { return text(r.Why) })
		}
		if t.WholeMarks != nil || slices.ContainsFunc(t.Rows, func(r client.TableRow) bool { return r.Marks != nil }) {
			mark, err := marks(ctx, e)
			if err != nil {
				return err
			}
			columns = append(columns, column{head: "marked by", wrap: true})
			beside = append(beside, func(r client.TableRow) string { return flaggedBy(r, mark) })
		}
	}
	var rows [][]string
	for _, r := range t.Rows {
		row := []string{r.Key, r.Name}
		if r.Depth != nil {
			row = []string{"", strings.Repeat("  ", *r.Depth-1) + e.bold(r.Name)}
		} else if t.Rows[0].Depth != nil && e.format == "table" {
			row[1] = "    " + r.Name
		}
		for _, c := range r.Cells {
			if r.Depth != nil {
				row = append(row, e.bold(figure(c)))
			} else {
				row = append(row, figure(c))
			}
		}
		for _, tell := range beside {
			row = append(row, tell(r))
		}
		rows = append(rows, row)
	}
	if e.format == "table" && !(len(t.Rows) == 1 && t.Rows[0].Key == "all") {
		whole := []string{"", e.bold("Total")}
		for _, c := range t.Whole {
			whole = append(whole, e.bold(figure(c)))
		}
		for _, tell := range beside {
			whole = append(whole, tell(client.TableRow{Marks: t.WholeMarks}))
		}
		rows = append(rows, whole)
	}
	if err := e.show(t, columns, rows); err != nil {
		return err
	}
	if err := legend(ctx, e, t); err != nil {
		return err
	}
	said := map[string]bool{}
	for _, c := range t.Columns {
		if c.Groups != nil && !said[c.Measure] {
			said[c.Measure] = true
			e.printf("%s: the total and subtotals are %s.\n", c.Title, *c.Groups)
		}
	}
	if len(t.Rows) < t.Total {
		e.printf("%d of %d rows.\n", len(t.Rows), t.Total)
	}
	switch listed := slices.ContainsFunc(t.Rows, func(r client.TableRow) bool { return r.Why != nil }); {
	case t.Without > 0 && !listed && len(t.Rows) == t.Total:
		e.printf("%d without a figure left out.\n", t.Without)
	case t.Without > 0:
		e.printf("%d without a figure.\n", t.Without)
	}
	return nil
}

// legend says what the marks of a table mean, and how many there are.
func legend(ctx context.Context, e *env, t client.Table) error {
	if e.format != "table" {
		return nil
	}
	if says := markingWords(t.Marking); says != "" {
		e.printf("%s\n", says)
	}
	if t.Legend == nil || len(*t.Legend) == 0 {
		return nil
	}
	mark, err := marks(ctx, e)
	if err != nil {
		return err
	}
	for _, l := range *t.Legend {
		words := ""
		if l.Words != "" { // a rule that is gone has none
			words = ": " + l.Words
		}
		e.printf("%s by %s, %d%s.\n", mark(l.Grade), l.Title, l.Count, words)
	}
	return nil
}

// markingWords says where the marks come from, where that is not what sweeps recorded of all
// that is shown.
func markingWords(m *client.TableMarking) string {
	switch {
	case m == nil:
		return ""
	case m.By == client.MarksFromRecorded && len(m.Unswept) > 0:
		return "Not swept: " + strings.Join(m.Unswept, ", ") + ". -marks now marks as the rules say now."
	case m.By == client.MarksFromRecorded:
		return ""
	}
	says := "Marks as the published rules say now"
	switch m.By {
	case client.MarksFromDraft:
		says = "Figures and marks as your draft says"
	case client.MarksFromTrial:
		says = "Tried: figures and marks with these dials"
	}
	switch {
	case m.Narrowed:
		says += ", of these lines alone"
	case m.Unlike != nil && *m.Unlike > 0:
		says += fmt.Sprintf("; %d of them say something else than on record", *m.Unlike)
	case len(m.Unswept) == 0:
		says += ", the same as on record"
	}
	return says + "."
}

// sortFlag reads what a table is sorted by: a column from 1, 0 for the names, or marks.
func sortFlag(to *int) func(string) error {
	return func(v string) (err error) {
		if v == "marks" {
			*to = -1
			return nil
		}
		if *to, err = strconv.Atoi(v); err != nil || *to < 0 {
			return fmt.Errorf("expected the number of a column, 0 or marks, found %q", v)
		}
		return nil
	}
}

// flaggedBy names the rules by which a row is flagged, each once, with its grade, the most
// serious first.
func flaggedBy(r client.TableRow, mark func(grade string) string) string {
	var out []string
	if r.Marks == nil {
		return ""
	}
	for _, m := range *r.Marks {
		if say := mark(m.Grade) + ": " + m.Title; !slices.Contains(out, say) {
			out = append(out, say)
		}
	}
	return strings.Join(out, "; ")
}

// linesSheet is lines for other programs; a column of which every cell is a
// number holds numbers.
func linesSheet(p client.Parts) sheet.Sheet {
	out := sheet.Sheet{Rows: p.Lines}
	for i, name := range p.Columns {
		kind := sheet.Number
		for _, l := range p.Lines {
			if _, err := amount.Parse(l[i]); l[i] != "" && err != nil {
				kind = sheet.Text
			}
		}
		out.Columns = append(out.Columns, sheet.Column{Name: name, Kind: kind})
	}
	return out
}

func showParts(ctx context.Context, e *env, p *client.GetBreakdownParams) error {
	var all client.Parts
	limit := mostPage
	p.Limit = &limit
	err := allPages(e, func(cursor *string) (*http.Response, error) {
		p.Cursor = cursor
		return e.client.GetBreakdown(ctx, p)
	}, func(page client.Parts) (*string, bool) {
		page.Lines = joined(all.Lines, page.Lines)
		all = page
		return all.Next, false
	})
	if err != nil {
		return err
	}
	value := func(c client.Cell) string {
		if c.Why != nil {
			return "none: " + *c.Why
		}
		return c.Text
	}
	if e.file != "" {
		if err := writeFile(e.file, func(out io.Writer) error {
			if filepath.Ext(e.file) == ".json" {
				return writeJSON(out, all)
			}
			return linesSheet(all).Write(out, e.file)
		}); err != nil {
			return fmt.Errorf("writing %s: %w", e.file, err)
		}
		e.printf("Wrote %s to %s.\n", counted(len(all.Lines), "line"), e.file)
		return nil
	}
	if e.format == "table" {
		fmt.Fprintf(e.out, "%s of %s in %s: %s\n  %s\n", e.bold(all.Title), all.Name, all.Label, value(all.Cell), e.dim(all.Words))
		var rows [][]string
		for _, part := range all.Parts {
			rows = append(rows, []string{"  " + part.Title, value(part.Cell)})
		}
		e.pairs(rows)
	}
	if e.format == "csv" {
		return linesSheet(all).CSV(e.out)
	}
	if e.format == "json" {
		return e.show(all, nil, nil)
	}
	if len(all.Columns) > 0 {
		var columns []column
		for _, name := range all.Columns {
			columns = append(columns, column{head: name})
		}
		fmt.Fprintln(e.out)
		e.table(columns, all.Lines)
		sum := ""
		if all.Sum != nil {
			sum = "; they add up to " + *all.Sum
		}
		e.printf("%s%s.\n", counted(all.Total, "line"), sum)
	}
	return nil
}
