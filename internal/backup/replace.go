package backup

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"oskel/internal/store"
)

// A backup may come from anywhere, and what is in a dump is run. So only what this program
// makes itself is taken from it, it is run by a role that may do nothing else where there
// can be one, and never by a program that could start others.

// ErrForeign says that a backup holds what this program does not make.
var ErrForeign = errors.New("the backup holds what this program does not make")

// replace puts a dump in the place of what a database holds, whole or not at all.
func replace(ctx context.Context, open func() (io.ReadCloser, error), database, tools string) error {
	list, err := listed(ctx, open, tools)
	if err != nil {
		return err
	}
	keep, err := os.CreateTemp("", "oskel-restore-")
	if err != nil {
		return err
	}
	defer os.Remove(keep.Name()) //nolint:errcheck // it is a list alone
	_, err = keep.WriteString(list)
	if err := errors.Join(err, keep.Close()); err != nil {
		return err
	}
	dump, err := open()
	if err != nil {
		return err
	}
	defer dump.Close() //nolint:errcheck // it is only read
	script, write := io.Pipe()
	go func() {
		write.CloseWithError(run(ctx, "", filepath.Join(tools, "pg_restore"), dump, write, "--no-owner", "--no-privileges", "--use-list="+keep.Name(), "--file=-"))
	}()
	err = store.Replace(ctx, database, func(exec func(sql string) error, copy func(sql string, rows io.Reader) error) error {
		return play(script, exec, copy)
	})
	script.CloseWithError(err) //nolint:errcheck // whoever writes it ends
	return err
}

// listed is the list of what is in a dump that is restored; what this program does not
// make is an error. Jobs that wait are not restored: they follow from the rest.
func listed(ctx context.Context, open func() (io.ReadCloser, error), tools string) (string, error) {
	dump, err := open()
	if err != nil {
		return "", err
	}
	defer dump.Close() //nolint:errcheck // it is only read
	var out bytes.Buffer
	if err := run(ctx, "", filepath.Join(tools, "pg_restore"), dump, &out, "--list"); err != nil {
		return "", err
	}
	var list strings.Builder
	for line := range strings.Lines(out.String()) {
		if strings.HasPrefix(line, ";") {
			continue
		}
		number, rest, ok := strings.Cut(strings.TrimSpace(line), "; ")
		fields := strings.Fields(rest)
		if !ok || number == "" || len(fields) < 5 {
			return "", fmt.Errorf("%w: %q", ErrForeign, line)
		}
		what := strings.Join(fields[2:], " ") // type, schema, name, owner
		switch made(what) {
		case queued:
		case foreign:
			return "", fmt.Errorf("%w: %s", ErrForeign, what)
		default:
			list.WriteString(line)
		}
	}
	return list.String(), nil
}

// origin says whose an entry of a dump is: this program's, that of its queue of jobs, or neither's,
// which is not put into a database.
type origin int

const (
	foreign origin = iota
	ours
	queued
)

// types are what a dump of this program's tables is made of, the longest names first.
var types = []string{"COMMENT", "SEQUENCE OWNED BY", "SEQUENCE SET", "TABLE ATTACH", "INDEX ATTACH", "FK CONSTRAINT", "TABLE DATA", "CONSTRAINT",
	"SEQUENCE", "DEFAULT", "TRIGGER", "TABLE", "INDEX", "SCHEMA", "VIEW", "FUNCTION", "TYPE"}

// made says whose an entry of a dump is.
func made(what string) origin {
	for _, kind := range types {
		rest, is := strings.CutPrefix(what, kind+" ")
		if !is {
			continue
		}
		schema, named, _ := strings.Cut(rest, " ")
		if kind == "SCHEMA" { // whose own schema is none
			schema, _, _ = strings.Cut(named, " ")
		}
		name, _, _ := strings.Cut(named, " ")
		switch {
		case schema == store.QueueSchema:
			return queued
		case kind == "TYPE", kind == "FUNCTION" && !store.OwnFunction(schema, named):
			return foreign
		case kind == "VIEW" && schema == "public" && name != "exception_versions":
			return foreign
		case kind == "TABLE" && schema == "public" && !store.OwnTable(name):
			return foreign
		case schema == "public", schema == "reporting", schema == "feeds", schema == "feed_months":
			return ours
		}
		return foreign
	}
	return foreign
}

// play runs a script of pg_restore: statements, and after COPY ... FROM stdin its rows up to
// a line of \\. alone. What is for psql alone is left out.
func play(script io.Reader, exec func(sql string) error, copy func(sql string, rows io.Reader) error) error {
	in := bufio.NewReaderSize(script, 1<<20)
	var sql strings.Builder
	for {
		line, err := in.ReadString('\n')
		switch {
		case err != nil && !errors.Is(err, io.EOF):
			return err
		case strings.HasPrefix(line, "COPY ") && strings.HasSuffix(line, " FROM stdin;\n"):
			if err := exec(sql.String()); err != nil {
				return err
			}
			sql.Reset()
			rows := &rowsOf{in: in}
			if err := copy(strings.TrimSuffix(line, ";\n"), rows); err != nil {
				return err
			}
			if !rows.ended {
				return errors.New("the rows of a table do not end")
			}
		case !strings.HasPrefix(line, `\`):
			sql.WriteString(line)
		}
		if err != nil {
			return exec(sql.String())
		}
	}
}

// rowsOf are the rows of one table in a script.
type rowsOf struct {
	in    *bufio.Reader
	held  []byte
	ended bool
}

// Read implements io.Reader.
func (r *rowsOf) Read(p []byte) (int, error) {
	for len(r.held) == 0 {
		if r.ended {
			return 0, io.EOF
		}
		line, err := r.in.ReadBytes('\n')
		if err != nil {
			return 0, fmt.Errorf("the rows of a table do not end: %w", err)
		}
		if bytes.Equal(line, []byte("\\.\n")) {
			r.ended = true
			continue
		}
		r.held = line
	}
	n := copy(p, r.held)
	r.held = r.held[n:]
	return n, nil
}
