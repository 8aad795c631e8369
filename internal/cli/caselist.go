package cli

import (
	"context"
	"flag"
	"fmt"
	"net/http"
	"strconv"

	"oskel/internal/client"
)

// event writes one entry of a case's history.
func (e *env) event(x client.CaseEvent) {
	did := x.By + " " + x.Words
	if x.Text != "" {
		did += ": " + x.Text
	}
	fmt.Fprintf(e.out, "  %s  %s\n", e.dim(e.moment(x.At)), did)
}

// caseAction does one thing to one case and shows how it then stands.
func caseAction(e *env, do func(ctx context.Context, id int64) (*http.Response, error)) func(context.Context, []string) error {
	return func(ctx context.Context, args []string) error {
		id, err := idArg(args, "case")
		if err != nil {
			return err
		}
		d, err := read[client.CaseDetail](e)(do(ctx, id))
		if err != nil {
			return err
		}
		return showCase(ctx, e, d)
	}
}

func stateText(c client.Case) string {
	switch c.State {
	case "taken":
		return "taken by " + *c.TakenBy
	case "settled":
		return "settled: " + *c.Finding
	case "parked":
		until := "for " + text(c.ParkedFor)
		if c.ParkedTo != nil {
			until = "until " + c.ParkedTo.Format("2 Jan 2006")
		}
		if c.TakenBy != nil {
			until += ", " + *c.TakenBy
		}
		return "parked " + until
	}
	return "open"
}

func showCases(ctx context.Context, e *env, list []client.Case) error {
	mark, err := marks(ctx, e)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, c := range list {
		due := e.day(c.Due)
		if e.format == "table" && c.Late {
			due += " late"
		}
		grade := mark(c.Grade)
		if c.Cleared {
			grade = "cleared"
		}
		rows = append(rows, []string{strconv.FormatInt(c.Id, 10), grade, due, c.Desk, c.Key, c.Name, stateText(c), strconv.Itoa(c.Items),
			e.sum(or(text(c.Stake), "0")), c.Sentence})
	}
	columns := []column{{head: "case", right: true}, {head: "grade"}, {head: "due"}, {head: "desk"}, {head: "key"}, {head: "name"}, {head: "state"},
		{head: "items", right: true}, {head: "stake", right: true}, {head: "sentence", wrap: true}}
	if err := e.show(list, columns, rows); err != nil {
		return err
	}
	if len(list) == 0 {
		e.printf("No cases match. Cases of all desks: oskel cases -all\n")
	}
	return nil
}

// flagFinding says which finding a flag of a case has of its own.
func flagFinding(c client.Case, flag int64) string {
	if c.FlagFindings != nil {
		for _, f := range *c.FlagFindings {
			if f.Exception == flag {
				return ": " + string(f.Finding)
			}
		}
	}
	return ""
}

func showCase(ctx context.Context, e *env, d client.CaseDetail) error {
	if e.format != "table" {
		var rows [][]string
		for _, x := range d.Events {
			rows = append(rows, []string{e.moment(x.At), x.By, x.Words, x.Text})
		}
		return e.show(d, []column{{head: "at"}, {head: "by"}, {head: "what"}, {head: "text"}}, rows)
	}
	mark, err := marks(ctx, e)
	if err != nil {
		return err
	}
	c := d.Case
	grade := mark(c.Grade)
	if c.Cleared {
		grade = "all cleared"
	}
	fmt.Fprintf(e.out, "Case %d  %s  %s (%s %s)\n%s, %s, due %s\n\n", c.Id, grade, e.bold(c.Name), c.Kind, c.Key, c.Desk, stateText(c),
		c.Due.Format("2 Jan 2006"))
	for _, x := range d.Exceptions {
		grade := mark(x.Grade)
		if x.State == "cleared" {
			grade = "cleared"
		}
		fmt.Fprintf(e.out, "  %s  %s, %s (exception %d)%s\n", grade, x.RuleTitle, x.Period, x.Id, flagFinding(c, x.Id))
		for _, line := range wrapText(x.Sentence, e.room(4)) {
			fmt.Fprintln(e.out, "    "+line)
		}
	}
	fmt.Fprintln(e.out)
	for _, t := range d.Todos {
		until := "by " + t.Due.Format("2 Jan 2006")
		if t.DoneBy != nil {
			until = "done by " + *t.DoneBy
		}
		fmt.Fprintf(e.out, "  To do %d, %s, %s: %s\n", t.Id, t.Owner, until, t.Text)
	}
	for _, f := range d.Files {
		fmt.Fprintf(e.out, "  File %d: %s, %s, %s\n", f.Id, f.Name, sizeWords(f.Size), f.By)
	}
	if len(d.Todos)+len(d.Files) > 0 {
		fmt.Fprintln(e.out)
	}
	for _, x := range d.Events {
		e.event(x)
	}
	e.stale(d.Stale)
	return nil
}

var caseListCommands = []command{
	{
		name: "cases", lists: true, short: "list the cases on your desks, or on all, by due day",
		example: "oskel cases\noskel cases -all -state settled\noskel cases -desk northfirth -sort due -descending\noskel cases -late -group person -keep " +
			"\"Late, by person\"\noskel cases -view \"Late, by person\"",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			p := &client.ListCasesParams{}
			stringFlag(f, &p.Desk, "desk", "only of this `desk`")
			all := f.Bool("all", false, "of all desks")
			state := f.String("state", "unsettled", "open, taken, parked, settled or unsettled")
			stringFlag(f, &p.Grade, "grade", "only of this `grade`")
			stringFlag(f, &p.Kind, "kind", "only about subjects of this `kind`")
			stringFlag(f, &p.Rule, "rule", "only with something that this `rule` has flagged")
			stringFlag(f, &p.Person, "person", "only those that this `account` has taken")
			stringFlag(f, &p.Text, "text", "only about subjects whose key or name contains this `text`")
			p.Late = f.Bool("late", false, "only late ones: not settled, and due before today")
			enumFlag(f, &p.Group, "group", "group by desk, grade, kind, person or state")
			p.Held = f.Bool("held", false, "only those that you have taken")
			p.Stranded = f.Bool("stranded", false, "only stuck cases: of desks without members, or of absent people past their due day")
			p.Told = f.Bool("told", false, "only those copied to you or your desks")
			p.Asked = f.Bool("asked", false, "only those with a question to you")
			view := f.String("view", "", "as this saved `view` of cases; other flags override it")
			keep := f.String("save", "", "save these filters as a view by this `name`")
			shared := f.Bool("shared", false, "with -save: share it")
			return func(ctx context.Context, _ []string) error {
				stated := map[string]bool{}
				f.Visit(func(f *flag.Flag) { stated[f.Name] = true })
				if *view != "" {
					if err := casesViewed(ctx, e, *view, p, stated, state); err != nil {
						return err
					}
				}
				if *keep != "" {
					if err := keepCases(ctx, e, *keep, *shared, p, *state); err != nil {
						return err
					}
				}
				mine := !*all && p.Desk == nil
				p.Mine, p.State = &mine, (*client.ListCasesParamsState)(state)
				list, groups := []client.Case{}, []client.CaseGroup{}
				p.Limit = ptr(mostPage)
				err := allPages(e, func(cursor *string) (*http.Response, error) {
					p.Cursor = cursor
					return e.client.ListCases(ctx, p)
				}, func(page client.CasePage) (*string, bool) {
					if list = append(list, page.Items...); page.Groups != nil {
						groups = *page.Groups
					}
					return page.Next, false
				})
				if err == nil {
					err = showCases(ctx, e, list)
				}
				if err == nil && e.format == "table" {
					for _, g := range groups {
						late := ""
						if g.Late > 0 {
							late = fmt.Sprintf(", %d late", g.Late)
						}
						e.printf("%s: %s%s.\n", g.Title, counted(g.Cases, "case"), late)
					}
				}
				return err
			}
		},
	},
	{
		name: "case show", args: "CASE", short: "show one case: its exceptions and history",
		example: "oskel case show 12",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return caseAction(e, func(ctx context.Context, id int64) (*http.Response, error) {
				return e.client.GetCase(ctx, id)
			})
		},
	},
}
