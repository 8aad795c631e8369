package e2e

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

func (s *service) get(person, path string) (int, string) {
	s.t.Helper()
	s.as(person)
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, s.url+path, nil)
	require.NoError(s.t, err)
	r.Header.Set("Authorization", "Bearer "+s.tokens[person])
	res, err := http.DefaultClient.Do(r)
	require.NoError(s.t, err)
	defer res.Body.Close()
	body, err := io.ReadAll(res.Body)
	require.NoError(s.t, err)
	return res.StatusCode, string(body)
}

// Every list can be sorted by each of its columns, both ways, and paged
// through; what the service cannot mean is refused, not a fault of its own.
func TestListsEitherWay(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	for _, sort := range []string{"grade", "subject", "rule", "state", "stake", "desk"} {
		var ways [2][]string
		for i, descending := range []string{"false", "true"} {
			cursor := ""
			for range 10 {
				code, body := s.get("ana", "/api/exceptions?period=2026-10&limit=2&sort="+sort+"&descending="+descending+cursor)
				require.Equal(t, 200, code, "%s %s: %s", sort, descending, body)
				var page client.ExceptionPage
				require.NoError(t, json.Unmarshal([]byte(body), &page))
				for _, x := range page.Items {
					ways[i] = append(ways[i], x.Rule+" "+x.Key)
				}
				if page.Next == nil {
					break
				}
				cursor = "&cursor=" + *page.Next
			}
		}
		assert.Len(t, ways[0], 4, sort)
		assert.ElementsMatch(t, ways[0], ways[1], sort)
	}
	for _, sort := range []string{"due", "subject", "grade", "state", "desk"} {
		for _, descending := range []string{"false", "true"} {
			code, body := s.get("lea", "/api/cases?sort="+sort+"&descending="+descending)
			assert.Contains(t, []int{200, 400}, code, body)
		}
	}
	for _, path := range []string{
		"/api/exceptions?period=2026-10&cursor=99999999999999999999", "/api/exceptions?period=2026-10&cursor=9223372036854775807",
		"/api/exceptions?period=2026-10&cursor=-1", "/api/exceptions?period=2026-10&cursor=x", "/api/exceptions?period=2026-10&limit=0",
		"/api/exceptions?period=2026-13", "/api/exceptions?period=0000-01",
		"/api/table?measures=revenue&by=rep&period=2026-10&cursor=99999999999999999999",
		"/api/table?measures=revenue&by=rep&period=2026-10&sort=9999999999", "/api/table?measures=revenue&by=rep&period=2026-10&periods=9999999",
		"/api/registers/rep?cursor=99999999999999999999", "/api/targets/rep?cursor=99999999999999999999&period=2026-10",
		"/api/breakdown?measure=revenue&by=rep&key=R1&period=2026-10&cursor=99999999999999999999",
		"/api/exceptions/9223372036854775808", "/api/cases/9223372036854775807", "/api/revisions/2147483648", "/api/revisions/-1",
		"/api/sweeps?period=2026-99", "/api/calendar?year=999999",
	} {
		code, body := s.get("ana", path)
		assert.Less(t, code, 500, "%s: %s", path, body)
		assert.GreaterOrEqual(t, code, 200, path)
	}
	// A number that is none.
	for _, value := range []string{"1e400", "NaN", "Infinity", "-Infinity"} {
		r, err := s.as("ana").SolveDialWithBody(ctx, "application/json", strings.NewReader(`{"dial": "floor", "period": "2026-10", "wanted": `+value+`}`))
		require.NoError(t, err)
		assert.Equal(t, 400, r.StatusCode, value)
	}
	r, err := s.as("ana").SolveDial(ctx, client.SolveRequest{Dial: "floor", Period: "2026-10", Wanted: float64(math.MaxFloat32)})
	require.NoError(t, err)
	assert.Less(t, r.StatusCode, 500)
}

// A filter that names nothing is an error that says what was meant; labels and
// titles are understood as well as names.
func TestFiltersAreUnderstood(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	count := func(query string) int {
		code, body := s.get("ana", "/api/exceptions?period=2026-10&"+query)
		require.Equal(t, 200, code, body)
		var page client.ExceptionPage
		require.NoError(t, json.Unmarshal([]byte(body), &page))
		return page.Total
	}
	for name, label := range map[string]string{"grade=act": "grade=Act+now", "rule=thin-margin": "rule=Thin+margin", "desk=south": "desk=South+desk",
		"kind=rep": "kind=Reps"} {
		assert.Positive(t, count(name))
		assert.Equal(t, count(name), count(label), label)
	}
	for query, meant := range map[string]string{"grade=actt": "act", "rule=thin-margn": "thin-margin", "desk=suoth": "south", "kind=rap": "rep"} {
		code, body := s.get("ana", "/api/exceptions?period=2026-10&"+query)
		assert.Equal(t, 400, code, query)
		assert.Contains(t, body, "did you mean "+meant, query)
	}
	p := refused(t, 404, "not-found")(s.as("ana").ListUses(ctx, &client.ListUsesParams{Name: "revenu"}))
	assert.Contains(t, *p.Detail, "did you mean revenue?")
}

// The command line and the service write the same CSV: with stake, value and
// desk, numbers as numbers, and no cell that a spreadsheet would run.
func TestExceptionsAsAFile(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.load("register", "rep", "rep,name,territory\nR2,\"=cmd|'/c calc'!A1\",South\n")
	s.sweep("2026-10")
	code, fromService := s.get("ana", "/api/exceptions.csv?period=2026-10")
	require.Equal(t, 200, code)
	status, fromCommand, errs := s.oskel("ana", "exceptions", "-period", "2026-10", "-format", "csv")
	require.Equal(t, 0, status, errs)
	assert.Equal(t, strings.ReplaceAll(fromService, "\r\n", "\n"), strings.ReplaceAll(fromCommand, "\r\n", "\n"))
	rows, err := csv.NewReader(strings.NewReader(strings.TrimPrefix(fromService, "\uFEFF"))).ReadAll()
	require.NoError(t, err)
	require.Len(t, rows, 5)
	at := map[string]int{}
	for i, head := range rows[0] {
		at[head] = i
	}
	for _, head := range []string{"stake", "value", "desk", "grade", "key", "sentence"} {
		assert.Contains(t, at, head)
	}
	for _, row := range rows[1:] {
		if row[at["rule"]] == "behind" && row[at["key"]] == "R2" {
			assert.Equal(t, "999.9999", row[at["value"]])
		}
		for _, cell := range row {
			assert.NotContains(t, []string{"=", "+", "@"}, (cell + " ")[:1], cell)
		}
	}
	dir := t.TempDir()
	for _, kind := range []string{"csv", "json", "xlsx", "parquet"} {
		file := filepath.Join(dir, "x."+kind)
		status, _, errs = s.oskel("", "exceptions", "-period", "2026-10", "-sort", "subject", "-o", file)
		require.Equal(t, 0, status, errs)
		info, err := os.Stat(file)
		require.NoError(t, err)
		assert.Positive(t, info.Size())
	}
	// No rows are [], never null.
	for _, args := range [][]string{{"exceptions", "-period", "2026-10", "-rule", "quiet", "-grade", "act"}, {"cases", "-state", "settled"},
		{"sweeps", "-period", "2026-09"}} {
		status, out, errs := s.oskel("", append(args, "-format", "json")...)
		assert.Equal(t, 0, status, errs)
		assert.Contains(t, out, "[]", args)
		assert.NotContains(t, out, "null", args)
	}
	// A list is sorted by any of its columns and written to a file.
	status, out, errs := s.oskel("", "rulebook", "measures", "-sort", "title", "-descending")
	assert.Equal(t, 0, status, errs)
	assert.Less(t, strings.Index(out, "Revenue"), strings.Index(out, "Cost"))
	status, _, errs = s.oskel("", "rulebook", "measures", "-sort", "titel")
	assert.Equal(t, 2, status)
	assert.Contains(t, errs, "title")
	status, _, errs = s.oskel("", "person", "list", "-o", filepath.Join(dir, "people.xlsx"))
	assert.Equal(t, 0, status, errs)
}

// An exception that no sweep of the last hundred has written is still found,
// with what it was.
func TestAnExceptionOfLongAgo(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	id := s.exceptions("2026-10")["behind R2"].Id
	for i := range 101 {
		s.publish(strings.Replace(smallBook, "title: Small", "title: Small "+strings.Repeat("i", i+1), 1), i+1)
		s.sweep("2026-09")
	}
	d := want[client.ExceptionDetail](t, 200)(s.as("ana").GetException(ctx, id, nil))
	assert.Equal(t, "R2", d.Exception.Key)
}

// A desk of more than a thousand cases is listed to its end, page by page.
func TestADeskOfManyCases(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	var register strings.Builder
	register.WriteString("rep,name,territory,active_from,active_to\n")
	for i := range 1234 {
		fmt.Fprintf(&register, "X%04d,Made-Up %d,North,,\n", i, i)
	}
	s.load("register", "rep", smallReps+strings.TrimPrefix(register.String(), "rep,name,territory,active_from,active_to\n"))
	_, err := s.pool(t).Exec(ctx, "insert into cases (kind, code, key, name, sentence, items, desk, grade, severity, due) select kind, code, key, key, "+
		"'What it is about', 1, 'north', 'look', 1, date '2026-11-01' + code % 60 from subjects where key like 'X%'")
	require.NoError(t, err)
	first := want[client.CasePage](t, 200)(s.as("lea").ListCases(ctx, &client.ListCasesParams{Desk: ptr("north")}))
	require.Len(t, first.Items, 100)
	assert.Greater(t, first.Total, 1234)
	assert.Greater(t, first.Late, 300)
	seen, cursor := map[int64]bool{}, first.Next
	for _, c := range first.Items {
		seen[c.Id] = true
	}
	for cursor != nil {
		page := want[client.CasePage](t, 200)(s.as("lea").ListCases(ctx, &client.ListCasesParams{Desk: ptr("north"), Limit: ptr(1000), Cursor: cursor}))
		for i, c := range page.Items {
			assert.False(t, seen[c.Id], "twice")
			seen[c.Id] = true
			if i > 0 {
				assert.False(t, c.Due.Before(page.Items[i-1].Due.Time), "by due day")
			}
		}
		cursor = page.Next
	}
	assert.Len(t, seen, first.Total)
	code, out, errs := s.oskel("lea", "cases", "-desk", "north", "-format", "csv")
	assert.Equal(t, 0, code, errs)
	assert.Equal(t, first.Total+1, strings.Count(out, "\n"))
	// What is counted of many is at most a moment old.
	_, err = s.pool(t).Exec(ctx, "update cases set state = 'settled', finding = 'explained', settled_by = 'lea', settled_at = now() where name like "+
		"'X%' and state = 'open' and id % 2 = 0")
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		return want[client.CasePage](t, 200)(s.as("lea").ListCases(ctx, &client.ListCasesParams{Desk: ptr("north")})).Total == first.Total-617
	}, 20*time.Second, 50*time.Millisecond)
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("lea", password, "/desk?desk=north"), p.Sees("late"), p.Until("document.querySelectorAll('main li').length === 100"),
		p.ClickText("More cases"), p.Until("document.querySelectorAll('main li').length === 200"))
}

// What every rule says of one subject, in the words of the sweep, at the command line
// and by the API: flagged, clear, without data, of another kind.
func TestWhy(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	d := want[client.SubjectVerdicts](t, 200)(s.as("rea").ListVerdicts(ctx, &client.ListVerdictsParams{Key: "R2", Period: "2026-10"}))
	assert.Equal(t, "rep R2 Bera Made-Up", strings.Join([]string{d.Kind, d.Key, d.Name}, " "))
	assert.Equal(t, map[string]string{"territory": "South"}, d.Attributes)
	flagged := s.exceptions("2026-10")
	for _, v := range d.Verdicts {
		if e, ok := flagged[v.Rule+" R2"]; ok {
			assert.Equal(t, e.Sentence, v.Sentence)
			assert.Equal(t, e.Grade, v.Grade)
		} else {
			assert.Empty(t, v.Grade, v.Rule)
		}
	}
	require.Len(t, d.Verdicts, 3)
	assert.Equal(t, "10.0%", *d.Verdicts[0].Held)
	assert.Equal(t, "18.0%", *d.Verdicts[0].Cut)
	assert.Equal(t, "8.0%", *d.Verdicts[0].Away)

	none := want[client.SubjectVerdicts](t, 200)(s.as("rea").ListVerdicts(ctx,
		&client.ListVerdictsParams{Key: "South", Kind: ptr("rep.territory"), Period: "2026-10"}))
	assert.Empty(t, none.Verdicts)
	assert.Equal(t, 3, none.Elsewhere)
	gone := want[client.SubjectVerdicts](t, 200)(s.as("rea").ListVerdicts(ctx, &client.ListVerdictsParams{Key: "R4", Period: "2026-10"}))
	for _, v := range gone.Verdicts {
		assert.Equal(t, client.SubjectVerdictOutcome("not judged"), v.Outcome, v.Rule)
	}
	refused(t, 404, "not-found")(s.as("rea").ListVerdicts(ctx, &client.ListVerdictsParams{Key: "R99", Period: "2026-10"}))
	refused(t, 400, "unknown-level")(s.as("rea").ListVerdicts(ctx, &client.ListVerdictsParams{Key: "R2", Kind: ptr("ship"), Period: "2026-10"}))

	code, out, errs := s.oskel("rea", "exceptions", "verdicts", "-period", "2026-10", "R2")
	assert.Equal(t, 0, code, errs)
	assert.Contains(t, out, "rep R2 (Bera Made-Up), Oct 2026")
	assert.Regexp(t, `Act now +thin-margin +10\.0% +18\.0% +8\.0% +Margin rate is 10\.0%, below 18%\.`, out)
	code, _, errs = s.oskel("rea", "exceptions", "verdicts", "R2")
	assert.Equal(t, 2, code, errs)

	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("rea", password, "/subjects/rep/R2?period=2026-10"), p.Sees("Bera Made-Up"), p.Sees("Margin rate is 10.0%, below 18%."), p.Sees("South"))
	found, err := p.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)

	// Before anything has come in the page says so.
	empty := newService(t)
	t.Cleanup(empty.stop)
	q := screen(t, empty, 1280, 800)
	do(t, q.SignIn("lea", password, "/subjects/rep/R1"), q.Sees("No data yet"))
	do(t, p.Go("/subjects/rep/R99?period=2026-10"), p.Sees("There is no rep"))
}
