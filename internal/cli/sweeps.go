package cli

import (
	"context"
	"encoding/csv"
	"errors"
	"flag"
	"fmt"
	"io"
	"maps"
	"net/http"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"oskel/internal/client"
	"oskel/internal/sheet"
)

// noLines is the problem of a period in which no feed has lines.
const noLines = "urn:oskel:no-lines"

var sweepCommands = []command{
	{
		name: "sweep", short: "evaluate the published rules for a period and record the exceptions",
		long:    "The same rules on the same data change nothing. After corrected lines it says what\nis flagged now, what no longer is, and what has another grade. A period that is still running is swept so\nfar: held against as many days of the periods before, targets by working days.",
		example: "oskel sweep -period 2026-10\noskel sweep -no-cases -period 2025-03 -through 2026-09\noskel sweep -so-far -period 2026-11",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			period := periodFlag(f)
			through := f.String("through", "", "sweep all periods from the first to this `period`, the oldest first")
			soFar := f.Bool("so-far", false, "the period is still running: sweep it as it is so far")
			to := f.String("to", "", "of one so far, its last `day`; the last before today that has lines unless stated")
			noCases := f.Bool("no-cases", false, "record the exceptions without putting them on desks")
			return func(ctx context.Context, args []string) error {
				if err := periodGiven(*period, args); err != nil {
					return err
				}
				c, err := e.api()
				if err != nil {
					return err
				}
				open := !*noCases
				ask := client.NewSweep{OpenCases: &open, SoFar: soFar}
				if *soFar && *through != "" {
					return usagef("-so-far is of the one period that runs, and -through of several that have ended")
				}
				if err := dayFlag(*to, "-to", &ask.To); err != nil {
					return err
				}
				sweep := func(period string) (client.Sweep, error) {
					ask.Period = period
					r, err := c.CreateSweep(ctx, ask)
					return read[client.Sweep](e, r, err)
				}
				if *through == "" {
					s, err := sweep(*period)
					if err != nil {
						return err
					}
					return showSweep(e, s)
				}
				periods, err := periodsThrough(ctx, e, *period, *through)
				if err != nil {
					return err
				}
				all := []client.Sweep{}
				for _, p := range periods {
					s, err := sweep(p)
					if of := (*problemError)(nil); errors.As(err, &of) && of.Type == noLines {
						e.say("%s: no lines.\n", p)
						continue
					}
					if err != nil {
						return fmt.Errorf("%s: %w", p, err)
					}
					e.say("%s: %s, %d flagged.\n", p, sweptWords(s), s.Raised+s.Standing)
					all = append(all, s)
				}
				return e.show(all, sweepListColumns, sweepRows(all))
			}
		},
	},
	{
		name: "sweeps", lists: true, short: "list the sweeps, the newest first, and which are out of date",
		example: "oskel sweeps\noskel sweeps -period 2026-10",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			p := &client.ListSweepsParams{}
			stringFlag(f, &p.Period, "period", "only of this `period`, such as 2026-10 or 2026-W44")
			return func(ctx context.Context, _ []string) error {
				c, err := e.api()
				if err != nil {
					return err
				}
				all := []client.Sweep{}
				for more := true; more; {
					r, err := c.ListSweeps(ctx, p)
					page, err := read[[]client.Sweep](e, r, err)
					if err != nil {
						return err
					}
					all = append(all, page...)
					if more = len(page) > 0; more {
						p.Before = &page[len(page)-1].Id
					}
				}
				return e.show(all, sweepListColumns, sweepRows(all))
			}
		},
	},
	{
		name: "exceptions", short: "list the exceptions of a period, the most serious first",
		long:    "Grades, rules, kinds and desks may be called by name or by title. CSV and files have\nnumbers as numbers; a percentage is the fraction underneath.",
		example: "oskel exceptions -period 2026-10\noskel exceptions -period 2026-10 -sort stake -descending\noskel exceptions -period 2026-10 -grade act -o act.xlsx",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			p := &client.ListExceptionsParams{}
			period := periodFlag(f)
			f.StringVar(&e.file, "o", "", "write this `file` instead: .csv, .json, .xlsx or .parquet")
			by := f.String("sort", "grade", "grade, subject, rule, state, stake, streak (periods in a row), beyond (its cut) or desk")
			group := f.String("group", "", "gather them by grade, rule, kind, desk, state, subject or an `attribute` such as territory")
			view := f.String("view", "", "as this `view` that is kept by name; what is stated beside it counts")
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
		name: "verify", args: "[SWEEP]", short: "compute a sweep again from its revision and data version, and compare",
		long:    "Every verdict, sentence, value and piece of evidence that stands as the sweep wrote it is\nheld against what is computed now, to the last digit; the exit code is 1 if any differs.\nWith -period it is the last sweep of that period.",
		example: "oskel verify 13\noskel verify -period 2026-10",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			period := f.String("period", "", "the `period` whose last sweep is verified")
			return func(ctx context.Context, args []string) error {
				c, err := e.api()
				if err != nil {
					return err
				}
				var id int64
				if *period != "" && len(args) == 0 {
					r, err := c.ListSweeps(ctx, &client.ListSweepsParams{Period: period})
					all, err := read[[]client.Sweep](e, r, err)
					if err != nil {
						return err
					}
					if len(all) == 0 {
						return fmt.Errorf("%s was never swept", *period)
					}
					id = all[0].Id
				} else if id, err = idArg(args, "sweep"); err != nil {
					return err
				}
				return verify(ctx, e, c, id)
			}
		},
	},
	{
		name: "why", args: "KEY", short: "what each rule says of one subject, flagged or not, and how far from its cut",
		long:    "By the published rules and the data as they are now, in the period of each rule that the\nperiod given is or holds last.",
		example: "oskel why -period 2026-10 R-17\noskel why -period 2026-10 -kind rep.territory Northfirth",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			p := &client.ListVerdictsParams{}
			period := periodFlag(f)
			stringFlag(f, &p.Kind, "kind", "the `level` the key is of, such as rep or rep.territory; found out where one kind alone has it")
			return func(ctx context.Context, args []string) error {
				if len(args) != 1 {
					return usagef("expected the key of one subject")
				}
				if err := periodGiven(*period, nil); err != nil {
					return err
				}
				p.Key, p.Period = args[0], *period
				return showWhy(ctx, e, p)
			}
		},
	},
	{
		name: "show", args: "EXCEPTION", short: "one exception: why, its evidence and its history",
		example: "oskel show 41\noskel show -sweep 12 41",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			p := &client.GetExceptionParams{}
			numberFlag(f, &p.Sweep, "sweep", "as this `sweep` of its period left it; the last unless stated")
			return func(ctx context.Context, args []string) error {
				id, err := idArg(args, "exception")
				if err != nil {
					return err
				}
				c, err := e.api()
				if err != nil {
					return err
				}
				r, err := c.GetException(ctx, id, p)
				d, err := read[client.ExceptionDetail](e, r, err)
				if err != nil {
					return err
				}
				return showException(ctx, e, d)
			}
		},
	},
}

// stringFlag is a flag that leaves its target nil where it is not given.
func stringFlag(f *flag.FlagSet, target **string, name, usage string) {
	f.Func(name, usage, func(s string) error { *target = &s; return nil })
}

var sweepListColumns = []column{{head: "sweep", right: true}, {head: "period"}, {head: "revision", right: true}, {head: "data version", right: true}, {head: "raised", right: true}, {head: "standing", right: true}, {head: "cleared", right: true}, {head: "by"}, {head: "at"}, {head: "note", wrap: true}}

func sweepRows(all []client.Sweep) (rows [][]string) {
	for _, s := range all {
		rows = append(rows, []string{strconv.FormatInt(s.Id, 10), s.Period, strconv.Itoa(s.Revision), strconv.FormatInt(s.DataVersion, 10), strconv.Itoa(s.Raised), strconv.Itoa(s.Standing), strconv.Itoa(s.Cleared), s.By, s.At.Local().Format("2 Jan 2006 15:04"), text(s.Stale)})
	}
	return rows
}

func sweptWords(s client.Sweep) string {
	if s.Unchanged {
		return fmt.Sprintf("nothing has changed since sweep %d", s.Id)
	}
	return fmt.Sprintf("sweep %d", s.Id)
}

func numberFlag(f *flag.FlagSet, target **int64, name, usage string) {
	f.Func(name, usage, func(s string) error {
		n, err := strconv.ParseInt(s, 10, 64)
		if err != nil || n < 1 {
			return fmt.Errorf("%q is no number from 1 on", s)
		}
		*target = &n
		return nil
	})
}

// periodFlag is how every command is given its period.
func periodFlag(f *flag.FlagSet) *string {
	return f.String("period", "", "the `period`, such as 2026-10, 2026-W44, 2026-Q4 or the name of a window (required)")
}

func periodGiven(period string, args []string) error {
	switch {
	case period == "" && len(args) == 1:
		return usagef("the period is a flag: -period %s", args[0])
	case period == "":
		return usagef("-period is missing, such as -period 2026-10")
	case len(args) > 0:
		return usagef("%q was not expected", args[0])
	}
	return nil
}

// exportExceptions writes the service's own export, whose columns are typed.
func exportExceptions(ctx context.Context, e *env, p *client.ListExceptionsParams, top int) error {
	c, err := e.api()
	if err != nil {
		return err
	}
	if e.file != "" && top == 0 {
		return exceptionFile(ctx, e, c, p)
	}
	r, err := c.ExportExceptions(ctx, &client.ExportExceptionsParams{Period: p.Period, Rule: p.Rule, Grade: p.Grade, State: (*client.ExportExceptionsParamsState)(p.State), Kind: p.Kind, Desk: p.Desk, Text: p.Text, Sweep: p.Sweep,
		Group: p.Group, Sort: (*client.ExportExceptionsParamsSort)(p.Sort), Descending: p.Descending})
	body, err := readText(e, r, err)
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
		if slices.Contains([]string{"id", "value", "yardstick", "stake", "case", "streak", "beyond"}, name) {
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
	e.say("Wrote %s to %s.\n", counted(len(out.Rows), "exception"), e.file)
	return nil
}

// exceptionFile has the service write the file: a workbook has a legend.
func exceptionFile(ctx context.Context, e *env, c *client.Client, p *client.ListExceptionsParams) error {
	form := strings.TrimPrefix(filepath.Ext(e.file), ".")
	if !slices.Contains(sheet.Forms, "."+form) {
		form = "csv"
	}
	r, err := c.ExportExceptionFile(ctx, &client.ExportExceptionFileParams{Form: client.ExportExceptionFileParamsForm(form), Period: p.Period, Rule: p.Rule, Grade: p.Grade, State: (*client.ExportExceptionFileParamsState)(p.State), Kind: p.Kind, Desk: p.Desk, Text: p.Text, Sweep: p.Sweep,
		Group: p.Group, Sort: (*client.ExportExceptionFileParamsSort)(p.Sort), Descending: p.Descending})
	body, err := readText(e, r, err)
	if err != nil {
		return err
	}
	return e.written("the exceptions of "+p.Period, body)
}

func exceptionPages(ctx context.Context, e *env, p *client.ListExceptionsParams, top int) (all client.ExceptionPage, err error) {
	c, err := e.api()
	if err != nil {
		return all, err
	}
	limit := mostPage
	if top > 0 {
		limit = min(top, limit)
	}
	p.Limit = &limit
	err = allPages(e, func(cursor *string) (*http.Response, error) {
		p.Cursor = cursor
		return c.ListExceptions(ctx, p)
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

// marks draws grades as the rulebook says.
func marks(ctx context.Context, e *env) (func(grade string) string, error) {
	_, book, err := theBook(ctx, e)
	if err != nil {
		return nil, err
	}
	return func(grade string) string {
		for _, g := range book.Grades {
			if g.Name == grade {
				return e.mark(g.Shape, g.Tone, g.Label)
			}
		}
		return grade
	}, nil
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
	columns := []column{{head: "id", right: true}, {head: "grade"}, {head: "state"}, {head: "in a row", right: true}, {head: "rule"}, {head: "key"}, {head: "name"}, {head: "case", right: true}, {head: "sentence", wrap: true}}
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
			e.say("%s: %s%s.\n", g.Title, counted(g.Count, "exception"), stake)
		}
	}
	stake := ""
	if page.Stake != nil {
		stake = ", at stake " + *page.Stake
	}
	switch {
	case total == 0:
		e.say("No exceptions match in %s. Was it swept? oskel sweep -period %s\n", period, period)
	case len(all) < total:
		e.say("%d of %d exceptions%s.\n", len(all), total, stake)
	default:
		e.say("%s%s.\n", counted(total, "exception"), stake)
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
	fmt.Fprintf(e.out, "%s  %s (%s %s), %s\n\n", grade, e.strong(x.Name), x.Kind, x.Key, d.Label)
	for _, line := range wrapText(x.Sentence, e.room(0)) {
		fmt.Fprintln(e.out, line)
	}
	fmt.Fprintf(e.out, "\n%s: %s, %s\n", e.quiet("Rule"), x.RuleTitle, x.State)
	if d.Words != "" {
		for _, line := range wrapText(d.Words, e.room(2)) {
			fmt.Fprintln(e.out, "  "+line)
		}
	}
	fmt.Fprintln(e.out, "\n"+e.quiet("Evidence"))
	var rows [][]string
	for _, r := range d.Rows {
		rows = append(rows, []string{"  " + r.Label, r.Text})
	}
	e.pairs(rows)
	if len(d.History.Points) > 0 { // none of what is gone
		fmt.Fprintln(e.out, "\n"+e.quiet(d.History.Axis+", by "+d.History.Each))
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
		fmt.Fprintln(e.out, "\n"+e.quiet("What the sweeps of the period have said"))
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
		e.say("%s\n", *why)
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

func showSweep(e *env, s client.Sweep) error {
	var rows [][]string
	for _, t := range s.Tallies {
		notJudged, note := 0, ""
		for _, why := range slices.Sorted(maps.Keys(t.NotJudged)) {
			if notJudged += t.NotJudged[why]; note == "" || t.NotJudged[why] > t.NotJudged[note] {
				note = why // of most
			}
		}
		switch {
		case t.Crowded:
			note = "flags so many that nothing stands out; mark the rarer side"
		case t.Judged+t.NoData > 0 || note == "":
			note = ""
		default:
			note = "nobody is judged: " + note
		}
		rows = append(rows, []string{t.Rule, text(t.Level), strconv.Itoa(t.Flagged), strconv.Itoa(t.Judged), strconv.Itoa(t.Clear), strconv.Itoa(t.NoData), strconv.Itoa(notJudged), note})
	}
	err := e.show(s, []column{{head: "rule"}, {head: "level"}, {head: "flagged", right: true}, {head: "judged", right: true}, {head: "clear", right: true}, {head: "no data", right: true}, {head: "not judged", right: true}, {head: "note"}}, rows)
	if err != nil {
		return err
	}
	if s.SoFar != nil {
		e.say("So far, to %s; rules without 'so_far: true' open no cases yet.\n", s.SoFar.Format("2 Jan 2006"))
	}
	if s.Unchanged {
		e.say("Nothing has changed since sweep %d of %s (revision %d, data version %d).\n", s.Id, s.Period, s.Revision, s.DataVersion)
		return nil
	}
	e.say("Sweep %d of %s in %d ms (revision %d, data version %d): %d raised, %d standing, %d cleared.\n", s.Id, s.Period, s.TookMs, s.Revision, s.DataVersion, s.Raised, s.Standing, s.Cleared)
	if s.InPeace > 0 {
		e.say("%s of subjects that are left in peace; oskel left-in-peace lists them.\n", counted(s.InPeace, "flag"))
	}
	d := s.Difference
	if d == nil {
		return nil
	}
	others := ""
	if d.OtherValue != nil {
		others = fmt.Sprintf(", %d of them by another value", *d.OtherValue)
	}
	e.say("Against sweep %d: %d flagged, %d no longer, %d with another grade, %d the same%s.\n", d.Sweep, d.Flagged, d.NoLonger, d.Regraded, d.Same, others)
	if d.Stands != nil {
		e.say("Not judged again, since nothing that they read has changed: %s.\n", counted(*d.Stands, "rule"))
	}
	for _, x := range d.Examples {
		line := fmt.Sprintf("  %s: %s %s (%s)", x.Change, x.Kind, x.Key, x.Name)
		switch x.Change {
		case "flagged":
			line += ", now " + *x.After
		case "no longer":
			line += ", was " + *x.Before
		default:
			line += fmt.Sprintf(", %s becomes %s", *x.Before, *x.After)
		}
		e.say("%s, by %s\n", line, x.Rule)
	}
	return nil
}

func showWhy(ctx context.Context, e *env, p *client.ListVerdictsParams) error {
	c, err := e.api()
	if err != nil {
		return err
	}
	r, err := c.ListVerdicts(ctx, p)
	d, err := read[client.SubjectVerdicts](e, r, err)
	if err != nil {
		return err
	}
	mark, err := marks(ctx, e)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, v := range d.Verdicts {
		verdict := string(v.Outcome)
		if v.Grade != "" {
			verdict = mark(v.Grade)
		}
		rows = append(rows, []string{verdict, v.Rule, text(v.Held), text(v.Cut), text(v.Away), v.Sentence})
	}
	if e.format == "table" {
		fmt.Fprintf(e.out, "%s %s (%s), %s\n", d.Kind, d.Key, d.Name, d.Words) //nolint:errcheck // as all that is shown
	}
	if err := e.show(d, []column{{head: "says"}, {head: "rule"}, {head: "held", right: true}, {head: "nearest cut", right: true}, {head: "away", right: true}, {head: "sentence", wrap: true}}, rows); err != nil {
		return err
	}
	for _, n := range d.Silent {
		e.say("%s.\n", n.Title)
	}
	if d.Elsewhere > 0 {
		e.say("%s judge%s other kinds.\n", counted(d.Elsewhere, "rule"), map[bool]string{true: "s"}[d.Elsewhere == 1])
	}
	return nil
}

var errDiffers = errors.New("what is on record is not what is computed")

func verify(ctx context.Context, e *env, c *client.Client, id int64) error {
	r, err := c.GetVerification(ctx, id)
	v, err := read[client.Verification](e, r, err)
	if err != nil {
		return err
	}
	if e.format != "table" {
		var rows [][]string
		for _, m := range v.Wrong {
			id := ""
			if m.Exception != nil {
				id = strconv.FormatInt(*m.Exception, 10)
			}
			rows = append(rows, []string{id, m.Rule, m.Key, m.What, m.Recorded, m.Recomputed})
		}
		if err := e.show(v, []column{{head: "exception", right: true}, {head: "rule"}, {head: "key"}, {head: "what"}, {head: "recorded"}, {head: "recomputed"}}, rows); err != nil {
			return err
		}
	} else {
		fmt.Fprintf(e.out, "Sweep %d of %s, revision %d, data version %d: %s checked.\n", v.Sweep, v.Period, v.Revision, v.DataVersion, counted(v.Checked, "exception")) //nolint:errcheck // as all that is shown
		for _, m := range v.Wrong {
			where := "no exception"
			if m.Exception != nil {
				where = fmt.Sprintf("exception %d", *m.Exception)
			}
			fmt.Fprintf(e.out, "  %s, %s of %s: %s is %q on record, and %q when it is computed again\n", where, m.Rule, m.Key, m.What, m.Recorded, m.Recomputed) //nolint:errcheck // as all that is shown
		}
	}
	if v.OvertakenBy != nil {
		e.say("Sweep %d of the period has overtaken it.\n", *v.OvertakenBy)
	}
	if v.Earlier {
		e.say("It was made by an earlier version of the service, which may have judged otherwise: sweep the period again.\n")
	}
	if v.Count > 0 {
		return errDiffers
	}
	e.say("All of it holds.\n")
	return nil
}
