package cli

import (
	"context"
	"flag"
	"strconv"
	"strings"

	"oskel/internal/client"
)

var faultCommands = []command{
	{
		name: "data-issue list", lists: true, short: "list the data issues that reviewers reported",
		long:    "An issue closes by itself when lines of its feeds come and nothing in its case is flagged\nany more.",
		example: "oskel data-issue list -mine\noskel data-issue list -feed returns -all",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			p := &client.ListDataIssuesParams{}
			stringFlag(f, &p.Feed, "feed", "only of this `feed`")
			p.Mine = f.Bool("mine", false, "only of your feeds")
			p.Ended = f.Bool("all", false, "closed ones too")
			return func(ctx context.Context, _ []string) error {
				all, err := allOf(func(skip int) ([]client.DataIssue, error) {
					p.Skip = &skip
					return read[[]client.DataIssue](e)(e.client.ListDataIssues(ctx, p))
				})
				if err != nil {
					return err
				}
				var rows [][]string
				for _, x := range all {
					at, mended := e.moment(x.At), ""
					if x.EndedBy != nil {
						mended = *x.EndedBy + ": " + text(x.EndedText)
					}
					rows = append(rows, []string{strconv.FormatInt(x.Id, 10), strings.Join(x.Feeds, " "), strings.Join(x.Owners, " "), at, x.By,
						strconv.FormatInt(x.Case, 10), x.Key, x.Name, or(x.Note, x.Sentence), mended})
				}
				return e.show(all, []column{{head: "issue", right: true}, {head: "feeds"}, {head: "owner"}, {head: "found"}, {head: "by"},
					{head: "case", right: true}, {head: "key"}, {head: "name"}, {head: "what", wrap: true}, {head: "closed", wrap: true}}, rows)
			}
		},
	},
	{
		name: "data-issue close", args: "FAULT TEXT", short: "close a data issue as fixed, or as no issue",
		example: "oskel data-issue close 3 \"The lines were right: a price was agreed\"",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				if len(args) < 2 {
					return usagef("expected the number of a data issue and how it was fixed")
				}
				id, err := idArg(args[:1], "fault")
				if err != nil {
					return err
				}
				if _, err := read[struct{}](e)(e.client.CloseDataIssue(ctx, id, client.DataIssueEnd{Text: strings.Join(args[1:], " ")})); err != nil {
					return err
				}
				e.printf("Closed data issue %d.\n", id)
				return nil
			}
		},
	},
}
