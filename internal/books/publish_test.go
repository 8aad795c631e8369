package books_test

import (
	"errors"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/books"
	"oskel/internal/store"
	"oskel/internal/trial"
)

func TestMain(m *testing.M) { trial.Run(m) }

// with is the small book with its cut at another share of the target.
func with(cut string) string { return strings.Replace(trial.Book, "below: 100%", "below: "+cut, 1) }

// A text that was made from an older revision than the newest is refused, unless it is to go
// over what came since; the refusal leaves no revision.
func TestOvertaken(t *testing.T) {
	r := trial.Small(t)
	publish := func(author, text string, on int, over bool) (store.Revision, error) {
		return r.Books.Publish(t.Context(), books.Publication{Author: author, Text: text, Note: "A cut", BasedOn: on, Over: over})
	}
	second, err := publish("ana", with("90%"), 1, false)
	require.NoError(t, err)
	assert.Equal(t, 2, second.Number)

	_, err = publish("lea", with("80%"), 1, false)
	var overtaken *books.Overtaken
	require.ErrorAs(t, err, &overtaken)
	all, err := r.Books.Revisions(t.Context())
	require.NoError(t, err)
	assert.Len(t, all, 2)

	third, err := publish("lea", with("80%"), 1, true)
	require.NoError(t, err)
	assert.Equal(t, 3, third.Number)
	_, err = publish("lea", with("80%"), 3, false)
	assert.ErrorIs(t, err, books.ErrSame)
}

// What is restored is the text of then, as a revision of its own.
func TestRestored(t *testing.T) {
	r := trial.Small(t)
	_, err := r.Books.Publish(t.Context(), books.Publication{Author: "ana", Text: with("90%"), BasedOn: 1})
	require.NoError(t, err)
	back, err := r.Books.Restore(t.Context(), "lea", 1, 2, "Too few")
	require.NoError(t, err)
	assert.Equal(t, 3, back.Number)
	assert.Equal(t, trial.Book, back.Text)
	_, err = r.Books.Restore(t.Context(), "lea", 99, 3, "Nothing there")
	assert.ErrorIs(t, err, store.ErrNotFound)
}

// A book with faults is none: all of them are named, and the published one stays.
func TestFaulty(t *testing.T) {
	r := trial.Small(t)
	text := strings.NewReplacer("of: revenue", "of: revenu", "to: north", "to: nowhere").Replace(trial.Book)
	_, err := r.Books.Publish(t.Context(), books.Publication{Author: "ana", Text: text, BasedOn: 1})
	var faulty *books.Faulty
	require.True(t, errors.As(err, &faulty))
	require.Len(t, faulty.Problems, 2)
	revision, book, err := r.Books.Published(t.Context())
	require.NoError(t, err)
	assert.Equal(t, 1, revision.Number)
	assert.NotNil(t, book.Measure("revenue"))
}
