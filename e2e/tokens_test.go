package e2e

import (
	"io"
	"net/http"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

// made is a client with a token of a scope, and the token's note.
func (s *service) made(person string, scope client.Scope, days int) *client.Client {
	return s.with(s.scoped(person, scope, days))
}

func (s *service) scoped(person string, scope client.Scope, days int) string {
	plain, err := client.NewClient(s.url, held)
	require.NoError(s.t, err)
	title := "for " + string(scope)
	return want[client.Token](s.t, 201)(plain.CreateToken(ctx, client.NewToken{Name: person, Password: password, Title: &title, Scope: &scope, Days: &days})).Token
}

// A token does what its scope says, whatever its person may, and says so.
func TestScopesOfTokens(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	id := s.caseOf("lea", "R3").Id
	publish := client.NewRevision{Text: strings.Replace(smallBook, "title: Small", "title: Smaller", 1), Note: "x", BasedOn: at(1)}
	read, review, all := s.made("lea", "read", 1), s.made("lea", "review", 90), s.made("lea", "everything", 365)
	for _, c := range []*client.Client{read, review, all} {
		want[client.Case](t, 200)(c.GetCase(ctx, id))
		want[client.CheckReport](t, 200)(c.CheckRulebook(ctx, client.RulebookText{Text: smallBook}))
	}
	p := refused(t, 403, "not-allowed")(onCase(read, id, toTake))
	assert.Equal(t, `This token may not do this: its scope is "read"; this needs "review".`, *p.Detail)
	want[[]client.Case](t, 200)(onCase(review, id, toTake))
	for _, c := range []*client.Client{read, review} {
		p = refused(t, 403, "not-allowed")(c.PublishRevision(ctx, publish))
		assert.Contains(t, *p.Detail, `this needs "everything"`)
		refused(t, 403, "not-allowed")(c.CreateSweep(ctx, client.NewSweep{Period: "2026-10"}))
		refused(t, 403, "not-allowed")(c.ResetPassword(ctx, "rea"))
	}
	want[client.Revision](t, 201)(all.PublishRevision(ctx, publish))
}

// Tokens are listed with their last use, and made void by oneself or a lead.
func TestTokensAreListedAndRevoked(t *testing.T) {
	t.Parallel()
	s := small(t)
	mine, other := s.made("rea", "read", 30), s.as("lea")
	notes := want[[]client.TokenNote](t, 200)(mine.ListTokens(ctx, &client.ListTokensParams{}))
	require.Len(t, notes, 2, "the newest, and the one of the tests")
	n := notes[0]
	assert.Equal(t, "rea for read read true", strings.Join([]string{n.Person, n.Title, string(n.Scope), map[bool]string{true: "true"}[n.Current]}, " "))
	assert.Equal(t, 30*24*time.Hour, n.Ends.Sub(n.Made))
	assert.True(t, today.Equal(*n.Used), "%s", n.Used)

	refused(t, 403, "not-allowed")(mine.ListTokens(ctx, &client.ListTokensParams{All: ptr(true)}))
	all := want[[]client.TokenNote](t, 200)(other.ListTokens(ctx, &client.ListTokensParams{All: ptr(true)}))
	assert.Greater(t, len(all), len(notes))
	refused(t, 403, "not-allowed")(mine.RevokeToken(ctx, n.Id))
	rob := s.made("rob", "everything", 1)
	refused(t, 404, "not-found")(rob.RevokeToken(ctx, n.Id))
	want[client.Person](t, 200)(mine.GetSession(ctx))
	r, err := other.RevokeToken(ctx, n.Id)
	require.NoError(t, err)
	require.Equal(t, 204, r.StatusCode)
	refused(t, 401, "sign-in")(mine.GetSession(ctx))
	refused(t, 404, "not-found")(other.RevokeToken(ctx, n.Id))
	for _, days := range []int{0, 366} {
		plain, err := client.NewClient(s.url, held)
		require.NoError(t, err)
		refused(t, 400, "invalid-request")(plain.CreateToken(ctx, client.NewToken{Name: "rea", Password: password, Days: &days}))
	}
}

// A token that has ended is worth nothing.
func TestATokenEnds(t *testing.T) {
	t.Parallel()
	s := small(t)
	c := s.made("rea", "read", 1)
	want[client.Person](t, 200)(c.GetSession(ctx))
	later := runAs(t, s.database, func(o *options) { o.Now = func() time.Time { return today.Add(25 * time.Hour) } })
	defer later.stop()
	c.Server = later.url + "/"
	refused(t, 401, "sign-in")(c.GetSession(ctx))
}

// From the command line: one for a program, listed, made void.
func TestTokensFromTheCommandLine(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.oskel("rea", "cases")
	code, token, errs := s.oskelReading("rea", password+"\n", "token", "add", "-title", "nightly report", "-days", "7", "rea")
	assert.Equal(t, 0, code, errs)
	assert.Regexp(t, `^oskel_[A-Z2-7]{26}\n$`, token)
	code, out, errs := s.oskel("rea", "token", "list", "-sort", "for")
	assert.Equal(t, 0, code, errs)
	line := ""
	for l := range strings.Lines(out) {
		if strings.Contains(l, "nightly report") {
			line = l
		}
	}
	require.NotEmpty(t, line, out)
	assert.Regexp(t, `^ *\d+ +rea +nightly report +read +\S+ \S+ \S+ \S+ +\S+ \S+ \S+ \S+\s*$`, line, "it was not used yet")
	code, _, errs = s.oskel("rea", "token", "revoke", strings.Fields(line)[0])
	assert.Equal(t, 0, code, errs)
	refused(t, 401, "sign-in")(s.with(strings.TrimSpace(token)).GetSession(ctx))
	code, _, errs = s.oskelReading("rea", password+"\n", "token", "add", "rea")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "-title")
}

// What is done is in the audit with who, how and from where, and so is what is tried
// in vain; nothing is changed in it, and nobody's password gets into it.
func TestTheAudit(t *testing.T) {
	t.Parallel()
	s := small(t)
	lea, ana := s.as("lea"), s.as("ana")
	entries := func(p client.ListAuditParams) []client.AuditEntry {
		return want[client.AuditPage](t, 200)(lea.ListAudit(ctx, &p)).Entries
	}
	refused(t, 401, "wrong-credentials")(s.token("rea", "a wrong password"))
	refused(t, 401, "wrong-credentials")(s.token("a whole password", "rea"))
	refused(t, 403, "not-allowed")(ana.ResetPassword(ctx, "rea"))
	want[client.OneTimePassword](t, 201)(lea.ResetPassword(ctx, "rea"))
	s.sweep("2026-10")
	got := entries(client.ListAuditParams{})
	var said []string
	for _, e := range got {
		said = append(said, strings.Join([]string{e.Person, e.Words, e.About, e.Outcome, e.Way}, " | "))
		assert.Equal(t, "127.0.0.1", e.Address)
		assert.NotEmpty(t, e.Request)
	}
	for _, line := range []string{
		"ana | swept | 2026-10 | done | command line",
		"lea | reset a password | rea | done | command line",
		"ana | reset a password | rea | not-allowed: An analyst may not do this; it takes a lead. | command line",
		"rea | created a token | command line, everything, 90 days | wrong-credentials: wrong user name or password | password",
		" | created a token | command line, everything, 90 days | wrong-credentials: wrong user name or password | password",
	} {
		assert.Contains(t, said, line)
	}
	assert.NotContains(t, strings.Join(said, " "), "whole password")
	for i := 1; i < len(got); i++ {
		assert.Less(t, got[i].Id, got[i-1].Id, "the newest first")
	}
	refused(t, 403, "not-allowed")(ana.ListAudit(ctx, &client.ListAuditParams{}))
	refused(t, 403, "not-allowed")(ana.ExportAudit(ctx, &client.ExportAuditParams{}))
	assert.Len(t, entries(client.ListAuditParams{Person: ptr("ana"), Operation: ptr("ResetPassword")}), 1)
	p := refused(t, 400, "unknown-filter")(lea.ListAudit(ctx, &client.ListAuditParams{Operation: ptr("ResetPasswort")}))
	assert.Contains(t, *p.Detail, "did you mean ResetPassword?")
	refused(t, 400, "unknown-filter")(lea.ExportAudit(ctx, &client.ExportAuditParams{Operation: ptr("Nothing")}))

	r, err := lea.ExportAudit(ctx, &client.ExportAuditParams{Operation: ptr("ResetPassword")})
	require.NoError(t, err)
	text, err := io.ReadAll(r.Body)
	r.Body.Close()
	require.NoError(t, err)
	assert.Equal(t, 3, strings.Count(string(text), "\n"), string(text))
	assert.Equal(t, "ExportAudit", entries(client.ListAuditParams{})[0].Operation, "which is told too")

	// Of an export what it was of, and of an absence whose.
	for _, args := range [][]string{{"exceptions", "-period", "2026-10", "-rule", "thin-margin", "-o", filepath.Join(t.TempDir(), "x.csv")},
		{"absence", "add", "-who", "rea", "-from", "2026-12-21", "-to", "2026-12-23"}} {
		code, _, errs := s.oskel("lea", args...)
		require.Equal(t, 0, code, errs)
	}
	said = nil
	for _, e := range entries(client.ListAuditParams{Person: ptr("lea")}) {
		said = append(said, e.Words+" | "+e.About)
	}
	assert.Contains(t, said, "added an absence | rea, 2026-12-21 to 2026-12-23")
	assert.Contains(t, said, "exported exceptions | form csv, period 2026-10, rule thin-margin, sort grade, state flagged")

	for _, sql := range []string{"update audit set person = 'rob'", "delete from audit", "truncate audit"} {
		_, err := s.pool(t).Exec(ctx, sql)
		assert.ErrorContains(t, err, "only added to", sql)
	}
}

// Long lists of it go on, page by page.
func TestTheAuditInPages(t *testing.T) {
	t.Parallel()
	s := small(t)
	_, err := s.pool(t).Exec(ctx, "insert into audit (person, way, address, request, operation, about, outcome) select 'bot', 'session', 'x', 'y', "+
		"'SignIn', n::text, 'done' from generate_series(1, 450) n")
	require.NoError(t, err)
	code, out, errs := s.oskel("lea", "service", "audit", "-person", "bot", "-format", "csv", "-top", "1000")
	require.Equal(t, 0, code, errs)
	lines := strings.Split(strings.TrimSpace(out), "\n")
	require.Len(t, lines, 451)
	assert.Contains(t, lines[1], ",450,")
	assert.Contains(t, lines[450], ",1,")
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("lea", password, "/people/audit?person=bot"), p.Sees("signed in"),
		p.Until("document.querySelectorAll('tbody tr').length === 200"), p.ClickText("Earlier"),
		p.Until("document.querySelectorAll('tbody tr').length === 400"), p.ClickText("Earlier"), p.Until("document.querySelectorAll('tbody tr').length === 450"))
	found, err := p.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)
}

// An answer has its request's id, and a problem repeats it.
func TestRequestsHaveIDs(t *testing.T) {
	t.Parallel()
	s := small(t)
	r, err := s.as("rea").GetCase(ctx, 99_999)
	p := refused(t, 404, "not-found")(r, err)
	require.NotNil(t, p.Request)
	assert.Equal(t, r.Header.Get("X-Request-Id"), *p.Request)
	assert.Len(t, *p.Request, 12)
}

// Only a proxy that is named says who asks.
func TestProxiesSayWhoAsks(t *testing.T) {
	t.Parallel()
	s := small(t)
	behind := runAs(t, s.database, func(o *options) { o.Proxies = []string{"127.0.0.0/8"} })
	defer behind.stop()
	for at, address := range map[*service]string{s: "127.0.0.1", behind: "192.0.2.7"} {
		r, err := http.NewRequest("POST", at.url+"/api/session", strings.NewReader(`{"name": "rob", "password": "not his password"}`))
		require.NoError(t, err)
		r.Header.Set("Content-Type", "application/json")
		r.Header.Set("X-Forwarded-For", "203.0.113.5, 192.0.2.7")
		answer, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		answer.Body.Close()
		require.Equal(t, 401, answer.StatusCode)
		got := want[client.AuditPage](t, 200)(s.as("lea").ListAudit(ctx, &client.ListAuditParams{Person: ptr("rob")})).Entries
		assert.Equal(t, address, got[0].Address)
	}
}
