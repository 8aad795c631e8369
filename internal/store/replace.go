package store

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/url"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"
)

// OwnTable says whether a table of the schema public is the service's.
func OwnTable(name string) bool { return slices.Contains(ownTables, name) }

// ownFunctions are those that the service makes, as a dump names them.
var ownFunctions = []string{"public audit_is_kept()", "public tell_changed()", "reporting number(text)"}

// OwnFunction says whether a function is the service's, by its name and, after it, whose it
// is.
func OwnFunction(schema, name string) bool {
	return slices.ContainsFunc(ownFunctions, func(own string) bool { return strings.HasPrefix(schema+" "+name+" ", own+" ") })
}

// restoringOf names the role, and the database, by which a backup is restored; they are
// there meanwhile alone.
func restoringOf(database string) string { return "restoring_" + database[:min(len(database), 40)] }

// Replace puts what a script makes in the place of all that a database holds, whole or not
// at all. The script is given what runs its statements and copies its rows. Where the
// database's owner may do everything, the script is run by a role that may not, in a
// database of its own, which then takes the other's place.
func Replace(ctx context.Context, address string, script func(exec func(sql string) error, copy func(sql string, rows io.Reader) error) error) error {
	config, err := pgx.ParseConfig(WithoutPool(address))
	if err != nil {
		return fmt.Errorf("the database address cannot be read: %w", err)
	}
	conn, err := pgx.ConnectConfig(ctx, config)
	if err != nil {
		return err
	}
	defer conn.Close(context.WithoutCancel(ctx)) //nolint:errcheck // it ends in any case
	var all bool
	if err := conn.QueryRow(ctx, "select rolsuper from pg_roles where rolname = current_user").Scan(&all); err != nil {
		return err
	}
	if all {
		if err := conn.Close(ctx); err != nil {
			return err
		}
		return aside(ctx, address, config, script)
	}
	return within(ctx, conn, func(exec func(string) error) error {
		if err := exec(ClearSQL); err != nil {
			return err
		}
		if err := script(exec, copier(ctx, conn)); err != nil {
			return err
		}
		if err := unaltered(ctx, conn); err != nil {
			return err
		}
		return exec(KeepSQL)
	})
}

// within runs work in a transaction, by SQL as it is written.
func within(ctx context.Context, conn *pgx.Conn, work func(exec func(string) error) error) error {
	exec := func(sql string) error {
		_, err := conn.PgConn().Exec(ctx, sql).ReadAll()
		return err
	}
	if err := exec("begin"); err != nil {
		return err
	}
	if err := work(exec); err != nil {
		conn.PgConn().Exec(context.WithoutCancel(ctx), "rollback").ReadAll() //nolint:errcheck // what failed before is told
		return err
	}
	return exec("commit")
}

func copier(ctx context.Context, conn *pgx.Conn) func(string, io.Reader) error {
	return func(sql string, rows io.Reader) error {
		_, err := conn.PgConn().CopyFrom(ctx, rows, sql)
		return err
	}
}

// aside makes a database beside another and puts it in its place.
func aside(ctx context.Context, address string, config *pgx.ConnConfig, script func(func(string) error, func(string, io.Reader) error) error) (err error) {
	database := config.Database
	restoring := restoringOf(database)
	maintenance := config.Copy()
	maintenance.Database = "postgres"
	if database == "postgres" {
		maintenance.Database = "template1"
	}
	main, err := pgx.ConnectConfig(ctx, maintenance)
	if err != nil {
		return err
	}
	defer main.Close(context.WithoutCancel(ctx)) //nolint:errcheck // it ends in any case
	do := func(ctx context.Context, sql string) error {
		_, err := main.Exec(ctx, sql, pgx.QueryExecModeSimpleProtocol)
		return err
	}
	name, other := pgx.Identifier{database}.Sanitize(), pgx.Identifier{restoring}.Sanitize()
	clear := func(ctx context.Context) error { // also what a restore left that was killed
		if err := do(ctx, "drop database if exists "+other+" with (force)"); err != nil {
			return err
		}
		var there bool
		if err := main.QueryRow(ctx, "select exists (select from pg_roles where rolname = $1)", restoring).Scan(&there); err != nil || !there {
			return err
		}
		return do(ctx, "drop role "+other)
	}
	if err := clear(ctx); err != nil {
		return err
	}
	defer func() { err = errors.Join(err, clear(context.WithoutCancel(ctx))) }()
	password := rand.Text()
	var collate, ctype string
	if err := main.QueryRow(ctx, "select datcollate, datctype from pg_database where datname = $1", database).Scan(&collate, &ctype); err != nil {
		return err
	}
	for _, sql := range []string{
		"create role " + other + " login nosuperuser nocreatedb nocreaterole noreplication nobypassrls password '" + password + "'",
		fmt.Sprintf("create database %s owner %s template template0 encoding 'UTF8' lc_collate '%s' lc_ctype '%s'", other, other, collate, ctype),
	} {
		if err := do(ctx, sql); err != nil {
			return err
		}
	}
	u, err := url.Parse(WithoutPool(address))
	if err != nil {
		return errors.New("the database address cannot be read; expected postgres://USER@HOST/DATABASE")
	}
	u.Path = "/" + restoring
	owned := u.String()
	u.User = url.UserPassword(restoring, password)
	if err := as(ctx, u.String(), func(conn *pgx.Conn) error {
		// The schema public is the database's own there, and made by no dump.
		return within(ctx, conn, func(exec func(string) error) error { return script(exec, copier(ctx, conn)) })
	}); err != nil {
		return err
	}
	if err := as(ctx, owned, func(conn *pgx.Conn) error {
		if err := unaltered(ctx, conn); err != nil {
			return err
		}
		return within(ctx, conn, func(exec func(string) error) error {
			return errors.Join(exec("reassign owned by "+other+" to current_user"), exec(KeepSQL))
		})
	}); err != nil {
		return err
	}
	gone := pgx.Identifier{restoring + "_before"}.Sanitize()
	if err := do(ctx, "drop database if exists "+gone+" with (force)"); err != nil {
		return err
	}
	err = within(ctx, main, func(exec func(string) error) error {
		return errors.Join(exec("alter database "+name+" rename to "+gone), exec("alter database "+other+" rename to "+name),
			exec("alter database "+name+" owner to current_user"))
	})
	if err != nil {
		return err
	}
	return do(ctx, "drop database "+gone+" with (force)")
}

func as(ctx context.Context, address string, work func(conn *pgx.Conn) error) error {
	conn, err := pgx.Connect(ctx, address)
	if err != nil {
		return err
	}
	defer conn.Close(context.WithoutCancel(ctx)) //nolint:errcheck // it ends in any case
	return work(conn)
}

// unaltered refuses a database in which something would be run that this program has not
// written: functions of other text, triggers and rules of other kinds, and defaults or
// conditions that call what they need not.
func unaltered(ctx context.Context, conn *pgx.Conn) error {
	rows, err := conn.Query(ctx, `select 'function ' || proname, prosrc from pg_proc p join pg_namespace n on n.oid = pronamespace
		where nspname !~ '^pg_' and nspname <> 'information_schema'
		union all select 'rule ' || rulename, '' from pg_rewrite r join pg_class c on c.oid = ev_class join pg_namespace n on n.oid = relnamespace
			where nspname !~ '^pg_' and nspname <> 'information_schema' and rulename <> '_RETURN'
		union all select 'policy ' || polname, '' from pg_policy
		union all select 'trigger ' || tgname, '' from pg_trigger where not tgisinternal and tgname not in ('audit_is_kept', 'tell_changed')
		union all select 'view ' || relname, '' from pg_class c join pg_namespace n on n.oid = relnamespace where relkind = 'm' or relkind = 'f'
			or relkind = 'v' and nspname not in ('reporting', 'public', 'information_schema') and nspname !~ '^pg_'
		union all select 'default of ' || c.relname, '' from pg_attrdef d join pg_class c on c.oid = adrelid, lateral pg_get_expr(adbin, adrelid) as text
			where regexp_replace(text, '(now|clock_timestamp)\(\)|nextval\(''[^'']*''::regclass\)', '', 'g') ~ '[a-z0-9_"]\('`)
	if err != nil {
		return err
	}
	type found struct{ What, Text string }
	all, err := pgx.CollectRows(rows, pgx.RowToStructByPos[found])
	if err != nil {
		return err
	}
	written := &strings.Builder{}
	files, err := fs.Glob(Migrations(), "*.sql")
	if err != nil {
		return err
	}
	for _, f := range files {
		text, err := fs.ReadFile(Migrations(), f)
		if err != nil {
			return err
		}
		written.Write(text)
	}
	for _, f := range all {
		if strings.TrimSpace(f.Text) == "" || !strings.Contains(written.String(), f.Text) {
			return fmt.Errorf("the backup holds what this program does not make: the %s", f.What)
		}
	}
	return nil
}
