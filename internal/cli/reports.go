package cli

import (
	"context"
	"flag"
	"fmt"
	"io"
	"math/big"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"oskel/core/rulebook"
	"oskel/internal/client"
)

var reportCommands = []command{
	{
		name: "report outcomes", lists: true, short: "count the outcomes of settled cases by rule, desk, person, reason, period or revision",
		long:    "Precision is confirmed cases as a share of all settled ones, cleared ones left out.\n Hours are medians, from when a case was opened.",
		example: "oskel report outcomes\noskel report outcomes -by desk -from 2026-10-01 -to 2026-10-31\noskel report outcomes -rule thin-margin -by period",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			by := f.String("by", "rule", "rule, desk, person, reason, period, revision or grade")
			var rule, desk *string
			stringFlag(f, &rule, "rule", "only what this `rule` has flagged; with -by period its precision over time")
			stringFlag(f, &desk, "desk", "only of this `desk`")
			from, to := f.String("from", "", "the first `day` of settling; default: a year ago"), f.String("to", "", "the last `day`; default: today")
			return func(ctx context.Context, _ []string) error {
				p := &client.ListOutcomesParams{By: (*client.ListOutcomesParamsBy)(by), Rule: rule, Desk: desk}
				if err := dayFlag(*from, "-from", &p.From); err != nil {
					return err
				}
				if err := dayFlag(*to, "-to", &p.To); err != nil {
					return err
				}
				all, err := read[[]client.OutcomeRow](e)(e.client.ListOutcomes(ctx, p))
				if err != nil {
					return err
				}
				if e.file != "" || e.format == "csv" {
					return e.report(ctx, &client.ExportReportParams{Report: "outcomes", By: (*client.ExportReportParamsBy)(by), Rule: p.Rule, Desk: p.Desk,
						From: p.From, To: p.To})
				}
				var rows [][]string
				for _, x := range all {
					precision := ""
					if x.Precision != nil {
						precision = fmt.Sprintf("%.0f%%", *x.Precision*100)
					}
					rows = append(rows, []string{x.Title, strconv.Itoa(x.Settled), strconv.Itoa(x.Confirmed), strconv.Itoa(x.Explained), strconv.Itoa(x.DataFault),
						strconv.Itoa(x.RuleFault), strconv.Itoa(x.Cleared), precision, hours(x.HoursToLook), hours(x.HoursToSettle), e.stakes(x.Stakes),
						e.sum(x.Recovered), e.sum(x.WrittenOff)})
				}
				return e.show(all, []column{{head: *by}, {head: "settled", right: true}, {head: "confirmed", right: true}, {head: "explained", right: true},
					{head: "data fault", right: true}, {head: "rule fault", right: true}, {head: "cleared", right: true},
					{head: "precision", right: true}, {head: "to first look", right: true}, {head: "to settle", right: true}, {head: "stake", right: true},
					{head: "recovered", right: true}, {head: "written off", right: true}}, rows)
			}
		},
	},
	{
		name: "report backlog", lists: true, short: "count open, taken, parked and late cases by desk, person, rule, grade or period",
		example: "oskel report backlog\noskel report backlog -by person",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			by := f.String("by", "desk", "desk, person, rule, grade or period")
			return func(ctx context.Context, _ []string) error {
				all, err := read[[]client.BacklogRow](e)(e.client.GetBacklog(ctx, &client.GetBacklogParams{By: (*client.GetBacklogParamsBy)(by)}))
				if err != nil {
					return err
				}
				if e.file != "" || e.format == "csv" {
					return e.report(ctx, &client.ExportReportParams{Report: "backlog", By: (*client.ExportReportParamsBy)(by)})
				}
				var rows [][]string
				for _, x := range all {
					rows = append(rows, []string{x.Title, strconv.Itoa(x.Open), strconv.Itoa(x.Taken), strconv.Itoa(x.Parked), strconv.Itoa(x.Late),
						strconv.Itoa(x.Unseen), strconv.Itoa(x.Cleared), strconv.Itoa(x.Ages[0]), strconv.Itoa(x.Ages[1]), strconv.Itoa(x.Ages[2]),
						strconv.Itoa(x.Ages[3]), e.moment(x.Oldest), e.stakes(x.Stakes), text(x.Note)})
				}
				return e.show(all, []column{{head: *by}, {head: "open", right: true}, {head: "taken", right: true}, {head: "parked", right: true},
					{head: "late", right: true}, {head: "unseen", right: true}, {head: "cleared", right: true}, {head: "≤1 week", right: true},
					{head: "≤2", right: true}, {head: "≤4", right: true}, {head: "older", right: true}, {head: "oldest"}, {head: "stake", right: true},
					{head: "note", wrap: true}}, rows)
			}
		},
	},
	{
		name: "report suggestions", args: "RULE", short: "suggest changes of a rule, backtested on settled cases",
		long: "A base, another cut, or leaving some out: each is judged in the periods of what was\nsettled, and said with what it would have cost. " +
			"With -take one is written to a file, to\nbe rehearsed and published as any other.",
		example: "oskel report suggestions -period 2026-10 behind-target\noskel report suggestions -period 2026-10 -take 1 -o draft.yaml " +
			"behind-target\noskel rehearse -period 2026-10 -rule behind-target draft.yaml",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			period := periodFlag(f)
			take := f.Int("take", 0, "write the rulebook with this `number` of the list to -o")
			file := f.String("o", "", "the `file` to write it to")
			return func(ctx context.Context, args []string) error {
				if len(args) != 1 {
					return usagef("expected the name of one rule")
				}
				if err := periodGiven(*period, nil); err != nil {
					return err
				}
				if (*take > 0) != (*file != "") {
					return usagef("-take NUMBER and -o FILE go together")
				}
				all, err := read[client.Suggestions](e)(e.client.ListSuggestions(ctx, args[0], &client.ListSuggestionsParams{Period: *period}))
				if err != nil {
					return err
				}
				if *take > len(all.Proposals) {
					return usagef("there are %d suggestions, none with number %d", len(all.Proposals), *take)
				}
				if *take > 0 {
					if err := writeFile(*file, func(out io.Writer) error {
						_, err := io.WriteString(out, all.Proposals[*take-1].Text)
						return err
					}); err != nil {
						return err
					}
					e.printf("Wrote the rulebook with it to %s. Try it: oskel rehearse -period %s -rule %s %s\n", *file, *period, args[0], *file)
					return nil
				}
				var rows [][]string
				for i, p := range all.Proposals {
					rows = append(rows, []string{strconv.Itoa(i + 1), p.Words, strconv.Itoa(p.Spared), strconv.Itoa(p.Lost), strconv.Itoa(p.Newly)})
				}
				if err := e.show(all, []column{{head: "no.", right: true}, {head: "proposal", wrap: true}, {head: "spared", right: true},
					{head: "lost", right: true}, {head: "newly flagged", right: true}}, rows); err != nil {
					return err
				}
				e.printf("Of the settled cases that the rule still flags, %d were explained or rule errors, and %d confirmed.\n", all.Explained, all.Confirmed)
				return nil
			}
		},
	},
}

// hours says how long it took, in minutes below an hour and in days from two on; "" where
// nobody knows.
func hours(h *float64) string {
	switch {
	case h == nil:
		return ""
	case *h >= 48:
		return fmt.Sprintf("%.0f days", *h/24)
	case *h < 1:
		return fmt.Sprintf("%.0f min", *h*60)
	}
	return fmt.Sprintf("%.1f h", *h)
}

// sum is a decimal as people read it, and for machines as it is; nothing where it is zero.
func (e *env) sum(decimal string) string {
	r, ok := new(big.Rat).SetString(decimal)
	switch {
	case e.format != "table":
		return decimal
	case !ok || r.Sign() == 0:
		return ""
	}
	return rulebook.Format(r, rulebook.Money, 0)
}

// report has the service write a report, in the form of the file's ending or as CSV.
func (e *env) report(ctx context.Context, p *client.ExportReportParams) error {
	p.Form = "csv"
	if form := strings.TrimPrefix(filepath.Ext(e.file), "."); slices.Contains([]string{"json", "xlsx", "parquet"}, form) {
		p.Form = client.ExportReportParamsForm(form)
	}
	body, err := readText(e)(e.client.ExportReport(ctx, p))
	if err != nil {
		return err
	}
	if e.file == "" {
		_, err := io.WriteString(e.out, body)
		return err
	}
	return e.written("the report", body)
}

// written writes what the service made into the file that is asked for.
func (e *env) written(what, body string) error {
	if err := writeFile(e.file, func(w io.Writer) error { _, err := io.WriteString(w, body); return err }); err != nil {
		return fmt.Errorf("writing %s: %w", e.file, err)
	}
	e.printf("Wrote %s to %s.\n", what, e.file)
	return nil
}

// stakes says what is at stake by kind, which are not added: of one kind the amount alone.
func (e *env) stakes(all []client.KindStake) string {
	var parts []string
	for _, s := range all {
		text := e.sum(s.Stake)
		if len(all) > 1 {
			text += " " + s.Title
		}
		parts = append(parts, text)
	}
	return strings.Join(parts, ", ")
}
