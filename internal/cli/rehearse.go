package cli

import (
	"context"
	"flag"
	"fmt"
	"net/http"
	"os"
	"slices"
	"strconv"
	"strings"

	"oskel/core/rulebook"
	"oskel/internal/client"
)

var rehearseCommands = []command{
	{
		name: "rehearse", args: "[RULEBOOK]", short: "evaluate a draft on real data; changes nothing",
		long: "Without -rule, shows what the whole draft changes, rule by rule and desk by desk. With\n-rule, who is flagged by it, who flips against " +
			"the published revision, and who lies near\nthe cut. Without a file it is the published rulebook that is tried, with -dial.",
		example: "oskel rehearse -period 2026-10 draft.yaml\noskel rehearse -period 2026-10 -rule thin-margin -periods 6 -dial margin_floor=24%\noskel " +
			"rehearse -period 2026-10 -rule thin-margin -what-if R-17 -set margin_rate=22%\noskel rehearse -period 2026-10 -solve margin_floor -about " +
			"5\noskel rehearse -period 2026-10 -routes draft.yaml",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			p := &rehearsal{dials: map[string]string{}, set: map[string]string{}}
			f.StringVar(&p.period, "period", "", "the `period` (required); for a rule of another grain its last one by then")
			f.StringVar(&p.rule, "rule", "", "only this `rule`, in detail")
			f.StringVar(&p.by, "by", "", "the `level`, where the rule judges several; its first unless stated")
			f.Func("dial", "set a dial, such as margin_floor=24%; may be repeated", pairFlag(p.dials))
			f.IntVar(&p.periods, "periods", 0, "look back on so many `months` up to that one; for -solve, count them (6 unless stated)")
			f.StringVar(&p.whatIf, "what-if", "", "the `key` of a subject; -set says which of its figures would be others")
			f.Func("set", "a value of the what-if, such as revenue=410, target=500 or revenue=missing; may be repeated", pairFlag(p.set))
			f.StringVar(&p.solve, "solve", "", "find the value of this `dial` that flags -about so many a period")
			f.Float64Var(&p.about, "about", -1, "how many exceptions a period are wanted, on average over the -periods")
			routes := f.Bool("routes", false, "the cases each desk and person would get, beside their open ones")
			return func(ctx context.Context, args []string) error {
				if p.period == "" {
					return usagef("-period is missing, such as -period 2026-10")
				}
				if len(args) > 0 {
					text, err := bookArg(args)
					if err != nil {
						return err
					}
					s := string(text)
					p.text = &s
				}
				switch {
				case *routes:
					return p.routing(ctx, e)
				case p.solve != "" && p.about < 0:
					return usagef("-solve needs -about: how many exceptions a period are wanted?")
				case p.solve != "":
					return p.solveDial(ctx, e)
				case p.whatIf != "" && p.rule == "":
					return usagef("-what-if needs -rule")
				case p.rule != "":
					return p.one(ctx, e)
				}
				return p.book(ctx, e)
			}
		},
	},
}

// rehearsal is what the flags ask for.
type rehearsal struct {
	text                            *string
	period, rule, by, whatIf, solve string
	dials, set                      map[string]string
	periods                         int
	about                           float64
}

// pairFlag collects name=value.
func pairFlag(to map[string]string) func(string) error {
	return func(s string) error {
		name, value, ok := strings.Cut(s, "=")
		if !ok || name == "" || value == "" {
			return fmt.Errorf("expected a name and a value, such as margin_floor=24%%")
		}
		to[name] = value
		return nil
	}
}

func (p *rehearsal) book(ctx context.Context, e *env) error {
	all, err := read[client.BookRehearsal](e)(e.client.RehearseBook(ctx, client.BookRehearsalRequest{Text: p.text, Period: p.period, Dials: &p.dials}))
	if err != nil {
		return err
	}
	count := func(n *int) string {
		if n == nil {
			return "–"
		}
		return strconv.Itoa(*n)
	}
	var rows [][]string
	for _, r := range all.Rules {
		rows = append(rows, []string{r.Rule, r.Level, count(r.Before), count(r.After), plus(r.Turned.Flagged), minus(r.Turned.NoLonger), count(&r.Turned.Regraded)})
	}
	if err := e.show(all, []column{{head: "rule"}, {head: "judges"}, {head: "published", right: true}, {head: "draft", right: true},
		{head: "flagged", right: true}, {head: "no longer", right: true}, {head: "regraded", right: true}}, rows); err != nil || e.format != "table" {
		return err
	}
	fmt.Fprintln(e.out)
	e.desks(all.Desks)
	for _, a := range all.Advice {
		e.printf("Warning: %s.\n", a)
	}
	e.printf("%d flags by all rules together; %d are by the published rulebook. Nothing was changed.\n", all.After, all.Before)
	return nil
}

func (p *rehearsal) routing(ctx context.Context, e *env) error {
	all, err := read[client.RoutingRehearsal](e)(e.client.RehearseRouting(ctx, client.BookRehearsalRequest{Text: p.text, Period: p.period, Dials: &p.dials}))
	if err != nil {
		return err
	}
	var rows [][]string
	for _, d := range all.Desks {
		rows = append(rows, []string{d.Desk, d.Title, strconv.Itoa(d.Flags), strconv.Itoa(d.Cases), strconv.Itoa(d.Unassigned), strconv.Itoa(d.Holds)})
	}
	if err := e.show(all, []column{{head: "desk"}, {head: "title"}, {head: "flags", right: true}, {head: "cases", right: true},
		{head: "unassigned", right: true}, {head: "open now", right: true}}, rows); err != nil || e.format != "table" {
		return err
	}
	rows = nil
	for _, p := range all.People {
		away := ""
		if p.Away {
			away = "away"
		}
		rows = append(rows, []string{p.Name, p.Title, strconv.Itoa(p.Cases), strconv.Itoa(p.Holds), away})
	}
	fmt.Fprintln(e.out)
	e.section("By name", []column{{head: "who"}, {head: "title"}, {head: "cases", right: true}, {head: "open now", right: true}, {head: ""}}, rows)
	for _, n := range all.Notes {
		e.printf("%s: %s.\n", counted(n.Cases, "case"), n.Text)
	}
	e.printf("Of %s in the period, %d listed only. Nothing was changed.\n", counted(all.Flagged, "flag"), all.Listed)
	return nil
}

func plus(n int) string {
	if n == 0 {
		return "0"
	}
	return "+" + strconv.Itoa(n)
}

func minus(n int) string {
	if n == 0 {
		return "0"
	}
	return "-" + strconv.Itoa(n)
}

func (e *env) desks(all []client.DeskLoad) {
	var rows [][]string
	for _, d := range all {
		rows = append(rows, []string{d.Title, strconv.Itoa(d.Before), strconv.Itoa(d.After)})
	}
	e.table([]column{{head: "desk"}, {head: "published", right: true}, {head: "draft", right: true}}, rows)
}

func (p *rehearsal) one(ctx context.Context, e *env) error {
	ask := client.RehearsalRequest{Text: p.text, Rule: p.rule, Period: p.period, Dials: &p.dials, LookBack: &p.periods}
	if p.by != "" {
		ask.By = &p.by
	}
	if p.whatIf != "" {
		ask.Key, ask.WhatIf = &p.whatIf, &p.set
	}
	a, err := read[client.Rehearsal](e)(e.client.Rehearse(ctx, ask))
	if err != nil {
		return err
	}
	var rows [][]string
	for _, f := range a.Flagged {
		rows = append(rows, []string{f.After, f.Key, f.Name, f.Sentence})
	}
	columns := []column{{head: "grade"}, {head: "key"}, {head: "name"}, {head: "why", wrap: true}}
	if e.format != "table" {
		return e.show(a, columns, rows)
	}
	fmt.Fprintf(e.out, "%s  %s\n%s\n\n", e.bold(a.Rule), a.Title, e.dim(a.Words))
	published := "not published"
	if a.Published != nil {
		published = fmt.Sprintf("%d by the published rule", a.Published.Flagged)
	}
	fmt.Fprintf(e.out, "%d of %d judged are flagged; %s. %d newly, %d no longer, %d regraded.\n\n", a.Tally.Flagged, a.Tally.Judged, published,
		a.Turned.Flagged, a.Turned.NoLonger, a.Turned.Regraded)
	e.section("Flagged", columns, rows)
	rows = nil
	for _, f := range a.Flips {
		rows = append(rows, []string{or(f.Before, "clear") + " → " + or(f.After, "clear"), f.Key, f.Name, f.Sentence})
	}
	columns[0].head = "change"
	e.section("Flips", columns, rows)
	rows = nil
	for _, f := range a.Near {
		rows = append(rows, []string{or(f.After, "clear"), f.Key, f.Name, f.Sentence})
	}
	columns[0].head = "verdict"
	e.section("Nearest to the cut", columns, rows)
	rows = nil
	for _, b := range a.Back {
		if b.Empty {
			rows = append(rows, []string{b.Period, "no lines", "", "", ""})
			continue
		}
		rows = append(rows, []string{b.Period, strconv.Itoa(b.Judged), strconv.Itoa(b.Flagged), strconv.Itoa(b.Persisted), strconv.Itoa(b.Explained)})
	}
	e.section("Look back", []column{{head: "period"}, {head: "judged", right: true}, {head: "flagged", right: true}, {head: "again", right: true},
		{head: "settled as explained", right: true}}, rows)
	if len(a.Desks) > 0 {
		e.desks(a.Desks)
	}
	if w := a.WhatIf; w != nil {
		fmt.Fprintf(e.out, "\nIf so, %s: %s\n", p.whatIf, e.bold(strings.TrimSpace(or(w.Grade, w.Outcome)+" "+w.Why)))
	}
	if a.Crowded != nil {
		e.printf("Warning: %s.\n", *a.Crowded)
	}
	e.printf("Nothing was changed.\n")
	return nil
}

// section is a table under a heading, or nothing where it has no rows.
func (e *env) section(title string, columns []column, rows [][]string) {
	if len(rows) == 0 {
		return
	}
	fmt.Fprintln(e.out, e.bold(title))
	e.table(columns, rows)
	fmt.Fprintln(e.out)
}

func (p *rehearsal) solveDial(ctx context.Context, e *env) error {
	months := 6
	if p.periods > 0 {
		months = p.periods
	}
	ask := client.SolveRequest{Text: p.text, Dial: p.solve, Wanted: p.about, Period: p.period, Periods: &months}
	if p.rule != "" {
		ask.Rules = &[]string{p.rule}
	}
	s, err := read[client.Solution](e)(e.client.SolveDial(ctx, ask))
	if err != nil {
		return err
	}
	var rows [][]string
	for _, t := range s.Tried {
		mark := ""
		if t.Value == s.Value {
			mark = "← nearest"
		}
		rows = append(rows, []string{t.Value, fmt.Sprintf("%.1f", t.Average), mark})
	}
	if err := e.show(s, []column{{head: s.Dial, right: true}, {head: "a month", right: true}, {head: "note"}}, rows); err != nil {
		return err
	}
	e.printf("%s at %s flags %.1f a month over the last %d, by %s; now, at %s, it is %.1f. Nothing was changed.\n", s.Dial, s.Value, s.Average, months,
		strings.Join(s.Rules, ", "), s.Now, s.NowAverage)
	return nil
}

var revisionCommands = []command{
	{
		name: "rulebook revisions", lists: true, short: "list the revisions: who, when, why, what changed",
		example: "oskel rulebook revisions",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, _ []string) error {
				all, err := read[[]client.Revision](e)(e.client.ListRevisions(ctx))
				if err != nil {
					return err
				}
				var rows [][]string
				for _, r := range all {
					changed := r.Differences
					if most := 6; len(changed) > most && e.format == "table" {
						changed = append(slices.Clone(changed[:most]), fmt.Sprintf("and %d more: oskel rulebook compare %d", len(r.Differences)-most, r.BasedOn))
						if r.BasedOn == 0 {
							changed[most] = fmt.Sprintf("and %d more", len(r.Differences)-most)
						}
					}
					rows = append(rows, []string{strconv.Itoa(r.Number), e.moment(r.At), r.Author, r.Note, strings.Join(changed, "; ")})
				}
				return e.show(all, []column{{head: "revision", right: true}, {head: "at"}, {head: "by"}, {head: "why"}, {head: "what changed", wrap: true}}, rows)
			}
		},
	},
	{
		name: "rulebook compare", args: "REVISION [RULEBOOK]", short: "compare the published rulebook, or a file, with a revision",
		example: "oskel rulebook compare 3\noskel rulebook compare 3 draft.yaml",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				number, err := revisionArg(args)
				if err != nil {
					return err
				}
				ask := client.CompareRequest{With: &number}
				if len(args) > 1 {
					text, err := os.ReadFile(args[1])
					if err != nil {
						return err
					}
					s := string(text)
					ask.Text = &s
				}
				d, err := read[client.Comparison](e)(e.client.CompareRulebook(ctx, ask))
				if err != nil {
					return err
				}
				if e.format == "json" {
					return e.show(d, nil, nil)
				}
				for _, w := range d.Words {
					e.printf("%s\n", w)
				}
				if len(d.Words) == 0 {
					e.printf("No differences.\n")
				}
				fmt.Fprint(e.out, d.Text)
				return nil
			}
		},
	},
	{
		name: "rulebook restore", args: "REVISION", short: "restore an earlier revision, as a new one",
		example: "oskel rulebook restore -note \"Back to the old floor\" 3",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			note := f.String("note", "", "why (required)")
			return func(ctx context.Context, args []string) error {
				number, err := revisionArg(args)
				if err != nil {
					return err
				}
				return publishAs(ctx, e, *note, func(basedOn int) (*http.Response, error) {
					return e.client.RestoreRevision(ctx, number, client.Restoration{Note: *note, BasedOn: basedOn})
				})
			}
		},
	},
	{
		name: "dial list", lists: true, short: "list the dials, and the rules that use each",
		example: "oskel dial list",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, _ []string) error {
				all, err := read[[]client.Dial](e)(e.client.ListDials(ctx))
				if err != nil {
					return err
				}
				var rows [][]string
				for _, d := range all {
					rows = append(rows, []string{d.Name, d.Value, text(d.From), text(d.To), strings.Join(d.Uses, ", ")})
				}
				return e.show(all, []column{{head: "dial"}, {head: "value", right: true}, {head: "from", right: true}, {head: "to", right: true},
					{head: "used by", wrap: true}}, rows)
			}
		},
	},
	{
		name: "dial set", args: "DIAL VALUE", short: "change a dial everywhere at once, as a new revision",
		example: "oskel dial set -note \"A tighter floor\" margin_floor 24%",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			note := f.String("note", "", "why (required)")
			return func(ctx context.Context, args []string) error {
				if len(args) != 2 {
					return usagef("expected a dial and its new value")
				}
				return publishAs(ctx, e, *note, func(basedOn int) (*http.Response, error) {
					return e.client.ChangeDial(ctx, args[0], client.DialChange{Value: args[1], Note: *note, BasedOn: basedOn})
				})
			}
		},
	},
	{
		name: "grade list", lists: true, short: "list the grades, most serious first, and their marks",
		example: "oskel grade list",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, _ []string) error {
				book, err := theBook(ctx, e)
				if err != nil {
					return err
				}
				var rows [][]string
				for _, g := range book.Grades {
					says := "flags"
					if g.Good {
						says = "praises"
					}
					rows = append(rows, []string{g.Name, g.Label, g.Tone, g.Shape, string(g.Cell), says})
				}
				return e.show(book.Grades, []column{{head: "grade"}, {head: "label"}, {head: "tone"}, {head: "shape"}, {head: "colours"}, {head: "says"}}, rows)
			}
		},
	},
	{
		name: "grade change", args: "GRADE", short: "change how a grade looks, as a new revision",
		example: "oskel grade change -shape square -note \"Easier to tell apart\" look",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			note := f.String("note", "", "why (required)")
			label := f.String("label", "", "what it is called; unchanged unless given")
			tone := f.String("tone", "", "one of "+strings.Join(rulebook.Tones, ", ")+"; unchanged unless given")
			shape := f.String("shape", "", "one of "+strings.Join(rulebook.Shapes, ", ")+"; unchanged unless given")
			cell := f.String("cell", "", "what of a table it colours beside its shape, one of "+strings.Join(rulebook.CellLooks, ", ")+"; unchanged unless given")
			return func(ctx context.Context, args []string) error {
				if len(args) != 1 || *label+*tone+*shape+*cell == "" {
					return usagef("expected a grade, and a label, tone, shape or cell for it")
				}
				book, err := theBook(ctx, e)
				if err != nil {
					return err
				}
				style := client.GradeChange{Note: *note}
				for _, g := range book.Grades {
					if g.Name == args[0] {
						style.Label, style.Tone, style.Shape = g.Label, client.GradeChangeTone(g.Tone), client.GradeChangeShape(g.Shape)
					}
				}
				style.Label = or(*label, style.Label)
				style.Tone = client.GradeChangeTone(or(*tone, string(style.Tone)))
				style.Shape = client.GradeChangeShape(or(*shape, string(style.Shape)))
				if *cell != "" {
					style.Cell = ptr(client.GradeChangeCell(*cell))
				}
				return publishAs(ctx, e, *note, func(basedOn int) (*http.Response, error) {
					style.BasedOn = basedOn
					return e.client.ChangeGrade(ctx, args[0], style)
				})
			}
		},
	},
	{
		name: "rulebook uses", lists: true, args: "NAME", short: "list what uses a measure, dial, kind, grade, feed or desk",
		example: "oskel rulebook uses margin_floor",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				if len(args) != 1 {
					return usagef("expected one name")
				}
				all, err := read[[]string](e)(e.client.ListUses(ctx, &client.ListUsesParams{Name: args[0]}))
				if err != nil {
					return err
				}
				var rows [][]string
				for _, u := range all {
					rows = append(rows, []string{u})
				}
				if len(rows) == 0 && e.format == "table" {
					e.printf("Nothing uses %s.\n", args[0])
					return nil
				}
				return e.show(all, []column{{head: "used by"}}, rows)
			}
		},
	},
}

func revisionArg(args []string) (int, error) {
	if len(args) < 1 || len(args) > 2 {
		return 0, usagef("expected the number of a revision")
	}
	n, err := strconv.Atoi(args[0])
	if err != nil || n < 1 {
		return 0, usagef("expected the number of a revision, found %q", args[0])
	}
	return n, nil
}
