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
		name: "data-faults", lists: true, short: "faults of the data that cases were settled for and that are not mended",
		long:    "One settles by itself when lines of its feeds have come and nothing in its case is flagged\nany more.",
		example: "oskel data-faults -mine\noskel data-faults -feed returns -all",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			p := &client.ListDataFaultsParams{}
			stringFlag(f, &p.Feed, "feed", "only of this `feed`")
			p.Mine = f.Bool("mine", false, "only of feeds that you answer for")
			p.Ended = f.Bool("all", false, "those that are mended too")
			return func(ctx context.Context, _ []string) error {
				c, err := e.api()
				if err != nil {
					return err
				}
				all, err := allOf(func(skip int) ([]client.DataFault, error) {
					p.Skip = &skip
					r, err := c.ListDataFaults(ctx, p)
					return read[[]client.DataFault](e, r, err)
				})
				if err != nil {
					return err
				}
				var rows [][]string
				for _, x := range all {
					at, mended := x.At.Local().Format("2 Jan 2006 15:04"), ""
					if e.format == "csv" {
						at = x.At.UTC().Format("2006-01-02T15:04:05Z")
					}
					if x.EndedBy != nil {
						mended = *x.EndedBy + ": " + text(x.EndedText)
					}
					rows = append(rows, []string{strconv.FormatInt(x.Id, 10), strings.Join(x.Feeds, " "), strings.Join(x.Owners, " "), at, x.By, strconv.FormatInt(x.Case, 10), x.Key, x.Name, or(x.Note, x.Sentence), mended})
				}
				return e.show(all, []column{{head: "fault", right: true}, {head: "feeds"}, {head: "who answers"}, {head: "found"}, {head: "by"}, {head: "case", right: true}, {head: "key"}, {head: "name"}, {head: "what", wrap: true}, {head: "mended", wrap: true}}, rows)
			}
		},
	},
	{
		name: "mended", args: "FAULT TEXT", short: "say that a fault of the data is mended, or is none",
		example: "oskel mended 3 \"The lines were right: a price was agreed\"",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				if len(args) < 2 {
					return usagef("expected the number of a fault and a text that says how")
				}
				id, err := idArg(args[:1], "fault")
				if err != nil {
					return err
				}
				c, err := e.api()
				if err != nil {
					return err
				}
				r, err := c.EndDataFault(ctx, id, client.DataFaultEnd{Text: strings.Join(args[1:], " ")})
				if _, err := read[struct{}](e, r, err); err != nil {
					return err
				}
				e.say("Fault %d is mended.\n", id)
				return nil
			}
		},
	},
}
