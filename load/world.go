package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/jackc/pgx/v5/pgxpool"
)

// world is a service with one desk, and the people who work there.
type world struct {
	url    string
	tokens []string
}

var visitor = &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 1000, MaxConnsPerHost: 1000}}

// ask makes one call and gives its status and body.
func ask(method, url, token, content string, body []byte) (int, []byte, error) {
	r, err := http.NewRequest(method, url, bytes.NewReader(body))
	if err != nil {
		return 0, nil, err
	}
	r.Header.Set("Authorization", "Bearer "+token)
	if content != "" {
		r.Header.Set("Content-Type", content)
	}
	answer, err := visitor.Do(r)
	if err != nil {
		return 0, nil, err
	}
	defer answer.Body.Close()
	text, err := io.ReadAll(answer.Body)
	return answer.StatusCode, text, err
}

func (w *world) token(name string) string {
	status, text, err := ask("POST", w.url+"/api/tokens", "", "application/json", fmt.Appendf(nil, `{"name": %q, "password": %q}`, name, password))
	check(err)
	var out struct{ Token string }
	if status != 201 || json.Unmarshal(text, &out) != nil {
		check(fmt.Errorf("signing in %s: %d %s", name, status, text))
	}
	return out.Token
}

const rulebook = `oskel: 1
title: Load
kinds: {rep: {title: Rep}}
feeds: {sales: {title: Order lines, date: day, subjects: {rep: rep}, numbers: {net: money}}}
grades: [{name: look, label: Look, tone: amber, shape: half pennant}]
measures: {revenue: {title: Revenue, sum: sales.net, unit: money}}
rules: [{name: small, title: Small month, judges: rep, threshold: {of: revenue, bands: [{grade: look, below: 100000}, {clear: rest}]}}]
desks: [{name: desk, title: Desk}]
routes: [{otherwise: desk}]
`

// fill loads a book and lines by which every rep has a case, and says how long the sweep
// took that made them.
func (w *world) fill() (swept time.Duration) {
	ana := w.token("ana")
	must := func(status int, text []byte, err error) {
		check(err)
		if status >= 300 {
			check(fmt.Errorf("filling the desk: %d %s", status, text))
		}
	}
	book, err := json.Marshal(map[string]any{"text": rulebook, "note": "load", "based_on": 0})
	check(err)
	must(ask("POST", w.url+"/api/revisions", ana, "application/json", book))
	var reps, sales strings.Builder
	reps.WriteString("rep,name\n")
	sales.WriteString("day,rep,net\n")
	for i := range *cases {
		fmt.Fprintf(&reps, "R%06d,Made-Up %d\n", i, i)
		fmt.Fprintf(&sales, "2026-10-%02d,R%06d,%d\n", 1+i%30, i, 1+i)
	}
	must(ask("POST", w.url+"/api/intakes?into=register&name=rep", ana, "text/csv", []byte(reps.String())))
	must(ask("POST", w.url+"/api/intakes?into=feed&name=sales", ana, "text/csv", []byte(sales.String())))
	began := time.Now()
	must(ask("POST", w.url+"/api/sweeps", ana, "application/json", []byte(`{"period": "2026-10"}`)))
	return time.Since(began)
}

func (w *world) signIn() {
	w.tokens = make([]string, *howMany)
	var wait sync.WaitGroup
	turn := make(chan struct{}, 4)
	for i := range w.tokens {
		turn <- struct{}{}
		wait.Go(func() { w.tokens[i] = w.token(reviewer(i)); <-turn })
	}
	wait.Wait()
}

// idsOf finds the cases of a list. A decoder would take as long as the service does.
func idsOf(list []byte) (ids []string) {
	for {
		_, rest, found := bytes.Cut(list, []byte(`"id":`))
		if !found {
			return ids
		}
		id, rest, _ := bytes.Cut(rest, []byte(","))
		ids = append(ids, string(id))
		list = rest
	}
}

// operations are what people do, as they are counted.
var operations = []string{"list", "read", "take", "comment", "settle"}

// work has everybody work for a while: look at the list, read some cases, take one,
// comment on it, settle it. Somebody else may have taken a case first: then on to the next.
func (w *world) work(length time.Duration) *measured {
	out := newMeasured()
	var wait sync.WaitGroup
	until := time.Now().Add(length)
	for i, token := range w.tokens {
		wait.Go(func() {
			dice := rand.New(rand.NewPCG(7, uint64(i)))
			call := func(op, method, path, body string, expected ...int) (int, []byte) {
				began := time.Now()
				content := ""
				if body != "" {
					content = "application/json"
				}
				status, text, err := ask(method, w.url+path, token, content, []byte(body))
				out.add(op, time.Since(began), err == nil && slices.Contains(expected, status), fmt.Sprint(status, " ", string(text[:min(len(text), 300)]), err))
				return status, text
			}
			for time.Now().Before(until) {
				_, text := call("list", "GET", fmt.Sprintf("/api/cases?mine=true&state=open&limit=50&cursor=%d", 50*dice.IntN(4)), "", 200)
				listed := idsOf(text)
				if len(listed) == 0 {
					continue
				}
				for range 6 {
					call("read", "GET", fmt.Sprintf("/api/cases/%s", listed[dice.IntN(len(listed))]), "", 200)
				}
				id := listed[dice.IntN(len(listed))]
				if status, _ := call("take", "POST", "/api/cases/acts", fmt.Sprintf(`{"do": "take", "cases": [{"id": %s}]}`, id), 200, 409); status != 200 {
					out.lose()
					continue
				}
				call("comment", "POST", "/api/cases/acts", fmt.Sprintf(`{"do": "comment", "cases": [{"id": %s}],
					"text": "Asked the rep; waiting for the invoice."}`, id), 200)
				call("settle", "POST", "/api/cases/acts", fmt.Sprintf(`{"do": "settle", "cases": [{"id": %s}], "finding": "explained", "text": "On leave"}`, id), 200)
			}
		})
	}
	wait.Wait()
	return out.done(length)
}

// beside has ten files loaded at once, and ten people look at their desk meanwhile.
func (w *world) beside(lines int) *measured {
	ana := w.token("ana")
	var loads, looks sync.WaitGroup
	began, over := time.Now(), make(chan struct{})
	for n := range 10 {
		var file strings.Builder
		file.WriteString("day,rep,net\n")
		for i := range lines {
			fmt.Fprintf(&file, "2026-%02d-%02d,R%06d,%d\n", 1+n, 1+i%28, i%*cases, i)
		}
		body := []byte(file.String())
		loads.Go(func() {
			status, text, err := ask("POST", w.url+"/api/intakes?into=feed&name=sales&allow_duplicates=true", ana, "text/csv", body)
			check(err)
			if status != 201 {
				check(fmt.Errorf("loading: %d %s", status, text))
			}
		})
	}
	out := newMeasured()
	for i := range min(10, len(w.tokens)) {
		looks.Go(func() {
			for {
				select {
				case <-over:
					return
				case <-time.After(100 * time.Millisecond): // as people do, and not as fast as they can
				}
				for _, path := range []string{"/api/cases?mine=true&limit=50", "/api/session"} {
					began := time.Now()
					status, text, err := ask("GET", w.url+path, w.tokens[i], "", nil)
					out.add("beside", time.Since(began), err == nil && status == 200, string(text[:min(len(text), 200)]))
				}
			}
		})
	}
	loads.Wait()
	close(over)
	looks.Wait()
	return out.done(time.Since(began))
}

// bare is a handler that runs one indexed query, asked by as many at once.
func (w *world) bare(ctx context.Context, database string, length time.Duration) *measured {
	pool, err := pgxpool.New(ctx, database+"?pool_max_conns=8")
	check(err)
	defer pool.Close()
	gin.SetMode(gin.ReleaseMode)
	engine := gin.New()
	engine.GET("/case/:id", func(c *gin.Context) {
		var out struct {
			Name, Sentence, State string
			Version               int
		}
		if err := pool.QueryRow(c, "select name, sentence, state, version from cases where id = $1", c.Param("id")).Scan(&out.Name, &out.Sentence,
			&out.State, &out.Version); err != nil {
			c.Status(500)
			return
		}
		c.JSON(200, out)
	})
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	check(err)
	server := &http.Server{Handler: engine}
	go server.Serve(listener) //nolint:errcheck // it is closed below
	defer server.Close()
	out := newMeasured()
	var wait sync.WaitGroup
	until := time.Now().Add(length)
	for i := range w.tokens {
		wait.Go(func() {
			dice := rand.New(rand.NewPCG(9, uint64(i)))
			for time.Now().Before(until) {
				began := time.Now()
				status, text, err := ask("GET", fmt.Sprintf("http://%s/case/%d", listener.Addr(), 1+dice.IntN(*cases)), "", "", nil)
				out.add("bare", time.Since(began), err == nil && status == 200, string(text))
			}
		})
	}
	wait.Wait()
	return out.done(length)
}

// hold checks that no case was taken twice, or settled by another than who took it.
func (w *world) hold(ctx context.Context, database string) {
	pool, err := pgxpool.New(ctx, database)
	check(err)
	defer pool.Close()
	var twice, foreign, untold int
	check(pool.QueryRow(ctx, `select
		(select count(*) from (select case_id from case_events where what = 'taken' group by case_id having count(*) > 1) t),
		(select count(*) from cases c where state = 'settled' and not exists (select from case_events e where e.case_id = c.id and e.what = 'taken'
			and e.author = c.settled_by)),
		(select count(*) from cases c where state <> 'open' and not exists (select from case_events e where e.case_id = c.id
			and e.what = 'taken'))`).Scan(&twice, &foreign, &untold))
	if twice+foreign+untold > 0 {
		check(fmt.Errorf("%d cases were taken twice, %d settled by another than took them, %d have no trail", twice, foreign, untold))
	}
}
