package cli

import (
	"context"
	"flag"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"oskel/internal/client"
)

var caseCommands = []command{
	{
		name: "cases", lists: true, short: "list the cases on your desks, or on all, by due day",
		example: "oskel cases\noskel cases -all -state settled\noskel cases -desk northfirth -sort due -descending",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			p := &client.ListCasesParams{}
			stringFlag(f, &p.Desk, "desk", "only of this `desk`")
			all := f.Bool("all", false, "of all desks")
			state := f.String("state", "unsettled", "open, taken, settled or unsettled")
			return func(ctx context.Context, _ []string) error {
				c, err := e.api()
				if err != nil {
					return err
				}
				mine := !*all && p.Desk == nil
				p.Mine, p.State = &mine, (*client.ListCasesParamsState)(state)
				list := []client.Case{}
				p.Limit = ptr(mostPage)
				err = allPages(e, func(cursor *string) (*http.Response, error) {
					p.Cursor = cursor
					return c.ListCases(ctx, p)
				}, func(page client.CasePage) (*string, bool) {
					list = append(list, page.Items...)
					return page.Next, false
				})
				if err != nil {
					return err
				}
				return showCases(ctx, e, list)
			}
		},
	},
	{
		name: "case", args: "CASE", short: "one case: its items and who did what when",
		example: "oskel case 12",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return caseAction(e, func(ctx context.Context, c *client.Client, id int64) (*http.Response, error) {
				return c.GetCase(ctx, id)
			})
		},
	},
	{
		name: "take", args: "CASE", short: "take a case of your desk",
		example: "oskel take 12",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return caseAction(e, func(ctx context.Context, c *client.Client, id int64) (*http.Response, error) {
				return c.TakeCase(ctx, id, &client.TakeCaseParams{})
			})
		},
	},
	{
		name: "release", args: "CASE", short: "put a taken case back on the desk",
		example: "oskel release 12",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return caseAction(e, func(ctx context.Context, c *client.Client, id int64) (*http.Response, error) {
				return c.ReleaseCase(ctx, id, &client.ReleaseCaseParams{})
			})
		},
	},
	{
		name: "comment", args: "CASE TEXT", short: "add a comment to a case",
		example: "oskel comment 12 \"Asked the rep; waiting for the invoice.\"",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				if len(args) < 2 {
					return usagef("expected the number of a case and a text")
				}
				text := strings.Join(args[1:], " ")
				return caseAction(e, func(ctx context.Context, c *client.Client, id int64) (*http.Response, error) {
					return c.CommentCase(ctx, id, client.Comment{Text: text})
				})(ctx, args[:1])
			}
		},
	},
	{
		name: "settle", args: "[CASE]", short: "settle a case with a finding, or all that have cleared",
		example: "oskel settle -cleared\noskel settle -finding explained -note \"On leave\" 12",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			finding := f.String("finding", "", "confirmed, explained, data fault, rule fault or, where all has cleared, cleared (required)")
			cleared := f.Bool("cleared", false, "settle all cases in which nothing is flagged any more")
			desk := f.String("desk", "", "with -cleared, only of this `desk`")
			note := f.String("note", "", "a sentence for those who come after")
			return func(ctx context.Context, args []string) error {
				if *cleared {
					if len(args) > 0 || *finding != "" {
						return usagef("-cleared settles all cleared cases, with the finding 'cleared'; name no case and no finding")
					}
					return settleCleared(ctx, e, *desk)
				}
				if *finding == "" {
					return usagef("-finding is missing: confirmed, explained, data fault, rule fault or cleared")
				}
				return caseAction(e, func(ctx context.Context, c *client.Client, id int64) (*http.Response, error) {
					return c.SettleCase(ctx, id, &client.SettleCaseParams{}, client.Finding{Finding: client.FindingFinding(*finding), Note: note})
				})(ctx, args)
			}
		},
	},
}

func settleCleared(ctx context.Context, e *env, desk string) error {
	c, err := e.api()
	if err != nil {
		return err
	}
	var ask client.ClearedRequest
	if desk != "" {
		ask.Desk = &desk
	}
	r, err := c.SettleCleared(ctx, ask)
	s, err := read[client.Settled](e, r, err)
	if err != nil {
		return err
	}
	if e.format == "json" {
		return e.show(s, nil, nil)
	}
	e.say("Settled %s as cleared.\n", counted(s.Settled, "case"))
	return nil
}

// caseAction does one thing to one case and shows how it then stands.
func caseAction(e *env, do func(context.Context, *client.Client, int64) (*http.Response, error)) func(context.Context, []string) error {
	return func(ctx context.Context, args []string) error {
		id, err := idArg(args, "case")
		if err != nil {
			return err
		}
		c, err := e.api()
		if err != nil {
			return err
		}
		r, err := do(ctx, c, id)
		d, err := read[client.CaseDetail](e, r, err)
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
		due := c.Due.Format("2 Jan 2006")
		if e.format == "csv" {
			due = c.Due.Format("2006-01-02")
		} else if c.Late {
			due += " late"
		}
		grade := mark(c.Grade)
		if c.Cleared {
			grade = "cleared"
		}
		rows = append(rows, []string{strconv.FormatInt(c.Id, 10), grade, due, c.Desk, c.Key, c.Name, stateText(c), strconv.Itoa(c.Items), c.Sentence})
	}
	columns := []column{{head: "case", right: true}, {head: "grade"}, {head: "due"}, {head: "desk"}, {head: "key"}, {head: "name"}, {head: "state"}, {head: "items", right: true}, {head: "sentence", wrap: true}}
	if err := e.show(list, columns, rows); err != nil {
		return err
	}
	if len(list) == 0 {
		e.say("No cases. Those of all desks: oskel cases -all\n")
	}
	return nil
}

func showCase(ctx context.Context, e *env, d client.CaseDetail) error {
	if e.format != "table" {
		var rows [][]string
		for _, x := range d.Events {
			rows = append(rows, []string{x.At.UTC().Format("2006-01-02T15:04:05Z"), x.By, string(x.What), x.Text})
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
	fmt.Fprintf(e.out, "Case %d  %s  %s (%s %s)\n%s, %s, due %s\n\n", c.Id, grade, e.strong(c.Name), c.Kind, c.Key, c.Desk, stateText(c), c.Due.Format("2 Jan 2006"))
	for _, x := range d.Exceptions {
		grade := mark(x.Grade)
		if x.State == "cleared" {
			grade = "cleared"
		}
		fmt.Fprintf(e.out, "  %s  %s, %s (exception %d)\n", grade, x.RuleTitle, x.Period, x.Id)
		for _, line := range wrapText(x.Sentence, e.room(4)) {
			fmt.Fprintln(e.out, "    "+line)
		}
	}
	fmt.Fprintln(e.out)
	for _, x := range d.Events {
		fmt.Fprintf(e.out, "  %s  %-10s %-9s %s\n", e.quiet(x.At.Local().Format("2 Jan 2006 15:04")), x.By, x.What, x.Text)
	}
	e.stale(d.Stale)
	return nil
}
