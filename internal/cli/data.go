package cli

import (
	"context"
	"flag"
	"fmt"
	"io"
	"maps"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"sort"
	"strconv"
	"strings"
	"time"

	"golang.org/x/term"

	"oskel/core/rulebook"
	"oskel/core/words"
	"oskel/internal/client"
)

var dataCommands = []command{
	{
		name: "load", args: "FILE", short: "load a CSV file of a feed, a register or a target sheet",
		long: "The file is accepted whole or not at all; faults are listed with line, column,\nvalue and what was expected.",
		example: "oskel load -feed sales october.csv\noskel load -feed sales -replace 2026-10 october-corrected.csv\noskel load -feed sales -replace " +
			"2026-W40 week-40.csv\noskel load -feed sales -correct order_no corrections.csv\noskel load -dry-run -feed sales october.csv\noskel load " +
			"-register rep reps.csv\noskel load -targets rep targets.csv",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			feed := f.String("feed", "", "the `feed` the lines belong to")
			register := f.String("register", "", "the `kind` of the subjects in the file")
			targets := f.String("targets", "", "the `kind` of the subjects that the targets are for")
			replace := f.String("replace", "", "the lines replace those that the feed has in this `period`, such as 2026-10, 2026-Q3 or 2026-10-05")
			correct := f.String("correct", "", "lines that bear the same in this note `column` as one in the file give way to it")
			again := f.Bool("allow-duplicates", false, "load lines that equal lines already there")
			sure := f.Bool("yes", false, "load what looks like a typing mistake: days far ahead, new keys that differ from others in case alone")
			try := f.Bool("dry-run", false, "check the file and say what it would change; store nothing")
			return func(ctx context.Context, args []string) error {
				into, name := "", ""
				for _, x := range []struct{ into, name string }{{"feed", *feed}, {"register", *register}, {"targets", *targets}} {
					if x.name != "" {
						if into != "" {
							return usagef("state one of -feed, -register and -targets, not both %s and %s", into, x.into)
						}
						into, name = x.into, x.name
					}
				}
				if into == "" {
					return usagef("state what the file holds: -feed NAME, -register KIND or -targets KIND")
				}
				if len(args) != 1 {
					return usagef("expected one file, found %d", len(args))
				}
				return load(ctx, e, &client.CreateIntakeParams{Into: client.CreateIntakeParamsInto(into), Name: name, AllowDuplicates: again,
					AcceptWarnings: sure, DryRun: try}, *replace, *correct, args[0])
			}
		},
	},
	{
		name: "intake list", lists: true, short: "list the loaded files, by whom and when",
		example: "oskel intake list",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, _ []string) error {
				all, err := read[[]client.Intake](e)(e.client.ListIntakes(ctx))
				if err != nil {
					return err
				}
				var rows [][]string
				for _, in := range all {
					note := ""
					if in.RevertedBy != nil {
						note = fmt.Sprintf("reverted by %d", *in.RevertedBy)
					} else if in.Period != nil {
						note = "replaced " + *in.Period
					}
					rows = append(rows, []string{strconv.FormatInt(in.Id, 10), in.Into + " " + in.Name, in.File, strconv.FormatInt(in.Rows, 10), span(in.Months),
						in.By, e.moment(in.At), note})
				}
				return e.show(all, []column{{head: "intake", right: true}, {head: "into"}, {head: "file"}, {head: "rows", right: true}, {head: "months"},
					{head: "by"}, {head: "at"}, {head: "note"}}, rows)
			}
		},
	},
	{
		name: "intake revert", args: "INTAKE", short: "revert an intake; what it replaced counts again",
		example: "oskel intake revert 9",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				id, err := idArg(args, "intake")
				if err != nil {
					return err
				}
				in, err := read[client.Intake](e)(e.client.RevertIntake(ctx, id))
				if err != nil {
					return err
				}
				e.printf("Intake %d (%s, %s) was reverted by intake %d.\n", id, in.File, counted(int(in.Rows), "row"), in.Id)
				return nil
			}
		},
	},
}

func idArg(args []string, what string) (int64, error) {
	if len(args) != 1 {
		return 0, usagef("expected the number of one %s, found %d arguments", what, len(args))
	}
	id, err := strconv.ParseInt(args[0], 10, 64)
	if err != nil || id < 1 {
		return 0, usagef("expected the number of %s, found %q", rulebook.Article(what), args[0])
	}
	return id, nil
}

func span(months []string) string {
	switch len(months) {
	case 0:
		return ""
	case 1:
		return months[0]
	}
	return months[0] + " to " + months[len(months)-1]
}

func load(ctx context.Context, e *env, params *client.CreateIntakeParams, replace, correct, path string) error {
	file, err := os.Open(path)
	if err != nil {
		return fmt.Errorf("reading the file: %w", err)
	}
	defer file.Close() //nolint:errcheck // it was only read
	info, err := file.Stat()
	if err != nil || !info.Mode().IsRegular() {
		return fmt.Errorf("%s is not a file that can be read", path)
	}
	base := filepath.Base(path)
	params.File = &base
	if replace != "" {
		params.Replace = &replace
	}
	if correct != "" {
		params.Correct = &correct
	}
	body := &progress{in: file, size: info.Size(), e: e, what: "Sending " + base}
	if f, ok := e.err.(*os.File); ok {
		body.shown = term.IsTerminal(int(f.Fd()))
	}
	r, err := e.client.CreateIntakeWithBody(ctx, params, "text/csv", body, func(_ context.Context, r *http.Request) error {
		r.ContentLength = info.Size()
		return nil
	})
	body.end()
	if *params.DryRun {
		report, err := readAnswer[client.IntakeReport](e, r, err)
		if err != nil {
			return err
		}
		return showReport(e, base, report)
	}
	in, err := readAnswer[client.Intake](e, r, err)
	if err != nil {
		return err
	}
	if e.format == "json" {
		return e.show(in, nil, nil)
	}
	var totals []string
	for k, v := range in.Totals {
		totals = append(totals, k+" "+v)
	}
	sort.Strings(totals)
	e.printf("Loaded %s of %s as intake %d", counted(int(in.Rows), "row"), base, in.Id)
	if len(in.Months) > 0 {
		e.printf(", %s", span(in.Months))
	}
	if len(totals) > 0 {
		e.printf("; totals: %s", strings.Join(totals, ", "))
	}
	e.printf(".\n")
	return nil
}

// showReport says what a file would bring.
func showReport(e *env, file string, r client.IntakeReport) error {
	var rows [][]string
	for _, m := range r.Months {
		var totals []string
		for _, name := range slices.Sorted(maps.Keys(m.Totals)) {
			totals = append(totals, fmt.Sprintf("%s %s (now %s)", name, or(m.Totals[name], "–"), or(m.TotalsBefore[name], "–")))
		}
		rows = append(rows, []string{m.Month, strconv.FormatInt(m.Before, 10), strconv.FormatInt(m.Rows, 10), strings.Join(totals, ", ")})
	}
	if e.format != "table" || len(rows) > 0 {
		if err := e.show(r, []column{{head: "month"}, {head: "lines before", right: true}, {head: "lines after", right: true},
			{head: "totals after", wrap: true}}, rows); err != nil {
			return err
		}
	}
	if n := r.NewSubjects; n != nil && *n > 0 {
		e.printf("%s: %s%s.\n", counted(*n, "new subject"), strings.Join(r.Subjects, ", "), map[bool]string{true: ", …"}[*n > len(r.Subjects)])
	}
	if r.Doubts != nil {
		e.printf("This looks like a typing mistake: %s.\n", strings.Join(*r.Doubts, "; "))
	}
	if r.EqualWords != nil {
		e.printf("%s.\n", words.UpperFirst(*r.EqualWords))
	}
	e.printf("%s of %s can be loaded. Nothing was stored.\n", counted(int(r.Rows), "row"), file)
	return nil
}

// progress shows how far a file has been sent, when a person is looking and
// it takes long enough to wonder.
type progress struct {
	in    io.Reader
	size  int64
	sent  int64
	e     *env
	what  string
	shown bool
	began time.Time
	last  time.Time
	drawn bool
}

func (p *progress) Read(b []byte) (int, error) {
	n, err := p.in.Read(b)
	p.sent += int64(n)
	now := time.Now()
	if p.began.IsZero() {
		p.began = now
	}
	if p.shown && p.size > 0 && now.Sub(p.began) > time.Second && now.Sub(p.last) > 200*time.Millisecond {
		p.last, p.drawn = now, true
		left := time.Duration(float64(now.Sub(p.began)) * float64(p.size-p.sent) / float64(max(1, p.sent)))
		p.e.printf("\r%s: %d%%, %s left ", p.what, 100*p.sent/p.size, left.Round(time.Second))
	}
	return n, err
}

func (p *progress) end() {
	if p.drawn {
		p.e.printf("\r\x1b[K")
	}
}
