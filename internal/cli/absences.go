package cli

import (
	"cmp"
	"context"
	"flag"
	"strconv"

	openapi_types "github.com/oapi-codegen/runtime/types"

	"oskel/internal/client"
)

func showAbsences(e *env, all []client.Absence) error {
	var rows [][]string
	for _, a := range all {
		rows = append(rows, []string{strconv.FormatInt(a.Id, 10), a.Person, e.day(a.First), e.day(a.Last), text(a.StandIn), a.By})
	}
	return e.show(all, []column{{head: "absence", right: true}, {head: "who"}, {head: "from"}, {head: "to"}, {head: "stand-in"}, {head: "by"}}, rows)
}

var absenceCommands = []command{
	{
		name: "absence add", short: "add an absence of yours and a stand-in, who gets your new cases",
		example: "oskel absence add -from 2026-12-21 -to 2027-01-02 -stand-in sig\noskel absence add -who nell -from 2026-12-21 -to 2026-12-23",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			from, to := f.String("from", "", "the first `day` (required)"), f.String("to", "", "the last `day` (required)")
			var ask client.NewAbsence
			stringFlag(f, &ask.StandIn, "stand-in", "the account of the `person` who stands in")
			stringFlag(f, &ask.Person, "who", "as a lead: the account of the `person` who is away")
			return func(ctx context.Context, _ []string) error {
				var first, last *openapi_types.Date
				if err := cmp.Or(dayFlag(*from, "-from", &first), dayFlag(*to, "-to", &last)); err != nil {
					return err
				}
				if first == nil || last == nil {
					return usagef("state -from DAY and -to DAY")
				}
				ask.First, ask.Last = *first, *last
				a, err := read[client.Absence](e)(e.client.CreateAbsence(ctx, ask))
				if err != nil {
					return err
				}
				return showAbsences(e, []client.Absence{a})
			}
		},
	},
	{
		name: "absence list", lists: true, short: "list the absences of today and later, with the stand-ins",
		example: "oskel absence list",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, _ []string) error {
				all, err := read[[]client.Absence](e)(e.client.ListAbsences(ctx))
				if err != nil {
					return err
				}
				return showAbsences(e, all)
			}
		},
	},
	{
		name: "absence remove", args: "ABSENCE", short: "remove an absence of yours, or any (leads only)",
		example: "oskel absence remove 3",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				id, err := idArg(args, "absence")
				if err != nil {
					return err
				}
				if _, err := read[struct{}](e)(e.client.DeleteAbsence(ctx, id)); err != nil {
					return err
				}
				e.printf("Removed absence %d.\n", id)
				return nil
			}
		},
	},
}
