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
	"oskel/internal/client"
	"oskel/internal/sheet"
)

// Exit codes that scripts can use.
const (
	exitOK          = 0
	exitRefused     = 1 // the service, or a check, said no
	exitUsage       = 2 // the command was not understood
	exitSignIn      = 3 // not signed in, or not allowed
	exitUnreachable = 4 // the service does not answer
)

// env is what a command works with.
type env struct {
	in       io.Reader
	lines    *bufio.Reader // of in, once a line was read
	out, err io.Writer
	server   string
	client   *client.Client // of the server; nil for local commands
	format   string
	width    int    // of the terminal; 0 is none
	file     string // to write a list into, instead of out
	sort     string // a column of a list
	down     bool   // sorted from the last to the first
	colour   bool   // the terminal shows it
	home     string // where tokens are kept, instead of the directory of the user
}

func (e *env) printf(format string, args ...any) { fmt.Fprintf(e.err, format, args...) }

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

// usage is how the command is written.
func (c command) usage() string {
	return strings.TrimSpace(fmt.Sprintf("oskel %s [flags] %s", c.name, c.args))
}

var commands []command

func init() {
	commands = slices.Concat([]command{versionCommand}, serviceCommands, upkeepCommands, accountCommands, dataCommands, figureCommands, registerCommands,
		bookCommands, rehearseCommands, revisionCommands, sweepCommands, verifyCommands, exceptionCommands, verdictCommands, scheduleCommands, walkCommands,
		viewCommands, keptCommands, gridCommands, caseListCommands, caseCommands, snoozeCommands, absenceCommands, casePartCommands, faultCommands, reportCommands)
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
	if len(args) == 0 {
		overview(out)
		return exitUsage
	}
	if args[0] == "help" || asksHelp(args[0]) {
		if err := showHelp(out, e, args[1:]); err != nil {
			e.printf("oskel help: %s\n", err)
			return exitUsage
		}
		return exitOK
	}
	return run(ctx, e, args)
}

func asksHelp(arg string) bool { return slices.Contains([]string{"-h", "-help", "--help"}, arg) }

// find is the command that some arguments name, by two words or one, and what follows; nil where
// there is none. An old name is understood, and the new one said.
func (e *env) find(args []string) (c *command, rest []string) {
	if len(args) > 1 {
		if c = commandNamed(args[0] + " " + args[1]); c != nil {
			return c, args[2:]
		}
	}
	if c = commandNamed(args[0]); c != nil {
		return c, args[1:]
	}
	if name := usual[args[0]]; name != "" {
		return commandNamed(name), args[1:]
	}
	flagged := len(args) > 1 && strings.HasPrefix(args[1], "-") && !asksHelp(args[1]) // which no group takes
	if now, renamed := words.Now("command", args[0]); renamed && (flagged || len(verbs(args[0])) == 0) {
		e.printf("oskel %s is now oskel %s\n", args[0], now)
		return commandNamed(now), args[1:]
	}
	return nil, nil
}

// addFlags adds the flags that commands share.
func (e *env) addFlags(f *flag.FlagSet, c command) {
	if !c.local {
		f.StringVar(&e.server, "server", envOr("OSKEL_SERVER", "http://127.0.0.1:8420"), "the service's `address`; OSKEL_SERVER sets it too")
		f.StringVar(&e.format, "format", "table", "table, json or csv")
	}
	if c.lists {
		f.StringVar(&e.sort, "sort", "", "the `column` to sort by, as its head says")
		f.BoolVar(&e.down, "descending", false, "sort from the last to the first")
		f.StringVar(&e.file, "o", "", "write the list to this `file`: .csv, .json, .xlsx or .parquet")
	}
}

// renamedFlags has old names of flags be the new ones, which are said.
func (e *env) renamedFlags(f *flag.FlagSet, args []string) []string {
	out := slices.Clone(args)
	for i, a := range out {
		name, value, has := strings.Cut(strings.TrimLeft(a, "-"), "=")
		now, renamed := words.Now("flag", name)
		if !renamed || !strings.HasPrefix(a, "-") || f.Lookup(name) != nil || f.Lookup(now) == nil {
			continue
		}
		e.printf("-%s is now -%s\n", name, now)
		if out[i] = "-" + now; has {
			out[i] += "=" + value
		}
	}
	return out
}

func run(ctx context.Context, e *env, args []string) int {
	found, rest := e.find(args)
	if found == nil {
		if list := verbs(args[0]); len(list) > 0 {
			asks := len(args) > 1 && asksHelp(args[1])
			if len(args) > 1 && !asks {
				e.printf("oskel %s: there is no verb %q%s\n", args[0], args[1], nearest(args[1], verbsOf(args[0])))
			}
			if helpGroup(e.out, args[0], list); asks {
				return exitOK
			}
			return exitUsage
		}
		e.printf("oskel: there is no command %q%s; oskel help lists them\n", args[0], nearest(args[0], firstWords()))
		return exitUsage
	}
	c := *found
	f := flag.NewFlagSet(c.name, flag.ContinueOnError)
	f.SetOutput(io.Discard)
	e.addFlags(f, c)
	work := c.setup(f, e)
	rest, err := parse(f, e.renamedFlags(f, rest))
	if errors.Is(err, flag.ErrHelp) {
		if list := verbs(c.name); len(list) > 1 { // of a first word that is a command too
			defer helpGroup(e.out, c.name, list)
		}
		helpOn(e.out, e, c)
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
	if err == nil && !c.local {
		err = e.connect()
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
		e.printf("oskel %s: %s\nUsage: %s\nSee oskel %s -h\n", c.name, usage.text, c.usage(), c.name)
		return exitUsage
	case errors.As(err, &problem):
		problem.print(e)
		if problem.Status == 401 || problem.Status == 403 {
			return exitSignIn
		}
		return exitRefused
	case errors.As(err, &away):
		e.printf("oskel: %s\n", away)
		return exitUnreachable
	}
	e.printf("oskel: %s\n", err)
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
