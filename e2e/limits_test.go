package e2e

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"os/exec"
	"regexp"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
	"oskel/internal/httpapi"
)

// limited is the small world in a service of other limits.
func limited(t *testing.T, l httpapi.Limits) *service {
	s := small(t)
	other := runAs(t, s.database, func(o *options) { o.Limits = l })
	t.Cleanup(other.stop)
	other.tokens = s.tokens
	return other
}

// A table of more cells than are computed at once is refused before it is begun,
// with its size and what to narrow.
func TestATableThatIsTooLarge(t *testing.T) {
	t.Parallel()
	s := limited(t, httpapi.Limits{Cells: 20})
	by := "rep"
	five := 5
	p := refused(t, 422, "too-large")(s.as("ana").ExportTable(ctx,
		&client.ExportTableParams{Measures: "revenue,cost", By: &by, Period: "2026-10", Periods: &five}))
	assert.Equal(t, "4 rows of 10 columns are 40 cells; at most 20 are computed at once. Ask for fewer periods or measures, or a level with fewer rows", *p.Detail)
	refused(t, 422, "too-large")(s.as("ana").GetTable(ctx, &client.GetTableParams{Measures: "revenue,cost", By: &by, Period: "2026-10", Periods: &five}))
	want[client.Table](t, 200)(s.as("ana").GetTable(ctx, &client.GetTableParams{Measures: "revenue,cost", By: &by, Period: "2026-10"}))
}

// An export of many rows comes in pieces, whole and in order, as the pages have it.
func TestAnExportInPieces(t *testing.T) {
	t.Parallel()
	s := small(t)
	var register, sales strings.Builder
	register.WriteString("rep,name,territory,active_from,active_to\n")
	sales.WriteString(salesHead)
	for i := range 2345 {
		fmt.Fprintf(&register, "X%04d,Made-Up %d,North,,\n", i, i)
		fmt.Fprintf(&sales, "2026-10-05,X%d,X%04d,%d,1\n", i, i, 1+i)
	}
	s.load("register", "rep", smallReps+strings.TrimPrefix(register.String(), "rep,name,territory,active_from,active_to\n"))
	s.load("feed", "sales", sales.String())
	by := "rep"
	r, err := s.as("ana").ExportTable(ctx, &client.ExportTableParams{Measures: "revenue", By: &by, Period: "2026-10", Text: ptr("X")})
	require.NoError(t, err)
	defer r.Body.Close()
	assert.Equal(t, int64(-1), r.ContentLength, "nobody has made it whole")
	body, err := io.ReadAll(r.Body)
	require.NoError(t, err)
	lines := strings.Split(strings.TrimSpace(string(body)), "\n")
	require.Len(t, lines, 2346)
	assert.Equal(t, "X0000,Made-Up 0,1", lines[1])
	assert.Equal(t, "X0999,Made-Up 999,1000", lines[2345], "by name")
}

// A body that not flagged is given up, one that is slow but lives goes on, and
// nothing much is taken where little is expected.
func TestBodiesThatDawdle(t *testing.T) {
	t.Parallel()
	s := limited(t, httpapi.Limits{Silence: time.Second})
	address, err := url.Parse(s.url)
	require.NoError(t, err)
	token := s.tokens["ana"]
	send := func(path, body string, said int, piece time.Duration) string {
		conn, err := net.Dial("tcp", address.Host)
		require.NoError(t, err)
		defer conn.Close()
		fmt.Fprintf(conn, "POST %s HTTP/1.1\r\nHost: %s\r\nAuthorization: Bearer %s\r\nContent-Type: application/json\r\nContent-Length: %d\r\n\r\n", path,
			address.Host, token, len(body))
		for i := 0; i < said; i += 8 {
			if _, err := conn.Write([]byte(body[i:min(i+8, said)])); err != nil {
				break
			}
			time.Sleep(piece)
		}
		require.NoError(t, conn.SetReadDeadline(time.Now().Add(time.Minute)))
		answer := make([]byte, 1<<16)
		n, _ := conn.Read(answer)
		return string(answer[:n])
	}
	check := `{"text": "oskel: 1\n"}`
	assert.Contains(t, send("/api/rulebook/check", check, len(check), 700*time.Millisecond), "HTTP/1.1 200", "slow, and alive")
	assert.Contains(t, send("/api/rulebook/check", check, 10, 0), "HTTP/1.1 408", "silent")
	assert.Contains(t, send("/api/nothing", check, 10, 0), "HTTP/1.1 40", "silent where nobody reads")
	large := `{"text":"` + strings.Repeat("x", 100_000) + `"}`
	assert.Contains(t, send("/api/cases/acts", large, len(large), 0), "HTTP/1.1 413")
}

// What is secret is in no problem.
func TestProblemsKeepSecrets(t *testing.T) {
	t.Parallel()
	s := small(t)
	for path, body := range map[string]string{
		"/api/people":                    `{"name":"new","title":"New","role":"analyst","password":"secret"}`,
		"/api/session/one-time-password": `{"name":"rea","word":"` + strings.Repeat("secret", 60) + `","password":"another password"}`,
		"/api/session/password":          `{"old":"` + strings.Repeat("secret", 60) + `","password":"another password"}`,
		"/api/people/rob":                `{"title":"x","role":"nothing of the kind","desks":[],"password":"secret"}`,
	} {
		method := map[bool]string{true: "POST", false: "PUT"}[path == "/api/people" || path == "/api/session/one-time-password"]
		r, err := http.NewRequest(method, s.url+path, strings.NewReader(body))
		require.NoError(t, err)
		r.Header.Set("Authorization", "Bearer "+s.tokens["lea"])
		r.Header.Set("Content-Type", "application/json")
		answer, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		text, err := io.ReadAll(answer.Body)
		answer.Body.Close()
		require.NoError(t, err)
		assert.Equal(t, 400, answer.StatusCode, string(text))
		assert.NotContains(t, string(text), "secret")
	}
}

// Under a limit of its memory the service lives through a flood of all sorts, and is
// as it was afterwards.
func TestAFlood(t *testing.T) {
	long(t)
	t.Parallel()
	binary, dir := build(t), openDir(t)
	p := serveAs(t, exec.Command("bash", "-c", fmt.Sprintf("ulimit -v 3000000; exec %s serve -addr 127.0.0.1:0 -data %s -memory 700MiB", binary, dir)))
	told := regexp.MustCompile(`with the password (\w+);`).FindStringSubmatch(p.log.String())
	require.NotNil(t, told, p.log.String())
	s := &service{t: t, url: p.url, tokens: map[string]string{}}
	plain, err := client.NewClient(p.url)
	require.NoError(t, err)
	token := want[client.Token](t, 201)(plain.CreateToken(ctx, client.NewToken{Name: "lead", Password: told[1]})).Token
	c := s.with(token)
	want[client.Revision](t, 201)(c.PublishRevision(ctx, client.NewRevision{Text: smallBook, Note: "x", BasedOn: at(0)}))
	var register, sales strings.Builder
	register.WriteString("rep,name,territory,active_from,active_to\n")
	sales.WriteString(salesHead)
	for i := range 20_000 {
		fmt.Fprintf(&register, "X%05d,Made-Up %d,North,,\n", i, i)
		fmt.Fprintf(&sales, "2026-%02d-05,X%d,X%05d,%d,1\n", 1+i%10, i, i, 1+i)
	}
	for _, f := range [][3]string{{"register", "rep", register.String()}, {"feed", "sales", sales.String()}} {
		r, err := c.CreateIntakeWithBody(ctx, &client.CreateIntakeParams{Into: client.CreateIntakeParamsInto(f[0]), Name: f[1]}, "text/csv", strings.NewReader(f[2]))
		require.NoError(t, err)
		r.Body.Close()
		require.Equal(t, 201, r.StatusCode)
	}

	deep := strings.Repeat("- ", 32_000)
	var answered, failed atomic.Int64
	counts := sync.Map{}
	do := func(r *http.Response, err error) {
		if err != nil {
			failed.Add(1)
			return
		}
		io.Copy(io.Discard, r.Body) //nolint:errcheck // it may be broken off
		r.Body.Close()
		answered.Add(1)
		n, _ := counts.LoadOrStore(r.StatusCode, new(atomic.Int64))
		n.(*atomic.Int64).Add(1)
	}
	by := "rep x rep"
	many, periods := "revenue,cost,margin,revenue - cost,revenue + cost", 12
	var wait sync.WaitGroup
	until := time.Now().Add(3 * time.Second)
	// Whoever is wrong so often is made to wait, longer than anybody here does.
	flooding, over := context.WithDeadline(ctx, until)
	defer over()
	for i := range 60 {
		wait.Go(func() {
			for time.Now().Before(until) {
				switch i % 6 {
				case 0:
					do(c.CheckRulebook(ctx, client.RulebookText{Text: deep}))
				case 1:
					if r, err := plain.CreateToken(flooding, client.NewToken{Name: "lead", Password: "a wrong password"}); flooding.Err() == nil {
						do(r, err)
					}
				case 2:
					kind := "rep"
					do(c.ExportTable(ctx, &client.ExportTableParams{Measures: many, By: &kind, Period: "2026-10", Periods: &periods}))
				case 3:
					do(c.GetTable(ctx, &client.GetTableParams{Measures: many, By: &by, Period: "2026-10", Periods: &periods}))
				case 4:
					do(c.CheckRulebookWithBody(ctx, "application/json", strings.NewReader(`{"text":`+strings.Repeat("[", 100_000))))
				case 5: // half a body, and gone
					if conn, err := net.Dial("tcp", strings.TrimPrefix(p.url, "http://")); err == nil {
						fmt.Fprintf(conn, "POST /api/intakes?into=feed&name=sales HTTP/1.1\r\nHost: x\r\nAuthorization: Bearer %s\r\nContent-Type: "+
							"text/csv\r\nContent-Length: 90000000\r\n\r\n%s", token, salesHead)
						conn.Write(bytes.Repeat([]byte("2026-10-05,Y1,X00001,1,1\n"), 1000)) //nolint:errcheck // it may be closed
						time.Sleep(50 * time.Millisecond)
						conn.Close()
					}
				}
			}
		})
	}
	wait.Wait()
	said := []string{}
	counts.Range(func(status, n any) bool {
		said = append(said, fmt.Sprintf("%v: %d", status, n.(*atomic.Int64).Load()))
		return true
	})
	t.Log(answered.Load(), "answered", said, failed.Load(), "not")
	assert.Greater(t, answered.Load(), int64(100))
	assert.Less(t, failed.Load(), answered.Load()/10)
	_, broke := counts.Load(500)
	assert.False(t, broke, "nothing fails within: %s", said)

	// Afterwards all is as it was.
	require.Eventually(t, func() bool {
		r, err := c.ListIntakes(ctx)
		if err != nil {
			return false
		}
		r.Body.Close()
		return r.StatusCode == 200
	}, time.Minute, 100*time.Millisecond)
	assert.Len(t, want[[]client.Intake](t, 200)(c.ListIntakes(ctx)), 2, "half a file is no intake")
	assert.NoError(t, p.cmd.Process.Signal(syscall.Signal(0)), "it is the same process")
}

// A register is held while it is checked: a file of more rows than that is refused at the
// first one too many.
func TestARegisterOfTooManyRows(t *testing.T) {
	t.Parallel()
	s := small(t)
	var body strings.Builder
	body.WriteString("rep,name,territory\n")
	for i := range 500_001 {
		body.WriteString("X" + itoa(int64(i)) + ",,\n")
	}
	r, err := s.as("ana").CreateIntakeWithBody(ctx, &client.CreateIntakeParams{Into: "register", Name: "rep", DryRun: ptr(true)}, "text/csv",
		strings.NewReader(body.String()))
	p := refused(t, 422, "file-refused")(r, err)
	require.Len(t, *p.Faults, 1)
	assert.Equal(t, 500_002, *(*p.Faults)[0].Line)
	assert.Equal(t, "a file has 500000 rows of a register at most; load it in parts", (*p.Faults)[0].Text)
}
