package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"
)

// Token is a token, of which only the hash is kept.
type Token struct {
	ID                   int64
	Hash                 []byte
	Person, Title, Scope string
	Made, Ends           time.Time
	Used                 *time.Time // to the minute
}

const tokenColumns = "id, hash, person, title, scope, made, ends, used"

// AddToken keeps a token.
func (s *Store) AddToken(ctx context.Context, k Token) error {
	return s.InTx(ctx, 0, func(t *Tx) error {
		_, err := t.tx.Exec(ctx, "insert into tokens (hash, person, title, scope, made, ends) values ($1, $2, $3, $4, $5, $6)", k.Hash, k.Person, k.Title,
			k.Scope, k.Made, k.Ends)
		return err
	})
}

// PersonByToken finds the account that a token belongs to, and notes that it was
// used, to the minute.
func (s *Store) PersonByToken(ctx context.Context, hash []byte, now time.Time) (p Person, k Token, err error) {
	err = s.pool.QueryRow(ctx, "select "+personColumns+
		", id, person, tokens.title, scope, used from people join tokens on person = name where hash = $1 and closed_at is null and ends > $2", hash, now).
		Scan(&p.Name, &p.Title, &p.Role, &p.Password, &p.Desks, &p.Closed, &p.Generation, &k.ID, &k.Person, &k.Title, &k.Scope, &k.Used)
	if err == nil && (k.Used == nil || now.Sub(*k.Used) >= time.Minute) {
		_, err = s.pool.Exec(ctx, "update tokens set used = $2 where hash = $1", hash, now)
	}
	return p, k, notFound(err)
}

// Tokens lists those of a person, or of everybody, that have not ended; the newest
// first.
func (s *Store) Tokens(ctx context.Context, person *string, now time.Time) ([]Token, error) {
	rows, err := s.pool.Query(ctx, "select "+tokenColumns+" from tokens where ends > $2 and ($1::text is null or person = $1) order by id desc", person, now)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Token])
}

// EndToken makes a token void, if it is the person's or that is nil.
func (s *Store) EndToken(ctx context.Context, id int64, person *string) error {
	return s.InTx(ctx, 0, func(t *Tx) error {
		tag, err := t.tx.Exec(ctx, "delete from tokens where id = $1 and ($2::text is null or person = $2)", id, person)
		if err == nil && tag.RowsAffected() == 0 {
			err = ErrNotFound
		}
		return err
	})
}
