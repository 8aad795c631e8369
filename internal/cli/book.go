package cli

import (
	"context"
	"flag"
	"fmt"
	"net/http"
	"os"
	"strconv"

	"oskel/core/judge"
	"oskel/internal/client"
)

var bookCommands = []command{
	{
		name: "check", args: "RULEBOOK", short: "check a rulebook file, without a service", local: true,
		long:    "Lists every problem with its line and column and exits with 1, or says what each\nrule does and exits with 0.",
		example: "oskel check rulebook.yaml",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(_ context.Context, args []string) error {
				text, err := bookArg(args)
				if err != nil {
					return err
				}
				book, problems, advice := judge.ReadBook(text)
				if len(problems) > 0 {
					for _, p := range problems {
						fmt.Fprintf(e.out, "%s:%d:%d: %s: %s\n", args[0], p.Line, p.Column, p.Path, p.Text)
					}
					e.say("%s; nothing of this can be published.\n", counted(len(problems), "problem"))
					return errSilent
				}
				for i := range book.Rules {
					r := &book.Rules[i]
					fmt.Fprintf(e.out, "%s (%s): %s\n", r.Name, r.Family(), book.Words(r))
				}
				for _, p := range advice {
					e.say("%s:%d:%d: mind: %s: %s\n", args[0], p.Line, p.Column, p.Path, p.Text)
				}
				e.say("%d rules, %d measures, %d desks: nothing is wrong with them.\n", len(book.Rules), len(book.Measures), len(book.Desks))
				return nil
			}
		},
	},
	{
		name: "publish", args: "RULEBOOK", short: "publish a rulebook file as a new revision",
		long:    "The service checks it again. -based-on names the revision the file was made from;\nif another was published since, the publishing is refused with the difference.",
		example: "oskel publish -note \"Margin floor 23%\" rulebook.yaml\noskel publish -based-on 4 -note \"Margin floor 23%\" rulebook.yaml",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			note := f.String("note", "", "why; it is kept with the revision (required)")
			basedOn := f.Int("based-on", -1, "the `revision` the file was made from; without it, the one published now")
			return func(ctx context.Context, args []string) error {
				if *note == "" {
					return errNoNote
				}
				text, err := bookArg(args)
				if err != nil {
					return err
				}
				return publishAs(ctx, e, *note, func(c *client.Client, now int) (*http.Response, error) {
					if *basedOn >= 0 {
						now = *basedOn
					}
					return c.PublishRevision(ctx, client.NewRevision{Text: string(text), Note: *note, BasedOn: now})
				})
			}
		},
	},
	{
		name: "rules", short: "what each published rule says, and how many it flags",
		example: "oskel rules -period 2026-10",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			period := f.String("period", "", "the `month` to count in, such as 2026-10")
			return func(ctx context.Context, _ []string) error {
				c, err := e.api()
				if err != nil {
					return err
				}
				params := &client.ListRulesParams{}
				if *period != "" {
					params.Period = period
				}
				r, err := c.ListRules(ctx, params)
				all, err := read[[]client.Rule](e, r, err)
				if err != nil {
					return err
				}
				var rows [][]string
				for _, r := range all {
					flagged, judged := "", ""
					if r.Tally != nil {
						flagged, judged = strconv.Itoa(r.Tally.Flagged), strconv.Itoa(r.Tally.Judged)
					}
					rows = append(rows, []string{r.Name, r.Family, r.Judges, flagged, judged, r.Words})
				}
				return e.show(all, []column{{head: "rule"}, {head: "family"}, {head: "judges"}, {head: "flagged", right: true}, {head: "judged", right: true}, {head: "says", wrap: true}}, rows)
			}
		},
	},
	{
		name: "rulebook", short: "write the published rulebook to standard output",
		example: "oskel rulebook > rulebook.yaml",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, _ []string) error {
				_, book, err := theBook(ctx, e)
				if err != nil {
					return err
				}
				if e.format == "json" {
					return e.show(book, nil, nil)
				}
				e.say("Revision %d\n", book.Revision)
				fmt.Fprint(e.out, book.Text)
				return nil
			}
		},
	},
}

// theBook is the published rulebook, and a client to go on with.
func theBook(ctx context.Context, e *env) (*client.Client, client.Rulebook, error) {
	c, err := e.api()
	if err != nil {
		return nil, client.Rulebook{}, err
	}
	r, err := c.GetRulebook(ctx)
	book, err := read[client.Rulebook](e, r, err)
	return c, book, err
}

var errNoNote = usagef("-note is missing: say why, for those who come after")

// publishAs makes a new revision from the one published now, and says what it
// changes.
func publishAs(ctx context.Context, e *env, note string, publish func(c *client.Client, basedOn int) (*http.Response, error)) error {
	if note == "" {
		return errNoNote
	}
	c, now, err := theBook(ctx, e)
	if err != nil {
		return err
	}
	r, err := publish(c, now.Revision)
	revision, err := read[client.Revision](e, r, err)
	if err != nil {
		return err
	}
	if e.format == "json" {
		return e.show(revision, nil, nil)
	}
	e.say("Published revision %d:\n", revision.Number)
	for _, d := range revision.Differences {
		e.say("  %s\n", d)
	}
	return nil
}

func counted(n int, one string) string {
	if n == 1 {
		return "1 " + one
	}
	return strconv.Itoa(n) + " " + one + "s"
}

func bookArg(args []string) ([]byte, error) {
	if len(args) != 1 {
		return nil, usagef("expected one rulebook file, found %d arguments", len(args))
	}
	text, err := os.ReadFile(args[0])
	if err != nil {
		return nil, fmt.Errorf("reading the rulebook: %w", err)
	}
	return text, nil
}
