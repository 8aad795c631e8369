package e2e

import (
	"archive/zip"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/app"
	"oskel/internal/cli"
	"oskel/internal/client"
	"oskel/internal/pgserver"
	"oskel/internal/store"
)

// examined is what the doctor finds wrong, by its rule.
func (s *service) examined(t *testing.T) map[string][]string {
	out := map[string][]string{}
	for _, x := range want[[]client.Examined](t, 200)(s.as("lea").GetDoctor(ctx)) {
		if x.Count > 0 {
			out[x.Rule] = x.Wrong
		}
	}
	return out
}

// Nothing is wrong after honest work; each rule finds what breaks it, and says where.
func TestTheDoctor(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-09")
	s.sweep("2026-10")
	s.load("feed", "sales", salesHead+"2026-10-05,N1,R1,500,4\n2026-10-06,N2,R2,500,4\n", func(p *client.CreateIntakeParams) { p.AllowDuplicates = ptr(true) })
	s.load("register", "rep", smallReps+"R9,Nova,South,,\n")
	taken := s.as("ana")
	answer, err := taken.RevertIntake(ctx, s.load("feed", "sales", salesHead+"2026-10-07,N3,R1,1,1\n").Id)
	require.NoError(t, err)
	answer.Body.Close()
	s.sweep("2026-10")
	c := s.caseOf("lea", "R3")
	want[[]client.Case](t, 200)(onCase(s.as("lea"), c.Id, toTake))
	assert.Empty(t, s.examined(t))
	code, out, errs := s.oskel("lea", "service", "check")
	assert.Equal(t, 0, code, errs)
	assert.Contains(t, errs, "All checks passed.")
	assert.Greater(t, strings.Count(out, "\n"), 15)
	refused(t, 403, "not-allowed")(s.as("ana").GetDoctor(ctx))

	db := s.pool(t)
	for _, b := range []struct{ breaks, undo, rule, where string }{
		{"update intakes set reverted_by = id where id = 2", "update intakes set reverted_by = null where id = 2", "an intake is superseded",
			"intake 2 is reverted by 2"},
		{"update registers set superseded = intake where kind = 'rep' and superseded is not null", "", "a row of a register", "register rep"},
		{"update sweeps set raised = raised + 1 where id = (select max(id) from sweeps)",
			"update sweeps set raised = raised - 1 where id = (select max(id) from sweeps)", "the last sweep of a period counts", "raised"},
		{"update sweeps set tallies = jsonb_set(tallies, '{0,flagged}', '99') where id = (select max(id) from sweeps)", "", "the tallies of the last", "99 flagged"},
		{"update exceptions set sweep = (select min(id) from sweeps where period = '2026-09-01') where id = (select max(id) from exceptions where period " +
			"= '2026-10-01')", "", "an exception stands by the sweep", "exception"},
		{"update cases set name = 'Somebody else' where id = (select min(id) from cases)",
			"update cases c set name = (select name from exceptions e where e.case_id = c.id limit 1)", "a case says what", "case"},
		{"update cases set cleared = not cleared where id = (select max(id) from cases where state <> 'settled')",
			"update cases set cleared = not cleared where id = (select max(id) from cases where state <> 'settled')", "an unsettled case holds something", "cleared"},
		{"update exceptions e set case_id = (select max(id) from cases c where (c.kind, c.code) <> (e.kind, e.code)) where id = (select min(id) from " +
			"exceptions where case_id is not null)", "", "an exception is in a case of its own", "in case"},
		{"delete from case_events where what = 'taken'", "", "the people who took or settled", "of lea"},
		{"delete from case_events where case_id in (select id from cases where state = 'settled')", "", "", ""},
		{"update revisions set based_on = number", "update revisions set based_on = number - 1", "revisions are numbered", "revision 1"},
		{"update sweeps set data_version = 9999 where id = 1", "", "a sweep is of a revision", "sweep 1"},
		{"update people set closed_at = now() where name = 'rea'; insert into tokens (hash, person) values ('x', 'rea')", "", "no closed account", "token"},
		{"update feeds.sales set superseded = 1 where intake > 1 and superseded is null and line = 1", "", "a line of a feed belongs", "sales line 1"},
		{"delete from feeds.sales where line = 2 and intake = (select min(intake) from feeds.sales)", "", "an intake of a feed brought", "lines, and on record"},
		{"insert into feeds.sales select * from feeds.sales where superseded is null limit 1", "", "a line stands once", "sales line"},
	} {
		_, err := db.Exec(ctx, b.breaks)
		require.NoError(t, err, b.breaks)
		if b.rule == "" {
			continue
		}
		found := false
		for rule, wrong := range s.examined(t) {
			found = found || strings.HasPrefix(rule, b.rule) && strings.Contains(strings.Join(wrong, " "), b.where)
		}
		assert.True(t, found, "%s: %v", b.breaks, s.examined(t))
		if b.undo != "" {
			_, err := db.Exec(ctx, b.undo)
			require.NoError(t, err, b.undo)
		}
	}
	code, out, _ = s.oskel("lea", "service", "check")
	assert.Equal(t, 1, code)
	assert.Contains(t, out, "sales line")
}

// run is one command that works without a service.
func local(args ...string) (int, string) {
	var out bytes.Buffer
	code := cli.Main(context.Background(), args, strings.NewReader(""), &out, &out)
	return code, out.String()
}

// What is backed up comes back whole, and over nothing newer.
func TestBackupAndRestore(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	id := s.caseOf("lea", "R3").Id
	want[[]client.Case](t, 200)(onCase(s.as("lea"), id, toTake))
	refused(t, 403, "not-allowed")(s.as("ana").MakeBackup(ctx))
	refused(t, 403, "not-allowed")(s.made("lea", "read", 1).MakeBackup(ctx))
	file := filepath.Join(t.TempDir(), "oskel.zip")
	code, _, errs := s.oskel("lea", "service", "backup", file)
	require.Equal(t, 0, code, errs)
	assert.Contains(t, errs, "revisions up to 1")
	before := want[client.ExceptionPage](t, 200)(s.as("lea").ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-10"}))

	// Whatever table there is, a restoring drops it.
	rows, err := s.pool(t).Query(ctx, "select relname from pg_class where relnamespace = 'public'::regnamespace and relkind in ('r', 'p')")
	require.NoError(t, err)
	tables, err := pgx.CollectRows(rows, pgx.RowTo[string])
	require.NoError(t, err)
	for _, table := range tables {
		assert.Regexp(t, "[ ,]"+table+"[ ,]", store.ClearSQL)
	}

	// Into an empty database, on which a service then works.
	empty := newDatabase(t, "")
	code, out := local("restore", "-database", empty, file)
	require.Equal(t, 0, code, out)
	assert.Contains(t, out, "Restored ")
	other := run(t, empty, nil)
	other.tokens, other.home = s.tokens, t.TempDir()
	refused(t, 401, "sign-in")(other.as("lea").ListIntakes(ctx)) // what may have been revoked since is not brought back
	other.tokens = map[string]string{}
	assert.Equal(t, before, want[client.ExceptionPage](t, 200)(other.as("lea").ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-10"})))
	assert.Equal(t, client.CaseState("taken"), want[client.CaseDetail](t, 200)(other.as("lea").GetCase(ctx, id)).Case.State)
	assert.Empty(t, other.examined(t))
	s.load("feed", "sales", salesHead+"2026-10-05,N1,R1,500,4\n", func(p *client.CreateIntakeParams) { p.AllowDuplicates = ptr(true) })
	other.load("feed", "sales", salesHead+"2026-10-05,N1,R1,500,4\n", func(p *client.CreateIntakeParams) { p.AllowDuplicates = ptr(true) })

	// Over one that a service works on, or that has come further: refused, and nothing is changed.
	code, out = local("restore", "-database", empty, file)
	assert.Equal(t, 1, code)
	assert.Contains(t, out, "a service works on this database; stop it first")
	other.stop()
	code, out = local("restore", "-database", empty, file)
	assert.Equal(t, 1, code)
	assert.Regexp(t, `the database holds what the backup does not: intakes up to \d+, in the backup up to \d+; entries of the audit up to \d+, in the `+
		`backup up to \d+\. Restore into an empty one, or say with -over`, out)
	again := run(t, empty, nil)
	again.tokens = other.tokens
	assert.Len(t, want[[]client.Intake](t, 200)(again.as("lea").ListIntakes(ctx)), 4)
	again.stop()
	code, out = local("restore", "-force", "-database", empty, file)
	require.Equal(t, 0, code, out)
	back := run(t, empty, nil)
	defer back.stop()
	back.tokens = map[string]string{}
	assert.Len(t, want[[]client.Intake](t, 200)(back.as("lea").ListIntakes(ctx)), 3)
	assert.Empty(t, back.examined(t))
	kept := func(s *service) (acl string) {
		require.NoError(t, s.pool(t).QueryRow(ctx, "select relacl::text from pg_class where oid = 'public.audit'::regclass").Scan(&acl))
		return acl
	}
	assert.Equal(t, kept(s), kept(back), "the audit is kept from its owner as before")
	audit := want[client.AuditPage](t, 200)(back.as("lea").ListAudit(ctx, &client.ListAuditParams{Operation: ptr("Restore")}))
	require.Len(t, audit.Entries, 1, "that it was restored is in the audit")
	assert.Equal(t, "restored a backup", audit.Entries[0].Words)
	// And it goes on from there.
	back.load("feed", "sales", salesHead+"2026-10-05,N2,R1,500,4\n", func(p *client.CreateIntakeParams) { p.AllowDuplicates = ptr(true) })
	back.sweep("2026-10")
}

// What a backup holds that the service does not make is not restored, and the database that
// was to be replaced stays.
func TestABackupThatHoldsMore(t *testing.T) {
	long(t)
	t.Parallel()
	for what, sql := range map[string]string{
		"FUNCTION public zz()":          "create function zz() returns int language plpgsql as $f$ begin copy (select 1) to program 'true'; return 1; end $f$",
		"MATERIALIZED VIEW public more": "create materialized view more as select 1 as a",
		"TABLE public more":             "create table more (a int)",
		"the function audit_is_kept": "create or replace function audit_is_kept() returns trigger language plpgsql as $f$ begin perform " +
			"pg_reload_conf(); return null; end $f$",
		"the default of views": "alter table views alter column name set default pg_read_file('/etc/passwd')",
		"the trigger more":     "create trigger more after insert on views for each statement execute function tell_changed()",
	} {
		s := small(t)
		_, err := s.pool(t).Exec(ctx, sql)
		require.NoError(t, err)
		file := filepath.Join(t.TempDir(), "oskel.zip")
		code, _, errs := s.oskel("lea", "service", "backup", file)
		require.Equal(t, 0, code, errs)
		into := newDatabase(t, "")
		code, out := local("restore", "-database", into, file)
		assert.Equal(t, 1, code)
		assert.Contains(t, out, "the backup holds what this program does not make: "+what)
		code, out = local("restore", "-database", into, file)
		assert.Equal(t, 1, code, out)
	}
}

// Who asks for a backup and leaves ends it: nothing goes on in the database.
func TestABackupThatIsAbandoned(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.as("lea")
	db := s.pool(t)
	for range 5 {
		asking, leave := context.WithCancel(ctx)
		r, err := http.NewRequestWithContext(asking, "GET", s.url+"/api/backup", nil)
		require.NoError(t, err)
		r.Header.Set("Authorization", "Bearer "+s.tokens["lea"])
		answer, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		_, err = io.ReadFull(answer.Body, make([]byte, 1))
		require.NoError(t, err)
		leave()
		answer.Body.Close()
	}
	require.Eventually(t, func() bool { return s.idle(t, db) }, 30*time.Second, 50*time.Millisecond)
	file := filepath.Join(t.TempDir(), "after.zip")
	code, _, errs := s.oskel("lea", "service", "backup", file)
	assert.Equal(t, 0, code, errs)
}

// What cannot be told in the audit is not given out, and ends as well.
func TestABackupThatCannotBeTold(t *testing.T) {
	t.Parallel()
	s := small(t)
	db := s.pool(t)
	_, err := db.Exec(ctx, "alter table audit add constraint untold check (operation <> 'MakeBackup' or pg_sleep(1)::text = 'told')")
	require.NoError(t, err)
	refused(t, 500, "internal")(s.as("lea").MakeBackup(ctx))
	require.Eventually(t, func() bool { return s.idle(t, db) }, 30*time.Second, 50*time.Millisecond)
}

// idle says whether no transaction and no dump is under way in the database.
func (s *service) idle(t *testing.T, db *pgxpool.Pool) bool {
	var busy int
	require.NoError(t, db.QueryRow(ctx, "select count(*) from pg_stat_activity where datname = current_database() and (state like 'idle in "+
		"transaction%' or application_name = 'pg_dump')").Scan(&busy))
	return busy == 0
}

// A file that is none, or not whole, is refused before anything is touched.
func TestBackupsThatAreNone(t *testing.T) {
	t.Parallel()
	s := small(t)
	dir := t.TempDir()
	file := filepath.Join(dir, "oskel.zip")
	code, _, errs := s.oskel("lea", "service", "backup", file)
	require.Equal(t, 0, code, errs)
	whole, err := os.ReadFile(file)
	require.NoError(t, err)
	edited := func(change func(name string, text []byte) []byte) []byte {
		r, err := zip.NewReader(bytes.NewReader(whole), int64(len(whole)))
		require.NoError(t, err)
		var out bytes.Buffer
		z := zip.NewWriter(&out)
		for _, f := range r.File {
			in, err := f.Open()
			require.NoError(t, err)
			text, err := io.ReadAll(in)
			require.NoError(t, err)
			if text = change(f.Name, text); text == nil {
				continue
			}
			w, err := z.Create(f.Name)
			require.NoError(t, err)
			w.Write(text)
		}
		require.NoError(t, z.Close())
		return out.Bytes()
	}
	newer := edited(func(name string, text []byte) []byte {
		if name == "manifest.json" {
			var m map[string]any
			require.NoError(t, json.Unmarshal(text, &m))
			m["schema"] = 9999
			text, err = json.Marshal(m)
			require.NoError(t, err)
		}
		return text
	})
	empty := newDatabase(t, "")
	for said, text := range map[string][]byte{
		"this is no whole backup": whole[:len(whole)/2],
		"not a valid zip":         []byte("a text"),
		"its dump is not the one": edited(func(name string, text []byte) []byte {
			return append(text, map[bool]string{true: "x"}[name == "database.dump"]...)
		}),
		"it has no dump":          edited(func(name string, text []byte) []byte { return map[bool][]byte{false: text}[name == "database.dump"] }),
		"it has no manifest.json": edited(func(name string, text []byte) []byte { return map[bool][]byte{false: text}[name == "manifest.json"] }),
		"its manifest is not one": edited(func(name string, text []byte) []byte {
			return map[bool][]byte{true: []byte("{}"), false: text}[name == "manifest.json"]
		}),
		"was written by a newer program": newer,
	} {
		broken := filepath.Join(dir, "broken.zip")
		require.NoError(t, os.WriteFile(broken, text, 0o600))
		code, out := local("restore", "-database", empty, broken)
		assert.Equal(t, 1, code, said)
		assert.Contains(t, out, said)
	}
	code, out := local("restore", "-database", empty, filepath.Join(dir, "nothing.zip"))
	assert.Equal(t, 1, code)
	assert.Contains(t, out, "no such file")
	conn, err := pgx.Connect(ctx, empty)
	require.NoError(t, err)
	defer conn.Close(ctx)
	var tables int
	require.NoError(t, conn.QueryRow(ctx, "select count(*) from pg_class where relnamespace = 'public'::regnamespace").Scan(&tables))
	assert.Zero(t, tables)
}

// backupOf is a backup of a database as it is, without the program's bringing it up to date.
func backupOf(t *testing.T, database string) string {
	tools, err := pgserver.Tools()
	require.NoError(t, err)
	conn, err := pgx.Connect(ctx, database)
	require.NoError(t, err)
	defer conn.Close(ctx)
	var schema int64
	require.NoError(t, conn.QueryRow(ctx, "select max(version_id) from goose_db_version where is_applied").Scan(&schema))
	dump, err := exec.Command(filepath.Join(tools, "pg_dump"), "--format=custom", "--no-owner", "--no-privileges", "--dbname="+database).Output()
	require.NoError(t, err)
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	sum := sha256.Sum256(dump)
	for name, text := range map[string][]byte{"manifest.json": fmt.Appendf(nil, `{"oskel_backup":1,"at":"2026-11-01T00:00:00Z","schema":%d,"marks":[]}`,
		schema), "database.dump": dump, "database.dump.sha256": []byte(hex.EncodeToString(sum[:]))} {
		w, err := z.Create(name)
		require.NoError(t, err)
		w.Write(text)
	}
	require.NoError(t, z.Close())
	file := filepath.Join(t.TempDir(), "earlier.zip")
	require.NoError(t, os.WriteFile(file, out.Bytes(), 0o600))
	return file
}

// A backup of an earlier program is brought up to date; over the tables of a newer
// one an older program does not start.
func TestVersionsOfTheProgram(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	kept := s.exceptions("2026-10")
	s.stop()
	config, err := pgx.ParseConfig(s.database)
	require.NoError(t, err)
	db := stdlib.OpenDB(*config)
	defer db.Close()
	p, err := goose.NewProvider(goose.DialectPostgres, db, store.Migrations())
	require.NoError(t, err)
	_, err = p.DownTo(ctx, 9)
	require.NoError(t, err)

	// As the program of that time: the same file, by its tables.
	file := backupOf(t, s.database)
	empty := newDatabase(t, "")
	code, out := local("restore", "-database", empty, file)
	require.Equal(t, 0, code, out)
	later := run(t, empty, nil)
	later.tokens = map[string]string{}
	defer later.stop()
	assert.Equal(t, len(kept), len(later.exceptions("2026-10")))
	assert.Empty(t, later.examined(t))

	_, err = s.pool(t).Exec(ctx, "insert into goose_db_version (version_id, is_applied) values (9999, true)")
	require.NoError(t, err)
	err = app.Run(ctx, app.Options{Addr: "127.0.0.1:0", Database: s.database})
	assert.ErrorContains(t, err, "bringing the tables up to date: this database belongs to a newer version (schema 9999; this program knows 41); run that one")
}
