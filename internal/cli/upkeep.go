package cli

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"

	"oskel/internal/backup"
	"oskel/internal/client"
	"oskel/internal/pgserver"
)

var upkeepCommands = []command{
	{
		name: "service check", lists: true, short: "check the invariants of the database (leads only)",
		long:    "Reads only, while the service runs. Violations are listed, and the exit code is 1.",
		example: "oskel service check",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				if len(args) > 0 {
					return usagef("doctor takes no arguments, found %q", args[0])
				}
				return examine(ctx, e)
			}
		},
	},
	{
		name: "service backup", args: "FILE", short: "write all data into one file (leads only)",
		long: "The file is a zip of a manifest and of PostgreSQL's own dump with its sum. Rules, data,\nsweeps, exceptions, cases, accounts and the " +
			"audit are in it; the service's flags,\ncertificates and logs are not. It holds password hashes: keep it as you keep the database.",
		example: "oskel service backup oskel-2026-11-02.zip",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				if len(args) != 1 {
					return usagef("expected the file to write")
				}
				r, err := e.client.MakeBackup(ctx)
				return saveBackup(e, r, err, args[0])
			}
		},
	},
	{
		name: "service restore", args: "FILE", short: "replace the data of a stopped service by a backup", local: true,
		long: "The backup is checked first. It takes the place of all that is there, whole or not at all;\nwhat is there and newer is lost only with " +
			"-force. An older backup is brought up to date\nwhen the service starts.",
		example: "oskel service restore -data var/oskel oskel-2026-11-02.zip\noskel service restore -database postgres://oskel@db/oskel oskel-2026-11-02.zip",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			database := f.String("database", os.Getenv("OSKEL_DATABASE"), "the `URL` of a PostgreSQL database; OSKEL_DATABASE sets it too")
			data := f.String("data", envOr("OSKEL_DATA", "var/oskel"), "the `directory` of the service's own PostgreSQL")
			force := f.Bool("force", false, "lose what is newer than the backup")
			return func(ctx context.Context, args []string) error {
				if len(args) != 1 {
					return usagef("expected the file to read")
				}
				return restore(ctx, e, args[0], *database, *data, *force)
			}
		},
	},
}

var errUnwell = errors.New("some checks failed")

func examine(ctx context.Context, e *env) error {
	all, err := read[[]client.Examined](e)(e.client.GetDoctor(ctx))
	if err != nil {
		return err
	}
	var rows [][]string
	wrong := 0
	for _, x := range all {
		state := "ok"
		if x.Count > 0 {
			wrong++
			state = counted(x.Count, "place") + ": " + strings.Join(x.Wrong, "; ")
		}
		rows = append(rows, []string{x.Rule, state})
	}
	if err := e.show(all, []column{{head: "check"}, {head: "result", wrap: true}}, rows); err != nil {
		return err
	}
	if wrong > 0 {
		return errUnwell
	}
	e.printf("All checks passed.\n")
	return nil
}

// saveBackup writes beside the file and renames, so that a broken one never bears its name.
func saveBackup(e *env, r *http.Response, err error, file string) error {
	if err != nil || r.StatusCode >= 400 {
		_, err = readAnswer[struct{}](e, r, err)
		return err
	}
	defer r.Body.Close() //nolint:errcheck // it was read to its end
	part, err := os.CreateTemp(filepath.Dir(file), ".oskel-backup-")
	if err != nil {
		return fmt.Errorf("writing the backup: %w", err)
	}
	defer os.Remove(part.Name()) //nolint:errcheck // it has its name by then
	n, err := io.Copy(part, r.Body)
	if err = errors.Join(err, part.Close()); err != nil {
		return fmt.Errorf("writing the backup: %w", err)
	}
	m, _, err := backup.Read(part.Name())
	if err != nil {
		return errors.New("the service broke off in the middle of the backup; its log says why")
	}
	if err := os.Rename(part.Name(), file); err != nil {
		return fmt.Errorf("writing the backup: %w", err)
	}
	e.printf("Wrote %s: %s, %s bytes.\n", file, marksText(m), thousands(n))
	return nil
}

func marksText(m backup.Manifest) string {
	var parts []string
	for _, k := range m.Marks {
		parts = append(parts, fmt.Sprintf("%s up to %d", k.Of, k.Last))
	}
	return strings.Join(parts, ", ")
}

func thousands(n int64) string {
	text := fmt.Sprint(n)
	for at := len(text) - 3; at > 0; at -= 3 {
		text = text[:at] + "," + text[at:]
	}
	return text
}

func restore(ctx context.Context, e *env, file, database, data string, over bool) error {
	if _, _, err := backup.Read(file); err != nil { // before anything is started
		return err
	}
	tools, err := pgserver.Tools()
	if err != nil {
		return err
	}
	if database == "" {
		pg, err := pgserver.Start(ctx, pgserver.Options{Dir: data})
		if err != nil {
			return err
		}
		defer pg.Stop()
		database = pg.URL
	}
	m, err := backup.Restore(ctx, file, database, tools, over)
	if err != nil {
		return err
	}
	e.printf("Restored %s of %s: %s.\n", file, m.At.UTC().Format("2006-01-02 15:04 MST"), marksText(m))
	return nil
}
