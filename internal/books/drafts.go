package books

import (
	"context"
	"errors"
	"strings"

	"github.com/pmezard/go-difflib/difflib"

	"oskel/core/method"
	"oskel/core/rulebook"
	"oskel/internal/store"
)

// Draft is a person's own draft, or the published text where there is none.
func (s *Service) Draft(ctx context.Context, person string) (store.Draft, error) {
	d, err := s.store.Draft(ctx, person)
	if !errors.Is(err, store.ErrNotFound) {
		return d, err
	}
	r, err := s.store.LatestRevision(ctx)
	if errors.Is(err, store.ErrNotFound) {
		err = nil
	}
	return store.Draft{Person: person, Text: r.Text, BasedOn: r.Number}, err
}

// KeepDraft keeps a draft that was read at a version, or says store.ErrChanged.
func (s *Service) KeepDraft(ctx context.Context, d store.Draft) (store.Draft, error) {
	return s.store.PutDraft(ctx, d)
}

// DiscardDraft drops a person's draft.
func (s *Service) DiscardDraft(ctx context.Context, person string) error {
	return s.store.DeleteDraft(ctx, person)
}

// Compared is the difference of two texts, in words and line by line.
type Compared struct {
	Words []string
	Text  string // a unified difference
}

// Compare says how one text differs from another.
func Compare(from, to, fromName, toName string) (Compared, error) {
	a, _ := rulebook.Reread([]byte(from), method.All())
	b, _ := rulebook.Reread([]byte(to), method.All())
	text, err := difflib.GetUnifiedDiffString(difflib.UnifiedDiff{A: splitLines(from), B: splitLines(to), FromFile: fromName, ToFile: toName, Context: 3})
	return Compared{rulebook.Difference(a, b), text}, err
}

// splitLines keeps line ends; the last line gets one, so that it compares.
func splitLines(s string) []string {
	if s == "" {
		return nil
	}
	return strings.SplitAfter(strings.TrimSuffix(s, "\n")+"\n", "\n")[:strings.Count(strings.TrimSuffix(s, "\n")+"\n", "\n")]
}

// Restore publishes an earlier revision again, as a new one.
func (s *Service) Restore(ctx context.Context, author string, number, basedOn int, note string) (store.Revision, error) {
	r, err := s.store.Revision(ctx, number)
	if err != nil {
		return r, err
	}
	return s.Publish(ctx, Publication{Author: author, Text: r.Text, Note: note, BasedOn: basedOn})
}

// Turn publishes the published text with one dial turned, everywhere at once.
func (s *Service) Turn(ctx context.Context, author, dial, value, note string, basedOn int) (store.Revision, error) {
	r, err := s.store.LatestRevision(ctx)
	if err != nil {
		return r, err
	}
	text, err := rulebook.ChangeDial(r.Text, dial, value, method.All())
	if err != nil {
		return r, &ErrRehearsal{err.Error()}
	}
	return s.Publish(ctx, Publication{Author: author, Text: text, Note: note, BasedOn: basedOn})
}

// Restyle publishes the published text with one grade looking otherwise,
// everywhere at once.
func (s *Service) Restyle(ctx context.Context, author string, looks rulebook.Grade, note string, basedOn int) (store.Revision, error) {
	r, err := s.store.LatestRevision(ctx)
	if err != nil {
		return r, err
	}
	text, err := rulebook.Restyle(r.Text, looks, method.All())
	if err != nil {
		return r, &ErrRehearsal{err.Error()}
	}
	return s.Publish(ctx, Publication{Author: author, Text: text, Note: note, BasedOn: basedOn})
}
