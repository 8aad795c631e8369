package httpapi

import (
	"context"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"oskel/internal/httpapi/contract"
)

// However room is taken and given back, no more is held than there is, in all and by each,
// whoever is refused would have been too many, and in the end nothing is held.
func TestRoomForBodies(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		b := &budget{most: 100, each: 60, of: map[string]int64{}}
		type held struct {
			who   string
			bytes int64
		}
		var all []held
		of := func(who string) (sum, total int64) {
			for _, h := range all {
				total += h.bytes
				if h.who == who {
					sum += h.bytes
				}
			}
			return sum, total
		}
		for range rapid.IntRange(0, 60).Draw(t, "steps") {
			if len(all) > 0 && rapid.Bool().Draw(t, "give") {
				i := rapid.IntRange(0, len(all)-1).Draw(t, "which")
				b.give(all[i].who, all[i].bytes)
				all = append(all[:i], all[i+1:]...)
				continue
			}
			who, bytes := rapid.SampledFrom([]string{"a", "b", "c"}).Draw(t, "who"), rapid.Int64Range(1, 70).Draw(t, "bytes")
			mine, total := of(who)
			assert.Equal(t, mine+bytes <= 60 && total+bytes <= 100, b.try(who, bytes))
			if mine+bytes <= 60 && total+bytes <= 100 {
				all = append(all, held{who, bytes})
			}
		}
		for _, h := range all {
			b.give(h.who, h.bytes)
		}
		assert.Zero(t, b.used)
		assert.Empty(t, b.of)
	})
}

// Who waits for room gets it when it is given back, is told to come again after a while,
// and is not waited for when gone.
func TestWaitingForRoom(t *testing.T) {
	b := &budget{most: 10, each: 10, of: map[string]int64{}}
	give, err := b.take(t.Context(), "rea", 10, 0)
	require.NoError(t, err)
	_, err = b.take(t.Context(), "rob", 1, time.Millisecond)
	assert.ErrorIs(t, err, errBodies)
	gone, leave := context.WithCancel(t.Context())
	leave()
	_, err = b.take(gone, "rob", 1, time.Minute)
	assert.ErrorIs(t, err, context.Canceled)
	time.AfterFunc(10*time.Millisecond, give)
	again, err := b.take(t.Context(), "rob", 10, time.Minute)
	require.NoError(t, err)
	again()
	assert.Zero(t, b.used)
}

// What a body says of its size is what is set aside; one that does not say, all it may have.
func TestRoomByWhatABodySays(t *testing.T) {
	s := &server{limits: newLimiter(Limits{Memory: 1 << 40, Patience: time.Millisecond})}
	held := func(length int64, body io.Reader) (int64, error) {
		c, _ := gin.CreateTestContext(httptest.NewRecorder())
		c.Request = httptest.NewRequest(http.MethodPost, "/", body)
		c.Request.ContentLength = length
		done, err := s.receive(c, 1000)
		if err != nil {
			return 0, err
		}
		defer done()
		return s.limits.bodies.used, nil
	}
	for length, room := range map[int64]int64{-1: 1000, 0: 0, 1: 1, 1000: 1000} {
		got, err := held(length, strings.NewReader("x"))
		require.NoError(t, err)
		assert.Equal(t, room, got, "%d", length)
	}
	_, err := held(1001, strings.NewReader("x"))
	var large *http.MaxBytesError
	require.ErrorAs(t, err, &large)
	p := problemOf(err)
	assert.Equal(t, http.StatusRequestEntityTooLarge, p.Status)
	assert.Equal(t, "The request is larger than 1000 bytes.", *p.Detail)
}

func TestSizesInWords(t *testing.T) {
	for bytes, words := range map[int64]string{0: "0 bytes", 999: "999 bytes", 1 << 10: "1 kB", small.largest(): "64 kB", 10 << 20: "10 MB",
		1<<20 + 1: "1048577 bytes", upload.largest(): "8 GB"} {
		assert.Equal(t, words, sizeWords(bytes))
	}
}

// What something was asked for by is what was stated, by name.
func TestParametersInWords(t *testing.T) {
	yes, no, rule, none := true, false, "thin-margin", ""
	assert.Equal(t, "", parametersOf(contract.ExportReportParams{}))
	assert.Equal(t, "a thin-margin, b true, e 3", parametersOf(struct {
		B *bool   `json:"b"`
		A *string `json:"a"`
		C *bool   `json:"c"`
		D *string `json:"d"`
		E int     `json:"e"`
		F *string `json:"f,omitempty"`
	}{&yes, &rule, &no, &none, 3, nil}))
}
