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

	openapi_types "github.com/oapi-codegen/runtime/types"
	"golang.org/x/term"

	"oskel/core/rulebook"
	"oskel/internal/client"
)

var accountCommands = []command{
	{
		name: "sign-in", args: "NAME", short: "sign in to a service and store a token for it",
		long: "Asks for the password on the terminal, or reads it from standard input; after a one-time\npassword it asks for a new one too. The token " +
			"is kept for the service's address;\nOSKEL_TOKEN overrules it. 'oskel token add' makes one for another program.",
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
				e.printf("Signed in to %s as %s (%s).\n", e.server, token.Person.DisplayName, token.Person.Role)
				return nil
			}
		},
	},
	{
		name: "sign-out", short: "revoke the stored token and delete it",
		example: "oskel sign-out",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, _ []string) error {
				if _, err := read[struct{}](e)(e.client.DeleteToken(ctx)); err != nil {
					return err
				}
				e.printf("Signed out of %s.\n", e.server)
				return e.keepToken(e.server, "")
			}
		},
	},
	{
		name: "token add", args: "NAME", short: "create a token for another program",
		long: "Asks for your password, and writes the token to standard output; it is shown only once.\nA token may read, or read and review (work on " +
			"cases), or do everything its person may.",
		example: "oskel token add -title \"nightly report\" -scope read -days 30 ines",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			title := f.String("title", "", "what it is for")
			scope := f.String("scope", "read", "read, review or everything")
			days := f.Int("days", 90, "for how many days, 365 at most")
			return func(ctx context.Context, args []string) error {
				if len(args) != 1 {
					return usagef("expected your name")
				}
				if *title == "" {
					return usagef("state with -title what the token is for")
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
		name: "token list", lists: true, short: "list your tokens, or those of all accounts (leads only)",
		example: "oskel token list\noskel token list -all -sort used",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			p := &client.ListTokensParams{All: f.Bool("all", false, "those of all accounts (leads only)")}
			return func(ctx context.Context, _ []string) error {
				all, err := read[[]client.TokenNote](e)(e.client.ListTokens(ctx, p))
				if err != nil {
					return err
				}
				var rows [][]string
				for _, k := range all {
					used, note := "", ""
					if k.Used != nil {
						used = e.moment(*k.Used)
					}
					if k.Current {
						note = "this one"
					}
					rows = append(rows, []string{fmt.Sprint(k.Id), k.Person, k.Title, string(k.Scope), e.moment(k.Made), e.moment(k.Ends), used, note})
				}
				return e.show(all, []column{{head: "id", right: true}, {head: "person"}, {head: "for"}, {head: "scope"}, {head: "made"}, {head: "ends"},
					{head: "used"}, {head: "note"}}, rows)
			}
		},
	},
	{
		name: "token revoke", args: "TOKEN", short: "revoke a token by its id: yours, or any (leads only)",
		example: "oskel token revoke 12",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				id, err := idArg(args, "token")
				if err != nil {
					return err
				}
				if _, err := read[struct{}](e)(e.client.RevokeToken(ctx, id)); err != nil {
					return err
				}
				e.printf("Token %d is revoked.\n", id)
				return nil
			}
		},
	},
	{
		name: "service audit", short: "list what was done, by whom and from where, newest first (leads only)",
		long:    "Signing in, accounts, tokens, rules, loads, sweeps and exports, failed attempts\ntoo. Entries are never removed. -o writes all of them.",
		example: "oskel service audit -top 20\noskel service audit -person ines -operation CreateIntake\noskel service audit -o audit.csv",
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
		name: "person list", lists: true, short: "list the accounts",
		example: "oskel person list",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, _ []string) error {
				all, err := read[[]client.Person](e)(e.client.ListPeople(ctx))
				if err != nil {
					return err
				}
				var rows [][]string
				for _, p := range all {
					note := ""
					if p.Closed != nil && *p.Closed {
						note = "closed"
					}
					rows = append(rows, []string{p.Name, p.DisplayName, string(p.Role), strings.Join(p.Desks, ", "), note})
				}
				return e.show(all, []column{{head: "name"}, {head: "display name"}, {head: "role"}, {head: "desks"}, {head: "note"}}, rows)
			}
		},
	},
	{
		name: "person add", args: "NAME", short: "add an account with a one-time password (leads only)",
		long:    "Prints a one-time password. The person signs in with it within three days and chooses a\npassword. It is shown only once.",
		example: "oskel person add -role reviewer -display-name \"Nell Forepeak\" -desk northfirth nell",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			role := f.String("role", "reviewer", "analyst, reviewer or lead")
			title := f.String("display-name", "", "the name that people read; default: the account's name")
			desks := []string{}
			f.Func("desk", "a `desk` the person is a member of; may be given several times", func(s string) error { desks = append(desks, s); return nil })
			return func(ctx context.Context, args []string) error {
				if len(args) != 1 {
					return usagef("expected a name")
				}
				if *title == "" {
					*title = args[0]
				}
				p, err := read[client.PersonAdded](e)(e.client.CreatePerson(ctx,
					client.NewPerson{Name: args[0], DisplayName: *title, Role: client.Role(*role), Desks: &desks}))
				if err != nil {
					return err
				}
				e.printf("Added %s (%s). The one-time password, valid until %s:\n", p.Person.DisplayName, p.Person.Role, e.moment(p.Ends))
				_, err = fmt.Fprintln(e.out, p.OneTimePassword)
				return err
			}
		},
	},
	{
		name: "person change", args: "NAME", short: "change display name, role or desks of an account (leads only)",
		example: "oskel person change -role analyst nell\noskel person change -desk skerry -desk lowmarsh nell",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			role := f.String("role", "", "analyst, reviewer or lead; unchanged unless given")
			title := f.String("display-name", "", "the name that people read; unchanged unless given")
			none := f.Bool("no-desks", false, "a member of no desk")
			var desks []string
			f.Func("desk", "a `desk` the person is a member of, in place of those before; may be given several times",
				func(s string) error { desks = append(desks, s); return nil })
			return func(ctx context.Context, args []string) error {
				if len(args) != 1 {
					return usagef("expected a name")
				}
				all, err := read[[]client.Person](e)(e.client.ListPeople(ctx))
				if err != nil {
					return err
				}
				at := slices.IndexFunc(all, func(p client.Person) bool { return p.Name == args[0] && p.Closed == nil })
				if at < 0 {
					return fmt.Errorf("there is no open account %q", args[0])
				}
				was := all[at]
				ask := client.PersonChange{Role: client.Role(or(*role, string(was.Role))), DisplayName: or(*title, was.DisplayName), Desks: append([]string{}, desks...)}
				if len(desks) == 0 && !*none {
					ask.Desks = was.Desks
				}
				p, err := read[client.Person](e)(e.client.ChangePerson(ctx, args[0], ask))
				if err != nil {
					return err
				}
				e.printf("%s is %s now, on %s.\n", p.DisplayName, rulebook.Article(string(p.Role)), or(strings.Join(p.Desks, ", "), "no desk"))
				return nil
			}
		},
	},
	{
		name: "person close", args: "NAME", short: "close an account; its sessions and tokens end at once (leads only)",
		long:    "The work of the person stays; their taken cases return to the desks.",
		example: "oskel person close nell",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				if len(args) != 1 {
					return usagef("expected a name")
				}
				if _, err := read[struct{}](e)(e.client.ClosePerson(ctx, args[0])); err != nil {
					return err
				}
				e.printf("Closed the account %s.\n", args[0])
				return nil
			}
		},
	},
	{
		name: "password", args: "[NAME]", short: "change your password, or reset that of another account (leads only)",
		long: "Asks on the terminal, or reads from standard input: first the old password, then the new\none. Another account gets a one-time " +
			"password, which is shown only once.\nAll other sessions and tokens of the account end.",
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
	if len(args) == 1 {
		w, err := read[client.OneTimePassword](e)(e.client.ResetPassword(ctx, args[0]))
		if err != nil {
			return err
		}
		e.printf("%s signs in with this one-time password until %s; sessions and tokens have ended.\n", args[0], e.moment(w.Ends))
		_, err = fmt.Fprintln(e.out, w.OneTimePassword)
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
	if _, err := read[struct{}](e)(e.client.ChangePassword(ctx, client.PasswordChange{Old: old, Password: password})); err != nil {
		return err
	}
	if err := e.keepToken(e.server, ""); err != nil {
		return err
	}
	e.printf("Your password is changed. Sign in again with: oskel sign-in NAME\n")
	return nil
}

// password asks on the terminal without showing what is typed, or reads one
// line.
func (e *env) password(prompt string) (string, error) {
	if f, ok := e.in.(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		e.printf("%s", prompt)
		text, err := term.ReadPassword(int(f.Fd()))
		e.printf("\n")
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

// makeToken asks for the password and makes a token. A one-time password is used up for a
// password first.
func (e *env) makeToken(ctx context.Context, ask client.NewToken) (client.Token, error) {
	var err error
	if ask.Password, err = e.password("Password: "); err != nil {
		return client.Token{}, err
	}
	token, err := read[client.Token](e)(e.client.CreateToken(ctx, ask))
	var p *problemError
	if !errors.As(err, &p) || p.Type != "urn:oskel:one-time-password" {
		return token, err
	}
	word := ask.Password
	if ask.Password, err = e.password("That is your one-time password. A password of your own, 12 characters or more: "); err != nil {
		return token, err
	}
	if _, err := read[client.Person](e)(e.client.UseOneTimePassword(ctx,
		client.OneTimePasswordUse{Name: ask.Name, OneTimePassword: word, Password: ask.Password})); err != nil {
		return token, err
	}
	return read[client.Token](e)(e.client.CreateToken(ctx, ask))
}

// showAudit lists the newest entries, or writes all of them.
func showAudit(ctx context.Context, e *env, p *client.ListAuditParams, top int) error {
	most := top
	if most == 0 && e.file == "" {
		most = 200
	}
	all := []client.AuditEntry{}
	for {
		page, err := read[client.AuditPage](e)(e.client.ListAudit(ctx, p))
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
	return e.show(all, []column{{head: "at"}, {head: "person"}, {head: "what"}, {head: "about", wrap: true}, {head: "outcome"}, {head: "way"},
		{head: "address"}, {head: "request"}}, rows)
}

// moment is a time as people read it here, or for programs: in UTC, with its zone.
func (e *env) moment(t time.Time) string {
	if e.format == "table" {
		return t.Local().Format("2 Jan 2006 15:04")
	}
	return t.UTC().Format(time.RFC3339)
}

// day is a day as people read it, or for programs.
func (e *env) day(d openapi_types.Date) string {
	if e.format == "table" {
		return d.Format("2 Jan 2006")
	}
	return d.Format(time.DateOnly)
}

func shortened(text string, most int) string {
	if runes := []rune(text); len(runes) > most {
		return string(runes[:most])
	}
	return text
}
