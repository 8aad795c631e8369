package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"
)

// AuditEntry is something that was done, or was tried.
type AuditEntry struct {
	ID      int64
	At      time.Time
	Person  string // who, as they gave their name
	Way     string // session, or the name of a token
	Address string
	Request string // its id

	Operation, About string
	Outcome          string // "done", or why not
}

// Audited is an entry that is to be written with what it tells of.
type Audited struct {
	AuditEntry
	Written bool
}

// AuditKey is under which a context holds the *Audited of its work: the transaction
// that does the work writes the entry too, so that neither is without the other.
const AuditKey = "oskel.audited"

// Done is the outcome of what was done; any other tells of what was tried in vain.
const Done = "done"

// writeAudit writes the entry of a context's work, if it has one, in its transaction.
func (t *Tx) writeAudit(ctx context.Context) (*Audited, error) {
	a, _ := ctx.Value(AuditKey).(*Audited)
	if a == nil || a.Written {
		return nil, nil
	}
	a.Outcome = Done
	return a, insertAudit(ctx, t.tx, a.AuditEntry)
}

func insertAudit(ctx context.Context, q querier, e AuditEntry) error {
	_, err := q.Exec(ctx, "insert into audit (person, way, address, request, operation, about, outcome) values ($1, $2, $3, $4, $5, $6, $7)", e.Person,
		e.Way, e.Address, e.Request, e.Operation, e.About, e.Outcome)
	return err
}

// AddAudit writes an entry of what had no transaction.
func (s *Store) AddAudit(ctx context.Context, e AuditEntry) error {
	return insertAudit(ctx, s.pool, e)
}

// AuditAsk says which entries are asked for; what is zero asks for all.
type AuditAsk struct {
	Person    string
	Operation string
	Once      []string // other names that the operation had, whose entries count too
	Before    int64
	Most      int
}

// Audit lists entries, the newest first.
func (s *Store) Audit(ctx context.Context, ask AuditAsk) ([]AuditEntry, error) {
	rows, err := s.pool.Query(ctx, `select id, at, person, way, address, request, operation, about, outcome from audit
		where ($1 = '' or person = $1) and ($2 = '' or operation = $2 or operation = any($5)) and ($3::bigint = 0 or id < $3) order by id desc limit $4`,
		ask.Person, ask.Operation, ask.Before, ask.Most, ask.Once)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[AuditEntry])
}
