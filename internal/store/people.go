package store

import (
	"context"
	"errors"

	"github.com/jackc/pgx/v5"
)

// Person is an account. Password is the encoded hash, never the password.
type Person struct {
	Name, Title, Role, Password string
	Desks                       []string
}

// ErrTaken says that a name is already in use.
var ErrTaken = errors.New("the name is taken")

// AddPerson adds an account.
func (s *Store) AddPerson(ctx context.Context, p Person) error {
	if p.Desks == nil {
		p.Desks = []string{}
	}
	_, err := s.pool.Exec(ctx, "insert into people (name, title, role, password, desks) values ($1, $2, $3, $4, $5)", p.Name, p.Title, p.Role, p.Password, p.Desks)
	if duplicate(err) {
		return ErrTaken
	}
	return err
}

// People lists all accounts by name.
func (s *Store) People(ctx context.Context) ([]Person, error) {
	rows, err := s.pool.Query(ctx, "select name, title, role, password, desks from people order by name")
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Person])
}

// Person finds an account by name.
func (s *Store) Person(ctx context.Context, name string) (Person, error) {
	return s.onePerson(ctx, "select name, title, role, password, desks from people where name = $1", name)
}

// PersonByToken finds the account a token's hash belongs to.
func (s *Store) PersonByToken(ctx context.Context, hash []byte) (Person, error) {
	return s.onePerson(ctx, "select name, title, role, password, desks from people join tokens on person = name where hash = $1", hash)
}

func (s *Store) onePerson(ctx context.Context, sql string, arg any) (Person, error) {
	rows, err := s.pool.Query(ctx, sql, arg)
	if err != nil {
		return Person{}, err
	}
	p, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[Person])
	return p, notFound(err)
}

// AddToken keeps a token's hash.
func (s *Store) AddToken(ctx context.Context, hash []byte, person string) error {
	_, err := s.pool.Exec(ctx, "insert into tokens (hash, person) values ($1, $2)", hash, person)
	return err
}

// DeleteToken makes a token void.
func (s *Store) DeleteToken(ctx context.Context, hash []byte) error {
	_, err := s.pool.Exec(ctx, "delete from tokens where hash = $1", hash)
	return err
}

// DropExpiredSessions clears away sessions that have ended.
func (s *Store) DropExpiredSessions(ctx context.Context) error {
	_, err := s.pool.Exec(ctx, "delete from sessions where expiry < now()")
	return err
}
