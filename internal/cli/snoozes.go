package cli

import (
	"context"
	"flag"
	"strconv"
	"strings"

	openapi_types "github.com/oapi-codegen/runtime/types"

	"oskel/internal/client"
)

// snoozeOf reads how somebody is snoozed; nil where they are not.
func snoozeOf(until, worse string, all bool) (*client.NewSnooze, error) {
	if until == "" {
		if worse != "" || all {
			return nil, usagef("-worse and -all-rules go with -snooze DAY")
		}
		return nil, nil
	}
	var day *openapi_types.Date
	if err := dayFlag(until, "-snooze", &day); err != nil {
		return nil, err
	}
	p := &client.NewSnooze{Until: *day, All: &all}
	if worse != "" {
		percent, is := strings.CutSuffix(worse, "%")
		share, err := strconv.ParseFloat(percent, 64)
		if !is || err != nil {
			return nil, usagef("-worse takes a share such as 50%%, not %q", worse)
		}
		p.Worse = ptr(share / 100)
	}
	return p, nil
}

var snoozeCommands = []command{
	{
		name: "case snoozes", lists: true, short: "list the snoozed subjects, whose flags open no case",
		example: "oskel case snoozes",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, _ []string) error {
				all, err := read[[]client.Snooze](e)(e.client.ListSnoozes(ctx))
				if err != nil {
					return err
				}
				var rows [][]string
				for _, p := range all {
					worse := ""
					if p.Worse != nil {
						worse = strconv.FormatFloat(*p.Worse*100, 'f', -1, 64) + "%"
					}
					rows = append(rows, []string{strconv.FormatInt(p.Id, 10), p.Kind, p.Key, p.Name, or(text(p.Rule), "all"), e.day(p.Until), worse,
						strconv.FormatInt(p.Case, 10), p.By})
				}
				return e.show(all, []column{{head: "snooze", right: true}, {head: "kind"}, {head: "key"}, {head: "name"}, {head: "rule"}, {head: "until"},
					{head: "or worse by", right: true}, {head: "case", right: true}, {head: "by"}}, rows)
			}
		},
	},
	{
		name: "case end-snooze", args: "PEACE", short: "end a snooze before its day",
		example: "oskel case end-snooze 3",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				id, err := idArg(args, "peace")
				if err != nil {
					return err
				}
				cases, err := read[[]client.Case](e)(e.client.EndSnooze(ctx, id))
				if err != nil {
					return err
				}
				if e.printf("Ended snooze %d; its current flags open a case again.\n", id); len(cases) == 0 {
					return nil
				}
				return showCases(ctx, e, cases)
			}
		},
	},
}
