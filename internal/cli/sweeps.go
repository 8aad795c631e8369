package cli

import (
	"context"
	"flag"
	"fmt"
	"net/http"
	"strconv"

	"oskel/internal/client"
)

var sweepCommands = []command{
	{
		name: "sweep", args: "PERIOD", short: "evaluate the published rules for a month and record the exceptions",
		long:    "The same rules on the same data change nothing. After corrected lines it says what\nis flagged now, what no longer is, and what has another grade.",
		example: "oskel sweep 2026-10\noskel sweep -no-cases 2025-03",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			noCases := f.Bool("no-cases", false, "record the exceptions without putting them on desks")
			return func(ctx context.Context, args []string) error {
				if len(args) != 1 {
					return usagef("expected one month, such as 2026-10")
				}
				c, err := e.api()
				if err != nil {
					return err
				}
				open := !*noCases
				r, err := c.CreateSweep(ctx, client.NewSweep{Period: args[0], OpenCases: &open})
				s, err := read[client.Sweep](e, r, err)
				if err != nil {
					return err
				}
				return showSweep(e, s)
			}
		},
	},
	{
		name: "exceptions", args: "PERIOD", short: "list the exceptions of a month, the most serious first",
		example: "oskel exceptions 2026-10\noskel exceptions -grade act -format csv 2026-10 > act.csv",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			p := &client.ListExceptionsParams{}
			stringFlag(f, &p.Rule, "rule", "only of this `rule`")
			stringFlag(f, &p.Grade, "grade", "only of this `grade`")
			stringFlag(f, &p.Kind, "kind", "only subjects of this `kind`")
			stringFlag(f, &p.Desk, "desk", "only those that go to this `desk`")
			stringFlag(f, &p.Text, "text", "only subjects whose key or name contains this `text`")
			state := f.String("state", "flagged", "raised, standing, cleared, flagged (raised and standing) or all")
			top := f.Int("top", 0, "at most this many; 0 is all")
			return func(ctx context.Context, args []string) error {
				if len(args) != 1 {
					return usagef("expected one month, such as 2026-10")
				}
				p.Period = args[0]
				if *state != "all" {
					p.State = (*client.ListExceptionsParamsState)(state)
				}
				all, total, err := exceptionPages(ctx, e, p, *top)
				if err != nil {
					return err
				}
				return showExceptions(ctx, e, all, total, args[0])
			}
		},
	},
	{
		name: "show", args: "EXCEPTION", short: "one exception: why, its evidence and its history",
		example: "oskel show 41",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				id, err := idArg(args, "exception")
				if err != nil {
					return err
				}
				c, err := e.api()
				if err != nil {
					return err
				}
				r, err := c.GetException(ctx, id)
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

func exceptionPages(ctx context.Context, e *env, p *client.ListExceptionsParams, top int) ([]client.Exception, int, error) {
	c, err := e.api()
	if err != nil {
		return nil, 0, err
	}
	all := []client.Exception{}
	limit, total := mostPage, 0
	if top > 0 {
		limit = min(top, limit)
	}
	p.Limit = &limit
	err = allPages(e, func(cursor *string) (*http.Response, error) {
		p.Cursor = cursor
		return c.ListExceptions(ctx, p)
	}, func(page client.ExceptionPage) (*string, bool) {
		all, total = append(all, page.Items...), page.Total
		return page.Next, top > 0 && len(all) >= top
	})
	if top > 0 {
		all = all[:min(top, len(all))]
	}
	return all, total, err
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

func showExceptions(ctx context.Context, e *env, all []client.Exception, total int, period string) error {
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
		rows = append(rows, []string{strconv.FormatInt(x.Id, 10), grade, string(x.State), x.Rule, x.Key, x.Name, caseID, x.Sentence})
	}
	columns := []column{{head: "id", right: true}, {head: "grade"}, {head: "state"}, {head: "rule"}, {head: "key"}, {head: "name"}, {head: "case", right: true}, {head: "sentence", wrap: true}}
	if err := e.show(all, columns, rows); err != nil {
		return err
	}
	switch {
	case total == 0:
		e.say("No exceptions match in %s. Was it swept? oskel sweep %s\n", period, period)
	case len(all) < total:
		e.say("%d of %d exceptions.\n", len(all), total)
	default:
		e.say("%s.\n", counted(total, "exception"))
	}
	return nil
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
	fmt.Fprintf(e.out, "%s  %s (%s %s), %s\n\n", mark(x.Grade), e.strong(x.Name), x.Kind, x.Key, d.Label)
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
	fmt.Fprintln(e.out, "\n"+e.quiet(d.History.Axis+", by month"))
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
	fmt.Fprintf(e.out, "\nRevision %d, data version %d, sweep %d.", d.Revision, d.DataVersion, d.Sweep)
	if x.Case != nil {
		fmt.Fprintf(e.out, " Case %d on %s is %s.", *x.Case, x.Desk, *x.CaseState)
	}
	fmt.Fprintln(e.out)
	return nil
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
		notJudged := 0
		for _, n := range t.NotJudged {
			notJudged += n
		}
		note := ""
		if t.Crowded {
			note = "flags so many that nothing stands out; mark the rarer side"
		}
		rows = append(rows, []string{t.Rule, strconv.Itoa(t.Flagged), strconv.Itoa(t.Judged), strconv.Itoa(t.Clear), strconv.Itoa(t.NoData), strconv.Itoa(notJudged), note})
	}
	err := e.show(s, []column{{head: "rule"}, {head: "flagged", right: true}, {head: "judged", right: true}, {head: "clear", right: true}, {head: "no data", right: true}, {head: "not judged", right: true}, {head: "note"}}, rows)
	if err != nil {
		return err
	}
	if s.Unchanged {
		e.say("Nothing has changed since sweep %d of %s (revision %d, data version %d).\n", s.Id, s.Period, s.Revision, s.DataVersion)
		return nil
	}
	e.say("Sweep %d of %s in %d ms (revision %d, data version %d): %d raised, %d standing, %d cleared.\n", s.Id, s.Period, s.TookMs, s.Revision, s.DataVersion, s.Raised, s.Standing, s.Cleared)
	d := s.Difference
	if d == nil {
		return nil
	}
	e.say("Against sweep %d: %d flagged, %d no longer, %d with another grade, %d the same.\n", d.Sweep, d.Flagged, d.NoLonger, d.Regraded, d.Same)
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
