package cli

import (
	"flag"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
)

// firstWords are the first words of all commands, in order, each once.
func firstWords() (out []string) {
	for _, t := range topics {
		out = append(out, t.words...)
	}
	return out
}

// flagNames are the flags of a command as they are written.
func flagNames(c command) (out []string) {
	flagsOf(&env{}, c).VisitAll(func(f *flag.Flag) { out = append(out, "-"+f.Name) })
	return out
}

// verbsOf are the second words that may follow a first one.
func verbsOf(first string) (out []string) {
	for _, c := range verbs(first) {
		if _, verb, ok := strings.Cut(c.name, " "); ok {
			out = append(out, verb)
		}
	}
	return out
}

// completion prints what a shell reads to complete commands, verbs and flags.
func completion(w io.Writer, shell string) error {
	switch shell {
	case "bash", "zsh":
		if shell == "zsh" { // which reads bash's own
			fmt.Fprint(w, "#compdef oskel\nautoload -U +X bashcompinit && bashcompinit\n")
		}
		fmt.Fprint(w, "_oskel() {\n  local word=\"${COMP_WORDS[COMP_CWORD]}\" first=\"${COMP_WORDS[1]}\" second=\"${COMP_WORDS[2]}\" list=\"\"\n")
		fmt.Fprintf(w, "  if [ \"$COMP_CWORD\" -eq 1 ]; then list=\"%s\"\n", strings.Join(firstWords(), " "))
		fmt.Fprint(w, "  elif [[ \"$word\" == -* ]]; then\n    case \"$first $second\" in\n")
		for _, c := range commands { // those of two words before those of one
			if strings.Contains(c.name, " ") {
				fmt.Fprintf(w, "      %q) list=\"%s\";;\n", c.name, strings.Join(flagNames(c), " "))
			}
		}
		for _, c := range commands {
			if !strings.Contains(c.name, " ") {
				fmt.Fprintf(w, "      %q*) list=\"%s\";;\n", c.name+" ", strings.Join(flagNames(c), " "))
			}
		}
		fmt.Fprint(w, "    esac\n  elif [ \"$COMP_CWORD\" -eq 2 ]; then\n    case \"$first\" in\n")
		for _, first := range firstWords() {
			if list := verbsOf(first); len(list) > 0 {
				fmt.Fprintf(w, "      %s) list=\"%s\";;\n", first, strings.Join(list, " "))
			}
		}
		fmt.Fprint(w, "    esac\n  fi\n  if [ -n \"$list\" ]; then COMPREPLY=($(compgen -W \"$list\" -- \"$word\")); else COMPREPLY=($(compgen -f -- "+
			"\"$word\")); fi\n}\ncomplete -o filenames -F _oskel oskel\n")
	case "fish":
		for _, first := range firstWords() {
			fmt.Fprintf(w, "complete -c oskel -n __fish_use_subcommand -a %s -d %s\n", first, fishQuote(shortOf(first)))
			for _, verb := range verbsOf(first) {
				fmt.Fprintf(w, "complete -c oskel -n '__fish_seen_subcommand_from %s' -a %s -d %s\n", first, verb, fishQuote(commandNamed(first+" "+verb).short))
			}
		}
		for _, c := range commands {
			flagsOf(&env{}, c).VisitAll(func(f *flag.Flag) {
				_, usage := flag.UnquoteUsage(f)
				seen := "__fish_seen_subcommand_from " + strings.ReplaceAll(c.name, " ", "; and __fish_seen_subcommand_from ")
				fmt.Fprintf(w, "complete -c oskel -n '%s' -o %s -d %s\n", seen, f.Name, fishQuote(usage))
			})
		}
	default:
		return usagef("completion is for bash, zsh or fish, not %q", shell)
	}
	return nil
}

func fishQuote(text string) string {
	return "'" + strings.NewReplacer(`\`, `\\`, "'", `\'`).Replace(text) + "'"
}

// manPages writes a manual page for each first word into a directory, and one for all.
func manPages(dir string) error {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	var all strings.Builder
	manHead(&all, "oskel", "rules over sales measures, exception lists and review")
	fmt.Fprint(&all, ".SH SYNOPSIS\n.B oskel\nCOMMAND [flags] [arguments]\n.SH COMMANDS\n")
	for _, t := range topics {
		fmt.Fprintf(&all, ".SS %s\n", roff(t.title))
		for _, first := range t.words {
			fmt.Fprintf(&all, ".TP\n.B %s\n%s\n", roff(first), roff(shortOf(first)))
		}
	}
	for _, name := range []string{"output", "environment", "exit-codes"} {
		fmt.Fprintf(&all, ".SH %s\n%s\n", strings.ToUpper(strings.ReplaceAll(name, "-", " ")), roff(texts[name]))
	}
	pages := map[string]string{"oskel": all.String()}
	for _, first := range firstWords() {
		list := verbs(first)
		if len(list) == 0 {
			continue
		}
		var page strings.Builder
		manHead(&page, "oskel-"+first, shortOf(first))
		for _, c := range list {
			fmt.Fprintf(&page, ".SH %s\n.B oskel %s\n[flags] %s\n.PP\n%s.\n", strings.ToUpper(roff(c.name)), roff(c.name), roff(c.args), roff(c.short))
			if c.long != "" {
				fmt.Fprintf(&page, ".PP\n%s\n", roff(c.long))
			}
			flagsOf(&env{}, c).VisitAll(func(f *flag.Flag) {
				value, usage := flag.UnquoteUsage(f)
				fmt.Fprintf(&page, ".TP\n.B %s %s\n%s\n", roff("-"+f.Name), roff(value), roff(usage))
			})
			fmt.Fprintf(&page, ".PP\n.nf\n%s\n.fi\n", roff(c.example))
		}
		pages["oskel-"+first] = page.String()
	}
	for name, text := range pages {
		if err := os.WriteFile(filepath.Join(dir, name+".1"), []byte(text), 0o644); err != nil {
			return err
		}
	}
	return nil
}

func manHead(w io.Writer, name, says string) {
	fmt.Fprintf(w, ".TH %s 1 \"\" \"oskel %s\"\n.SH NAME\n%s \\- %s\n", strings.ToUpper(name), Version, roff(name), roff(says))
}

// roff has a text mean itself in a manual page.
func roff(text string) string {
	text = strings.NewReplacer(`\`, `\e`, "-", `\-`).Replace(text)
	lines := strings.Split(text, "\n")
	for i, l := range lines {
		if strings.HasPrefix(l, ".") || strings.HasPrefix(l, "'") {
			lines[i] = `\&` + l
		}
	}
	return strings.Join(lines, "\n")
}
