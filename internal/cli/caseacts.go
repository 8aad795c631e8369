package cli

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"strconv"
	"strings"
	"time"

	openapi_types "github.com/oapi-codegen/runtime/types"

	"oskel/internal/client"
)

var caseCommands = []command{
	{
		name: "case take", args: "CASE ...", short: "take cases of your desk",
		example: "oskel case take 12\noskel case take 12 14 15",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			return casesAct(e, client.CaseAct{Do: client.CaseActDoTake}, nil)
		},
	},
	{
		name: "case return", args: "CASE ...", short: "return cases to their desk",
		example: "oskel case return 12",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			return casesAct(e, client.CaseAct{Do: client.CaseActDoReturn}, nil)
		},
	},
	{
		name: "case hand-over", args: "CASE ...", short: "hand cases over to a member of the desk, or to another desk",
		example: "oskel case hand-over -to nell 12\noskel case hand-over -desk range -note \"It is the product\" 12",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			var act client.CaseAct
			stringFlag(f, &act.Person, "to", "the account of this `person`, a member of the desk or a lead")
			stringFlag(f, &act.Desk, "desk", "this `desk`")
			stringFlag(f, &act.Text, "note", "why")
			return casesAct(e, client.CaseAct{Do: client.CaseActDoHandOver}, func(to *client.CaseAct) error {
				if (act.Person == nil) == (act.Desk == nil) {
					return usagef("state -to PERSON or -desk DESK")
				}
				to.Person, to.Desk, to.Text = act.Person, act.Desk, act.Text
				return nil
			})
		},
	},
	{
		name: "case ask", args: "CASE TEXT", short: "ask a colleague about a case; you keep it",
		example: "oskel case ask -who ines 12 \"Is the target of October right?\"",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			who := f.String("who", "", "the account of this `person` (required)")
			return func(ctx context.Context, args []string) error {
				if *who == "" || len(args) < 2 {
					return usagef("expected -who PERSON, the number of a case and what is asked")
				}
				text := strings.Join(args[1:], " ")
				return casesAct(e, client.CaseAct{Do: client.CaseActDoAsk, Person: who, Text: &text}, nil)(ctx, args[:1])
			}
		},
	},
	{
		name: "case park", args: "CASE ...", short: "park cases until a day, or until lines of a feed come",
		example: "oskel case park -until 2026-12-01 12\noskel case park -for returns -note \"The credit note comes with the returns\" 12",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			until := f.String("until", "", "until this `day`")
			var feed, note *string
			stringFlag(f, &feed, "for", "until the next lines of this `feed`")
			stringFlag(f, &note, "note", "why")
			return casesAct(e, client.CaseAct{Do: client.CaseActDoPark}, func(to *client.CaseAct) error {
				if (*until == "") == (feed == nil) {
					return usagef("state -until DAY or -for FEED")
				}
				to.Feed, to.Text = feed, note
				return dayFlag(*until, "-until", &to.Until)
			})
		},
	},
	{
		name: "case resume", args: "CASE ...", short: "resume parked cases",
		example: "oskel case resume 12",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			return casesAct(e, client.CaseAct{Do: client.CaseActDoResume}, nil)
		},
	},
	{
		name: "case comment", args: "CASE TEXT", short: "comment on a case",
		example: "oskel case comment 12 \"Asked the rep; waiting for the invoice.\"",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				if len(args) < 2 {
					return usagef("expected the number of a case and a text")
				}
				text := strings.Join(args[1:], " ")
				return casesAct(e, client.CaseAct{Do: client.CaseActDoComment, Text: &text}, nil)(ctx, args[:1])
			}
		},
	},
	{
		name: "case settle", args: "[CASE ...]", short: "settle cases with a finding, or all that have cleared",
		long: "Several cases are settled at once with one finding, all of them or none. Reasons are those\nof the rulebook.",
		example: "oskel case settle -cleared\noskel case settle -finding explained -reason on-leave 12 14\noskel case settle -finding confirmed " +
			"-recovered 1200 -note \"Invoiced again\" 12\noskel case settle -finding confirmed -flag 203=\"rule fault\" 12",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			finding := f.String("finding", "", "confirmed, explained, data fault, rule fault or, where all has cleared, cleared (required)")
			cleared := f.Bool("cleared", false, "settle all cases in which nothing is flagged any more")
			desk := f.String("desk", "", "with -cleared, only of this `desk`")
			note := f.String("note", "", "a note for later readers")
			var act client.CaseAct
			until := f.String("snooze", "", "of explained subjects: open no case for them until this `day`")
			worse := f.String("worse", "", "with -snooze: or until it is worse by this `share` of its distance from the cut, such as 50%")
			all := f.Bool("all-rules", false, "with -snooze: for all rules, not for those of the case alone")
			f.Func("flag", "give one flag of the case another finding, such as `203=rule fault`; repeatable", func(value string) error {
				number, finding, both := strings.Cut(value, "=")
				id, err := strconv.ParseInt(strings.TrimSpace(number), 10, 64)
				if !both || err != nil {
					return errors.New("expected the number of an exception and its finding, such as 203=\"rule fault\"")
				}
				if act.FlagFindings == nil {
					act.FlagFindings = &[]client.FlagFinding{}
				}
				*act.FlagFindings = append(*act.FlagFindings, client.FlagFinding{Exception: id, Finding: client.FlagFindingFinding(strings.TrimSpace(finding))})
				return nil
			})
			stringFlag(f, &act.Feed, "feed", "of a data fault: in which `feed` it lies; those that its rules read, unless stated")
			stringFlag(f, &act.Reason, "reason", "one of the rulebook's `reasons`")
			stringFlag(f, &act.Recovered, "recovered", "the `amount` that was recovered")
			stringFlag(f, &act.WrittenOff, "written-off", "the `amount` that was written off")
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
				snooze, err := snoozeOf(*until, *worse, *all)
				if err != nil {
					return err
				}
				act.Snooze = snooze
				act.Do, act.Finding, act.Text = client.CaseActDoSettle, (*client.CaseActFinding)(finding), note
				return casesAct(e, act, nil)(ctx, args)
			}
		},
	},
	{
		name: "case reopen", args: "CASE ...", short: "reopen settled cases, with a reason",
		example: "oskel case reopen -reason \"The invoice was cancelled\" 12",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			reason := f.String("reason", "", "why (required)")
			return casesAct(e, client.CaseAct{Do: client.CaseActDoReopen, Text: reason}, func(*client.CaseAct) error {
				if *reason == "" {
					return usagef("-reason is missing")
				}
				return nil
			})
		},
	},
	{
		name: "case open", args: "EXCEPTION ...", short: "open cases for exceptions that are in none",
		example: "oskel case open 203 207",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				if len(args) == 0 {
					return usagef("expected the number of an exception, or of several")
				}
				var ids []int64
				for _, a := range args {
					id, err := idArg([]string{a}, "exception")
					if err != nil {
						return err
					}
					ids = append(ids, id)
				}
				cases, err := read[[]client.Case](e)(e.client.OpenCases(ctx, client.ExceptionsTaken{Exceptions: ids}))
				if err != nil {
					return err
				}
				return showAfter(ctx, e, cases)
			}
		},
	},
	{
		name: "case undo", args: "CASE ...", short: "undo your last action on cases, within ten seconds",
		example: "oskel case undo 12",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				ids, err := caseArgs(args)
				if err != nil {
					return err
				}
				list, err := read[[]client.Case](e)(e.client.UndoOnCases(ctx, client.CaseUndo{Cases: ids}))
				if err != nil {
					return err
				}
				return showAfter(ctx, e, list)
			}
		},
	},
}

// caseArgs are the numbers of cases.
func caseArgs(args []string) (ids []int64, err error) {
	if len(args) == 0 {
		return nil, usagef("expected the number of a case, or of several")
	}
	for _, a := range args {
		id, err := idArg([]string{a}, "case")
		if err != nil {
			return nil, err
		}
		ids = append(ids, id)
	}
	return ids, nil
}

// dayFlag reads a day that a flag states.
func dayFlag(text, name string, to **openapi_types.Date) error {
	if text == "" {
		return nil
	}
	day, err := time.Parse(time.DateOnly, text)
	if err != nil {
		return usagef("%s takes a day such as 2026-11-20, not %q", name, text)
	}
	*to = &openapi_types.Date{Time: day}
	return nil
}

// casesAct does one thing to some cases, and shows the one, or lists them, as they then
// stand. ready completes the act from the flags.
func casesAct(e *env, act client.CaseAct, ready func(*client.CaseAct) error) func(context.Context, []string) error {
	return func(ctx context.Context, args []string) error {
		if ready != nil {
			if err := ready(&act); err != nil {
				return err
			}
		}
		ids, err := caseArgs(args)
		if err != nil {
			return err
		}
		act.Cases = nil
		for _, id := range ids {
			act.Cases = append(act.Cases, client.CaseRef{Id: id})
		}
		list, err := read[[]client.Case](e)(e.client.ActOnCases(ctx, act))
		if err != nil {
			return err
		}
		return showAfter(ctx, e, list)
	}
}

// showAfter shows cases after an act: of one what that changed, of several the list.
func showAfter(ctx context.Context, e *env, list []client.Case) error {
	if len(list) != 1 {
		return showCases(ctx, e, list)
	}
	d, err := read[client.CaseDetail](e)(e.client.GetCase(ctx, list[0].Id))
	if err != nil {
		return err
	}
	return showActed(ctx, e, d)
}

// showActed says how a case stands after an act, and what that left in its history.
func showActed(ctx context.Context, e *env, d client.CaseDetail) error {
	if e.format != "table" || len(d.Events) == 0 {
		return showCase(ctx, e, d)
	}
	c := d.Case
	fmt.Fprintf(e.out, "Case %d, %s, %s: %s, due %s\n", c.Id, c.Name, c.Desk, stateText(c), c.Due.Format("2 Jan 2006"))
	e.event(d.Events[len(d.Events)-1])
	return nil
}

func settleCleared(ctx context.Context, e *env, desk string) error {
	var ask client.ClearedRequest
	if desk != "" {
		ask.Desk = &desk
	}
	all := client.Settled{More: true}
	for all.More { // so many are settled at once
		s, err := read[client.Settled](e)(e.client.SettleCleared(ctx, ask))
		if err != nil {
			return err
		}
		all = client.Settled{Settled: all.Settled + s.Settled, Cases: joined(all.Cases, s.Cases), More: s.More}
	}
	if e.format == "json" {
		return e.show(all, nil, nil)
	}
	e.printf("Settled %s as cleared.\n", counted(all.Settled, "case"))
	return nil
}
