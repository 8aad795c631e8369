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
		name: "schedule", lists: true, short: "what is swept by itself: when, what it waits for, and what failed",
		long:    "The rulebook's 'sweeps' say for each grain when its periods are swept without\nanybody asking.",
		example: "oskel schedule",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, _ []string) error {
				c, err := e.api()
				if err != nil {
					return err
				}
				r, err := c.GetSchedule(ctx)
				s, err := read[client.Schedule](e, r, err)
				if err != nil {
					return err
				}
				var rows [][]string
				for _, p := range s.Plans {
					if e.format == "table" {
						e.say("%s\n", p.Words)
					}
					for _, t := range p.Turns {
						rows = append(rows, []string{p.Each, t.Period, string(t.State), t.At.Local().Format("2 Jan 2006 15:04"), t.Words})
					}
				}
				if len(s.Plans) == 0 && e.format == "table" {
					e.say("Nothing is swept by itself: the rulebook has no 'sweeps'.\n")
					return nil
				}
				return e.show(s, []column{{head: "each"}, {head: "period"}, {head: "state"}, {head: "planned"}, {head: "note", wrap: true}}, rows)
			}
		},
	},
	{
		name: "clock", short: "what the service's clock says, and that it is right after a leap (leads)",
		long:    "A clock that goes back by more than an hour, or on by more than sixty days, holds all\nsweeps and reminders until it is put right, or a lead says that it is right.",
		example: "oskel clock\noskel clock -right",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			right := f.Bool("right", false, "say that it is right")
			return func(ctx context.Context, _ []string) error {
				c, err := e.api()
				if err != nil {
					return err
				}
				ask := c.GetClock
				if *right {
					ask = c.ConfirmClock
				}
				r, err := ask(ctx)
				k, err := read[client.Clock](e, r, err)
				if err != nil {
					return err
				}
				seen, state := "", "goes"
				if k.Seen != nil {
					seen = k.Seen.Local().Format("2 Jan 2006 15:04")
				}
				if k.Leapt {
					state = "has leapt: nothing is swept, and nobody is reminded"
				}
				return e.show(k, []column{{head: "now"}, {head: "last seen"}, {head: "state"}}, [][]string{{k.Now.Local().Format("2 Jan 2006 15:04"), seen, state}})
			}
		},
	},
	{
		name: "close", short: "close a period, so that nothing sweeps it any more (leads)",
		long:    "Its last sweep must hold: what is closed is what is on record.",
		example: "oskel close -period 2026-10 -note 'Reported to the board'",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			period, note := periodFlag(f), f.String("note", "", "why, or what for, in a `sentence`")
			signOff := f.Bool("sign-off", false, "only if all its cases are settled or parked, and say so")
			return func(ctx context.Context, args []string) error {
				if err := periodGiven(*period, args); err != nil {
					return err
				}
				c, err := e.api()
				if err != nil {
					return err
				}
				r, err := c.ClosePeriod(ctx, client.NewClosing{Period: *period, Note: note, SignOff: signOff})
				p, err := read[client.PeriodState](e, r, err)
				if err != nil {
					return err
				}
				return showPeriod(e, p, "%s is closed: nothing sweeps it until a lead opens it again.\n")
			}
		},
	},
	{
		name: "reopen", short: "open a closed period again, for a reason (leads)",
		example: "oskel reopen -period 2026-10 -reason 'Returns of October came late'",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			period, reason := periodFlag(f), f.String("reason", "", "why, in a `sentence` (required)")
			return func(ctx context.Context, args []string) error {
				if err := periodGiven(*period, args); err != nil {
					return err
				}
				if *reason == "" {
					return usagef("-reason is missing: opening a closed period takes one")
				}
				c, err := e.api()
				if err != nil {
					return err
				}
				r, err := c.ReopenPeriod(ctx, client.Reopening{Period: *period, Reason: *reason})
				p, err := read[client.PeriodState](e, r, err)
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
	e.say(words, p.Label)
	e.stale(p.Stale)
	return nil
}

// periodsThrough are the periods from one to another of the same grain.
func periodsThrough(ctx context.Context, e *env, from, through string) (out []string, err error) {
	c, err := e.api()
	if err != nil {
		return nil, err
	}
	until := through
	for range mostPeriods / 12 {
		r, err := c.ListPeriods(ctx, &client.ListPeriodsParams{Until: &until})
		page, err := read[[]client.PeriodState](e, r, err)
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
