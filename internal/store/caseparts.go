package store

import (
	"context"
	"io"
	"time"

	"github.com/jackc/pgx/v5"

	"oskel/core/calendar"
)

// CaseFile is what is attached to a case, without its content.
type CaseFile struct {
	ID     int64
	Name   string
	Media  string
	Size   int
	Author string
	At     time.Time
}

const caseFileSelect = "select id, name, media, size, author, at from case_files where dropped_at is null and "

// CountFiles counts what is attached to a case.
func (t *Tx) CountFiles(ctx context.Context, id int64) (n int, err error) {
	err = t.tx.QueryRow(ctx, "select count(*) from case_files where case_id = $1 and dropped_at is null", id).Scan(&n)
	return n, err
}

// AddFile attaches a file to a case, and numbers it.
func (t *Tx) AddFile(ctx context.Context, id int64, f *CaseFile, content []byte) error {
	return t.tx.QueryRow(ctx, "insert into case_files (case_id, name, media, size, sha256, content, author) values ($1, $2, $3, $4, sha256($5::bytea), "+
		"$5, $6) returning id, at",
		id, f.Name, f.Media, len(content), content, f.Author).Scan(&f.ID, &f.At)
}

// File is one that is attached to a case; its content is read piece by piece, and ends
// early where the file is dropped meanwhile.
func (s *Store) File(ctx context.Context, of, id int64) (f CaseFile, content io.Reader, err error) {
	rows, err := s.pool.Query(ctx, caseFileSelect+"case_id = $1 and id = $2", of, id)
	if err == nil {
		f, err = pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[CaseFile])
	}
	return f, &filePieces{ctx: ctx, from: s, id: id}, notFound(err)
}

// filePiece is how much of a file is read at once.
const filePiece = 256 << 10

// filePieces reads the content of a file.
type filePieces struct {
	ctx  context.Context
	from *Store
	id   int64
	at   int
	held []byte
}

// Read implements io.Reader.
func (p *filePieces) Read(b []byte) (int, error) {
	if len(p.held) == 0 {
		err := p.from.pool.QueryRow(p.ctx, "select substring(content from $2 for $3) from case_files where id = $1 and dropped_at is null", p.id, p.at+1,
			filePiece).Scan(&p.held)
		if err != nil {
			return 0, err
		}
		p.at += len(p.held)
		if len(p.held) == 0 {
			return 0, io.EOF
		}
	}
	n := copy(b, p.held)
	p.held = p.held[n:]
	return n, nil
}

// FileOf is one that is attached to a case, without its content.
func (t *Tx) FileOf(ctx context.Context, of, id int64) (f CaseFile, err error) {
	rows, err := t.tx.Query(ctx, caseFileSelect+"case_id = $1 and id = $2", of, id)
	if err == nil {
		f, err = pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[CaseFile])
	}
	return f, notFound(err)
}

// DropFile takes a file away; that it was there stays known.
func (t *Tx) DropFile(ctx context.Context, id int64, by string) error {
	_, err := t.tx.Exec(ctx, "update case_files set content = null, dropped_at = now(), dropped_by = $2 where id = $1", id, by)
	return err
}

// Todo is what somebody is to do about a case.
type Todo struct {
	ID     int64
	Case   int64
	Text   string
	Owner  string
	Due    calendar.Day
	Author string
	At     time.Time
	DoneAt *time.Time
	DoneBy *string
	Name   string // of whom the case is about
	Desk   string // of the case
}

const todoSelect = "select t.id, t.case_id, t.text, t.owner, t.due, t.author, t.at, t.done_at, t.done_by, c.name, c.desk from case_todos t join " +
	"cases c on c.id = t.case_id "

func scanTodos(rows pgx.Rows, err error) ([]Todo, error) {
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (t Todo, err error) {
		var due time.Time
		err = row.Scan(&t.ID, &t.Case, &t.Text, &t.Owner, &due, &t.Author, &t.At, &t.DoneAt, &t.DoneBy, &t.Name, &t.Desk)
		t.Due = *dayOf(&due)
		return t, err
	})
}

// MostTodos is how many to-dos are listed at once.
const MostTodos = 500

// Todos lists what is not done of somebody's, or with "" of everybody's, the first due
// first.
func (s *Store) Todos(ctx context.Context, owner string, skip int) ([]Todo, error) {
	return scanTodos(s.pool.Query(ctx, todoSelect+"where t.done_at is null and ($1 = '' or t.owner = $1) order by t.due, t.id limit $2 offset $3", owner,
		MostTodos, skip))
}

// CountTodos counts those of a case that are not done.
func (t *Tx) CountTodos(ctx context.Context, id int64) (n int, err error) {
	err = t.tx.QueryRow(ctx, "select count(*) from case_todos where case_id = $1 and done_at is null", id).Scan(&n)
	return n, err
}

// AddTodo adds one to a case, and numbers it.
func (t *Tx) AddTodo(ctx context.Context, d *Todo) error {
	return t.tx.QueryRow(ctx, "insert into case_todos (case_id, text, owner, due, author) values ($1, $2, $3, $4, $5) returning id, at", d.Case, d.Text,
		d.Owner, d.Due.Time(), d.Author).Scan(&d.ID, &d.At)
}

// LockTodo finds one and holds it to the end of the transaction.
func (t *Tx) LockTodo(ctx context.Context, id int64) (Todo, error) {
	all, err := scanTodos(t.tx.Query(ctx, todoSelect+"where t.id = $1 for update of t", id))
	if err == nil && len(all) == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return Todo{}, err
	}
	return all[0], nil
}

// UpdateTodo notes by whom one is done; with "" that it is not.
func (t *Tx) UpdateTodo(ctx context.Context, id int64, by string) error {
	_, err := t.tx.Exec(ctx, "update case_todos set done_at = case when $2 = '' then null else now() end, done_by = nullif($2, '') where id = $1", id, by)
	return err
}

// RemoveTodo takes one away.
func (t *Tx) RemoveTodo(ctx context.Context, id int64) error {
	_, err := t.tx.Exec(ctx, "delete from case_todos where id = $1", id)
	return err
}

// LastEvent is what is last in the trail of a case.
func (t *Tx) LastEvent(ctx context.Context, id int64) (e CaseEvent, err error) {
	rows, err := t.tx.Query(ctx, "select at, author, what, text from case_events where case_id = $1 order by id desc limit 1", id)
	if err != nil {
		return e, err
	}
	e, err = pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[CaseEvent])
	return e, notFound(err)
}
