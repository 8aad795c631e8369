package cli

import (
	"bufio"
	"context"
	"errors"
	"flag"
	"fmt"
	"os"
	"slices"
	"strings"
	"time"

	"golang.org/x/term"

	"oskel/core/rulebook"
	"oskel/internal/client"
)

var accountCommands = []command{
	{
		name: "sign-in", args: "NAME", short: "sign in to a service and keep a token for it",
		long:    "Asks for the password on the terminal, or reads it from standard input; after a one-time\nword it asks for a password of your own too. The token is kept for the service's address;\nOSKEL_TOKEN overrules it. 'oskel token' makes one for another program.",
		example: "oskel sign-in ines\necho \"$PASSWORD\" | oskel sign-in ines",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			days := f.Int("days", 90, "for how many days, 365 at most")
			return func(ctx context.Context, args []string) error {
				if len(args) != 1 {
					return usagef("expected a name")
				}
				host, _ := os.Hostname() //nolint:errcheck // without it the token is called the same everywhere
				token, err := e.makeToken(ctx, client.NewToken{Name: args[0], Title: ptr(shortened("command line on "+or(host, "a machine"), 60)), Days: days})
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
		name: "token", args: "NAME", short: "make a token for another program, with a name, a scope and an end",
		long:    "Asks for your password, and writes the token to standard output; it is shown only now.\nA token may read, or read and review (work on cases), or do everything its person may.",
		example: "oskel token -title \"nightly report\" -scope read -days 30 ines",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			title := f.String("title", "", "what it is for, to tell it from others")
			scope := f.String("scope", "read", "read, review or everything")
			days := f.Int("days", 90, "for how many days, 365 at most")
			return func(ctx context.Context, args []string) error {
				if len(args) != 1 {
					return usagef("expected your name")
				}
				if *title == "" {
					return usagef("say with -title what the token is for")
				}
				token, err := e.makeToken(ctx, client.NewToken{Name: args[0], Title: title, Scope: (*client.Scope)(scope), Days: days})
				if err != nil {
					return err
				}
				_, err = fmt.Fprintln(e.out, token.Token)
				return err
			}
		},
	},
	{
		name: "tokens", lists: true, short: "list your tokens, or everybody's (leads only)",
		example: "oskel tokens\noskel tokens -all -sort used",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			p := &client.ListTokensParams{All: f.Bool("all", false, "everybody's (leads only)")}
			return func(ctx context.Context, _ []string) error {
				c, err := e.api()
				if err != nil {
					return err
				}
				r, err := c.ListTokens(ctx, p)
				all, err := read[[]client.TokenNote](e, r, err)
				if err != nil {
					return err
				}
				var rows [][]string
				for _, k := range all {
					used, note := "", ""
					if k.Used != nil {
						used = momentText(*k.Used)
					}
					if k.Current {
						note = "this one"
					}
					rows = append(rows, []string{fmt.Sprint(k.Id), k.Person, k.Title, string(k.Scope), momentText(k.Made), momentText(k.Ends), used, note})
				}
				return e.show(all, []column{{head: "id", right: true}, {head: "person"}, {head: "for"}, {head: "scope"}, {head: "made"}, {head: "ends"}, {head: "used"}, {head: "note"}}, rows)
			}
		},
	},
	{
		name: "revoke", args: "TOKEN", short: "make a token void by its id: yours, or anybody's (leads only)",
		example: "oskel revoke 12",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				id, err := idArg(args, "token")
				if err != nil {
					return err
				}
				c, err := e.api()
				if err != nil {
					return err
				}
				r, err := c.RevokeToken(ctx, id)
				if _, err := read[struct{}](e, r, err); err != nil {
					return err
				}
				e.say("Token %d is void.\n", id)
				return nil
			}
		},
	},
	{
		name: "audit", short: "what was done, by whom and from where, the newest first (leads only)",
		long:    "Signing in, accounts, tokens, rules, loads, sweeps and exports, tried in vain too.\nNothing is ever taken out of it. -o writes all of it.",
		example: "oskel audit -top 20\noskel audit -person ines -operation CreateIntake\noskel audit -o audit.csv",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			p := &client.ListAuditParams{}
			stringFlag(f, &p.Person, "person", "only what this `person` did")
			stringFlag(f, &p.Operation, "operation", "only this `operation`, such as SignIn")
			f.StringVar(&e.file, "o", "", "write this `file` instead: .csv, .json, .xlsx or .parquet")
			top := f.Int("top", 0, "at most this many; 0 is 200, or all with -o")
			return func(ctx context.Context, _ []string) error { return showAudit(ctx, e, p, *top) }
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
		long:    "Tells a one-time word, with which the person signs in within three days and chooses a\npassword; it is shown only now.",
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
				c, err := e.api()
				if err != nil {
					return err
				}
				r, err := c.CreatePerson(ctx, client.NewPerson{Name: args[0], Title: *title, Role: client.Role(*role), Desks: &desks})
				p, err := read[client.PersonAdded](e, r, err)
				if err != nil {
					return err
				}
				e.say("Added %s (%s). The one-time word to sign in with, until %s:\n", p.Person.Title, p.Person.Role, momentText(p.Ends))
				_, err = fmt.Fprintln(e.out, p.Word)
				return err
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
		name: "password", args: "[NAME]", short: "change your password, or give another account a one-time word (leads only)",
		long:    "Asks on the terminal, or reads from standard input: first the old password, then the new\none. Another account gets a one-time word in place of its password, which is shown only now.\nAll other sessions and tokens of the account end.",
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
		r, err := c.MakeWord(ctx, args[0])
		w, err := read[client.Word](e, r, err)
		if err != nil {
			return err
		}
		e.say("%s signs in with this one-time word until %s; sessions and tokens have ended.\n", args[0], momentText(w.Ends))
		_, err = fmt.Fprintln(e.out, w.Word)
		return err
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

// makeToken asks for the password and makes a token. A one-time word is used up for a
// password first.
func (e *env) makeToken(ctx context.Context, ask client.NewToken) (client.Token, error) {
	var err error
	if ask.Password, err = e.password("Password: "); err != nil {
		return client.Token{}, err
	}
	c, err := e.api()
	if err != nil {
		return client.Token{}, err
	}
	r, err := c.CreateToken(ctx, ask)
	token, err := read[client.Token](e, r, err)
	var p *problemError
	if !errors.As(err, &p) || p.Type != "urn:oskel:one-time-word" {
		return token, err
	}
	word := ask.Password
	if ask.Password, err = e.password("That is your one-time word. A password of your own, 12 characters or more: "); err != nil {
		return token, err
	}
	r, err = c.UseWord(ctx, client.WordUse{Name: ask.Name, Word: word, Password: ask.Password})
	if _, err := read[client.Person](e, r, err); err != nil {
		return token, err
	}
	r, err = c.CreateToken(ctx, ask)
	return read[client.Token](e, r, err)
}

// showAudit lists the newest entries, or writes all of them.
func showAudit(ctx context.Context, e *env, p *client.ListAuditParams, top int) error {
	c, err := e.api()
	if err != nil {
		return err
	}
	most := top
	if most == 0 && e.file == "" {
		most = 200
	}
	all := []client.AuditEntry{}
	for {
		r, err := c.ListAudit(ctx, p)
		page, err := read[client.AuditPage](e, r, err)
		if err != nil {
			return err
		}
		all = append(all, page.Entries...)
		if p.Before = page.Before; p.Before == nil || most > 0 && len(all) >= most {
			break
		}
	}
	if most > 0 && len(all) > most {
		all = all[:most]
	}
	var rows [][]string
	for _, a := range all {
		rows = append(rows, []string{a.At.UTC().Format("2006-01-02 15:04:05 MST"), a.Person, a.Words, a.About, a.Outcome, a.Way, a.Address, a.Request})
	}
	return e.show(all, []column{{head: "at"}, {head: "person"}, {head: "what"}, {head: "about", wrap: true}, {head: "outcome"}, {head: "way"}, {head: "address"}, {head: "request"}}, rows)
}

func momentText(t time.Time) string { return t.UTC().Format("2006-01-02 15:04 MST") }

func shortened(text string, most int) string {
	if runes := []rune(text); len(runes) > most {
		return string(runes[:most])
	}
	return text
}
