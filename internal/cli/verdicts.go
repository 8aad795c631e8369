package cli

import (
	"context"
	"flag"
	"fmt"

	"oskel/internal/client"
)

func showWhy(ctx context.Context, e *env, p *client.ListVerdictsParams) error {
	d, err := read[client.SubjectVerdicts](e)(e.client.ListVerdicts(ctx, p))
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
	if err := e.show(d, []column{{head: "says"}, {head: "rule"}, {head: "held", right: true}, {head: "nearest cut", right: true},
		{head: "away", right: true}, {head: "sentence", wrap: true}}, rows); err != nil {
		return err
	}
	for _, n := range d.Silent {
		e.printf("%s.\n", n.Title)
	}
	if d.Elsewhere > 0 {
		e.printf("%s judge%s other kinds.\n", counted(d.Elsewhere, "rule"), map[bool]string{true: "s"}[d.Elsewhere == 1])
	}
	return nil
}

var verdictCommands = []command{
	{
		name: "exceptions verdicts", args: "KEY", short: "list the verdict of each rule on one subject, flagged or not",
		long:    "By the published rules and the data as they are now, in the given period, or the last period of the rule's grain within it.",
		example: "oskel exceptions verdicts -period 2026-10 R-17\noskel exceptions verdicts -period 2026-10 -kind rep.territory Northfirth",
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
}
