package httpapi

import (
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// While memory is short nothing heavy is begun, and all else goes on.
func TestShortOfMemory(t *testing.T) {
	l := newLimiter(Limits{Memory: 1 << 50})
	l.Memory = 1 // as if all of it were in use
	ask := func(operation string) int {
		answer := httptest.NewRecorder()
		c, engine := gin.CreateTestContext(answer)
		engine.GET("/", func(c *gin.Context) { l.limit(c, operation) }, func(c *gin.Context) { c.String(http.StatusOK, "done") })
		c.Request = httptest.NewRequest(http.MethodGet, "/", nil)
		engine.HandleContext(c)
		return answer.Code
	}
	for _, heavy := range []string{"GetTable", "ExportTable", "CreateIntake", "CreateSweep", "MakeBackup"} {
		assert.Equal(t, http.StatusServiceUnavailable, ask(heavy), heavy)
	}
	for _, small := range []string{"ListCases", "ActOnCases", "GetSession"} {
		assert.Equal(t, http.StatusOK, ask(small), small)
	}
	l.Memory = 1 << 50
	assert.Equal(t, http.StatusOK, ask("GetTable"))
}

// So many at once, and so many of each person; who waits too long is told to come
// again, and who leaves gives up the place.
func TestGates(t *testing.T) {
	g := newGate(2, 1)
	leave, err := g.enter(t.Context(), "rea", time.Minute)
	require.NoError(t, err)
	_, err = g.enter(t.Context(), "rea", time.Millisecond)
	assert.Equal(t, errTooMuch, err, "hers is taken")
	other, err := g.enter(t.Context(), "rob", time.Millisecond)
	require.NoError(t, err)
	_, err = g.enter(t.Context(), "lea", time.Millisecond)
	assert.Equal(t, errTooMuch, err, "all are taken")
	leave()
	again, err := g.enter(t.Context(), "lea", time.Millisecond)
	require.NoError(t, err, "one is free, and waiting in vain has taken none")
	other()
	again()
	for range 10 {
		leave, err := g.enter(t.Context(), "lea", time.Millisecond)
		require.NoError(t, err)
		leave()
	}
}
