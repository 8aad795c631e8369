package store

import (
	"context"
	"oskel/core/casework"
	"time"

	"github.com/jackc/pgx/v5"
)

// Notice is what somebody is told of a case.
type Notice struct {
	ID     int64
	Case   int64
	What   casework.EventKind
	Text   string
	Author string
	At     time.Time
	SeenAt *time.Time
	Name   string // of whom the case is about
}

// NewNotice is one that is told.
type NewNotice struct {
	Person string
	Case   int64
	What   casework.EventKind
	Text   string
	Author string
}

// Tell tells people of cases: nobody of what they did themselves, and nobody twice of the same.
func (t *Tx) Tell(ctx context.Context, all []NewNotice) error {
	told := map[NewNotice]bool{}
	b := &pgx.Batch{}
	for _, n := range all {
		if n.Person == n.Author || told[n] {
			continue
		}
		told[n] = true
		b.Queue("insert into notices (person, case_id, what, text, author) select name, $2, $3, $4, $5 from people where name = $1 and closed_at is null",
			n.Person, n.Case, n.What, n.Text, n.Author)
	}
	if b.Len() == 0 {
		return nil
	}
	return t.tx.SendBatch(ctx, b).Close()
}

// Untell takes back what somebody's doing with some cases has told others in the last
// minute, and nobody has seen.
func (t *Tx) Untell(ctx context.Context, cases []int64, author string) error {
	_, err := t.tx.Exec(ctx, "delete from notices where case_id = any($1) and author = $2 and at > now() - interval '1 minute' and seen_at is null and "+
		"what <> 'mentioned'", cases, author)
	return err
}

// MostNotices is how many notices are listed at once, and are kept of one person's seen.
const MostNotices = 200

// Notices lists what somebody was told last, the newest first, and how much of all they
// have not seen.
func (s *Store) Notices(ctx context.Context, person string, unseen bool, skip int) (all []Notice, news int, err error) {
	rows, err := s.pool.Query(ctx, `select n.id, n.case_id, n.what, n.text, n.author, n.at, n.seen_at, c.name from notices n join cases c on c.id = n.case_id
		where n.person = $1 and (n.seen_at is null or not $2) order by n.id desc limit $3 offset $4`, person, unseen, MostNotices, skip)
	if err != nil {
		return nil, 0, err
	}
	if all, err = pgx.CollectRows(rows, pgx.RowToStructByPos[Notice]); err != nil {
		return nil, 0, err
	}
	err = s.pool.QueryRow(ctx, "select count(*) from notices where person = $1 and seen_at is null", person).Scan(&news)
	return all, news, err
}

// MarkNotificationsRead notes that somebody has seen what they were told up to a number, of a case
// or with 0 of all.
func (s *Store) MarkNotificationsRead(ctx context.Context, person string, upTo, of int64) error {
	_, err := s.pool.Exec(ctx,
		"update notices set seen_at = now() where person = $1 and id <= $2 and ($3::bigint = 0 or case_id = $3) and seen_at is null", person, upTo, of)
	return err
}

// NamedIn says in which of some cases somebody was named, or asked.
func (t *Tx) NamedIn(ctx context.Context, person string, cases []int64) (map[int64]bool, error) {
	rows, err := t.tx.Query(ctx, "select distinct case_id from notices where person = $1 and case_id = any($2) and what = 'mentioned'", person, cases)
	if err != nil {
		return nil, err
	}
	ids, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	out := map[int64]bool{}
	for _, id := range ids {
		out[id] = true
	}
	return out, err
}

// LastAsker is who asked last about a case; "" is nobody.
func (t *Tx) LastAsker(ctx context.Context, id int64) (name string, err error) {
	err = t.tx.QueryRow(ctx, "select coalesce((select author from case_events where case_id = $1 and what = 'asked' order by id desc limit 1), '')",
		id).Scan(&name)
	return name, err
}
