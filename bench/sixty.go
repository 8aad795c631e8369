package main

import (
	"context"
	"fmt"
	"log"
	"runtime"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/ledger"
	"oskel/core/measure"
	"oskel/core/rulebook"
)

// monthly is the net of each g by month, as SQL.
func monthly(g, from, to string) string {
	return "select " + g + " g, date_trunc('month', day)::date m, sum(net) n from bare where day between '" + from + "' and '" + to + "' group by 1, 2"
}

// sixty are the rules of the published bench, twenty a family; those with SQL are
// held against it. All are off, so that other measurements do not judge them.
var sixty = slices.Concat(thresholds(), outliers, windows)

// thresholds are the ten of rulesInSQL, turned to other kinds and measures.
func thresholds() (out []verified) {
	for _, v := range rulesInSQL {
		out = append(out, verified{strings.Replace(v.rule, "name: v-", "name: s-", 1), ""})
	}
	for i, rule := range []string{
		`judges: rep, threshold: {of: growth_year, bands: [{grade: look, below: -30%}, {clear: rest}]}`,
		`judges: product, base: {net: at least 500}, threshold: {of: margin, bands: [{grade: act, below: 22.5%}, {clear: rest}]}`,
		`judges: customer, base: {net: at least 2000}, threshold: {of: margin, bands: [{grade: act, below: 22%}, {clear: rest}]}`,
		`judges: rep, threshold: {of: buyers, bands: [{grade: look, below: 50}, {clear: rest}]}`,
		`judges: rep.territory, threshold: {of: margin, against: group_value(margin), as: difference, bands: [{grade: look, below: -0.1%}, {clear: rest}]}`,
		`judges: product.category, threshold: {of: net, against: earlier(net), as: change, bands: [{grade: look, below: -5%}, {clear: rest}]}`,
		`judges: customer.category, threshold: {of: net, against: "earlier(net, 1 year)", as: ratio, bands: [{grade: look, below: 95%}, {clear: rest}]}`,
		`judges: rep, persists: 2 of 3, threshold: {of: discount, against: net, as: ratio, bands: [{grade: look, above: 5.9%}, {clear: rest}]}`,
		`judges: rep, threshold: {of: net, against: "trailing(net, 6, average)", as: ratio, bands: [{grade: look, below: 75%}, {clear: rest}]}`,
		`judges: product, threshold: {of: net, against: "peers(net, median, product.category)", as: ratio, bands: [{grade: look, above: 900%}, {clear: rest}]}`,
	} {
		out = append(out, verified{fmt.Sprintf("{name: s-more-%d, on: false, ended: no data, %s}", i+1, rule), ""})
	}
	for i := range out {
		if !strings.Contains(out[i].rule, "earlier") && !strings.Contains(out[i].rule, "history") && !strings.Contains(out[i].rule, "growth") &&
			!strings.Contains(out[i].rule, "trailing") {
			out[i].rule = strings.Replace(out[i].rule, " ended: no data,", "", 1)
		}
	}
	return out
}

var outliers = []verified{
	{`{name: o-standard, on: false, judges: rep, outlier: {of: net, by: standard score, beyond: 3, grade: look}}`,
		`with a as (select rep, sum(net) n from bare where ` + october +
			` group by 1), q as (select avg(n) m, stddev_samp(n) s from a) select rep::text from a, q where abs(n - m) > 3 * s`},
	{`{name: o-fences, on: false, judges: product, outlier: {of: net, by: quartile fences, beyond: 6, side: high, grade: look}}`,
		`with a as (select product, sum(net) n from bare where ` + october +
			` group by 1), q as (select percentile_cont(0.25) within group (order by n) q1, percentile_cont(0.75) within group (order by n) q3 from a)
			select product::text from a, q where n > q3 + 6 * (q3 - q1)`},
	{`{name: o-percentile, on: false, judges: customer, outlier: {of: net, among: customer.category, by: percentile, beyond: 99.9%, side: high, grade: look}}`,
		`select c::text from (select a.customer c, percent_rank() over (partition by attributes->>'category' order by n) p from (select customer,
			sum(net) n from bare where ` + october + ` group by 1) a
			join registers on kind = 'customer' and code = a.customer) x where p > 0.999`},
	{`{name: o-own, on: false, judges: rep, outlier: {of: net, by: own past, over: 12 periods, beyond: 5, grade: look}}`,
		`with h as (` + monthly("rep", "2025-10-01", "2026-09-30") +
			`), q as (select g, percentile_cont(0.5) within group (order by n) med from h group by 1 having count(*) >= 8),
			d as (select h.g, percentile_cont(0.5) within group (order by abs(n - med)) mad from h join q using (g) group by 1), a as (select rep g,
				sum(net) n from bare where ` + october + ` group by 1)
			select a.g::text from a join q using (g) join d using (g) where mad > 0 and 0.6745 * abs(a.n - med) > 5 * mad`},
	{`{name: o-robust, on: false, judges: rep, outlier: {of: margin, among: rep.territory, by: robust score, beyond: 3, grade: look}}`, ""},
	{`{name: o-robust-product, on: false, judges: product, base: {net: at least 500}, outlier: {of: margin, by: robust score, beyond: 5, side: low,
		grade: look}}`, ""},
	{`{name: o-log, on: false, judges: customer, base: {net: at least 500}, outlier: {of: net, by: robust score, scale: log, beyond: 6, side: high,
		grade: look}}`, ""},
	{`{name: o-esd, on: false, judges: rep, outlier: {of: net, by: generalised ESD, most: 10, grade: look}}`, ""},
	{`{name: o-found, on: false, judges: customer, base: {net: at least 500}, outlier: {of: net, by: false discovery rate, share: 1%, side: high,
		grade: look}}`, ""},
	{`{name: o-found-t, on: false, judges: rep, outlier: {of: margin, by: false discovery rate, model: t, grade: look}}`, ""},
	{`{name: o-first, on: false, judges: product, outlier: {of: discount, by: top or bottom, first: 20, grade: look}}`, ""},
	{`{name: o-range, on: false, judges: rep, outlier: {of: margin, by: position in range, beyond: 99%, grade: look}}`, ""},
	{`{name: o-season, on: false, judges: rep, outlier: {of: net, by: same season, years: 2, beyond: 30, grade: look}}`, ""},
	{`{name: o-trend, on: false, judges: rep, outlier: {of: net, by: deviation from trend, over: 12 periods, beyond: 6, grade: look}}`, ""},
	{`{name: o-trend-product, on: false, judges: product, base: {net: at least 2000}, outlier: {of: net, by: deviation from trend, over: 12 periods,
		beyond: 8, grade: look}}`, ""},
	{`{name: o-chart, on: false, judges: rep, outlier: {of: margin, by: control chart, over: 12 periods, runs: [beyond, one side], grade: look}}`, ""},
	{`{name: o-smoothed, on: false, judges: rep, outlier: {of: margin, by: EWMA, over: 12 periods, grade: look}}`, ""},
	{`{name: o-sums, on: false, judges: product.category, outlier: {of: margin, by: CUSUM, over: 24 periods, grade: look}}`, ""},
	{`{name: o-shift, on: false, judges: rep, outlier: {of: net, by: level shift, over: 24 periods, grade: look}}`, ""},
	{`{name: o-own-customer, on: false, judges: customer, base: {net: at least 2000}, outlier: {of: net, by: own past, over: 12 periods, beyond: 8,
		side: high, grade: look}}`, ""},
}

var windows = []verified{
	{`{name: w-gaps, on: false, judges: customer, window: {silence: sales, longer_than: 6 usual gaps, gaps: 12, grade: look}}`,
		`select customer::text from (select customer, percentile_cont(0.5) within group (order by gap) usual, max(day) last from (select customer, day,
			day - lag(day) over (partition by customer order by day) gap
			from (select distinct customer, day from bare) d) g group by customer having count(gap) >= 12) x where date '2026-10-31' - last > 6 * usual`},
	{`{name: w-burst, on: false, judges: product, window: {burst: returns, at_least: 6 lines, within: 3 days, grade: look}}`,
		`with d as (select product, day, (select count(*) from bare_returns b where b.product = a.product and b.day between a.day - 2 and a.day) n
			from (select distinct product, day from bare_returns) a),
			o as (select product, day, lag(day) over (partition by product order by day) before from d where n >= 6) select distinct product::text from o
				where (before is null or before <= day - 3) and ` + october},
	{`{name: w-followed, on: false, judges: customer, window: {followed: sales where net above 590, by: returns where net above 500, within: 20 days,
		same: [product], grade: look}}`,
		`select distinct customer::text from (select a.customer, (select min(r.day) from bare_returns r where r.customer = a.customer
			and r.product = a.product and r.net > 500 and r.day between a.day and a.day + 20) as day
			from bare a where a.net > 590 and a.day >= '2026-09-01') x where ` + october},
	{`{name: w-unanswered, on: false, judges: rep, window: {unanswered: returns where net above 595, by: visits, within: 2 days, grade: look}}`,
		`select distinct rep::text from bare_returns a where net > 595 and day + 2 between '2026-10-01' and '2026-10-31' and not exists (select
			from bare_visits v where v.rep = a.rep and v.day between a.day and a.day + 2)`},
	{`{name: w-quiet, on: false, judges: product, window: {silence: sales, at_least: 200 days, grade: look}}`, ""},
	{`{name: w-quiet-rep, on: false, judges: rep, window: {silence: sales, at_least: 5 working days, grade: look}}`, ""},
	{`{name: w-large-stopped, on: false, judges: customer, window: {silence: sales where net above 400, longer_than: 4 usual gaps, gaps: 10, grade: look}}`, ""},
	{`{name: w-burst-total, on: false, judges: customer, window: {burst: returns, at_least: 1500 in total, number: net, within: 7 days, grade: look}}`, ""},
	{`{name: w-burst-days, on: false, judges: rep, window: {burst: returns, at_least: 5 days with lines, within: 6 days, grade: look}}`, ""},
	{`{name: w-burst-sales, on: false, judges: customer, window: {burst: sales, at_least: 40 lines, within: 5 days, grade: look}}`, ""},
	{`{name: w-followed-rep, on: false, judges: rep, window: {followed: sales where net above 598, by: returns where net above 590, within: 5 days,
		same: [product], grade: look}}`, ""},
	{`{name: w-followed-one, on: false, judges: customer, window: {followed: sales where net above 590, by: returns, within: 10 days, answers: one,
		at_least: 3, grade: look}}`, ""},
	{`{name: w-unvisited, on: false, judges: customer, window: {unanswered: sales where net above 599, by: visits, within: 30 days, at_least: 5,
		grade: look}}`, ""},
	{`{name: w-unanswered-worked, on: false, judges: rep, window: {unanswered: returns where net above 590, by: visits, within: 1 working day, grade: look}}`, ""},
	{`{name: w-shift, on: false, judges: rep, window: {shift: sales, number: net, after: returns where net above 599, days: 20 days, beyond: 60%,
		grade: look}}`, ""},
	{`{name: w-shift-peers, on: false, judges: rep, window: {shift: sales, after: returns where net above 599.9, days: 20 days, beyond: 60%, peers: yes,
		grade: look}}`, ""},
	{`{name: w-shift-visits, on: false, judges: customer, window: {shift: sales, number: net, after: visits, days: 28 days, as: difference,
		less_than: -400, grade: look}}`, ""},
	{`{name: w-month-end, on: false, judges: rep, window: {during: last 5 working days, of: net, above: 40%, grade: look}}`, ""},
	{`{name: w-month-end-product, on: false, judges: product, base: {net: at least 3000}, window: {during: last 5 working days, of: net, above: 70%,
		grade: look}}`, ""},
	{`{name: w-first-days, on: false, judges: rep.territory, window: {during: first 7 days, of: net, below: 20%, grade: look}}`, ""},
}

// turnedOn is a book in which only some rules are on.
func turnedOn(book *rulebook.Book, rules []verified) *rulebook.Book {
	out := *book
	out.Rules = nil
	for _, v := range rules {
		r := *book.Rule(nameOf(v))
		r.On = true
		out.Rules = append(out.Rules, r)
	}
	return &out
}

func nameOf(v verified) string {
	name, _, _ := strings.Cut(strings.TrimPrefix(v.rule, "{name: "), ",")
	return name
}

// benchSixty judges sixty rules, and judges them again after more lines: the shortest of
// some runs each, on columns that remember nothing, and of the pass in turn with them.
func benchSixty(ctx context.Context, conn *pgx.Conn, published *rulebook.Book, snapshot *ledger.Snapshot) {
	last := calendar.MonthPeriod(calendar.Date(2026, 10, 1).Month())
	book := turnedOn(published, sixty)
	if len(book.Rules) != 60 {
		log.Fatalf("bench: %d rules are not sixty", len(book.Rules))
	}
	first, again, limit := time.Hour, time.Hour, time.Hour
	flagged := 0
	for range 5 {
		fresh := forget(snapshot)
		flagged = 0
		runtime.GC()
		first = min(first, timed(profiled(".sixty", func() {
			for _, r := range judge.All(measure.New(book, fresh), last) {
				flagged += len(r.Flagged())
			}
		})))
		// One in a hundred lines more: the newest chunk of sales is another one.
		more := grown(fresh)
		runtime.GC()
		again = min(again, timed(profiled(".again", func() { judge.All(measure.New(book, more), last) })))
		limit = min(limit, timed(func() {
			if passOfAll(snapshot) == 0 {
				log.Fatal("bench: the pass of memory read nothing")
			}
		}))
	}
	var compared []verified
	for _, v := range slices.Concat(rulesInSQL, outliers, windows) {
		if v.sql != "" {
			compared = append(compared, v)
		}
	}
	ours, theirs := agreeOn(ctx, conn, measure.New(published, forget(snapshot)), compared)
	add(
		result{fmt.Sprintf("sweep of sixty rules judged, %d flagged", flagged), "", 0, 0, round(first)},
		result{fmt.Sprintf("%d of them, first judging, against the same in SQL", len(compared)), "≥ 100", ours, theirs, ""},
		result{"one pass of memory over the columns of the sixty", "", 0, 0, round(limit)},
		result{"the sixty against that pass", "≥ 0.1", first, limit, ""},
		result{"the sixty after 1 % more lines, against the first", "≥ 10", again, first, ""})
	for _, family := range []struct {
		name  string
		rules []verified
	}{{"threshold", sixty[:20]}, {"outlier", outliers}, {"window", windows}} {
		part := turnedOn(published, family.rules)
		took := timed(fresh(snapshot, func(s *ledger.Snapshot) { judge.All(measure.New(part, s), last) })())
		fmt.Printf("Twenty %s rules: %s\n", family.name, round(took))
		for i := range part.Rules {
			one := *part
			one.Rules = part.Rules[i : i+1]
			e := measure.New(&one, forget(snapshot))
			if took := timed(func() { judge.All(e, last) }); took > 100*time.Millisecond {
				fmt.Printf("  %s alone: %s\n", part.Rules[i].Name, round(took))
			}
		}
	}
}

// grown is a snapshot in which the last month of sales has one line in a hundred of
// all more: every other chunk is the same, and remembers what it does.
func grown(s *ledger.Snapshot) *ledger.Snapshot {
	out := &ledger.Snapshot{Version: s.Version + 1, Registers: s.Registers, Targets: s.Targets, Feeds: map[string]*ledger.Feed{}}
	for name, f := range s.Feeds {
		out.Feeds[name] = f
	}
	f := *s.Feeds["sales"]
	f.Chunks = slices.Clone(f.Chunks)
	n := len(f.Chunks) - 1
	old := f.Chunks[n]
	fresh := &ledger.Chunk{Month: old.Month}
	k := old.Days.Len() * len(f.Chunks) / 100
	add := func(i, day int) {
		fresh.Days.Add(day)
		for c := range old.Subjects {
			fresh.Subjects[c] = append(fresh.Subjects[c], old.Subjects[c][i])
		}
		for c := range old.Numbers {
			fresh.Numbers[c] = append(fresh.Numbers[c], old.Numbers[c][i])
		}
	}
	fresh.Subjects, fresh.Numbers = make([][]uint32, len(old.Subjects)), make([][]amount.Amount, len(old.Numbers))
	for i, day := range old.Days.All() {
		add(i, day)
		if i%3 == 0 && i/3 < k {
			add(i, day)
		}
	}
	f.Chunks[n] = fresh
	out.Feeds["sales"] = &f
	return out
}
