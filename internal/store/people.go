package store

import (
	"context"
	"errors"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"
)

// Person is an account. Password is the encoded hash, never the password.
type Person struct {
	Name, Title, Role, Password string
	Desks                       []string
	Closed                      bool
	Generation                  int // counts changes of the password
}

const personColumns = "people.name, people.title, role, password, desks, closed_at is not null, generation"

// ErrTaken says that a name is already in use.
var ErrTaken = errors.New("the name is taken")

// AddPerson adds an account, with a password or a one-time password.
func (s *Store) AddPerson(ctx context.Context, p Person, word *string, wordEnds *time.Time) error {
	if p.Desks == nil {
		p.Desks = []string{}
	}
	return s.InTx(ctx, 0, func(t *Tx) error {
		_, err := t.tx.Exec(ctx, "insert into people (name, title, role, password, desks, word, word_ends) values ($1, $2, $3, $4, $5, $6, $7)", p.Name,
			p.Title, p.Role, p.Password, p.Desks, word, wordEnds)
		if duplicate(err) {
			return ErrTaken
		}
		return err
	})
}

// People lists all accounts by name, closed ones too.
func (s *Store) People(ctx context.Context) ([]Person, error) {
	rows, err := s.pool.Query(ctx, "select "+personColumns+" from people order by name")
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Person])
}

// Person finds an account by name, if it is not closed.
func (s *Store) Person(ctx context.Context, name string) (Person, error) {
	return s.onePerson(ctx, "select "+personColumns+" from people where name = $1 and closed_at is null", name)
}

func (s *Store) onePerson(ctx context.Context, sql string, args ...any) (Person, error) {
	rows, err := s.pool.Query(ctx, sql, args...)
	if err != nil {
		return Person{}, err
	}
	p, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[Person])
	return p, notFound(err)
}

const endTokens = "delete from tokens where person = $1"

// SetPassword gives an account another password, in a new generation, and ends
// its tokens. A one-time password is worth nothing any more.
func (s *Store) SetPassword(ctx context.Context, name, hashed string) error {
	return s.credentials(ctx, "update people set password = $2, word = null, word_ends = null, generation = generation + 1 where name = $1 and "+
		"closed_at is null", name, hashed)
}

// SetWord gives an account a one-time password in place of its password, in a new
// generation, and ends its tokens.
func (s *Store) SetWord(ctx context.Context, name, hashed string, ends time.Time) error {
	return s.credentials(ctx,
		"update people set password = '', word = $2, word_ends = $3, generation = generation + 1 where name = $1 and closed_at is null", name, hashed, ends)
}

// UseOneTimePassword puts a password in the place of a one-time password, if it is still there.
func (s *Store) UseOneTimePassword(ctx context.Context, name, word, hashed string) error {
	return s.credentials(ctx, "update people set password = $3, word = null, word_ends = null, generation = generation + 1 where name = $1 and word = "+
		"$2 and closed_at is null", name, word, hashed)
}

// credentials changes those of one account and ends its tokens.
func (s *Store) credentials(ctx context.Context, sql string, args ...any) error {
	return s.InTx(ctx, 0, func(t *Tx) error {
		tag, err := t.tx.Exec(ctx, sql, args...)
		if err == nil && tag.RowsAffected() == 0 {
			err = ErrNotFound
		}
		if err != nil {
			return err
		}
		for _, sql := range []string{endTokens, "delete from known_browsers where person = $1"} {
			if _, err := t.tx.Exec(ctx, sql, args[0]); err != nil {
				return err
			}
		}
		return nil
	})
}

// OneTimePassword is the hashed one-time password of an account that is not closed, or "".
func (s *Store) OneTimePassword(ctx context.Context, name string, now time.Time) (word string, err error) {
	err = s.pool.QueryRow(ctx, "select word from people where name = $1 and closed_at is null and word_ends > $2", name, now).Scan(&word)
	if errors.Is(err, pgx.ErrNoRows) {
		err = nil
	}
	return word, err
}

// ChangePerson changes title, role and desks of an account, if allowed says so
// of the other open ones.
func (s *Store) ChangePerson(ctx context.Context, p Person, allowed func(others []Person) error) error {
	return s.InTx(ctx, LockPeople, func(t *Tx) error {
		if err := t.othersAllow(ctx, p.Name, allowed); err != nil {
			return err
		}
		_, err := t.tx.Exec(ctx, "update people set title = $2, role = $3, desks = $4 where name = $1", p.Name, p.Title, p.Role, p.Desks)
		return err
	})
}

// ClosePerson closes an account, if allowed says so of the other open ones. Its
// tokens end, and what it had taken is open again.
func (s *Store) ClosePerson(ctx context.Context, name, by string, allowed func(others []Person) error) error {
	return s.InTx(ctx, LockPeople, func(t *Tx) error {
		if err := t.othersAllow(ctx, name, allowed); err != nil {
			return err
		}
		for _, sql := range []string{
			"update people set closed_at = now() where name = $1",
			endTokens,
		} {
			if _, err := t.tx.Exec(ctx, sql, name); err != nil {
				return err
			}
		}
		_, err := t.tx.Exec(ctx, `with freed as (update cases set state = case state when 'taken' then 'open' else state end, taken_by = null, undo = null,
			version = version + 1 where taken_by = $1 and state in ('taken', 'parked') returning id)
			insert into case_events (case_id, author, what, text) select id, $2, 'released', 'The account of ' || $1 || ' was closed' from freed`, name, by)
		return err
	})
}

// othersAllow holds the accounts and asks of the open ones but one, which must
// be there.
func (t *Tx) othersAllow(ctx context.Context, name string, allowed func(others []Person) error) error {
	rows, err := t.tx.Query(ctx, "select "+personColumns+" from people where closed_at is null for update")
	if err != nil {
		return err
	}
	all, err := pgx.CollectRows(rows, pgx.RowToStructByPos[Person])
	if err != nil {
		return err
	}
	others := slices.DeleteFunc(all, func(p Person) bool { return p.Name == name })
	if len(others) == len(all) {
		return ErrNotFound
	}
	return allowed(others)
}

// AddBrowser remembers that somebody signed in from a browser.
func (s *Store) AddBrowser(ctx context.Context, hash []byte, person string) error {
	_, err := s.pool.Exec(ctx, "insert into known_browsers (hash, person) values ($1, $2)", hash, person)
	return err
}

// KnowsBrowser says whether a person has signed in from a browser.
func (s *Store) KnowsBrowser(ctx context.Context, hash []byte, person string) (known bool, err error) {
	err = s.pool.QueryRow(ctx, "select exists (select from known_browsers where hash = $1 and person = $2)", hash, person).Scan(&known)
	return known, err
}

// DropEnded clears away sessions and tokens that have ended, and browsers and notices
// that are a year old.
func (s *Store) DropEnded(ctx context.Context) error {
	for _, sql := range []string{
		"delete from sessions where expiry < now()",
		"delete from tokens where ends < now() - interval '1 day'",
		"delete from known_browsers where at < now() - interval '1 year'",
		"delete from notices where seen_at < now() - interval '1 year'",
	} {
		if _, err := s.pool.Exec(ctx, sql); err != nil {
			return err
		}
	}
	return nil
}
