package e2e

import (
	"bufio"
	"net"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
	"oskel/internal/httpapi"
)

// A stream goes on while whoever listens is signed in, and ends with the token or the
// session by which they began.
func TestAStreamEndsWithWhatItBeganBy(t *testing.T) {
	t.Parallel()
	s := limited(t, httpapi.Limits{StillThere: 50 * time.Millisecond})
	// listen counts what a stream says, until it ends.
	listen := func(by func(*http.Request)) <-chan string {
		r, err := http.NewRequestWithContext(t.Context(), "GET", s.url+"/api/changes", nil)
		require.NoError(t, err)
		by(r)
		answer, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		require.Equal(t, 200, answer.StatusCode)
		said := make(chan string, 10_000)
		go func() {
			defer close(said)
			defer answer.Body.Close()
			for lines := bufio.NewScanner(answer.Body); lines.Scan(); {
				said <- lines.Text()
			}
		}()
		return said
	}
	lives := func(said <-chan string) {
		for n := 0; n < 5; {
			line, more := <-said
			require.True(t, more, "it ended by itself")
			if line == ": still there" {
				n++
			}
		}
	}
	ends := func(said <-chan string) {
		patience := time.After(time.Minute)
		for more := true; more; {
			select {
			case _, more = <-said:
			case <-patience:
				t.Fatal("it goes on")
			}
		}
	}

	token := s.scoped("rea", "read", 1)
	byToken := listen(func(r *http.Request) { r.Header.Set("Authorization", "Bearer "+token) })
	plain, err := client.NewClient(s.url)
	require.NoError(t, err)
	in, err := plain.SignIn(ctx, client.Credentials{Name: "rob", Password: password})
	require.NoError(t, err)
	in.Body.Close()
	cookie := func(r *http.Request) {
		for _, c := range in.Cookies() {
			r.AddCookie(c)
		}
	}
	bySession := listen(cookie)
	lives(byToken)
	lives(bySession)

	want[struct{}](t, 204)(s.with(token).DeleteToken(ctx))
	ends(byToken)
	lives(bySession)
	out, err := http.NewRequest("DELETE", s.url+"/api/session", nil)
	require.NoError(t, err)
	cookie(out)
	out.Header.Set("Sec-Fetch-Site", "same-origin")
	want[struct{}](t, 204)(http.DefaultClient.Do(out))
	ends(bySession)

	// A closed account hears nothing more, whatever it began by.
	again := listen(func(r *http.Request) { r.Header.Set("Authorization", "Bearer "+s.scoped("rob", "read", 1)) })
	lives(again)
	code, _, errs := s.oskel("lea", "person", "close", "rob")
	require.Equal(t, 0, code, errs)
	ends(again)
}

// Bodies are held together only so far, and none is read of who may not send it.
func TestBodiesAreHeldTogetherOnlyToDate(t *testing.T) {
	t.Parallel()
	s := limited(t, httpapi.Limits{Memory: 1 << 30, Patience: 100 * time.Millisecond})
	s.sweep("2026-10")
	id := s.caseOf("lea", "R3").Id
	// begin sends the head of a request alone, and reads what comes back, if something does.
	begin := func(method, path, token string, size int) (answered func() string) {
		conn, err := net.Dial("tcp", strings.TrimPrefix(s.url, "http://"))
		require.NoError(t, err)
		t.Cleanup(func() { conn.Close() })
		read := make(chan string, 1)
		_, err = conn.Write([]byte(method + " " + path + " HTTP/1.1\r\nHost: oskel\r\nAuthorization: Bearer " + token +
			"\r\nContent-Type: application/json\r\nContent-Length: " + itoa(int64(size)) + "\r\n\r\n"))
		require.NoError(t, err)
		go func() {
			answer := make([]byte, 1<<14)
			n, _ := conn.Read(answer)
			read <- string(answer[:n])
		}()
		return func() string {
			select {
			case text := <-read:
				return text
			case <-time.After(time.Minute):
				return "nothing"
			}
		}
	}
	reader := s.scoped("rea", "read", 1)
	assert.Contains(t, begin("POST", "/api/revisions", reader, 8<<20)(), "HTTP/1.1 403")
	assert.Contains(t, begin("POST", "/api/cases/999999/files?name=a.txt", s.scoped("rea", "review", 1), 9<<20)(), "HTTP/1.1 404")
	assert.Contains(t, begin("POST", "/api/cases/"+itoa(id)+"/files?name=a.txt", reader, 9<<20)(), "HTTP/1.1 403")
	assert.Contains(t, begin("POST", "/api/rulebook/check", "no token", 8<<20)(), "HTTP/1.1 401")
	// One person's fill what one may have, 32 MB of the gigabyte, and of five one is too
	// many, whichever comes last; another's still come.
	first := make(chan string, 5)
	for range 5 {
		answered := begin("POST", "/api/rulebook/check", reader, 8<<20)
		go func() { first <- answered() }()
	}
	assert.Contains(t, <-first, "HTTP/1.1 429")
	want[client.CheckReport](t, 200)(s.as("rob").CheckRulebook(ctx, client.RulebookText{Text: smallBook}))
}
