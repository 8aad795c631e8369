package cli

import (
	"flag"
	"fmt"
	"io"
	"slices"
	"strings"

	"oskel/core/words"
)

// topic is a task that people come with, and the commands that do it: first words, in the order
// in which they are needed.
type topic struct {
	name, title string
	words       []string
}

var topics = []topic{
	{"start", "Start and sign in", []string{"demo", "serve", "sign-in", "sign-out", "password"}},
	{"data", "Load data", []string{"load", "intake", "register", "targets", "data-issue"}},
	{"figures", "Look at figures", []string{"table", "tables", "board", "breakdown", "variance"}},
	{"writing", "Write and try rules", []string{"check", "publish", "rehearse", "rulebook", "dial", "grade", "rules"}},
	{"sweeping", "Sweep periods", []string{"sweep", "period"}},
	{"results", "Read exceptions", []string{"exceptions", "show", "view"}},
	{"review", "Review cases", []string{"cases", "case", "todo", "notifications"}},
	{"reporting", "Report", []string{"report"}},
	{"accounts", "Manage accounts", []string{"person", "token", "absence"}},
	{"running", "Run the service", []string{"service", "version", "help"}},
}

// groups says what the commands of one first word are about.
var groups = map[string]string{
	"intake": "files that were loaded", "data-issue": "errors in the data that reviewers reported", "rulebook": "the published rulebook and its revisions",
	"dial": "parameters of rules", "grade": "how serious a flag is", "period": "the calendar, the schedule and the closing of periods", "view": "saved lists",
	"case": "one case: read it, act on it", "todo": "to-dos of cases", "board": "kept tables and trends on one page",
	"report": "how cases ended, and how many are open", "person": "accounts",
	"token":   "tokens for programs",
	"absence": "who is away, and the stand-ins", "service": "the state of the service and its database",
	"sweep": "evaluate a period, or look at its sweeps", "exceptions": "the flags of a period",
}

// usual is the verb that is meant where a first word has none.
var usual = map[string]string{"board": "board show", "case": "case show", "rulebook": "rulebook show"}

// texts are what help says beside commands.
var texts = map[string]string{
	"output": `Lists are tables on a terminal. -format json or csv is for programs: JSON is the service's own
answer, CSV has a head line, days as 2026-10-31, times as 2026-10-31T16:00:00Z in UTC and decimals as
they are. -o FILE writes the list into a .csv, .json, .xlsx or .parquet file, nothing in it rounded.
-sort COLUMN and -descending order a list. NO_COLOR switches colours off.`,
	"exit-codes": `0 done, 1 refused by the service or a check, 2 the command was not understood, 3 not signed in or
not allowed, 4 the service does not answer.`,
	"environment": `OSKEL_SERVER is the address of the service, unless -server says another. OSKEL_TOKEN is a token to
use in place of the one that sign-in stored.`,
	"completion": `oskel help completion bash, zsh or fish prints what a shell reads, such as
  oskel help completion bash > ~/.local/share/bash-completion/completions/oskel`,
	"man": `oskel help man DIRECTORY writes a manual page for each command, such as oskel-case.1.`,
}

// commandNamed is a command by its whole name, or nil.
func commandNamed(name string) *command {
	if i := slices.IndexFunc(commands, func(c command) bool { return c.name == name }); i >= 0 {
		return &commands[i]
	}
	return nil
}

// verbs are the commands of a first word, in order.
func verbs(first string) (out []command) {
	for _, c := range commands {
		if w, _, _ := strings.Cut(c.name, " "); w == first {
			out = append(out, c)
		}
	}
	return out
}

// showHelp answers oskel help: all commands by task, one topic, one command or one text.
func showHelp(w io.Writer, e *env, args []string) error {
	what := strings.Join(args, " ")
	if len(args) > 0 && args[0] == "completion" && len(args) > 1 {
		return completion(w, args[1])
	}
	if len(args) > 1 && args[0] == "man" {
		return manPages(args[1])
	}
	if text, ok := texts[what]; ok {
		_, err := fmt.Fprintln(w, text)
		return err
	}
	if c := commandNamed(what); c != nil && (len(verbs(what)) == 1 || len(args) > 1) {
		helpOn(w, e, *c)
		return nil
	}
	if list := verbs(what); len(list) > 0 {
		helpGroup(w, what, list)
		return nil
	}
	if i := slices.IndexFunc(topics, func(t topic) bool { return t.name == what }); i >= 0 {
		helpTopic(w, topics[i])
		return nil
	}
	if what != "" {
		known := make([]string, 0, len(topics)+len(texts)+len(commands))
		for _, t := range topics {
			known = append(known, t.name)
		}
		for name := range texts {
			known = append(known, name)
		}
		for _, c := range commands {
			known = append(known, c.name)
		}
		return usagef("there is no help on %q%s", what, nearest(what, known))
	}
	overview(w)
	return nil
}

func overview(w io.Writer) {
	fmt.Fprint(w, "Oskel evaluates rules over sales measures each period, lists what breaches, and routes it for review.\n\nUsage: oskel COMMAND "+
		"[flags] [arguments]\n")
	for _, t := range topics {
		fmt.Fprintf(w, "\n%s (oskel help %s)\n", t.title, t.name)
		for _, first := range t.words {
			fmt.Fprintf(w, "  %-14s %s\n", first, shortOf(first))
		}
	}
	fmt.Fprint(w, "\noskel help COMMAND or oskel COMMAND -h explains one; oskel help output, exit-codes, environment,\ncompletion and man explain the rest.\n")
}

// shortOf says a first word in a line, with its verbs.
func shortOf(first string) string {
	switch list := verbs(first); {
	case first == "help":
		return "all commands by task, or what one does"
	case groups[first] == "":
		return list[0].short
	default:
		var names []string
		for _, c := range list {
			if _, verb, ok := strings.Cut(c.name, " "); ok {
				names = append(names, verb)
			}
		}
		return groups[first] + ": " + strings.Join(names, ", ")
	}
}

func helpTopic(w io.Writer, t topic) {
	fmt.Fprintf(w, "%s\n\n", t.title)
	for _, first := range t.words {
		for _, c := range verbs(first) {
			fmt.Fprintf(w, "  %-20s %s\n", c.name, c.short)
		}
	}
}

func helpGroup(w io.Writer, first string, list []command) {
	fmt.Fprintf(w, "oskel %s: %s\n\n", first, or(groups[first], list[0].short))
	for _, c := range list {
		fmt.Fprintf(w, "  oskel %-22s %s\n", strings.TrimSpace(c.name+" "+c.args), c.short)
	}
	fmt.Fprintf(w, "\noskel %s VERB -h explains one.\n", first)
}

// flagsOf are the flags of a command, with those that all have.
func flagsOf(e *env, c command) *flag.FlagSet {
	f := flag.NewFlagSet(c.name, flag.ContinueOnError)
	e.addFlags(f, c)
	c.setup(f, e)
	return f
}

func helpOn(w io.Writer, e *env, c command) {
	fmt.Fprintf(w, "%s\n\n%s.\n", c.usage(), words.UpperFirst(c.short))
	if c.long != "" {
		fmt.Fprintf(w, "\n%s\n", c.long)
	}
	fmt.Fprint(w, "\nFlags:\n")
	f := flagsOf(e, c)
	f.SetOutput(w)
	f.PrintDefaults()
	fmt.Fprintf(w, "\nExample:\n  %s\n", strings.ReplaceAll(c.example, "\n", "\n  "))
}
