package cli

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"strconv"

	"oskel/internal/client"
)

var errDiffers = errors.New("the record differs from the recomputation")

func verify(ctx context.Context, e *env, id int64) error {
	v, err := read[client.Verification](e)(e.client.GetVerification(ctx, id))
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
		if err := e.show(v, []column{{head: "exception", right: true}, {head: "rule"}, {head: "key"}, {head: "what"}, {head: "recorded"},
			{head: "recomputed"}}, rows); err != nil {
			return err
		}
	} else {
		fmt.Fprintf(e.out, "Sweep %d of %s, revision %d, data version %d: %s checked.\n", v.Sweep, v.Period, v.Revision, v.DataVersion,
			counted(v.Checked, "exception")) //nolint:errcheck // as all that is shown
		for _, m := range v.Wrong {
			where := "no exception"
			if m.Exception != nil {
				where = fmt.Sprintf("exception %d", *m.Exception)
			}
			fmt.Fprintf(e.out, "  %s, %s of %s: %s is %q on record, and %q when it is computed again\n", where, m.Rule, m.Key, m.What, m.Recorded,
				m.Recomputed) //nolint:errcheck // as all that is shown
		}
	}
	if v.OvertakenBy != nil {
		e.printf("A later sweep (%d) replaced it.\n", *v.OvertakenBy)
	}
	if v.Earlier {
		e.printf("It was made by an earlier version of the service, which may have judged otherwise: sweep the period again.\n")
	}
	if v.Count > 0 {
		return errDiffers
	}
	e.printf("Everything matches.\n")
	return nil
}

var verifyCommands = []command{
	{
		name: "sweep verify", args: "[SWEEP]", short: "recompute a sweep from its revision and data version, and compare",
		long: "Every verdict, sentence, value and piece of evidence of the sweep is compared with the\nrecomputed one, to the last digit; the exit " +
			"code is 1 if any differs.\nWith -period it is the last sweep of that period.",
		example: "oskel sweep verify 13\noskel sweep verify -period 2026-10",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			period := f.String("period", "", "the `period` whose last sweep is verified")
			return func(ctx context.Context, args []string) error {
				var id int64
				var err error
				if *period != "" && len(args) == 0 {
					all, err := read[[]client.Sweep](e)(e.client.ListSweeps(ctx, &client.ListSweepsParams{Period: period}))
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
				return verify(ctx, e, id)
			}
		},
	},
}
