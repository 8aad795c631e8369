package cli

import (
	"bufio"
	"context"
	"flag"
	"fmt"
	"os"
	"strings"

	"golang.org/x/term"

	"oskel/internal/client"
)

var accountCommands = []command{
	{
		name: "sign-in", args: "NAME", short: "sign in to a service and keep a token for it",
		long:    "Asks for the password on the terminal, or reads it from standard input. The\ntoken is kept for the service's address; OSKEL_TOKEN overrules it.",
		example: "oskel sign-in ines\necho \"$PASSWORD\" | oskel sign-in ines",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				if len(args) != 1 {
					return usagef("expected a name")
				}
				password, err := e.password("Password: ")
				if err != nil {
					return err
				}
				c, err := e.api()
				if err != nil {
					return err
				}
				r, err := c.CreateToken(ctx, client.Credentials{Name: args[0], Password: password})
				token, err := read[client.Token](e, r, err)
				if err != nil {
					return err
				}
				if err := keepToken(e.server, token.Token); err != nil {
					return fmt.Errorf("keeping the token: %w", err)
				}
				e.say("Signed in to %s as %s (%s).\n", e.server, token.Person.Title, token.Person.Role)
				return nil
			}
		},
	},
	{
		name: "sign-out", short: "make the kept token void and forget it",
		example: "oskel sign-out",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, _ []string) error {
				c, err := e.api()
				if err != nil {
					return err
				}
				r, err := c.DeleteToken(ctx)
				if _, err := read[struct{}](e, r, err); err != nil {
					return err
				}
				e.say("Signed out of %s.\n", e.server)
				return keepToken(e.server, "")
			}
		},
	},
	{
		name: "people", short: "list who has an account",
		example: "oskel people",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, _ []string) error {
				c, err := e.api()
				if err != nil {
					return err
				}
				r, err := c.ListPeople(ctx)
				all, err := read[[]client.Person](e, r, err)
				if err != nil {
					return err
				}
				var rows [][]string
				for _, p := range all {
					rows = append(rows, []string{p.Name, p.Title, string(p.Role), strings.Join(p.Desks, ", ")})
				}
				return e.show(all, []column{{head: "name"}, {head: "title"}, {head: "role"}, {head: "desks"}}, rows)
			}
		},
	},
	{
		name: "add-person", args: "NAME", short: "add an account (leads only)",
		long:    "Asks for the new person's password on the terminal, or reads it from standard\ninput.",
		example: "oskel add-person -role reviewer -title \"Nell Forepeak\" -desk northfirth nell",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			role := f.String("role", "reviewer", "analyst, reviewer or lead")
			title := f.String("title", "", "the name for people to read; the account's name if empty")
			desks := []string{}
			f.Func("desk", "a `desk` the person is a member of; may be given several times", func(s string) error { desks = append(desks, s); return nil })
			return func(ctx context.Context, args []string) error {
				if len(args) != 1 {
					return usagef("expected a name")
				}
				if *title == "" {
					*title = args[0]
				}
				password, err := e.password("Password of the new person: ")
				if err != nil {
					return err
				}
				c, err := e.api()
				if err != nil {
					return err
				}
				r, err := c.CreatePerson(ctx, client.NewPerson{Name: args[0], Title: *title, Role: client.Role(*role), Password: password, Desks: &desks})
				p, err := read[client.Person](e, r, err)
				if err != nil {
					return err
				}
				e.say("Added %s (%s).\n", p.Title, p.Role)
				return nil
			}
		},
	},
}

// password asks on the terminal without showing what is typed, or reads one
// line.
func (e *env) password(prompt string) (string, error) {
	if f, ok := e.in.(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		e.say("%s", prompt)
		text, err := term.ReadPassword(int(f.Fd()))
		e.say("\n")
		return string(text), err
	}
	line, err := bufio.NewReader(e.in).ReadString('\n')
	if err != nil && line == "" {
		return "", usagef("expected the password on standard input")
	}
	return strings.TrimRight(line, "\r\n"), nil
}
