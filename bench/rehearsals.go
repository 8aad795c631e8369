package main

import (
	"context"
	"encoding/json"
	"fmt"
	"log"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/measure"
	"oskel/internal/app"
	"oskel/internal/books"
	"oskel/internal/client"
	"oskel/internal/figures"
	"oskel/internal/people"
	"oskel/internal/store"
)

// A rule with the SQL that finds the same subjects, by key; m(g) is the net
// and cost of each g in October 2026.
type verified struct{ rule, sql string }

const october = "day between '2026-10-01' and '2026-10-31'"

var rulesInSQL = []verified{
	{`{name: v-margin, on: false, judges: rep, base: {net: at least 1000}, threshold: {of: margin, bands: [{grade: act, below: 25%}, {clear: rest}]}}`,
		`select rep::text from bare where ` + october + ` group by rep having sum(net) >= 1000 and (sum(net) - sum(cost)) < 0.25 * sum(net)`},
	{`{name: v-before, on: false, judges: customer, threshold: {of: net, against: earlier(net), as: change, bands: [{grade: act, below: -80%}, {clear: rest}]}}`,
		`select a.customer::text from (select customer, sum(net) n from bare where ` + october + ` group by 1) a
			join (select customer, sum(net) n from bare where day between '2026-09-01' and '2026-09-30' group by 1) b using (customer) where b.n > 0
				and a.n - b.n < -0.8 * b.n`},
	{`{name: v-year, on: false, judges: product, threshold: {of: net, against: "earlier(net, 1 year)", as: ratio, bands: [{grade: look, below: 30%},
		{clear: rest}]}}`,
		`select a.product::text from (select product, sum(net) n from bare where ` + october + ` group by 1) a
			join (select product, sum(net) n from bare where day between '2025-10-01' and '2025-10-31' group by 1) b using (product) where b.n > 0 and a.n < 0.3 * b.n`},
	{`{name: v-usual, on: false, judges: rep, threshold: {of: net, against: "history(net, 12, median)", as: ratio, bands: [{grade: look, below: 85%},
		{clear: rest}]}}`,
		`select a.rep::text from (select rep, sum(net) n from bare where ` + october + ` group by 1) a
			join (select rep, percentile_cont(0.5) within group (order by n) usual, count(*) k from (select rep, date_trunc('month', day), sum(net) n from bare
				where day between '2025-10-01' and '2026-09-30' group by 1, 2) x group by 1) b using (rep) where k >= 8 and usual > 0 and a.n < 0.85 * usual`},
	{`{name: v-best, on: false, judges: product, threshold: {of: net, against: "history(net, 6, best, at least 1)", as: ratio, bands: [{grade: look,
		above: 150%}, {clear: rest}]}}`,
		`select a.product::text from (select product, sum(net) n from bare where ` + october + ` group by 1) a
			join (select product, max(n) best from (select product, date_trunc('month', day), sum(net) n from bare where day between '2026-04-01'
				and '2026-09-30' group by 1, 2) x group by 1) b using (product)
			where best > 0 and a.n > 1.5 * best`},
	{`{name: v-group, on: false, judges: rep, threshold: {of: margin, against: "group_value(margin, rep.territory)", as: difference,
		bands: [{grade: look, below: -0.4%}, {clear: rest}]}}`,
		`select a.rep::text from (select rep, (sum(net) - sum(cost)) / sum(net) m from bare where ` + october + ` group by 1) a
			join (select code, attributes->>'territory' t from registers where kind = 'rep') r on r.code = a.rep
			join (select attributes->>'territory' t, (sum(net) - sum(cost)) / sum(net) m from bare join registers on kind = 'rep' and code = rep where ` +
			october + ` group by 1) g using (t) where a.m - g.m < -0.004`},
	{`{name: v-peers, on: false, judges: customer, threshold: {of: net, against: "peers(net, percentile 99)", as: ratio, bands: [{grade: act,
		above: 300%}, {clear: rest}]}}`,
		`with a as (select customer, sum(net) n from bare where ` + october +
			` group by 1) select customer::text from a, (select percentile_cont(0.99) within group (order by n) p from a) q where a.n > 3 * p`},
	{`{name: v-whole, on: false, judges: rep.territory, threshold: {of: net, against: group_value(net), as: ratio, bands: [{grade: look, below: 8.33%},
		{clear: rest}]}}`,
		`select attributes->>'territory' from bare join registers on kind = 'rep' and code = rep where ` + october + ` group by 1
			having sum(net) < 0.0833 * (select sum(net) from bare where ` + october + `)`},
	{`{name: v-choose, on: false, judges: product, threshold: {choose: [{grade: look, all: [net above 5000, margin below 25.5%]}]}}`,
		`select product::text from bare where ` + october + ` group by product having sum(net) > 5000 and sum(net) - sum(cost) < 0.255 * sum(net)`},
	{`{name: v-measure, on: false, judges: rep, threshold: {of: discount, against: net, as: ratio, bands: [{grade: look, above: 6%}, {clear: rest}]}}`,
		`select rep::text from bare where ` + october + ` group by rep having sum(net) > 0 and sum(discount) > 0.06 * sum(net)`},
}

// wholeBook is the bench rulebook with the rules above, which are off, so that
// a sweep does not judge them.
func wholeBook() string {
	var s strings.Builder
	s.WriteString(book)
	for _, v := range slices.Concat(rulesInSQL, sixty) {
		s.WriteString("  - " + v.rule + "\n")
	}
	return s.String() + tail
}

// agreeOn holds the flagged of each rule against those that SQL finds.
func agreeOn(ctx context.Context, conn *pgx.Conn, engine *measure.Engine, rules []verified) (ours, theirs time.Duration) {
	last := calendar.Date(2026, 10, 1).Month()
	for _, v := range rules {
		name := nameOf(v)
		var expected, found []string
		theirs += timed(func() {
			rows, err := conn.Query(ctx, v.sql)
			check(err)
			expected, err = pgx.CollectRows(rows, pgx.RowTo[string])
			check(err)
		})
		judging := timed(func() {
			rule := engine.Book.Rule(name)
			r := judge.Judge(engine, rule, rule.Levels[0], calendar.MonthPeriod(last))
			keys, _ := engine.Names(r.Level)
			for _, code := range r.Flagged() {
				found = append(found, keys[code])
			}
		})
		ours += judging
		slices.Sort(expected)
		slices.Sort(found)
		if !slices.Equal(expected, found) {
			log.Fatalf("bench: rule %s: SQL flags %d, Oskel %d; %v and %v", name, len(expected), len(found), expected[:min(5, len(expected))],
				found[:min(5, len(found))])
		}
		fmt.Printf("Rule %s: %d flagged, by SQL the same; judged in %s\n", name, len(found), round(judging))
	}
	return ours, theirs
}

// benchRehearsals asks the service, over HTTP, as the console does while a
// rule is edited.
func benchRehearsals(ctx context.Context, conn *pgx.Conn, url string, s *store.Store, b *books.Service) {
	serving, stop := context.WithCancel(ctx)
	defer stop()
	ready := make(chan string, 1)
	go func() {
		check(app.Run(serving, app.Options{Addr: "127.0.0.1:0", Database: url, Now: func() time.Time { return time.Date(2026, 11, 25, 0, 0, 0, 0, time.UTC) },
			FirstPeople: func(ctx context.Context, accounts *people.Service) error {
				return accounts.Add(ctx, store.Person{Name: "bench", Title: "Bench", Role: people.Analyst}, "a bench password")
			},
			Ready: func(_ context.Context, at string) error { ready <- at; return nil }}))
	}()
	at := <-ready
	c, err := client.NewClient(at)
	check(err)
	answer, err := c.CreateToken(ctx, client.NewToken{Name: "bench", Password: "a bench password"})
	check(err)
	var token client.Token
	check(json.NewDecoder(answer.Body).Decode(&token))
	check(answer.Body.Close())
	c, err = client.NewClient(at, client.WithRequestEditorFn(func(_ context.Context, r *http.Request) error {
		r.Header.Set("Authorization", "Bearer "+token.Token)
		return nil
	}))
	check(err)
	_, published, err := b.Published(ctx)
	check(err)
	if !*alone {
		engine, err := figures.New(s).Engine(ctx, published)
		check(err)
		ours, theirs := agreeOn(ctx, conn, engine, rulesInSQL)
		add(result{fmt.Sprintf("%d threshold rules, first judging, against the same in SQL", len(rulesInSQL)), "", ours, theirs, ""})
	}

	ask := func(r client.RehearsalRequest) time.Duration {
		r.Period = "2026-10"
		return timed(func() {
			answer, err := c.Rehearse(ctx, r)
			check(err)
			defer answer.Body.Close()
			var out client.Rehearsal
			check(json.NewDecoder(answer.Body).Decode(&out))
			if answer.StatusCode != 200 || out.Tally.Judged == 0 {
				log.Fatalf("bench: a rehearsal was answered with %d", answer.StatusCode)
			}
		})
	}
	profiled(".tables", func() { benchTables(ctx, c) })()

	cut := func(rule string, i int) client.RehearsalRequest {
		return client.RehearsalRequest{Rule: rule, Cuts: &[]client.CutMove{{Band: 0, High: true, Value: fmt.Sprintf("%.2f%%", 20+float64(i)/20)}}}
	}
	profiled(".rehearsals", func() { rehearsals(ask, cut) })()
}

// rehearsals asks for cuts that are moved and for texts that are changed.
func rehearsals(ask func(client.RehearsalRequest) time.Duration, cut func(rule string, i int) client.RehearsalRequest) {
	for _, rule := range []string{"thin", "thin-customer"} {
		ask(cut(rule, 0)) // the rule is opened
		var took []time.Duration
		for i := range 60 {
			took = append(took, ask(cut(rule, i)))
		}
		add(result{"rehearsal, a cut moved, " + rule + ", p95 of 60", "≤ 30 ms", 0, 0, round(percentile95(took))})
	}
	// Another text each time: it is read, and what differs computed.
	type edit struct{ rule, old, new string }
	for _, family := range []struct {
		name  string
		edits []edit
	}{
		{"scope, cut, peers or measure changed in the text", []edit{
			{"thin-customer", "{name: thin-customer, judges: customer,", "{name: thin-customer, judges: customer, where: customer.category is \"G%d\","},
			{"thin-customer", "threshold: {of: margin, bands: [{grade: act, below: 22%%}", "threshold: {of: margin, bands: [{grade: act, below: 2%d%%}"},
			{"far-product", "outlier: {of: margin, by: robust score, beyond: 6,", "outlier: {of: margin, among: product.category, by: robust score, beyond: 5.%d,"},
			{"far-rep", "outlier: {of: net, by: robust score, beyond: 4,", "outlier: {of: discount, by: robust score, beyond: 3.%d,"},
			{"v-peers", "peers(net, percentile 99)", "peers(net, percentile 9%d)"},
			{"v-before", "{of: net, against: earlier(net), as: change", "{of: margin, against: \"earlier(margin, 1%d)\", as: change"},
		}},
		{"an outlier rule changed in the text", []edit{
			{"o-own-customer", "by: own past, over: 12 periods, beyond: 8", "by: own past, over: 1%d periods, beyond: 8"},
			{"o-percentile", "by: percentile, beyond: 99.9%%", "by: percentile, beyond: 99.%d%%"},
			{"o-found", "by: false discovery rate, share: 1%%", "by: false discovery rate, share: 2.%d%%"},
			{"o-trend-product", "by: deviation from trend, over: 12 periods,", "by: deviation from trend, over: 1%d periods,"},
		}},
		{"an event window changed in the text", []edit{
			{"w-gaps", "longer_than: 6 usual gaps, gaps: 12", "longer_than: 6 usual gaps, gaps: 1%d"},
			{"w-followed", "followed: sales where net above 590", "followed: sales where net above 59%d"},
			{"w-shift-visits", "days: 28 days, as: difference", "days: 2%d days, as: difference"},
			{"w-burst-sales", "at_least: 40 lines, within: 5 days", "at_least: 4%d lines, within: 6 days"},
		}},
	} {
		var took []time.Duration
		each := make([][]time.Duration, len(family.edits))
		for i := range 10 {
			for k, e := range family.edits {
				old := strings.ReplaceAll(e.old, "%%", "%")
				if !strings.Contains(wholeBook(), old) {
					log.Fatalf("bench: no rule has %q", old)
				}
				text := strings.Replace(wholeBook(), old, fmt.Sprintf(e.new, i), 1)
				each[k] = append(each[k], ask(client.RehearsalRequest{Text: &text, Rule: e.rule}))
				took = append(took, each[k][i])
			}
		}
		for k, e := range family.edits {
			fmt.Printf("Rehearsals of %s, first to last: %v\n", e.rule, each[k])
		}
		add(result{fmt.Sprintf("rehearsal, %s, p95 of %d", family.name, len(took)), "≤ 250 ms", 0, 0, round(percentile95(took))},
			result{"the longest of these", "", 0, 0, round(slices.Max(took))})
	}
}

func percentile95(took []time.Duration) time.Duration {
	sorted := slices.Sorted(slices.Values(took))
	return sorted[(len(sorted)*95+99)/100-1]
}
