package e2e

import (
	"encoding/json"
	"encoding/xml"
	"io"
	"net/http"
	"strings"
	"testing"

	ics "github.com/arran4/golang-ical"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

// plain asks without a client, as programs do that only know an address.
func (s *service) plain(t *testing.T, path, token string) (int, string, http.Header) {
	r, err := http.NewRequest("GET", s.url+path, nil)
	require.NoError(t, err)
	if token != "" {
		r.Header.Set("Authorization", "Bearer "+token)
	}
	answer, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	defer answer.Body.Close()
	body, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	return answer.StatusCode, string(body), answer.Header
}

// A calendar program reads coming sweeps and due days by address alone, each reviewer
// their own desk's; a feed reader what was newly flagged.
func TestFeedsForOtherPrograms(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.publish(smallBook+"sweeps: [{each: month, after: 2 working days}]\n", 1)
	s.sweep("2026-10")
	token := s.scoped("rea", "read", 1)
	code, body, head := s.plain(t, "/api/feeds/calendar.ics?token="+token, "")
	require.Equal(t, 200, code, body)
	assert.Contains(t, head.Get("Content-Type"), "text/calendar")
	assert.NotContains(t, strings.ReplaceAll(body, "\r\n", ""), "\n", "lines end as the standard says")
	c, err := ics.ParseCalendar(strings.NewReader(body))
	require.NoError(t, err)
	told := map[string]string{}
	for _, e := range c.Events() {
		told[e.GetProperty(ics.ComponentPropertySummary).Value] = e.GetProperty(ics.ComponentPropertyDtStart).Value
	}
	assert.Contains(t, told, "Sweep of Nov 2026")
	north := want[client.CasePage](t, 200)(s.as("rea").ListCases(ctx, &client.ListCasesParams{Desk: ptr("north")}))
	due := 0
	for what := range told {
		if strings.HasPrefix(what, "Due: ") {
			due++
		}
	}
	assert.Equal(t, north.Total, due, "the cases of one's desks, and no others")

	code, body, head = s.plain(t, "/api/feeds/exceptions.atom?token="+token, "")
	require.Equal(t, 200, code, body)
	assert.Contains(t, head.Get("Content-Type"), "application/atom+xml")
	var feed struct {
		Title   string `xml:"title"`
		Entries []struct {
			ID, Title, Summary, Updated string
		} `xml:"entry"`
	}
	require.NoError(t, xml.Unmarshal([]byte(strings.ReplaceAll(strings.ReplaceAll(body, "<id>", "<ID>"), "</id>", "</ID>")), &feed))
	raised := want[client.ExceptionPage](t, 200)(s.as("rea").ListExceptions(ctx,
		&client.ListExceptionsParams{Period: "2026-10", State: ptr(client.ListExceptionsParamsState("raised"))}))
	assert.Len(t, feed.Entries, raised.Total)
	want[client.View](t, 200)(s.as("rea").SaveView(ctx, client.NewView{Name: "Mine", Query: &client.ViewQuery{Rule: ptr("thin-margin")}}))
	code, body, _ = s.plain(t, "/api/feeds/exceptions.atom?view=mine&token="+token, "")
	assert.Equal(t, 200, code)
	assert.Contains(t, body, "Oskel: Mine")
	assert.Less(t, strings.Count(body, "<entry>"), raised.Total)
	code, _, _ = s.plain(t, "/api/feeds/exceptions.atom?view=unassigned&token="+token, "")
	assert.Equal(t, 404, code)

	// Only feeds may be asked by address, and only with a token that is valid.
	for _, path := range []string{"/api/feeds/calendar.ics", "/api/feeds/calendar.ics?token=oskel_WRONG", "/api/rulebook?token=" + token} {
		code, _, _ = s.plain(t, path, "")
		assert.Equal(t, 401, code, path)
	}
}

// Who watches over the service reads how it does.
func TestMetrics(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.publish(smallBook+"sweeps: [{each: month, after: 2 working days, waits_for: [sales], at_the_latest: 250 days, looks_back: 1 period}]\n", 1)
	s.sweep("2026-10")
	code, _, _ := s.plain(t, "/metrics", "")
	assert.Equal(t, 401, code)
	s.as("rea")
	code, body, head := s.plain(t, "/metrics", s.tokens["rea"])
	require.Equal(t, 200, code, body)
	assert.Contains(t, head.Get("Content-Type"), "text/plain")
	for _, line := range []string{"oskel_sweeps 1", "oskel_revision 2", "oskel_data_version 3", `oskel_planned_periods{each="month",state="coming"} 1`,
		`oskel_planned_periods{each="month",state="swept"} 1`, "oskel_sweeps_failing 0", `oskel_cases_unsettled{desk="north"}`,
		`oskel_request_seconds_count{method="POST",route="/api/sweeps",status="201"} 1`} {
		assert.Contains(t, body, line)
	}
	r, err := http.NewRequest("GET", s.url+"/metrics", nil)
	require.NoError(t, err)
	r.Header.Set("Authorization", "Bearer "+s.tokens["rea"])
	r.Header.Set("Accept", "application/openmetrics-text; version=1.0.0")
	answer, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	text, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	answer.Body.Close()
	assert.Contains(t, answer.Header.Get("Content-Type"), "application/openmetrics-text")
	assert.True(t, strings.HasSuffix(string(text), "# EOF\n"))
}

// Any SQL client reads the views, as a role that can read nothing else and change
// nothing; they say what the service says.
func TestReportingViews(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-09")
	s.sweep("2026-10")
	want[client.PeriodState](t, 200)(s.as("lea").ClosePeriod(ctx, client.NewClosing{Period: "2026-10", Note: ptr("Reported")}))
	db := s.pool(t)
	tx, err := db.Begin(ctx)
	require.NoError(t, err)
	defer tx.Rollback(ctx) //nolint:errcheck // it only reads
	_, err = tx.Exec(ctx, "set local role oskel_reading")
	require.NoError(t, err)
	one := func(sql string) (n int) {
		t.Helper()
		require.NoError(t, tx.QueryRow(ctx, sql).Scan(&n), sql)
		return n
	}
	page := want[client.ExceptionPage](t, 200)(s.as("rea").ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-10"}))
	assert.Equal(t, page.Total, one("select count(*) from reporting.exceptions where grain = 'month' and starts = '2026-10-01'"))
	assert.Equal(t, 1, one("select count(*) from reporting.periods where starts = '2026-10-01' and closed_by = 'lea' and closing_note = 'Reported'"))
	assert.Equal(t, 2, one("select count(*) from reporting.sweeps"))
	assert.Equal(t, 4, one("select count(*) from reporting.subjects where kind = 'rep' and attributes ->> 'territory' is not null"))
	assert.Positive(t, one("select count(*) from reporting.cases where state = 'open'"))
	assert.Equal(t, 3, one("select count(*) from reporting.figures_swept where starts = '2026-10-01' and rule = 'behind' and outcome <> 'not judged'"),
		"flagged or not")
	assert.Equal(t, 1, one("select count(*) from reporting.figures_swept where starts = '2026-10-01' and rule = 'thin-margin' and key = 'R1' and "+
		"outcome = 'clear' and unit = 'percent' and round(value::numeric, 6) = 0.22"))
	assert.Equal(t, 1, one("select count(distinct sweep) from reporting.figures_swept where starts = '2026-10-01'"), "of the last sweep alone")
	assert.Positive(t, one("select sum(flagged)::int from reporting.rules_swept where starts = '2026-10-01'"))
	assert.Zero(t, one("select count(*) from reporting.findings"))
	r, err := s.as("rea").ExportExceptionFile(ctx, &client.ExportExceptionFileParams{Form: "json", Period: "2026-10"})
	require.NoError(t, err)
	var rows []map[string]any
	require.NoError(t, json.NewDecoder(r.Body).Decode(&rows))
	compared := 0
	for _, row := range rows {
		var value, stake *float64
		require.NoError(t, tx.QueryRow(ctx, "select round(value, 4)::float8, stake::float8 from reporting.exceptions where exception = $1",
			int64(row["id"].(float64))).Scan(&value, &stake))
		if value != nil { // of a silence there are days, and no measure
			compared++
			assert.InDelta(t, row["value"], *value, 0.00011)
		}
		assert.Equal(t, row["stake"] == nil, stake == nil)
	}
	assert.Positive(t, compared)
	for _, sql := range []string{"select * from public.people", "delete from reporting.cases", "select * from public.exceptions",
		"update reporting.cases set desk = 'x'"} {
		nested, err := tx.Begin(ctx)
		require.NoError(t, err)
		_, err = nested.Exec(ctx, sql)
		assert.ErrorContains(t, err, "permission denied", sql)
		require.NoError(t, nested.Rollback(ctx))
	}
}
