package cli

import (
	"bufio"
	"context"
	"flag"
	"fmt"
	"os"
	"slices"
	"strings"

	"golang.org/x/term"

	"oskel/core/rulebook"
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
				if err := e.keepToken(e.server, token.Token); err != nil {
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
				return e.keepToken(e.server, "")
			}
		},
	},
	{
		name: "people", lists: true, short: "list who has an account",
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
					note := ""
					if p.Closed != nil && *p.Closed {
						note = "closed"
					}
					rows = append(rows, []string{p.Name, p.Title, string(p.Role), strings.Join(p.Desks, ", "), note})
				}
				return e.show(all, []column{{head: "name"}, {head: "title"}, {head: "role"}, {head: "desks"}, {head: "note"}}, rows)
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
	{
		name: "change-person", args: "NAME", short: "give an account another title, role or desks (leads only)",
		example: "oskel change-person -role analyst nell\noskel change-person -desk skerry -desk lowmarsh nell",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			role := f.String("role", "", "analyst, reviewer or lead; as it was unless given")
			title := f.String("title", "", "the name for people to read; as it was unless given")
			none := f.Bool("no-desks", false, "a member of no desk")
			var desks []string
			f.Func("desk", "a `desk` the person is a member of, in place of those before; may be given several times", func(s string) error { desks = append(desks, s); return nil })
			return func(ctx context.Context, args []string) error {
				if len(args) != 1 {
					return usagef("expected a name")
				}
				c, err := e.api()
				if err != nil {
					return err
				}
				r, err := c.ListPeople(ctx)
				all, err := read[[]client.Person](e, r, err)
				if err != nil {
					return err
				}
				at := slices.IndexFunc(all, func(p client.Person) bool { return p.Name == args[0] && p.Closed == nil })
				if at < 0 {
					return fmt.Errorf("there is no open account %q", args[0])
				}
				was := all[at]
				ask := client.PersonChange{Role: client.Role(or(*role, string(was.Role))), Title: or(*title, was.Title), Desks: append([]string{}, desks...)}
				if len(desks) == 0 && !*none {
					ask.Desks = was.Desks
				}
				r, err = c.ChangePerson(ctx, args[0], ask)
				p, err := read[client.Person](e, r, err)
				if err != nil {
					return err
				}
				e.say("%s is %s now, on %s.\n", p.Title, rulebook.Article(string(p.Role)), or(strings.Join(p.Desks, ", "), "no desk"))
				return nil
			}
		},
	},
	{
		name: "close-person", args: "NAME", short: "close an account; its sessions and tokens end at once (leads only)",
		long:    "What the person did stays; what they had taken goes back to the desks.",
		example: "oskel close-person nell",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				if len(args) != 1 {
					return usagef("expected a name")
				}
				c, err := e.api()
				if err != nil {
					return err
				}
				r, err := c.ClosePerson(ctx, args[0])
				if _, err := read[struct{}](e, r, err); err != nil {
					return err
				}
				e.say("Closed the account %s.\n", args[0])
				return nil
			}
		},
	},
	{
		name: "password", args: "[NAME]", short: "change your password, or give another account a new one (leads only)",
		long:    "Asks on the terminal, or reads from standard input: first the old password, unless it is\nanother account's, then the new one. All other sessions and tokens of the account end.",
		example: "oskel password\noskel password nell",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				if len(args) > 1 {
					return usagef("expected at most one name")
				}
				return changePassword(ctx, e, args)
			}
		},
	},
}

func changePassword(ctx context.Context, e *env, args []string) error {
	c, err := e.api()
	if err != nil {
		return err
	}
	if len(args) == 1 {
		password, err := e.password("New password of " + args[0] + ": ")
		if err != nil {
			return err
		}
		r, err := c.ResetPassword(ctx, args[0], client.NewPassword{Password: password})
		if _, err := read[struct{}](e, r, err); err != nil {
			return err
		}
		e.say("%s has a new password; sessions and tokens have ended.\n", args[0])
		return nil
	}
	old, err := e.password("Old password: ")
	if err != nil {
		return err
	}
	password, err := e.password("New password: ")
	if err != nil {
		return err
	}
	r, err := c.ChangePassword(ctx, client.PasswordChange{Old: old, Password: password})
	if _, err := read[struct{}](e, r, err); err != nil {
		return err
	}
	if err := e.keepToken(e.server, ""); err != nil {
		return err
	}
	e.say("Your password is changed. Sign in again with: oskel sign-in NAME\n")
	return nil
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
	if e.lines == nil {
		e.lines = bufio.NewReader(e.in)
	}
	line, err := e.lines.ReadString('\n')
	if err != nil && line == "" {
		return "", usagef("expected the password on standard input")
	}
	return strings.TrimRight(line, "\r\n"), nil
}
