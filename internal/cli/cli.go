// Package cli is the command line. Client commands know the service only
// through its API.
package cli

import (
	"bufio"
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"golang.org/x/term"

	"oskel/core/words"
	"oskel/internal/sheet"
)

// Exit codes that scripts can use.
const (
	exitOK      = 0
	exitRefused = 1 // the service, or a check, said no
	exitUsage   = 2 // the command was not understood
	exitSignIn  = 3 // not signed in, or not allowed
	exitAway    = 4 // the service does not answer
)

// env is what a command works with.
type env struct {
	in       io.Reader
	lines    *bufio.Reader // of in, once a line was read
	out, err io.Writer
	server   string
	format   string
	width    int    // of the terminal; 0 is none
	file     string // to write a list into, instead of out
	sort     string // a column of a list
	down     bool   // sorted from the last to the first
	colour   bool   // the terminal shows it
	home     string // where tokens are kept, instead of the directory of the user
}

func (e *env) say(format string, args ...any) { fmt.Fprintf(e.err, format, args...) }

// command is one verb.
type command struct {
	name    string
	args    string // what follows the flags, for the help
	short   string
	long    string
	example string
	local   bool // works without the service's client: no -server, no -format
	lists   bool // shows one list, which can be sorted and written into a file
	// setup adds flags and returns what runs with the arguments left.
	setup func(f *flag.FlagSet, e *env) func(ctx context.Context, args []string) error
}

var commands []command

func init() {
	commands = slices.Concat(serviceCommands, upkeepCommands, accountCommands, dataCommands, figureCommands, registerCommands, bookCommands, rehearseCommands, revisionCommands, sweepCommands, scheduleCommands, walkCommands, viewCommands, gridCommands, caseCommands, casePartCommands, faultCommands, reportCommands)
}

// usageError is a command that was not understood.
type usageError struct{ text string }

func (u *usageError) Error() string { return u.text }

func usagef(format string, args ...any) error { return &usageError{fmt.Sprintf(format, args...)} }

// Main runs one command and returns its exit code.
func Main(ctx context.Context, args []string, in io.Reader, out, errOut io.Writer) int {
	e := &env{in: in, out: out, err: errOut}
	e.home, _ = ctx.Value(homeKey{}).(string)
	if f, ok := out.(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		e.width, _, _ = term.GetSize(int(f.Fd()))
		e.colour = os.Getenv("NO_COLOR") == ""
	}
	if len(args) == 0 || args[0] == "help" || args[0] == "-h" || args[0] == "-help" || args[0] == "--help" {
		if len(args) > 1 {
			return run(ctx, e, []string{args[1], "-h"})
		}
		overview(out)
		if len(args) == 0 {
			return exitUsage
		}
		return exitOK
	}
	return run(ctx, e, args)
}

func run(ctx context.Context, e *env, args []string) int {
	at := slices.IndexFunc(commands, func(c command) bool { return c.name == args[0] })
	if at < 0 {
		e.say("oskel: there is no command %q%s; oskel help lists them\n", args[0], nearestCommand(args[0]))
		return exitUsage
	}
	c := commands[at]
	f := flag.NewFlagSet(c.name, flag.ContinueOnError)
	f.SetOutput(io.Discard)
	if !c.local {
		f.StringVar(&e.server, "server", envOr("OSKEL_SERVER", "http://127.0.0.1:8420"), "the service's `address`; OSKEL_SERVER sets it too")
		f.StringVar(&e.format, "format", "table", "table, json or csv")
	}
	if c.lists {
		f.StringVar(&e.sort, "sort", "", "the `column` to sort by, as its head says")
		f.BoolVar(&e.down, "descending", false, "sort from the last to the first")
		f.StringVar(&e.file, "o", "", "write this `file` instead: .csv, .json, .xlsx or .parquet")
	}
	work := c.setup(f, e)
	rest, err := parse(f, args[1:])
	if errors.Is(err, flag.ErrHelp) {
		help(e.out, c, f)
		return exitOK
	}
	if err == nil && !c.local && !slices.Contains([]string{"table", "json", "csv"}, e.format) {
		err = usagef("-format is table, json or csv, not %q", e.format)
	}
	if e.file != "" { // for other programs: nothing in it is rounded or drawn
		if e.format = "csv"; filepath.Ext(e.file) == ".json" {
			e.format = "json"
		}
	}
	if err == nil && e.file != "" && !slices.Contains(append([]string{".json"}, sheet.Forms...), filepath.Ext(e.file)) {
		err = usagef("a file ends in .csv, .json, .xlsx or .parquet, not %q", filepath.Ext(e.file))
	}
	if err == nil {
		if err = work(ctx, rest); err == nil {
			return exitOK
		}
	} else if usage := (*usageError)(nil); !errors.As(err, &usage) {
		err = usagef("%s", err)
	}
	return report(e, c, err)
}

// parse lets flags and arguments come in any order.
func parse(f *flag.FlagSet, args []string) (rest []string, err error) {
	for {
		if err := f.Parse(args); err != nil {
			return nil, err
		}
		if f.NArg() == 0 {
			return rest, nil
		}
		rest = append(rest, f.Arg(0))
		args = f.Args()[1:]
	}
}

func report(e *env, c command, err error) int {
	var usage *usageError
	var problem *problemError
	var away *awayError
	switch {
	case errors.Is(err, errSilent):
		return exitRefused
	case errors.As(err, &usage):
		e.say("oskel %s: %s\nUsage: oskel %s [flags] %s\nSee oskel %s -h\n", c.name, usage.text, c.name, c.args, c.name)
		return exitUsage
	case errors.As(err, &problem):
		problem.print(e)
		if problem.Status == 401 || problem.Status == 403 {
			return exitSignIn
		}
		return exitRefused
	case errors.As(err, &away):
		e.say("oskel: %s\n", away)
		return exitAway
	}
	e.say("oskel: %s\n", err)
	return exitRefused
}

// errSilent ends a command with exitRefused that has said all there is.
var errSilent = errors.New("refused")

func envOr(name, fallback string) string {
	if v := os.Getenv(name); v != "" {
		return v
	}
	return fallback
}

func overview(w io.Writer) {
	fmt.Fprint(w, "oskel keeps watch over sales measures: rules judge every subject each period,\nwhat breaches goes to a desk, and is settled there.\n\nUsage: oskel COMMAND [flags] [arguments]\n\n")
	for _, c := range commands {
		fmt.Fprintf(w, "  %-14s %s\n", c.name, c.short)
	}
	fmt.Fprint(w, "\noskel COMMAND -h explains one. Exit codes: 0 done, 1 refused, 2 not understood,\n3 not signed in or not allowed, 4 the service does not answer.\n")
}

func help(w io.Writer, c command, f *flag.FlagSet) {
	fmt.Fprintf(w, "oskel %s [flags] %s\n\n%s.\n", c.name, c.args, words.UpperFirst(c.short))
	if c.long != "" {
		fmt.Fprintf(w, "\n%s\n", c.long)
	}
	fmt.Fprint(w, "\nFlags:\n")
	f.SetOutput(w)
	f.PrintDefaults()
	fmt.Fprintf(w, "\nExample:\n  %s\n", strings.ReplaceAll(c.example, "\n", "\n  "))
}
