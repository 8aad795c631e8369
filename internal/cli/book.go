package cli

import (
	"context"
	"flag"
	"fmt"
	"io"
	"net/http"
	"os"
	"regexp"
	"strconv"
	"strings"

	"oskel/core/judge"
	"oskel/core/lang"
	"oskel/internal/client"
)

var bookCommands = []command{
	{
		name: "check", args: "RULEBOOK", short: "check a rulebook file; needs no service", local: true,
		long:    "Lists every problem with its line and column and exits with 1, or says what each\nrule does and exits with 0.",
		example: "oskel check rulebook.yaml",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(_ context.Context, args []string) error {
				text, err := bookArg(args)
				if err != nil {
					return err
				}
				book, problems, advice := judge.ReadBook(text)
				if len(problems) > 0 {
					for _, p := range problems {
						fmt.Fprintf(e.out, "%s:%d:%d: %s: %s\n", args[0], p.Line, p.Column, p.Path, p.Text)
					}
					e.printf("%s; nothing of this can be published.\n", counted(len(problems), "problem"))
					return errSilent
				}
				for i := range book.Rules {
					r := &book.Rules[i]
					fmt.Fprintf(e.out, "%s (%s): %s\n", r.Name, r.Family(), book.Words(r))
				}
				for _, p := range advice {
					e.printf("%s:%d:%d: warning: %s: %s\n", args[0], p.Line, p.Column, p.Path, p.Text)
				}
				e.printf("%s, %s, %s: no errors", counted(len(book.Rules), "rule"), counted(len(book.Measures), "measure"), counted(len(book.Desks), "desk"))
				if len(advice) > 0 {
					e.printf(", %s", counted(len(advice), "warning"))
				}
				e.printf(".\n")
				return nil
			}
		},
	},
	{
		name: "publish", args: "RULEBOOK", short: "publish a rulebook file as a new revision",
		long: "The service checks it again. The revision the file was made from is what its first\nline says, if 'oskel rulebook show' wrote it, or " +
			"the one it differs from least, or what\n-based-on says. If another has been published since, publishing is refused with what it\nwould undo, " +
			"unless -force says that this is meant.",
		example: "oskel publish -note \"Margin floor 23%\" rulebook.yaml\noskel publish -force -note \"Back to the old dials\" rulebook.yaml",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			note := f.String("note", "", "the reason for the change (required)")
			basedOn := f.Int("based-on", -1, "the `revision` the file was made from; found out unless stated")
			force := f.Bool("force", false, "publish although another revision was published since")
			return func(ctx context.Context, args []string) error {
				if *note == "" {
					return errNoNote
				}
				text, err := bookArg(args)
				if err != nil {
					return err
				}
				err = publishAs(ctx, e, *note, func(_ int) (*http.Response, error) {
					ask := client.NewRevision{Text: string(text), Note: *note, Force: force}
					if *basedOn >= 0 {
						ask.BasedOn = basedOn
					}
					return e.client.PublishRevision(ctx, ask)
				})
				if err != nil {
					return err
				}
				return keepOrigin(ctx, e, args[0], string(text))
			}
		},
	},
	{
		name: "rules", lists: true, short: "list the published rules in words, with how many each flags",
		example: "oskel rules -period 2026-10",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			period := f.String("period", "", "the `period` to count in, such as 2026-10")
			return func(ctx context.Context, _ []string) error {
				params := &client.ListRulesParams{}
				if *period != "" {
					params.Period = period
				}
				all, err := read[[]client.Rule](e)(e.client.ListRules(ctx, params))
				if err != nil {
					return err
				}
				var rows [][]string
				for _, r := range all {
					flagged, judged := "", ""
					if r.Tally != nil {
						flagged, judged = strconv.Itoa(r.Tally.Flagged), strconv.Itoa(r.Tally.Judged)
					}
					rows = append(rows, []string{r.Name, r.Family, r.Judges, flagged, judged, r.Words})
				}
				if err := e.show(all, []column{{head: "rule"}, {head: "family"}, {head: "judges"}, {head: "flagged", right: true}, {head: "judged", right: true},
					{head: "says", wrap: true}}, rows); err != nil {
					return err
				}
				for _, r := range all {
					if r.Record != nil {
						for _, note := range r.Record.Notes {
							e.printf("%s: %s\n", r.Name, note)
						}
					}
				}
				return nil
			}
		},
	},
	{
		name: "rulebook methods", lists: true, args: "[METHOD]", short: "list the outlier and event-window methods, or the settings of one",
		example: "oskel rulebook methods\noskel rulebook methods \"level shift\"",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				all, err := read[[]client.Method](e)(e.client.ListMethods(ctx))
				if err != nil {
					return err
				}
				if len(args) > 0 {
					return showMethod(e, strings.Join(args, " "), all)
				}
				var rows [][]string
				for _, m := range all {
					rows = append(rows, []string{m.Name, string(m.Family), string(m.Among), m.Good, m.Needs})
				}
				return e.show(all, []column{{head: "method"}, {head: "family"}, {head: "looks at"}, {head: "good for", wrap: true}, {head: "needs", wrap: true}}, rows)
			}
		},
	},
	{
		name: "rulebook show", short: "print the published rulebook, or write it to a file",
		example: "oskel rulebook show -o rulebook.yaml",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			file := f.String("o", "", "write it to this `file`")
			return func(ctx context.Context, _ []string) error {
				book, err := theBook(ctx, e)
				if err != nil {
					return err
				}
				if e.format == "json" {
					return e.show(book, nil, nil)
				}
				if book.Revision == 0 {
					e.printf("No rulebook is published yet: oskel publish -note \"…\" rulebook.yaml\n")
					return errSilent
				}
				if *file != "" {
					return os.WriteFile(*file, []byte(originLine(book.Revision)+book.Text), 0o600)
				}
				fmt.Fprint(e.out, originLine(book.Revision)+book.Text)
				return nil
			}
		},
	},
}

// originLine says in a rulebook file which revision it was taken from.
func originLine(revision int) string {
	return fmt.Sprintf("# From revision %d. Keep this line: publishing minds by it when another has been published since.\n", revision)
}

var originPattern = regexp.MustCompile(`\A# From revision \d+\b.*\n`)

// keepOrigin writes the new revision into a file that said which one it was
// taken from.
func keepOrigin(ctx context.Context, e *env, path, text string) error {
	if !originPattern.MatchString(text) {
		return nil
	}
	book, err := theBook(ctx, e)
	if err != nil {
		return err
	}
	return writeFile(path, func(out io.Writer) error {
		_, err := io.WriteString(out, originPattern.ReplaceAllLiteralString(text, originLine(book.Revision)))
		return err
	})
}

// theBook is the published rulebook.
func theBook(ctx context.Context, e *env) (client.Rulebook, error) {
	return read[client.Rulebook](e)(e.client.GetRulebook(ctx))
}

var errNoNote = usagef("-note is missing: give the reason for the change")

// publishAs makes a new revision from the one published now, and says what it
// changes.
func publishAs(ctx context.Context, e *env, note string, publish func(basedOn int) (*http.Response, error)) error {
	if note == "" {
		return errNoNote
	}
	now, err := theBook(ctx, e)
	if err != nil {
		return err
	}
	revision, err := read[client.Revision](e)(publish(now.Revision))
	if err != nil {
		return err
	}
	if e.format == "json" {
		return e.show(revision, nil, nil)
	}
	e.printf("Published revision %d:\n", revision.Number)
	for _, d := range revision.Differences {
		e.printf("  %s\n", d)
	}
	return nil
}

func counted(n int, one string) string {
	if n == 1 {
		return "1 " + one
	}
	return strconv.Itoa(n) + " " + one + "s"
}

func bookArg(args []string) ([]byte, error) {
	if len(args) != 1 {
		return nil, usagef("expected one rulebook file, found %d arguments", len(args))
	}
	text, err := os.ReadFile(args[0])
	if err != nil {
		return nil, fmt.Errorf("reading the rulebook: %w", err)
	}
	return text, nil
}

// showMethod lists the settings of one method.
func showMethod(e *env, name string, all []client.Method) error {
	var known []string
	for _, m := range all {
		known = append(known, m.Name)
		if m.Name != name {
			continue
		}
		var rows [][]string
		for _, s := range m.Settings {
			unless, example := "optional", ""
			switch {
			case s.Required:
				unless = "required"
			case s.Default != nil:
				unless = *s.Default
			}
			if s.Example != nil {
				example = strings.Trim(*s.Example, "'")
			}
			what := s.Says
			if s.Choices != nil && len(*s.Choices) > 1 {
				what += ": " + strings.Join(*s.Choices, ", ")
			}
			rows = append(rows, []string{s.Key, string(s.Type), unless, example, what})
		}
		return e.show(m.Settings, []column{{head: "key"}, {head: "type"}, {head: "unless stated"}, {head: "example"}, {head: "says", wrap: true}}, rows)
	}
	return usagef("there is no method %q%s", name, lang.Suggestion(name, known))
}
