package e2e

import (
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

// Every path of the contract but signing in needs a person: without a token,
// with a wrong one, with one of another service.
func TestAnOutsiderSeesNothing(t *testing.T) {
	t.Parallel()
	s, other := small(t), newService(t)
	defer other.stop()
	c, err := client.NewClient(other.url)
	require.NoError(t, err)
	foreign := want[client.Token](t, 201)(c.CreateToken(ctx, client.NewToken{Name: "lea", Password: password})).Token
	spec, err := openapi3.NewLoader().LoadFromFile("../api/openapi.yaml")
	require.NoError(t, err)
	tried := 0
	for path, item := range spec.Paths.Map() {
		for method := range item.Operations() {
			if method == "POST" && (path == "/api/session" || path == "/api/session/one-time-password" || path == "/api/tokens") {
				continue
			}
			for _, authorization := range []string{"", "Bearer nonsense", "Bearer " + foreign, "Basic bGVhOng="} {
				r, err := http.NewRequest(method, s.url+strings.NewReplacer("{id}", "1", "{number}", "1", "{rule}", "quiet", "{file}", "1").Replace(path), nil)
				require.NoError(t, err)
				if authorization != "" {
					r.Header.Set("Authorization", authorization)
				}
				refused(t, 401, "sign-in")(http.DefaultClient.Do(r))
				tried++
			}
		}
	}
	assert.Greater(t, tried, 80)
}

func TestRolesAndTheirBounds(t *testing.T) {
	t.Parallel()
	s := small(t)
	rea := s.as("rea")
	refused(t, 403, "not-allowed")(rea.PublishRevision(ctx, client.NewRevision{Text: smallBook, Note: "mine", BasedOn: at(1)}))
	refused(t, 403, "not-allowed")(rea.CreateSweep(ctx, client.NewSweep{Period: "2026-10"}))
	refused(t, 403, "not-allowed")(rea.CreateIntakeWithBody(ctx, &client.CreateIntakeParams{Into: "feed", Name: "sales"}, "text/csv",
		strings.NewReader(smallSales)))
	refused(t, 403, "not-allowed")(rea.RevertIntake(ctx, 1))
	person := client.NewPerson{Name: "new", DisplayName: "New", Role: "reviewer", Desks: &[]string{"north"}}
	refused(t, 403, "not-allowed")(s.as("ana").CreatePerson(ctx, person))
	lea := s.as("lea")
	want[client.PersonAdded](t, 201)(lea.CreatePerson(ctx, person))
	refused(t, 409, "name-taken")(lea.CreatePerson(ctx, person))
	person.Name, person.Desks = "newer", &[]string{"nowhere"}
	refused(t, 422, "unknown-desk")(lea.CreatePerson(ctx, person))
	person.Name = "Not A Name"
	p := refused(t, 400, "invalid-request")(lea.CreatePerson(ctx, person))
	assert.Equal(t, "name", *(*p.Faults)[0].Where)
}

// Who may do what: every operation that changes something, asked in a form that
// the contract allows. What is not refused for the role may be for other
// reasons.
func TestWhoMayDoWhat(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	const reader, analyst, lead = "rea ana lea", "ana lea", "lea"
	asked := map[string]bool{}
	for _, c := range []struct{ operation, method, path, body, may string }{
		{"checkRulebook", "POST", "/api/rulebook/check", `{"text": "oskel: 1"}`, reader},
		{"compareRulebook", "POST", "/api/rulebook/compare", `{"with": 1}`, reader},
		{"placeRule", "POST", "/api/rulebook/rule", `{"text": "oskel: 1", "name": "quiet"}`, reader},
		{"placeDial", "POST", "/api/rulebook/dial", `{"text": "oskel: 1", "name": "floor", "value": "23%"}`, reader},
		{"rehearse", "POST", "/api/rehearsals", `{"rule": "quiet", "period": "2026-10"}`, reader},
		{"rehearseBook", "POST", "/api/rehearsals/book", `{"period": "2026-10"}`, reader},
		{"rehearseRouting", "POST", "/api/rehearsals/routing", `{"period": "2026-10"}`, reader},
		{"solveDial", "POST", "/api/rehearsals/solution", `{"dial": "floor", "period": "2026-10", "wanted": 1}`, reader},
		{"publishRevision", "POST", "/api/revisions", `{"text": "oskel: 1", "note": "n", "based_on": 9}`, analyst},
		{"restoreRevision", "POST", "/api/revisions/9/restoration", `{"note": "n", "based_on": 1}`, analyst},
		{"changeDial", "PUT", "/api/dials/none", `{"value": "23%", "note": "n", "based_on": 1}`, analyst},
		{"changeGrade", "PUT", "/api/grades/none", `{"label": "x", "tone": "red", "shape": "square", "note": "n", "based_on": 1}`, analyst},
		{"putDraft", "PUT", "/api/draft", `{"text": "oskel: 1", "based_on": 1, "version": 7}`, analyst},
		{"deleteDraft", "DELETE", "/api/draft", "", analyst},
		{"createIntake", "POST", "/api/intakes?into=feed&name=none", "x", analyst},
		{"revertIntake", "DELETE", "/api/intakes/99", "", analyst},
		{"createSweep", "POST", "/api/sweeps", `{"period": "2031-01"}`, analyst},
		{"closePeriod", "POST", "/api/closings", `{"period": "2026-09"}`, lead},
		{"reopenPeriod", "POST", "/api/closings/end", `{"period": "2026-09", "reason": "x"}`, lead},
		{"confirmClock", "POST", "/api/clock", "", lead},
		{"saveView", "POST", "/api/views", `{"name": "Mine", "query": {}}`, reader},
		{"deleteView", "DELETE", "/api/views/99999", "", reader},
		{"createPerson", "POST", "/api/people", `{"name": "rea", "display_name": "R", "role": "reviewer"}`, lead},
		{"orderRules", "POST", "/api/rulebook/order", `{"text": "oskel: 1", "names": ["quiet"]}`, reader},
		{"changePerson", "PUT", "/api/people/rob", `{"display_name": "Rob", "role": "reviewer", "desks": []}`, lead},
		{"resetPassword", "POST", "/api/people/nobody/one-time-password", "", lead},
		{"revokeToken", "DELETE", "/api/tokens/99999", "", reader},
		{"closePerson", "DELETE", "/api/people/nobody", "", lead},
		{"settleCleared", "POST", "/api/cases/cleared", `{}`, "rea lea"},                         // the cases of one's desks
		{"actOnCases", "POST", "/api/cases/acts", `{"cases": [{"id": 1}], "do": "take"}`, "lea"}, // the case of another desk than rea's
		{"undoOnCases", "POST", "/api/cases/undo", `{"cases": [1]}`, reader},                     // whoever did nothing is told so
		{"addCaseFile", "POST", "/api/cases/1/files?name=a.txt", "x", analyst},                   // the case of another desk than rea's
		{"removeCaseFile", "DELETE", "/api/cases/1/files/99", "", reader},
		{"addTodo", "POST", "/api/cases/1/todos", `{"text": "x", "due": "2026-01-01"}`, analyst},
		{"updateTodo", "PUT", "/api/todos/99", `{"done": true}`, reader},
		{"removeTodo", "DELETE", "/api/todos/99", "", reader},
		{"markNotificationsRead", "POST", "/api/notifications/read", `{"up_to": 1}`, reader},
		{"createAbsence", "POST", "/api/absences", `{"first": "2031-01-01", "last": "2031-01-02"}`, reader},
		{"deleteAbsence", "DELETE", "/api/absences/99999", "", reader},
		{"closeDataIssue", "POST", "/api/data-issues/99999/end", `{"text": "x"}`, reader},
		{"openCases", "POST", "/api/exceptions/cases", `{"exceptions": [99999]}`, reader},
		{"endSnooze", "DELETE", "/api/snoozes/99999", "", reader},
		{"changePassword", "PUT", "/api/session/password", `{"old": "wrong", "password": "another long one"}`, reader},
		{"signOut", "DELETE", "/api/session", "", reader},
	} {
		asked[c.operation] = true
		for _, person := range []string{"rea", "ana", "lea"} {
			s.as(person)
			r, err := http.NewRequest(c.method, s.url+c.path, strings.NewReader(c.body))
			require.NoError(t, err)
			r.Header.Set("Authorization", "Bearer "+s.tokens[person])
			r.Header.Set("Content-Type", "application/json")
			if c.operation == "createIntake" {
				r.Header.Set("Content-Type", "text/csv")
			}
			answer, err := http.DefaultClient.Do(r)
			require.NoError(t, err)
			said, err := io.ReadAll(answer.Body)
			require.NoError(t, err)
			assert.Equal(t, strings.Contains(c.may, person), answer.StatusCode != 403, "%s by %s: %s", c.operation, person, said)
			assert.NotContains(t, []int{401, 405, 500}, answer.StatusCode, "%s by %s: %s", c.operation, person, said)
			assert.NotContains(t, string(said), "There is nothing at", c.operation)
			assert.NotContains(t, string(said), "invalid-request", "%s by %s is not asked as the contract wants it", c.operation, person)
		}
	}
	spec, err := openapi3.NewLoader().LoadFromFile("../api/openapi.yaml")
	require.NoError(t, err)
	elsewhere := map[string]bool{"signIn": true, "useOneTimePassword": true, "createToken": true, "deleteToken": true} // in tests of their own
	for _, item := range spec.Paths.Map() {
		for method, operation := range item.Operations() {
			assert.True(t, method == "GET" || asked[operation.OperationID] || elsewhere[operation.OperationID], operation.OperationID)
		}
	}
}

func TestSessionsAndTokens(t *testing.T) {
	t.Parallel()
	s := small(t)
	c, err := client.NewClient(s.url)
	require.NoError(t, err)
	refused(t, 401, "wrong-credentials")(c.SignIn(ctx, client.Credentials{Name: "rea", Password: "wrong"}))
	refused(t, 401, "wrong-credentials")(c.SignIn(ctx, client.Credentials{Name: "nobody", Password: password}))
	r, err := c.SignIn(ctx, client.Credentials{Name: "rea", Password: password})
	require.NoError(t, err)
	var cookie *http.Cookie
	for _, c := range r.Cookies() {
		assert.True(t, c.HttpOnly)
		assert.Equal(t, http.SameSiteLaxMode, c.SameSite)
		if c.Name == "oskel_session" {
			cookie = c
		}
	}
	require.NotNil(t, cookie)
	get := func(method, site string) (*http.Response, error) {
		q, err := http.NewRequest(method, s.url+"/api/session", nil)
		require.NoError(t, err)
		q.AddCookie(cookie)
		q.Header.Set("Sec-Fetch-Site", site)
		return http.DefaultClient.Do(q)
	}
	assert.Equal(t, "rea", want[client.Person](t, 200)(get("GET", "same-origin")).Name)
	// Another site cannot act with the cookie.
	refused(t, 403, "cross-origin")(get("DELETE", "cross-site"))
	want[struct{}](t, 204)(get("DELETE", "same-origin"))
	refused(t, 401, "sign-in")(get("GET", "same-origin"))

	token := want[client.Token](t, 201)(c.CreateToken(ctx, client.NewToken{Name: "rea", Password: password}))
	signed := s.with(token.Token)
	want[struct{}](t, 204)(signed.DeleteToken(ctx))
	refused(t, 401, "sign-in")(signed.GetSession(ctx))
}

// What is not in the contract is a problem too, never a bare text.
func TestRequestsOutsideTheContract(t *testing.T) {
	t.Parallel()
	s := small(t)
	rea := want[client.Token](t, 201)(func() (*http.Response, error) {
		c, _ := client.NewClient(s.url)
		return c.CreateToken(ctx, client.NewToken{Name: "rea", Password: password})
	}()).Token
	cases := []struct {
		method, path, body string
		status             int
		kind               string
	}{
		{"GET", "/api/nothing", "", 404, "not-found"},
		{"PATCH", "/api/cases", "", 404, "not-found"},
		{"GET", "/api/exceptions", "", 400, "invalid-request"},
		{"GET", "/api/exceptions?period=2026-10&limit=0", "", 400, "invalid-request"},
		{"GET", "/api/exceptions?period=2026-10&sort=size", "", 400, "invalid-request"},
		{"GET", "/api/cases/one", "", 400, "invalid-request"},
		{"POST", "/api/cases/acts", `{"do": "take", "cases": [{"id": 1}], "extra": 1}`, 400, "invalid-request"},
		{"POST", "/api/cases/acts", `{"do": `, 400, "invalid-request"},
		{"POST", "/api/cases/acts", `{"do": "comment", "cases": [{"id": 1}], "text": "` + strings.Repeat("x", 9<<20) + `"}`, 413, "too-large"},
		{"GET", "/assets/none.js", "", 404, "not-found"},
	}
	for _, c := range cases {
		t.Run(fmt.Sprintf("%s %s", c.method, c.path), func(t *testing.T) {
			r, err := http.NewRequest(c.method, s.url+c.path, strings.NewReader(c.body))
			require.NoError(t, err)
			r.Header.Set("Authorization", "Bearer "+rea)
			if c.body != "" {
				r.Header.Set("Content-Type", "application/json")
			}
			refused(t, c.status, c.kind)(http.DefaultClient.Do(r))
		})
	}
}

func TestPublishing(t *testing.T) {
	t.Parallel()
	s := newService(t)
	defer s.stop()
	ana := s.as("ana")
	p := refused(t, 422, "rulebook-refused")(ana.PublishRevision(ctx,
		client.NewRevision{Text: strings.Replace(smallBook, "judges: rep", "juges: rep", 1), Note: "x"}))
	var texts []string
	for _, f := range *p.Faults {
		texts = append(texts, fmt.Sprintf("%d:%s %s", *f.Line, *f.Column, f.Text))
	}
	assert.Contains(t, strings.Join(texts, "\n"), `19:5 unknown key "juges"; did you mean judges?`)
	first := s.publish(smallBook, 0)
	assert.Equal(t, 1, first.Number)
	assert.Contains(t, first.Differences, "rule thin-margin: added")
	refused(t, 409, "nothing-to-publish")(ana.PublishRevision(ctx, client.NewRevision{Text: smallBook, Note: "again", BasedOn: at(1)}))

	// Two people at once: the second is told, with the difference.
	s.publish(strings.Replace(smallBook, "value: 22%", "value: 23%", 1), 1)
	p = refused(t, 409, "overtaken")(s.as("lea").PublishRevision(ctx, client.NewRevision{Text: smallBook, Note: "mine", BasedOn: at(1)}))
	assert.Equal(t, "dial floor: 22% becomes 23%", (*p.Faults)[0].Text)

	// A column that holds one thing cannot come to hold another.
	p = refused(t, 422, "feed-refused")(ana.PublishRevision(ctx,
		client.NewRevision{Text: strings.NewReplacer(", cost: money}", "}", "notes: [order_no]", "notes: [order_no, cost]", "sum: sales.cost",
			"sum: sales.net").Replace(smallBook), Note: "x", BasedOn: at(2)}))
	assert.Contains(t, *p.Detail, "the column cost of sales is stored as numeric(19,4) and cannot hold texts; give the new column another name")
	assert.Len(t, want[[]client.Revision](t, 200)(ana.ListRevisions(ctx)), 2)
	one := want[client.Revision](t, 200)(ana.GetRevision(ctx, 1))
	assert.Equal(t, smallBook, *one.Text)

	// Adding a column works, on a feed with lines too.
	s.load("register", "rep", smallReps)
	s.load("feed", "sales", smallSales)
	s.publish(strings.Replace(smallBook, "cost: money}", "cost: money, weight: count}", 1), 2)
	s.load("feed", "sales", "day,rep,net,cost,weight\n2026-10-09,R1,5,4,12.5\n")
	s.sweep("2026-10")

	report := want[client.CheckReport](t, 200)(s.as("rea").CheckRulebook(ctx, client.RulebookText{Text: smallBook}))
	assert.Empty(t, report.Problems)
	assert.Equal(t, []string{"feed sales: changed"}, report.Differences)
}
