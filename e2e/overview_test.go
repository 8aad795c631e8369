package e2e

import (
	"encoding/csv"
	"io"
	"net/http"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

// The overview's counts are those of the list, by grade, kind, rule and desk.
func TestOverviewAgreesWithTheList(t *testing.T) {
	s := demoService(t)
	c := s.as("nell")
	for _, period := range []string{"2026-10", "2026-09", "2026-03"} {
		limit := 1000
		list := want[client.ExceptionPage](t, 200)(c.ListExceptions(ctx, &client.ListExceptionsParams{Period: period, Limit: &limit})).Items
		o := want[client.Overview](t, 200)(c.GetOverview(ctx, &client.GetOverviewParams{Period: period}))
		for name, group := range map[string][]client.Counts{"grade": o.Grades, "kind": o.Kinds, "rule": o.Rules, "desk": o.Desks} {
			for _, counts := range group {
				got := map[client.ExceptionState]int{}
				for _, e := range list {
					if (map[string]string{"grade": e.Grade, "kind": e.Kind, "rule": e.Rule, "desk": e.Desk})[name] == counts.Name {
						got[e.State]++
					}
				}
				assert.Equal(t, []int{got["raised"], got["standing"], got["cleared"]}, []int{counts.Raised, counts.Standing, counts.Cleared}, "%s %s in %s", name,
					counts.Name, period)
			}
		}
		assert.Equal(t, period, o.Sweep.Period)
		assert.Equal(t, o.Sweep.Raised+o.Sweep.Standing+o.Sweep.Cleared, len(list))
	}
	empty := want[client.Overview](t, 200)(c.GetOverview(ctx, &client.GetOverviewParams{Period: "2019-01"}))
	assert.Equal(t, "no lines", empty.State)
	assert.Nil(t, empty.Sweep)
	refused(t, 400, "invalid-request")(c.GetOverview(ctx, &client.GetOverviewParams{Period: "last month"}))
}

// The verdicts of a rule are never two at once: breach, clear, no data and not
// judged add up to everybody in scope.
func TestVerdictsAddUp(t *testing.T) {
	s := demoService(t)
	period := "2026-10"
	rules := want[[]client.Rule](t, 200)(s.as("nell").ListRules(ctx, &client.ListRulesParams{Period: &period}))
	require.Len(t, rules, 18)
	for _, r := range rules {
		require.NotNil(t, r.Tally, r.Name)
		sum := r.Tally.Clear + r.Tally.NoData
		for _, n := range r.Tally.Breach {
			sum += n
		}
		for _, n := range r.Tally.NotJudged {
			sum += n
		}
		assert.Equal(t, r.Tally.Subjects, sum, r.Name)
		assert.False(t, r.Tally.Crowded, r.Name)
	}
	without := want[[]client.Rule](t, 200)(s.as("nell").ListRules(ctx, &client.ListRulesParams{}))
	assert.Nil(t, without[0].Tally)
}

func TestExportsHoldWhatTheListHolds(t *testing.T) {
	s := demoService(t)
	c := s.as("nell")
	read := func(r *http.Response, err error) [][]string {
		require.NoError(t, err)
		defer r.Body.Close()
		require.Equal(t, 200, r.StatusCode)
		assert.Contains(t, r.Header.Get("Content-Type"), "text/csv")
		rows, err := csv.NewReader(r.Body).ReadAll()
		require.NoError(t, err)
		return rows
	}
	act := "act"
	list := want[client.ExceptionPage](t, 200)(c.ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-10", Grade: &act})).Items
	rows := read(c.ExportExceptions(ctx, &client.ExportExceptionsParams{Period: "2026-10", Grade: &act}))
	require.Len(t, rows, len(list)+1)
	for i, e := range list {
		assert.Equal(t, []string{e.Key, e.Name, e.Sentence}, []string{rows[i+1][6], rows[i+1][7], rows[i+1][15]})
	}
	by := "rep.territory"
	table := read(c.ExportTable(ctx, &client.ExportTableParams{Measures: "revenue,margin_rate", By: &by, Period: "2026-10"}))
	assert.Equal(t, []string{"key", "name", "revenue 2026-10", "margin_rate 2026-10"}, table[0])
	assert.Len(t, table, 7)
}

// The console is served with the headers that keep it safe and quick, packed
// where the browser takes it, and its pages are its own.
func TestConsoleIsServed(t *testing.T) {
	s := demoService(t)
	get := func(path, encoding string) (*http.Response, string) {
		r, err := http.NewRequest("GET", s.url+path, nil)
		require.NoError(t, err)
		r.Header.Set("Accept-Encoding", encoding)
		answer, err := http.DefaultTransport.RoundTrip(r)
		require.NoError(t, err)
		defer answer.Body.Close()
		body, err := io.ReadAll(answer.Body)
		require.NoError(t, err)
		return answer, string(body)
	}
	page, body := get("/exceptions?period=2026-10", "identity")
	assert.Equal(t, 200, page.StatusCode)
	assert.Equal(t, "no-cache", page.Header.Get("Cache-Control"))
	assert.Contains(t, page.Header.Get("Content-Security-Policy"), "frame-ancestors 'none'")
	assert.Equal(t, "nosniff", page.Header.Get("X-Content-Type-Options"))
	script := regexp.MustCompile(`/assets/index-[^"]+\.js`).FindString(body)
	require.NotEmpty(t, script)
	plain, code := get(script, "identity")
	assert.Contains(t, plain.Header.Get("Cache-Control"), "immutable")
	for _, coding := range []string{"br", "gzip"} {
		packed, bytes := get(script, coding)
		assert.Equal(t, coding, packed.Header.Get("Content-Encoding"))
		assert.Less(t, len(bytes), len(code)/2)
	}
	missing, _ := get("/assets/index-none.js", "identity")
	assert.Equal(t, 404, missing.StatusCode)
	secret, _ := get("/../../etc/passwd", "identity")
	assert.NotContains(t, secret.Header.Get("Content-Type"), "octet")
	api, _ := get("/api/rules", "identity")
	assert.Equal(t, 401, api.StatusCode)
	assert.Equal(t, "no-store", api.Header.Get("Cache-Control"))
}
