package cli

import (
	"cmp"
	"context"
	"errors"
	"flag"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	openapi_types "github.com/oapi-codegen/runtime/types"

	"oskel/internal/client"
)

var caseCommands = []command{
	{
		name: "cases", lists: true, short: "list the cases on your desks, or on all, by due day",
		example: "oskel cases\noskel cases -all -state settled\noskel cases -desk northfirth -sort due -descending\noskel cases -late -group person -keep \"Late, by person\"\noskel cases -view \"Late, by person\"",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			p := &client.ListCasesParams{}
			stringFlag(f, &p.Desk, "desk", "only of this `desk`")
			all := f.Bool("all", false, "of all desks")
			state := f.String("state", "unsettled", "open, taken, parked, settled or unsettled")
			stringFlag(f, &p.Grade, "grade", "only of this `grade`")
			stringFlag(f, &p.Kind, "kind", "only about subjects of this `kind`")
			stringFlag(f, &p.Rule, "rule", "only with something that this `rule` has flagged")
			stringFlag(f, &p.Person, "person", "only those that this `account` has taken")
			stringFlag(f, &p.Text, "text", "only about subjects whose key or name contains this `text`")
			p.Late = f.Bool("late", false, "only those that wait and were due before today")
			word(f, &p.Group, "group", "gathered by desk, grade, kind, person or state")
			p.Held = f.Bool("held", false, "only those that you have taken")
			p.Stranded = f.Bool("stranded", false, "only those that nobody sees: of desks without members, or of who is away for longer than they may wait")
			p.Told = f.Bool("told", false, "only those that you, or a desk of yours, are told of")
			p.Asked = f.Bool("asked", false, "only those that you are asked about")
			view := f.String("view", "", "as this `view` of cases that is kept by name; what is stated beside it counts")
			keep := f.String("keep", "", "keep what is asked for as a view by this `name`")
			shared := f.Bool("shared", false, "with -keep: everybody sees it")
			return func(ctx context.Context, _ []string) error {
				c, err := e.api()
				if err != nil {
					return err
				}
				stated := map[string]bool{}
				f.Visit(func(f *flag.Flag) { stated[f.Name] = true })
				if *view != "" {
					if err := casesViewed(ctx, e, *view, p, stated, state); err != nil {
						return err
					}
				}
				if *keep != "" {
					if err := keepCases(ctx, e, c, *keep, *shared, p, *state); err != nil {
						return err
					}
				}
				mine := !*all && p.Desk == nil
				p.Mine, p.State = &mine, (*client.ListCasesParamsState)(state)
				list, groups := []client.Case{}, []client.CaseGroup{}
				p.Limit = ptr(mostPage)
				err = allPages(e, func(cursor *string) (*http.Response, error) {
					p.Cursor = cursor
					return c.ListCases(ctx, p)
				}, func(page client.CasePage) (*string, bool) {
					if list = append(list, page.Items...); page.Groups != nil {
						groups = *page.Groups
					}
					return page.Next, false
				})
				if err == nil {
					err = showCases(ctx, e, list)
				}
				if err == nil && e.format == "table" {
					for _, g := range groups {
						late := ""
						if g.Late > 0 {
							late = fmt.Sprintf(", %d late", g.Late)
						}
						e.say("%s: %s%s.\n", g.Title, counted(g.Cases, "case"), late)
					}
				}
				return err
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
		name: "take", args: "CASE ...", short: "take cases of your desk",
		example: "oskel take 12\noskel take 12 14 15",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			return casesAct(e, client.CaseAct{Do: client.CaseActDoTake}, nil)
		},
	},
	{
		name: "release", args: "CASE ...", short: "put taken cases back on the desk",
		example: "oskel release 12",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			return casesAct(e, client.CaseAct{Do: client.CaseActDoRelease}, nil)
		},
	},
	{
		name: "hand-over", args: "CASE ...", short: "hand cases to a member of the desk, or to another desk",
		example: "oskel hand-over -to nell 12\noskel hand-over -desk range -note \"It is the product\" 12",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			var act client.CaseAct
			stringFlag(f, &act.Person, "to", "the account of this `person`, a member of the desk or a lead")
			stringFlag(f, &act.Desk, "desk", "this `desk`")
			stringFlag(f, &act.Text, "note", "why")
			return casesAct(e, client.CaseAct{Do: client.CaseActDoHandOver}, func(to *client.CaseAct) error {
				if (act.Person == nil) == (act.Desk == nil) {
					return usagef("say whom it is handed to: -to PERSON, or -desk DESK")
				}
				to.Person, to.Desk, to.Text = act.Person, act.Desk, act.Text
				return nil
			})
		},
	},
	{
		name: "ask", args: "CASE TEXT", short: "ask somebody about a case, who answers with a comment and does not own it",
		example: "oskel ask -who ines 12 \"Is the target of October right?\"",
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
		name: "park", args: "CASE ...", short: "park cases until a day, or until lines of a feed come",
		example: "oskel park -until 2026-12-01 12\noskel park -for returns -note \"The credit note comes with the returns\" 12",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			until := f.String("until", "", "until this `day`")
			var feed, note *string
			stringFlag(f, &feed, "for", "until the next lines of this `feed`")
			stringFlag(f, &note, "note", "why")
			return casesAct(e, client.CaseAct{Do: client.CaseActDoPark}, func(to *client.CaseAct) error {
				if (*until == "") == (feed == nil) {
					return usagef("say until when: -until DAY, or -for FEED")
				}
				to.Feed, to.Text = feed, note
				return dayFlag(*until, "-until", &to.Until)
			})
		},
	},
	{
		name: "resume", args: "CASE ...", short: "take parked cases up again",
		example: "oskel resume 12",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			return casesAct(e, client.CaseAct{Do: client.CaseActDoResume}, nil)
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
				return casesAct(e, client.CaseAct{Do: client.CaseActDoComment, Text: &text}, nil)(ctx, args[:1])
			}
		},
	},
	{
		name: "settle", args: "[CASE ...]", short: "settle cases with a finding, or all that have cleared",
		long:    "Several cases are settled at once with one finding, all of them or none. Reasons are those\nof the rulebook.",
		example: "oskel settle -cleared\noskel settle -finding explained -reason on-leave 12 14\noskel settle -finding confirmed -recovered 1200 -note \"Invoiced again\" 12\noskel settle -finding confirmed -flag 203=\"rule fault\" 12",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			finding := f.String("finding", "", "confirmed, explained, data fault, rule fault or, where all has cleared, cleared (required)")
			cleared := f.Bool("cleared", false, "settle all cases in which nothing is flagged any more")
			desk := f.String("desk", "", "with -cleared, only of this `desk`")
			note := f.String("note", "", "a sentence for those who come after")
			var act client.CaseAct
			until := f.String("peace", "", "of who is explained: leave them in peace until this `day`")
			worse := f.String("worse", "", "with -peace: or until it is worse by this `share` of how far it lies beyond its cut, such as 50%")
			all := f.Bool("all-rules", false, "with -peace: by all rules, not by those of the case alone")
			f.Func("flag", "give one flag of the case another finding, such as `203=rule fault`; repeatable", func(value string) error {
				number, finding, both := strings.Cut(value, "=")
				id, err := strconv.ParseInt(strings.TrimSpace(number), 10, 64)
				if !both || err != nil {
					return errors.New("expected the number of an exception and its finding, such as 203=\"rule fault\"")
				}
				if act.Apart == nil {
					act.Apart = &[]client.FlagFinding{}
				}
				*act.Apart = append(*act.Apart, client.FlagFinding{Exception: id, Finding: client.FlagFindingFinding(strings.TrimSpace(finding))})
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
				peace, err := peaceOf(*until, *worse, *all)
				if err != nil {
					return err
				}
				act.Peace = peace
				act.Do, act.Finding, act.Text = client.CaseActDoSettle, (*client.CaseActFinding)(finding), note
				return casesAct(e, act, nil)(ctx, args)
			}
		},
	},
	{
		name: "reopen-case", args: "CASE ...", short: "open settled cases again, for a reason",
		example: "oskel reopen-case -reason \"The invoice was cancelled\" 12",
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
		name: "to-desk", args: "EXCEPTION ...", short: "take exceptions that are in no case to their desks by hand",
		example: "oskel to-desk 203 207",
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
				c, err := e.api()
				if err != nil {
					return err
				}
				r, err := c.TakeExceptions(ctx, client.ExceptionsTaken{Exceptions: ids})
				cases, err := read[[]client.Case](e, r, err)
				if err != nil {
					return err
				}
				return showCases(ctx, e, cases)
			}
		},
	},
	{
		name: "left-in-peace", lists: true, short: "who is left in peace: what is flagged of them opens no case",
		example: "oskel left-in-peace",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, _ []string) error {
				c, err := e.api()
				if err != nil {
					return err
				}
				r, err := c.ListPeaces(ctx)
				all, err := read[[]client.Peace](e, r, err)
				if err != nil {
					return err
				}
				var rows [][]string
				for _, p := range all {
					worse := ""
					if p.Worse != nil {
						worse = strconv.FormatFloat(*p.Worse*100, 'f', -1, 64) + "%"
					}
					rows = append(rows, []string{strconv.FormatInt(p.Id, 10), p.Kind, p.Key, p.Name, or(text(p.Rule), "all"), p.Until.Format("2 Jan 2006"), worse, strconv.FormatInt(p.Case, 10), p.By})
				}
				return e.show(all, []column{{head: "peace", right: true}, {head: "kind"}, {head: "key"}, {head: "name"}, {head: "rule"}, {head: "until"}, {head: "or worse by", right: true}, {head: "case", right: true}, {head: "said by"}}, rows)
			}
		},
	},
	{
		name: "end-peace", args: "PEACE", short: "end one before its day",
		example: "oskel end-peace 3",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				id, err := idArg(args, "peace")
				if err != nil {
					return err
				}
				c, err := e.api()
				if err != nil {
					return err
				}
				r, err := c.EndPeace(ctx, id)
				cases, err := read[[]client.Case](e, r, err)
				if err != nil {
					return err
				}
				if e.say("Peace %d is over; what is flagged goes to a desk again.\n", id); len(cases) == 0 {
					return nil
				}
				return showCases(ctx, e, cases)
			}
		},
	},
	{
		name: "away", short: "note that you are away, and who stands in: your new cases go to them",
		example: "oskel away -from 2026-12-21 -to 2027-01-02 -stand-in sig\noskel away -who nell -from 2026-12-21 -to 2026-12-23",
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
					return usagef("say from when to when: -from DAY -to DAY")
				}
				ask.First, ask.Last = *first, *last
				c, err := e.api()
				if err != nil {
					return err
				}
				r, err := c.CreateAbsence(ctx, ask)
				a, err := read[client.Absence](e, r, err)
				if err != nil {
					return err
				}
				return showAbsences(e, []client.Absence{a})
			}
		},
	},
	{
		name: "absences", lists: true, short: "who is away today or later, and who stands in",
		example: "oskel absences",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, _ []string) error {
				c, err := e.api()
				if err != nil {
					return err
				}
				r, err := c.ListAbsences(ctx)
				all, err := read[[]client.Absence](e, r, err)
				if err != nil {
					return err
				}
				return showAbsences(e, all)
			}
		},
	},
	{
		name: "drop-absence", args: "ABSENCE", short: "take an absence of yours away, or as a lead anybody's",
		example: "oskel drop-absence 3",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				id, err := idArg(args, "absence")
				if err != nil {
					return err
				}
				c, err := e.api()
				if err != nil {
					return err
				}
				r, err := c.DropAbsence(ctx, id)
				if _, err := read[struct{}](e, r, err); err != nil {
					return err
				}
				e.say("Absence %d is gone.\n", id)
				return nil
			}
		},
	},
	{
		name: "undo", args: "CASE ...", short: "undo what you did to cases in the last ten seconds",
		example: "oskel undo 12",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				ids, err := caseArgs(args)
				if err != nil {
					return err
				}
				c, err := e.api()
				if err != nil {
					return err
				}
				r, err := c.UndoOnCases(ctx, client.CaseUndo{Cases: ids})
				list, err := read[[]client.Case](e, r, err)
				if err != nil {
					return err
				}
				return showCases(ctx, e, list)
			}
		},
	},
}

func showAbsences(e *env, all []client.Absence) error {
	var rows [][]string
	for _, a := range all {
		rows = append(rows, []string{strconv.FormatInt(a.Id, 10), a.Person, a.First.Format("2 Jan 2006"), a.Last.Format("2 Jan 2006"), text(a.StandIn), a.By})
	}
	return e.show(all, []column{{head: "absence", right: true}, {head: "who"}, {head: "from"}, {head: "to"}, {head: "stands in"}, {head: "said by"}}, rows)
}

// peaceOf reads how somebody is left in peace; nil where they are not.
func peaceOf(until, worse string, all bool) (*client.NewPeace, error) {
	if until == "" {
		if worse != "" || all {
			return nil, usagef("-worse and -all-rules go with -peace DAY")
		}
		return nil, nil
	}
	var day *openapi_types.Date
	if err := dayFlag(until, "-peace", &day); err != nil {
		return nil, err
	}
	p := &client.NewPeace{Until: *day, All: &all}
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
		c, err := e.api()
		if err != nil {
			return err
		}
		r, err := c.ActOnCases(ctx, act)
		list, err := read[[]client.Case](e, r, err)
		if err != nil || len(list) > 1 {
			if err == nil {
				err = showCases(ctx, e, list)
			}
			return err
		}
		return caseAction(e, func(ctx context.Context, c *client.Client, id int64) (*http.Response, error) {
			return c.GetCase(ctx, id)
		})(ctx, args)
	}
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
	all := client.Settled{More: true}
	for all.More { // so many are settled at once
		r, err := c.SettleCleared(ctx, ask)
		s, err := read[client.Settled](e, r, err)
		if err != nil {
			return err
		}
		all = client.Settled{Settled: all.Settled + s.Settled, Cases: joined(all.Cases, s.Cases), More: s.More}
	}
	if e.format == "json" {
		return e.show(all, nil, nil)
	}
	e.say("Settled %s as cleared.\n", counted(all.Settled, "case"))
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
	case "parked":
		until := "for " + text(c.ParkedFor)
		if c.ParkedTo != nil {
			until = "until " + c.ParkedTo.Format("2 Jan 2006")
		}
		if c.TakenBy != nil {
			until += ", " + *c.TakenBy
		}
		return "parked " + until
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
		rows = append(rows, []string{strconv.FormatInt(c.Id, 10), grade, due, c.Desk, c.Key, c.Name, stateText(c), strconv.Itoa(c.Items), e.sum(or(text(c.Stake), "0")), c.Sentence})
	}
	columns := []column{{head: "case", right: true}, {head: "grade"}, {head: "due"}, {head: "desk"}, {head: "key"}, {head: "name"}, {head: "state"}, {head: "items", right: true}, {head: "stake", right: true}, {head: "sentence", wrap: true}}
	if err := e.show(list, columns, rows); err != nil {
		return err
	}
	if len(list) == 0 {
		e.say("No cases. Those of all desks: oskel cases -all\n")
	}
	return nil
}

// apart says which finding a flag of a case has of its own.
func apart(c client.Case, flag int64) string {
	if c.Apart != nil {
		for _, f := range *c.Apart {
			if f.Exception == flag {
				return ": " + string(f.Finding)
			}
		}
	}
	return ""
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
		fmt.Fprintf(e.out, "  %s  %s, %s (exception %d)%s\n", grade, x.RuleTitle, x.Period, x.Id, apart(c, x.Id))
		for _, line := range wrapText(x.Sentence, e.room(4)) {
			fmt.Fprintln(e.out, "    "+line)
		}
	}
	fmt.Fprintln(e.out)
	for _, t := range d.Todos {
		until := "by " + t.Due.Format("2 Jan 2006")
		if t.DoneBy != nil {
			until = "done by " + *t.DoneBy
		}
		fmt.Fprintf(e.out, "  To do %d, %s, %s: %s\n", t.Id, t.Owner, until, t.Text)
	}
	for _, f := range d.Files {
		fmt.Fprintf(e.out, "  File %d: %s, %s, %s\n", f.Id, f.Name, sizeWords(f.Size), f.By)
	}
	if len(d.Todos)+len(d.Files) > 0 {
		fmt.Fprintln(e.out)
	}
	for _, x := range d.Events {
		fmt.Fprintf(e.out, "  %s  %-10s %-9s %s\n", e.quiet(x.At.Local().Format("2 Jan 2006 15:04")), x.By, x.What, x.Text)
	}
	e.stale(d.Stale)
	return nil
}
