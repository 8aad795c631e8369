package store

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"strconv"
	"strings"

	"github.com/jackc/pgx/v5"
)

// Mark is how far something has come: its last number.
type Mark struct {
	Of   string `json:"of"`
	Last int64  `json:"last"`
}

// ownTables are those of the schema public; feeds have a schema of their own.
var ownTables = []string{"absences", "audit", "case_copies", "case_events", "case_files", "case_steps", "case_todos", "cases", "clock", "closings",
	"confirmed",
	"data_issues", "drafts", "exceptions", "goose_db_version", "intakes", "known_browsers", "locks", "notices", "past_exceptions", "snoozes", "people",
	"registers", "revisions", "sessions", "subjects", "sweeps", "swept_figures", "targets", "tokens", "views"}

// ClearSQL drops all that the service keeps, and nothing else.
var ClearSQL = fmt.Sprintf("drop table if exists %s cascade;\ndrop function if exists audit_is_kept, tell_changed cascade;\ndrop schema if exists "+
	"feeds, feed_months, reporting, %s cascade;\n", strings.Join(ownTables, ", "), QueueSchema)

// KeepSQL takes back from the owner what a dump without privileges has given again, and
// gives again what it has lost.
const KeepSQL = `
do $$ begin
	if to_regclass('public.audit') is not null then revoke update, delete, truncate on public.audit from current_user; end if;
	if to_regnamespace('reporting') is not null and exists (select from pg_roles where rolname = 'oskel_reading') then
		grant usage on schema reporting to oskel_reading;
		grant select on all tables in schema reporting to oskel_reading;
	end if;
	-- What has been revoked since must not come back: all sign in again, and it is told why.
	if to_regclass('public.sessions') is not null then delete from public.sessions; end if;
	if to_regclass('public.tokens') is not null then delete from public.tokens; end if;
	-- What the clock said then is no leap.
	if to_regclass('public.clock') is not null then delete from public.clock; end if;
	if to_regclass('public.audit') is not null then
		insert into public.audit (person, way, address, request, operation, about, outcome) values ('', 'command line', '', '', 'Restore',
			'a backup took the place of all that was kept; sessions and tokens ended', 'done');
	end if;
end $$;
`

// marked are the tables by which it is told what is newer, with their numbers.
var marked = []struct{ of, table, number string }{{"revisions", "revisions", "number"}, {"intakes", "intakes", "id"}, {"sweeps", "sweeps", "id"},
	{"entries in the trails of cases", "case_events", "id"}, {"entries of the audit", "audit", "id"}}

func marks(ctx context.Context, q querier) (out []Mark, err error) {
	for _, m := range marked {
		var there bool
		if err := q.QueryRow(ctx, "select to_regclass('public.' || $1) is not null", m.table).Scan(&there); err != nil {
			return nil, err
		}
		mark := Mark{Of: m.of}
		if there {
			if err := q.QueryRow(ctx, fmt.Sprintf("select coalesce(max(%s), 0) from public.%s", m.number, m.table)).Scan(&mark.Last); err != nil {
				return nil, err
			}
		}
		out = append(out, mark)
	}
	return out, nil
}

// Frozen runs work beside a moment of the database that others can read too, by the
// name of its snapshot.
func (s *Store) Frozen(ctx context.Context, work func(snapshot string, schema int64, marks []Mark) error) error {
	return pgx.BeginTxFunc(ctx, s.pool, pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly}, func(tx pgx.Tx) error {
		var snapshot string
		var schema int64
		if err := tx.QueryRow(ctx, "select pg_export_snapshot(), (select max(version_id) from goose_db_version where is_applied)").Scan(&snapshot,
			&schema); err != nil {
			return err
		}
		all, err := marks(ctx, tx)
		if err != nil {
			return err
		}
		return work(snapshot, schema, all)
	})
}

// ErrInUse says that a service works on a database.
var ErrInUse = errors.New("a service works on this database; stop it first")

// applicationName is by which a service's connections are known to others.
const applicationName = "oskel"

// MarksOf says how far a database has come that no service works on.
func MarksOf(ctx context.Context, url string) ([]Mark, error) {
	config, err := pgx.ParseConfig(WithoutPool(url))
	if err != nil {
		return nil, fmt.Errorf("the database address cannot be read: %w", err)
	}
	conn, err := pgx.ConnectConfig(ctx, config)
	if err != nil {
		return nil, fmt.Errorf("the database does not answer; is it running, and is the address right? %w", err)
	}
	defer conn.Close(ctx) //nolint:errcheck // it was only read
	var used bool
	if err := conn.QueryRow(ctx, "select exists (select from pg_stat_activity where datname = current_database() and application_name = $1)",
		applicationName).Scan(&used); err != nil {
		return nil, err
	}
	if used {
		return nil, ErrInUse
	}
	return marks(ctx, conn)
}

// WithoutPool leaves out of an address what is for the pool alone.
func WithoutPool(address string) string {
	u, err := url.Parse(address)
	if err != nil {
		return address
	}
	query := u.Query()
	for name := range query {
		if strings.HasPrefix(name, "pool_") {
			query.Del(name)
		}
	}
	u.RawQuery = query.Encode()
	return u.String()
}

// NewestSchema is the last step of the tables that this program knows.
func NewestSchema() (last int64) {
	files, err := fs.Glob(Migrations(), "*.sql")
	if err != nil {
		panic(err) // the pattern is right
	}
	for _, f := range files {
		number, _, _ := strings.Cut(f, "_")
		if n, err := strconv.ParseInt(number, 10, 64); err == nil {
			last = max(last, n)
		}
	}
	return last
}
