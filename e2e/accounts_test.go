package e2e

import (
	"fmt"
	"net/http"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/e2e/browser"
	"oskel/internal/client"
)

func (s *service) token(name, pass string) (*http.Response, error) {
	c, err := client.NewClient(s.url, held)
	require.NoError(s.t, err)
	return c.CreateToken(ctx, client.NewToken{Name: name, Password: pass})
}

// One's own password is changed with the present one; everything signed in
// elsewhere ends, on a second service too.
func TestChangingOnesPassword(t *testing.T) {
	t.Parallel()
	s := small(t)
	other := s.beside(t)
	before := other.as("rea")
	want[client.Person](t, 200)(before.GetSession(ctx))
	refused(t, 422, "wrong-password")(s.as("rea").ChangePassword(ctx, client.PasswordChange{Old: "not it at all", Password: "another long one"}))
	want[client.Person](t, 200)(s.as("rea").GetSession(ctx))
	res, err := s.as("rea").ChangePassword(ctx, client.PasswordChange{Old: password, Password: "another long one"})
	require.NoError(t, err)
	require.Equal(t, 204, res.StatusCode)
	refused(t, 401, "sign-in")(before.GetSession(ctx))
	refused(t, 401, "wrong-credentials")(s.token("rea", password))
	want[client.Token](t, 201)(other.token("rea", "another long one"))
}

// A lead gives another password, another role and other desks, and closes an
// account; nobody else does, and one lead is always left.
func TestALeadAndTheAccounts(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	lea, rea, ana := s.as("lea"), s.as("rea"), s.as("ana")
	refused(t, 403, "not-allowed")(ana.ResetPassword(ctx, "rea"))

	changed := want[client.Person](t, 200)(lea.ChangePerson(ctx, "rob",
		client.PersonChange{DisplayName: "Robert", Role: "reviewer", Desks: []string{"north", "south"}}))
	assert.Equal(t, []string{"north", "south"}, changed.Desks)
	want[[]client.Case](t, 200)(onCase(s.as("rob"), s.caseOf("rea", "R3").Id, toTake))
	refused(t, 422, "unknown-desk")(lea.ChangePerson(ctx, "rob", client.PersonChange{DisplayName: "R", Role: "reviewer", Desks: []string{"nowhere"}}))

	word := want[client.OneTimePassword](t, 201)(lea.ResetPassword(ctx, "rea"))
	refused(t, 401, "sign-in")(rea.GetSession(ctx))
	refused(t, 401, "wrong-credentials")(s.token("rea", password))
	refused(t, 403, "one-time-password")(s.token("rea", word.OneTimePassword))
	nobody, err := client.NewClient(s.url, held)
	require.NoError(t, err)
	use := client.OneTimePasswordUse{Name: "rea", OneTimePassword: word.OneTimePassword, Password: "too short"}
	refused(t, 422, "password")(nobody.UseOneTimePassword(ctx, use))
	use.Password, use.OneTimePassword = "another long one", "not-the-word-at-all"
	refused(t, 401, "wrong-credentials")(nobody.UseOneTimePassword(ctx, use))
	use.OneTimePassword = " " + strings.ToUpper(word.OneTimePassword)
	want[client.Person](t, 200)(nobody.UseOneTimePassword(ctx, use))
	refused(t, 401, "wrong-credentials")(nobody.UseOneTimePassword(ctx, use))
	want[client.Token](t, 201)(s.token("rea", "another long one"))

	res, err := lea.ClosePerson(ctx, "rob")
	require.NoError(t, err)
	require.Equal(t, 204, res.StatusCode)
	refused(t, 401, "sign-in")(s.as("rob").GetSession(ctx))
	refused(t, 401, "wrong-credentials")(s.token("rob", password))
	c := s.caseOf("lea", "R3")
	assert.Equal(t, client.CaseState("open"), c.State, "what the account had taken is open again")
	var rob client.Person
	for _, p := range want[[]client.Person](t, 200)(lea.ListPeople(ctx)) {
		if p.Name == "rob" {
			rob = p
		}
	}
	require.NotNil(t, rob.Closed)
	refused(t, 404, "not-found")(lea.ChangePerson(ctx, "rob", client.PersonChange{DisplayName: "R", Role: "lead", Desks: []string{}}))

	refused(t, 409, "last-lead")(lea.ClosePerson(ctx, "lea"))
	refused(t, 409, "last-lead")(lea.ChangePerson(ctx, "lea", client.PersonChange{DisplayName: "Lea", Role: "analyst", Desks: []string{}}))
}

// A crowd that signs in, with names that are there or not, neither fills the
// memory nor stops the others: most are told to come again.
func TestACrowdThatSignsIn(t *testing.T) {
	s := small(t)
	var busy, wrong atomic.Int64
	var wait sync.WaitGroup
	var most atomic.Uint64
	for i := range 500 {
		wait.Go(func() {
			r, err := s.token([]string{"rea", "nobody"}[i%2], "a wrong password")
			if !assert.NoError(t, err) {
				return
			}
			r.Body.Close()
			switch r.StatusCode {
			case 401:
				wrong.Add(1)
			case 429:
				busy.Add(1)
				assert.NotEmpty(t, r.Header.Get("Retry-After"))
			default:
				assert.Fail(t, "unexpected", "%d", r.StatusCode)
			}
			var m runtime.MemStats
			runtime.ReadMemStats(&m)
			for old := most.Load(); m.HeapInuse > old && !most.CompareAndSwap(old, m.HeapInuse); old = most.Load() {
			}
		})
	}
	wait.Wait()
	assert.Equal(t, int64(500), busy.Load()+wrong.Load())
	assert.Positive(t, wrong.Load())
	assert.Less(t, most.Load(), uint64(1<<30), "hashes made at once are few")
	want[client.Token](t, 201)(s.token("rea", password))
}

// Accounts in the console: a lead adds, changes and closes one, who meanwhile
// changes their own password.
func TestAccountsInTheConsole(t *testing.T) {
	t.Parallel()
	s := small(t)
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("lea", password, "/people"), p.Sees("4 accounts"), p.ClickText("New account"), p.Sees("New account"))
	do(t, p.Type("aside input.font-mono", "mia"), p.Type("aside input[maxlength='100']", "Mia Made-Up"), p.Click("aside input[value=south]"),
		p.ClickText("Add account"), p.Sees("5 accounts"), p.Sees("Copy it now; it is not shown again."))
	word, err := browser.Value[string](p, "document.querySelector('aside code').textContent")
	require.NoError(t, err)
	found, err := p.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)

	mia := screen(t, s, 1280, 800)
	do(t, mia.Go("/sign-in"), mia.Type("#name", "mia"), mia.Type("#password", word), mia.ClickText("Sign in"), mia.Sees("choose your own password"))
	do(t, mia.Type("#fresh", "long enough now"), mia.ClickText("Sign in"), mia.Until("location.pathname === '/desk'"), mia.Go("/account"),
		mia.Sees("on South desk"))

	for i, text := range []string{"long enough now", "longer than that", "longer than that"} {
		do(t, mia.Type(fmt.Sprintf("form label:nth-of-type(%d) input", i+1), text))
	}
	do(t, mia.ClickText("Change password"), mia.Sees("Password changed. You are signed out everywhere else."))
	found, err = mia.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)
	want[client.Token](t, 201)(s.token("mia", "longer than that"))

	do(t, p.ClickText("Close …"), p.ClickText("Close mia"), p.Sees("4 accounts"), p.Sees("closed"))
	do(t, mia.Go("/desk"), mia.Until("location.pathname === '/sign-in'"))
}
