package cli

import (
	"context"
	"flag"
	"fmt"
	"slices"

	"oskel/internal/client"
)

var scheduleCommands = []command{
	{
		name: "period schedule", lists: true, short: "list the scheduled sweeps: when, what they wait for, what failed",
		long:    "The rulebook's 'sweeps' say for each grain when its periods are swept without\nanybody asking.",
		example: "oskel period schedule",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, _ []string) error {
				s, err := read[client.Schedule](e)(e.client.GetSchedule(ctx))
				if err != nil {
					return err
				}
				var rows [][]string
				for _, p := range s.Plans {
					if e.format == "table" {
						e.printf("%s\n", p.Words)
					}
					for _, t := range p.Turns {
						rows = append(rows, []string{p.Each, t.Period, string(t.State), e.moment(t.At), t.Words})
					}
				}
				if len(s.Plans) == 0 && e.format == "table" {
					e.printf("No sweeps are scheduled: the rulebook has no 'sweeps'.\n")
					return nil
				}
				return e.show(s, []column{{head: "each"}, {head: "period"}, {head: "state"}, {head: "planned"}, {head: "note", wrap: true}}, rows)
			}
		},
	},
	{
		name: "service clock", short: "show the clock of the service, or confirm it after a leap (leads only)",
		long: "A clock that goes back by more than an hour, or on by more than sixty days, holds all\nsweeps and reminders until it is corrected, or a " +
			"lead confirms it.",
		example: "oskel service clock\noskel service clock -right",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			right := f.Bool("right", false, "confirm that the clock is right")
			return func(ctx context.Context, _ []string) error {
				ask := e.client.GetClock
				if *right {
					ask = e.client.ConfirmClock
				}
				k, err := read[client.Clock](e)(ask(ctx))
				if err != nil {
					return err
				}
				seen, state := "", "running"
				if k.Seen != nil {
					seen = e.moment(*k.Seen)
				}
				if k.Leapt {
					state = "has leapt: sweeps and reminders are on hold"
				}
				return e.show(k, []column{{head: "now"}, {head: "last seen"}, {head: "state"}}, [][]string{{e.moment(k.Now), seen, state}})
			}
		},
	},
	{
		name: "period close", short: "close a period, so that no sweep changes it (leads only)",
		long:    "Its last sweep must be up to date.",
		example: "oskel period close -period 2026-10 -note 'Reported to the board'",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			period, note := periodFlag(f), f.String("note", "", "why, or what for, in a `sentence`")
			signOff := f.Bool("sign-off", false, "sign the period off: all its cases must be settled or parked")
			return func(ctx context.Context, args []string) error {
				if err := periodGiven(*period, args); err != nil {
					return err
				}
				p, err := read[client.PeriodState](e)(e.client.ClosePeriod(ctx, client.NewClosing{Period: *period, Note: note, SignOff: signOff}))
				if err != nil {
					return err
				}
				return showPeriod(e, p, "%s is closed: nothing sweeps it until a lead opens it again.\n")
			}
		},
	},
	{
		name: "period reopen", short: "reopen a closed period, with a reason (leads only)",
		example: "oskel period reopen -period 2026-10 -reason 'Returns of October came late'",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			period, reason := periodFlag(f), f.String("reason", "", "why, in a `sentence` (required)")
			return func(ctx context.Context, args []string) error {
				if err := periodGiven(*period, args); err != nil {
					return err
				}
				if *reason == "" {
					return usagef("-reason is missing: reopening a period needs one")
				}
				p, err := read[client.PeriodState](e)(e.client.ReopenPeriod(ctx, client.Reopening{Period: *period, Reason: *reason}))
				if err != nil {
					return err
				}
				return showPeriod(e, p, "%s is open again.\n")
			}
		},
	},
}

func showPeriod(e *env, p client.PeriodState, words string) error {
	if e.format != "table" {
		return e.show(p, []column{{head: "period"}, {head: "state"}}, [][]string{{p.Period, string(p.State)}})
	}
	e.printf(words, p.Label)
	e.stale(p.Stale)
	return nil
}

// periodsThrough are the periods from one to another of the same grain.
func periodsThrough(ctx context.Context, e *env, from, through string) (out []string, err error) {
	until := through
	for range mostPeriods / 12 {
		page, err := read[[]client.PeriodState](e)(e.client.ListPeriods(ctx, &client.ListPeriodsParams{Until: &until}))
		if err != nil {
			return nil, err
		}
		if len(page) == 0 {
			break
		}
		var names []string
		for _, p := range page {
			names = append(names, p.Period)
		}
		if len(out) > 0 {
			names = names[:max(0, len(names)-1)] // the last is the first of those that are known
		}
		out = append(names, out...)
		if at := slices.Index(out, from); at >= 0 {
			return out[at:], nil
		}
		if len(names) == 0 || names[0] == until {
			break
		}
		until = names[0]
	}
	return nil, fmt.Errorf("%s is not one of the %d periods up to %s; name both as %s is named, the earlier one first", from, max(len(out), 1), through, through)
}

// mostPeriods is how many periods are swept at most by one command.
const mostPeriods = 240
