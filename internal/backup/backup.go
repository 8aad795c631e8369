// Package backup writes all that the service keeps into one file, and reads it back:
// a zip of a manifest and of PostgreSQL's own dump.
package backup

import (
	"archive/zip"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"oskel/internal/store"
)

// Manifest says what a backup is of.
type Manifest struct {
	Format int       `json:"oskel_backup"` // 1
	At     time.Time `json:"at"`
	Schema int64     `json:"schema"` // which steps the tables have taken
	Marks  []Mark    `json:"marks"`  // how far everything had come
}

// Mark is the last number of something, such as of intakes.
type Mark = store.Mark

// The names in the zip. The sum is written last, of the dump before it.
const (
	manifestName = "manifest.json"
	dumpName     = "database.dump"
	sumName      = "database.dump.sha256"
)

// Write writes a backup of a database as of one moment. tools is where PostgreSQL's
// programs are.
func Write(ctx context.Context, s *store.Store, database, tools string, now time.Time, to io.Writer) error {
	return s.Frozen(ctx, func(snapshot string, schema int64, marks []store.Mark) error {
		z := zip.NewWriter(to)
		w, err := z.Create(manifestName)
		if err != nil {
			return err
		}
		if err := json.NewEncoder(w).Encode(Manifest{1, now, schema, marks}); err != nil {
			return err
		}
		// Compressed by itself.
		if w, err = z.CreateHeader(&zip.FileHeader{Name: dumpName, Method: zip.Store, Modified: now}); err != nil {
			return err
		}
		sum := sha256.New()
		if err := run(ctx, database, filepath.Join(tools, "pg_dump"), nil, io.MultiWriter(w, sum), "--format=custom", "--no-owner", "--no-privileges",
			"--snapshot="+snapshot); err != nil {
			return err
		}
		if w, err = z.Create(sumName); err != nil {
			return err
		}
		if _, err := io.WriteString(w, hex.EncodeToString(sum.Sum(nil))+"\n"); err != nil {
			return err
		}
		return z.Close()
	})
}

// run runs one of PostgreSQL's programs, against a database or with "" none. Its
// password is in no argument, which others could read.
func run(ctx context.Context, database, program string, in io.Reader, out io.Writer, args ...string) error {
	cmd := exec.CommandContext(ctx, program, args...)
	if database != "" {
		address, err := url.Parse(store.WithoutPool(database))
		if err != nil {
			return errors.New("the database address cannot be read; expected postgres://USER@HOST/DATABASE")
		}
		password, _ := address.User.Password()
		address.User = url.User(address.User.Username())
		cmd.Args = append(cmd.Args, "--dbname="+address.String())
		cmd.Env = append(os.Environ(), "PGPASSWORD="+password)
	}
	var said bytes.Buffer
	cmd.Stdin, cmd.Stdout, cmd.Stderr = in, out, &said
	if err := cmd.Run(); err != nil {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		return fmt.Errorf("%s: %w: %s", filepath.Base(program), err, lastOf(said.String()))
	}
	return nil
}

func lastOf(text string) string {
	lines := strings.Split(strings.TrimSpace(text), "\n")
	return lines[len(lines)-1]
}

// ErrNone says that a file is no backup, or not a whole one.
var ErrNone = errors.New("this is no whole backup")

// Read opens a backup and checks that it is whole: its manifest, and its dump against
// its sum. open gives the dump.
func Read(file string) (m Manifest, open func() (io.ReadCloser, error), err error) {
	z, err := zip.OpenReader(file)
	if errors.Is(err, os.ErrNotExist) || errors.Is(err, os.ErrPermission) {
		return m, nil, err
	} else if err != nil {
		return m, nil, fmt.Errorf("%s: %w: %s", file, ErrNone, err)
	}
	defer z.Close() //nolint:errcheck // it is only read
	broken := func(why string) error { return fmt.Errorf("%s: %w: %s", file, ErrNone, why) }
	text, err := small(z, manifestName)
	if err != nil {
		return m, nil, broken(err.Error())
	}
	if err := json.Unmarshal(text, &m); err != nil || m.Format != 1 {
		return m, nil, broken("its manifest is not one that this program knows")
	}
	sum, err := small(z, sumName)
	if err != nil {
		return m, nil, broken(err.Error())
	}
	dump, err := z.Open(dumpName)
	if err != nil {
		return m, nil, broken("it has no dump")
	}
	defer dump.Close() //nolint:errcheck // it is only read
	is := sha256.New()
	if _, err := io.Copy(is, dump); err != nil {
		return m, nil, broken(err.Error())
	}
	if hex.EncodeToString(is.Sum(nil)) != strings.TrimSpace(string(sum)) {
		return m, nil, broken("its dump is not the one that was written")
	}
	return m, func() (io.ReadCloser, error) { return openDump(file) }, nil
}

// small reads a little file of a zip.
func small(z *zip.ReadCloser, name string) ([]byte, error) {
	f, err := z.Open(name)
	if err != nil {
		return nil, fmt.Errorf("it has no %s", name)
	}
	defer f.Close() //nolint:errcheck // it is only read
	return io.ReadAll(io.LimitReader(f, 1<<20))
}

// dumpFile reads the dump within a backup; closing it closes the backup too.
type dumpFile struct {
	io.ReadCloser
	zip *zip.ReadCloser
}

func (d *dumpFile) Close() error { return errors.Join(d.ReadCloser.Close(), d.zip.Close()) }

func openDump(file string) (io.ReadCloser, error) {
	z, err := zip.OpenReader(file)
	if err != nil {
		return nil, err
	}
	f, err := z.Open(dumpName)
	if err != nil {
		return nil, errors.Join(err, z.Close())
	}
	return &dumpFile{f, z}, nil
}

// Newer says why a backup is not put over what a database holds.
type Newer struct{ Why []string }

func (n *Newer) Error() string {
	return "the database holds what the backup does not: " + strings.Join(n.Why, "; ") + ". Restore into an empty one, or say with -over that this is to be lost"
}

// Restore puts a backup in the place of what a database holds, whole or not at all.
// What is newer than the backup is lost only if over says so.
func Restore(ctx context.Context, file, database, tools string, over bool) (m Manifest, err error) {
	m, open, err := Read(file)
	if err != nil {
		return m, err
	}
	if newest := store.NewestSchema(); m.Schema > newest {
		return m, fmt.Errorf("%s was written by a newer program (its tables are at step %d, this program's at %d); restore it with that one", file, m.Schema, newest)
	}
	there, err := store.MarksOf(ctx, database)
	if err != nil {
		return m, err
	}
	if why := beyond(there, m.Marks); len(why) > 0 && !over {
		return m, &Newer{why}
	}
	if err := replace(ctx, open, database, tools); err != nil {
		return m, fmt.Errorf("restoring: %w", err)
	}
	return m, nil
}

// beyond says what has come further than a backup.
func beyond(there, backup []store.Mark) (why []string) {
	was := map[string]int64{}
	for _, m := range backup {
		was[m.Of] = m.Last
	}
	for _, m := range there {
		if m.Last > was[m.Of] {
			why = append(why, fmt.Sprintf("%s up to %d, in the backup up to %d", m.Of, m.Last, was[m.Of]))
		}
	}
	return why
}
