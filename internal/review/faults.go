package review

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"oskel/core/casework"
	"oskel/core/rulebook"
	"oskel/internal/store"
)

// faults notes the faults of the data that cases were settled for, in the feed that was
// said or in all that the rules of its faulty flags read, and tells who answers for these.
func (s *Service) faults(ctx context.Context, tx *store.Tx, book *rulebook.Book, ids []int64, act casework.Action, by string) error {
	var news []store.NewNotice
	for _, id := range ids {
		feeds := []string{}
		if act.Feed != "" {
			feeds = append(feeds, act.Feed)
		} else {
			rules, err := tx.FaultyRules(ctx, id)
			if err != nil {
				return err
			}
			for _, f := range book.Feeds {
				if slices.ContainsFunc(rules, func(name string) bool {
					r := book.Rule(name)
					return r != nil && slices.Contains(book.FeedsRead(r), f.Name)
				}) {
					feeds = append(feeds, f.Name)
				}
			}
		}
		if err := tx.AddFault(ctx, id, feeds, act.Text, by); err != nil {
			return err
		}
		for _, name := range feeds {
			if f := book.Feed(name); f != nil && f.Owner != "" {
				news = append(news, store.NewNotice{Person: f.Owner, Case: id, What: casework.DataIssue, Text: strings.TrimSuffix(f.Title+": "+act.Text, ": "), Author: by})
			}
		}
	}
	return tx.Tell(ctx, news)
}

// Faults lists faults of the data that are not mended, or with ended all: of some feeds,
// nil being all.
func (s *Service) Faults(ctx context.Context, feeds []string, ended bool, skip int) ([]store.Fault, error) {
	return s.store.Faults(ctx, feeds, ended, skip)
}

// EndFault says that a fault is mended, or is none: who answers for one of its feeds,
// analysts and leads do.
func (s *Service) EndFault(ctx context.Context, id int64, text string, by store.Person) error {
	return s.store.InTx(ctx, 0, func(tx *store.Tx) error {
		f, err := tx.LockFault(ctx, id)
		if err != nil {
			return err
		}
		book, err := s.published(ctx, tx)
		if err != nil {
			return err
		}
		p := personOf(by)
		owns := slices.ContainsFunc(f.Feeds, func(name string) bool {
			feed := book.Feed(name)
			return feed != nil && feed.Owner == by.Name
		})
		if !p.Lead && !p.Defines && !owns {
			return fmt.Errorf("%w: only the owners of its feeds, analysts and leads may close it", ErrState)
		}
		if err := tx.EndFault(ctx, id, by.Name, text); err != nil {
			return err
		}
		if err := tx.Tell(ctx, []store.NewNotice{{Person: f.Author, Case: f.Case, What: casework.IssueFixed, Text: text, Author: by.Name}}); err != nil {
			return err
		}
		return tx.AddCaseEvent(ctx, f.Case, by.Name, casework.IssueFixed, text)
	})
}
