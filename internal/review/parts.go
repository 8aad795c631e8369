package review

import (
	"context"
	"fmt"
	"io"

	"oskel/core/casework"
	"oskel/internal/store"
)

// Attach attaches a file to a case.
func (s *Service) Attach(ctx context.Context, id int64, name string, content []byte, by store.Person) (store.CaseFile, error) {
	f := store.CaseFile{Author: by.Name, Size: len(content)}
	err := s.onCase(ctx, id, by, func(tx *store.Tx, _ casework.Context, c *store.Case, p casework.Person) error {
		err := mayAttach(ctx, tx, c, p)
		if err != nil {
			return err
		}
		if f.Name, f.Media, err = casework.CheckFile(name, content); err != nil {
			return err
		}
		if err := tx.AddFile(ctx, id, &f, content); err != nil {
			return err
		}
		return tx.AddCaseEvent(ctx, id, by.Name, casework.FileAttached, f.Name)
	})
	return f, err
}

// MayAttach says whether somebody may attach a file to a case.
func (s *Service) MayAttach(ctx context.Context, id int64, by store.Person) error {
	return s.onCase(ctx, id, by, func(tx *store.Tx, _ casework.Context, c *store.Case, p casework.Person) error {
		return mayAttach(ctx, tx, c, p)
	})
}

func mayAttach(ctx context.Context, tx *store.Tx, c *store.Case, p casework.Person) error {
	if !casework.MaySay(&c.Case, p) {
		return ErrNotYours
	}
	n, err := tx.CountFiles(ctx, c.ID)
	if err == nil && n >= casework.MostFiles {
		err = fmt.Errorf("%w: it already has %d files", ErrState, n)
	}
	return err
}

// File is one that is attached to a case; its content is read from the database as it is
// asked for.
func (s *Service) File(ctx context.Context, of, id int64) (store.CaseFile, io.Reader, error) {
	return s.store.File(ctx, of, id)
}

// DropFile takes a file away: who attached it does, and leads.
func (s *Service) DropFile(ctx context.Context, of, id int64, by store.Person) error {
	return s.onCase(ctx, of, by, func(tx *store.Tx, _ casework.Context, _ *store.Case, p casework.Person) error {
		f, err := tx.FileOf(ctx, of, id)
		switch {
		case err != nil:
			return err
		case f.Author != by.Name && !p.Lead:
			return fmt.Errorf("%w: only %s or a lead may remove it", ErrState, f.Author)
		}
		if err := tx.DropFile(ctx, id, by.Name); err != nil {
			return err
		}
		return tx.AddCaseEvent(ctx, of, by.Name, casework.FileRemoved, f.Name)
	})
}

// AddTodo adds what somebody is to do about a case by a day.
func (s *Service) AddTodo(ctx context.Context, id int64, t casework.Todo, by store.Person) (store.Todo, error) {
	out := store.Todo{Case: id, Author: by.Name}
	err := s.onCase(ctx, id, by, func(tx *store.Tx, scene casework.Context, c *store.Case, p casework.Person) error {
		if t.Owner == "" {
			t.Owner = by.Name
		}
		if err := scene.CheckTodo(&c.Case, p, &t); err != nil {
			return err
		}
		n, err := tx.CountTodos(ctx, id)
		switch {
		case err != nil:
			return err
		case n >= casework.MostTodos:
			return fmt.Errorf("%w: it has %d open to-dos", ErrState, n)
		}
		out.Text, out.Owner, out.Due, out.Name, out.Desk = t.Text, t.Owner, t.Due, c.Name, c.Desk
		if err := tx.AddTodo(ctx, &out); err != nil {
			return err
		}
		if err := tx.Tell(ctx, []store.NewNotice{{Person: t.Owner, Case: id, What: casework.TodoAdded, Text: t.Text + ", by " + t.Due.Words(),
			Author: by.Name}}); err != nil {
			return err
		}
		return tx.AddCaseEvent(ctx, id, by.Name, casework.TodoAdded, fmt.Sprintf("%s: %s, by %s", t.Owner, t.Text, t.Due.Words()))
	})
	return out, err
}

// Tick says that a to-do is done, or is not.
func (s *Service) Tick(ctx context.Context, id int64, done bool, by store.Person) (out store.Todo, err error) {
	return out, s.onTodo(ctx, id, by, func(tx *store.Tx, t store.Todo) error {
		ticker, what := "", casework.TodoReopened
		if done {
			ticker, what = by.Name, casework.TodoDone
		}
		if done != (t.DoneAt == nil) { // it is so already
			out = t
			return nil
		}
		if err := tx.UpdateTodo(ctx, id, ticker); err != nil {
			return err
		}
		if out, err = tx.LockTodo(ctx, id); err != nil {
			return err
		}
		if err := tx.Tell(ctx, []store.NewNotice{{Person: t.Author, Case: t.Case, What: what, Text: t.Text, Author: by.Name}}); err != nil {
			return err
		}
		return tx.AddCaseEvent(ctx, t.Case, by.Name, what, t.Text)
	})
}

// RemoveTodo takes a to-do away.
func (s *Service) RemoveTodo(ctx context.Context, id int64, by store.Person) error {
	return s.onTodo(ctx, id, by, func(tx *store.Tx, t store.Todo) error {
		if err := tx.RemoveTodo(ctx, id); err != nil {
			return err
		}
		return tx.AddCaseEvent(ctx, t.Case, by.Name, casework.TodoRemoved, t.Text)
	})
}

// Todos lists what is not done of somebody's, or with "" of everybody's.
func (s *Service) Todos(ctx context.Context, owner string, skip int) ([]store.Todo, error) {
	return s.store.Todos(ctx, owner, skip)
}

// onCase does something beside a case, which is held meanwhile.
func (s *Service) onCase(ctx context.Context, id int64, by store.Person, do func(*store.Tx, casework.Context, *store.Case, casework.Person) error) error {
	return s.store.InTx(ctx, 0, func(tx *store.Tx) error {
		scene, err := s.scene(ctx, tx, casework.Action{Kind: "hand over"})
		if err != nil {
			return err
		}
		c, err := tx.LockCase(ctx, id)
		if err != nil {
			return err
		}
		named, err := tx.NamedIn(ctx, by.Name, []int64{id})
		if err != nil {
			return err
		}
		p := personOf(by)
		p.Named = named[id]
		return do(tx, scene, &c, p)
	})
}

func (s *Service) onTodo(ctx context.Context, id int64, by store.Person, do func(*store.Tx, store.Todo) error) error {
	return s.store.InTx(ctx, 0, func(tx *store.Tx) error {
		t, err := tx.LockTodo(ctx, id)
		if err != nil {
			return err
		}
		if !casework.MayTick(personOf(by), t.Owner, t.Author, t.Desk) {
			return ErrNotYours
		}
		return do(tx, t)
	})
}
