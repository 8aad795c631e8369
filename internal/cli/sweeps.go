package cli

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"maps"
	"slices"
	"strconv"

	"oskel/internal/client"
)

// noLines is the problem of a period in which no feed has lines.
const noLines = "urn:oskel:no-lines"

var sweepCommands = []command{
	{
		name: "sweep", short: "evaluate the published rules for a period and record the exceptions",
		long: "The same rules on the same data change nothing. After corrected lines it says what\nis flagged now, what no longer is, and what has " +
			"another grade. A period that is still running is swept to\ndate: compared with as many days of the periods before, targets by working days.",
		example: "oskel sweep -period 2026-10\noskel sweep -no-cases -period 2025-03 -through 2026-09\noskel sweep -to-date -period 2026-11",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			period := periodFlag(f)
			through := f.String("through", "", "sweep all periods from the first to this `period`, the oldest first")
			toDate := f.Bool("to-date", false, "the period is still running: sweep it to date")
			to := f.String("to", "", "with -to-date, its last `day`; the last before today that has lines unless stated")
			noCases := f.Bool("no-cases", false, "record the exceptions without putting them on desks")
			return func(ctx context.Context, args []string) error {
				if err := periodGiven(*period, args); err != nil {
					return err
				}
				open := !*noCases
				ask := client.NewSweep{OpenCases: &open, ToDate: toDate}
				if *toDate && *through != "" {
					return usagef("-to-date is of the one period that runs, and -through of several that have ended")
				}
				if err := dayFlag(*to, "-to", &ask.To); err != nil {
					return err
				}
				sweep := func(period string) (client.Sweep, error) {
					ask.Period = period
					return read[client.Sweep](e)(e.client.CreateSweep(ctx, ask))
				}
				if *through == "" {
					s, err := sweep(*period)
					if err != nil {
						return err
					}
					return showSweep(e, s)
				}
				periods, err := periodsThrough(ctx, e, *period, *through)
				if err != nil {
					return err
				}
				all := []client.Sweep{}
				for _, p := range periods {
					s, err := sweep(p)
					if of := (*problemError)(nil); errors.As(err, &of) && of.Type == noLines {
						e.printf("%s: no lines.\n", p)
						continue
					}
					if err != nil {
						return fmt.Errorf("%s: %w", p, err)
					}
					e.printf("%s: %s, %d flagged.\n", p, sweptWords(s), s.Raised+s.Standing)
					all = append(all, s)
				}
				return e.show(all, sweepListColumns, e.sweepRows(all))
			}
		},
	},
	{
		name: "sweep list", lists: true, short: "list the sweeps, newest first, and which are out of date",
		example: "oskel sweep list\noskel sweep list -period 2026-10",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			p := &client.ListSweepsParams{}
			stringFlag(f, &p.Period, "period", "only of this `period`, such as 2026-10 or 2026-W44")
			return func(ctx context.Context, _ []string) error {
				all := []client.Sweep{}
				for more := true; more; {
					page, err := read[[]client.Sweep](e)(e.client.ListSweeps(ctx, p))
					if err != nil {
						return err
					}
					all = append(all, page...)
					if more = len(page) > 0; more {
						p.Before = &page[len(page)-1].Id
					}
				}
				return e.show(all, sweepListColumns, e.sweepRows(all))
			}
		},
	},
}

var sweepListColumns = []column{{head: "sweep", right: true}, {head: "period"}, {head: "revision", right: true}, {head: "data version", right: true},
	{head: "raised", right: true}, {head: "standing", right: true}, {head: "cleared", right: true}, {head: "by"}, {head: "at"}, {head: "note", wrap: true}}

func (e *env) sweepRows(all []client.Sweep) (rows [][]string) {
	for _, s := range all {
		rows = append(rows, []string{strconv.FormatInt(s.Id, 10), s.Period, strconv.Itoa(s.Revision), strconv.FormatInt(s.DataVersion, 10),
			strconv.Itoa(s.Raised), strconv.Itoa(s.Standing), strconv.Itoa(s.Cleared), s.By, e.moment(s.At), text(s.Stale)})
	}
	return rows
}

func sweptWords(s client.Sweep) string {
	if s.Unchanged {
		return fmt.Sprintf("nothing has changed since sweep %d", s.Id)
	}
	return fmt.Sprintf("sweep %d", s.Id)
}

func showSweep(e *env, s client.Sweep) error {
	var rows [][]string
	for _, t := range s.Tallies {
		notJudged, note := 0, ""
		for _, why := range slices.Sorted(maps.Keys(t.NotJudged)) {
			if notJudged += t.NotJudged[why]; note == "" || t.NotJudged[why] > t.NotJudged[note] {
				note = why // of most
			}
		}
		switch {
		case t.Crowded:
			note = "flags too many to be useful; mark the rarer side"
		case t.Judged+t.NoData > 0 || note == "":
			note = ""
		default:
			note = "no subject is judged: " + note
		}
		rows = append(rows, []string{t.Rule, text(t.Level), strconv.Itoa(t.Flagged), strconv.Itoa(t.Judged), strconv.Itoa(t.Clear), strconv.Itoa(t.NoData),
			strconv.Itoa(notJudged), note})
	}
	err := e.show(s, []column{{head: "rule"}, {head: "level"}, {head: "flagged", right: true}, {head: "judged", right: true},
		{head: "clear", right: true}, {head: "no data", right: true}, {head: "not judged", right: true}, {head: "note"}}, rows)
	if err != nil {
		return err
	}
	if s.ToDate != nil {
		e.printf("To date, up to %s; rules without 'to_date: true' open no cases yet.\n", s.ToDate.Format("2 Jan 2006"))
	}
	if s.Unchanged {
		e.printf("Nothing has changed since sweep %d of %s (revision %d, data version %d).\n", s.Id, s.Period, s.Revision, s.DataVersion)
		return nil
	}
	e.printf("Sweep %d of %s in %d ms (revision %d, data version %d): %d raised, %d standing, %d cleared.\n", s.Id, s.Period, s.TookMs, s.Revision,
		s.DataVersion, s.Raised, s.Standing, s.Cleared)
	if s.Snoozed > 0 {
		e.printf("%s of snoozed subjects; oskel case snoozes lists them.\n", counted(s.Snoozed, "flag"))
	}
	d := s.Difference
	if d == nil {
		return nil
	}
	others := ""
	if d.OtherValue != nil {
		others = fmt.Sprintf(", %d of them by another value", *d.OtherValue)
	}
	e.printf("Compared with sweep %d: %d newly flagged, %d no longer flagged, %d regraded, %d the same%s.\n", d.Sweep, d.Flagged, d.NoLonger, d.Regraded,
		d.Same, others)
	if d.Stands != nil {
		e.printf("Not judged again, because their data and definition are unchanged: %s.\n", counted(*d.Stands, "rule"))
	}
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
		e.printf("%s, by %s\n", line, x.Rule)
	}
	return nil
}
