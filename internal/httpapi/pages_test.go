package httpapi

import (
	"errors"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/httpapi/contract"
	"oskel/internal/store"
)

// counting makes and writes pages, and counts how often.
type counting struct {
	pages
	made, written atomic.Int32
	lost          error
}

func (c *counting) ask(k pageKey, trail int64) (string, error) {
	text, err := c.of(k, trail, func() (*contract.ExceptionPage, error) {
		c.made.Add(1)
		return &contract.ExceptionPage{Total: int(k.at.Sweep)}, c.lost
	}, func(p *contract.ExceptionPage) ([]byte, error) {
		n := c.written.Add(1)
		return []byte{byte('0' + p.Total), byte('0' + n)}, nil
	})
	return string(text), err
}

func page(sweep int64, limit int) pageKey {
	return pageKey{store.Pulse{Sweep: sweep}, store.ExceptionFilter{Limit: limit}, 1}
}

// A page is made once for all who ask, and anew when what it is made of has changed; it
// is written anew when a case has moved.
func TestPagesAreKept(t *testing.T) {
	var c counting
	var all sync.WaitGroup
	for range 20 {
		all.Go(func() {
			text, err := c.ask(page(1, 50), 7)
			assert.NoError(t, err)
			assert.Equal(t, "11", text)
		})
	}
	all.Wait()
	assert.EqualValues(t, 1, c.made.Load())
	assert.EqualValues(t, 1, c.written.Load())

	text, err := c.ask(page(1, 50), 8)
	require.NoError(t, err)
	assert.Equal(t, "12", text, "a case has moved")
	assert.EqualValues(t, 1, c.made.Load())
	_, err = c.ask(page(2, 50), 8)
	require.NoError(t, err)
	assert.EqualValues(t, 2, c.made.Load(), "another sweep is another page")
}

// An older number of a trail does not stand for ever: what was written is not told for
// longer than it holds.
func TestWrittenPagesEnd(t *testing.T) {
	var c counting
	k := page(1, 50)
	_, err := c.ask(k, 7)
	require.NoError(t, err)
	c.kept[k].at = time.Now().Add(-writtenHolds - time.Millisecond)
	_, err = c.ask(k, 7)
	require.NoError(t, err)
	assert.EqualValues(t, 2, c.written.Load())
}

func TestLongPagesAndErrorsAreNotKept(t *testing.T) {
	var c counting
	for range 3 {
		_, err := c.ask(page(1, longPage+1), 7)
		require.NoError(t, err)
	}
	assert.EqualValues(t, 3, c.made.Load())
	assert.Empty(t, c.kept)
	_, err := c.ask(page(1, longPage), 7)
	require.NoError(t, err)
	assert.Len(t, c.kept, 1)

	c.lost = errors.New("the connection was lost")
	_, err = c.ask(page(2, 50), 7)
	assert.ErrorIs(t, err, c.lost)
	c.lost = nil
	_, err = c.ask(page(2, 50), 7)
	assert.NoError(t, err, "who asks again is not told the error of before")
}

func TestAsManyPagesAsMay(t *testing.T) {
	var c counting
	for i := range 3 * mostPages {
		_, err := c.ask(page(int64(i), 50), 7)
		require.NoError(t, err)
		assert.LessOrEqual(t, len(c.kept), mostPages)
	}
}
