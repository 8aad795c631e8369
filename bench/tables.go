package main

import (
	"context"
	"encoding/json"
	"fmt"
	"log"
	"time"

	"oskel/internal/client"
)

// benchTables asks for tables with the marks of the rules as they are now, over HTTP, as the
// page Figures does: sorted, scrolled, and with other values of a dial.
func benchTables(ctx context.Context, c *client.Client) {
	rows := 1 // as many as the last answer says
	ask := func(p client.GetTableParams) time.Duration {
		p.Period = "2026-10"
		return timed(func() {
			answer, err := c.GetTable(ctx, &p)
			check(err)
			defer answer.Body.Close()
			var out client.Table
			check(json.NewDecoder(answer.Body).Decode(&out))
			if answer.StatusCode != 200 || len(out.Rows) == 0 {
				log.Fatalf("bench: a page of figures was answered with %d", answer.StatusCode)
			}
			rows = out.Total
		})
	}
	rep, customer, now := "rep", "customer", client.MarksFromNow
	hundred, twoHundred, thirteen, one, marks, down := 100, 200, 13, 1, -1, true
	const two = "net,margin"
	var pages, wide, turned, sorted []time.Duration
	at := func(i int) *string {
		cursor := fmt.Sprint(i * 300 % rows)
		return &cursor
	}
	for i := range 20 { // in the middle of 200,000 rows, as the console scrolls
		pages = append(pages, ask(client.GetTableParams{Measures: two, By: &customer, Limit: &hundred, Sort: &one, Cursor: at(i)}))
	}
	add(result{"a page of figures by customer, two measures, sorted, p95 of 20", "", 0, 0, round(percentile95(pages))})

	const ten = "net,cost,discount,orders,buyers,margin,growth_year,usual,net - cost,discount / net"
	first := ask(client.GetTableParams{Measures: ten, By: &rep, Periods: &thirteen, Marks: &now, Limit: &twoHundred, Sort: &one})
	for i := range 40 {
		sort := i%130 + 1
		wide = append(wide, ask(client.GetTableParams{Measures: ten, By: &rep, Periods: &thirteen, Marks: &now, Limit: &twoHundred, Sort: &sort, Descending: &down}))
	}
	add(result{"a marked table, 200 of 2,000 reps, ten measures by thirteen periods, first", "", 0, 0, round(first)},
		result{"the same sorted by another column each time, p95 of 40", "≤ 300 ms", 0, 0, round(percentile95(wide))})
	for i := range 40 {
		dials := fmt.Sprintf("fall=-%.1f%%", 20+float64(i)/10)
		turned = append(turned, ask(client.GetTableParams{Measures: ten, By: &rep, Periods: &thirteen, Dials: &dials, Limit: &twoHundred, Sort: &one}))
	}
	add(result{"the same with another value of a dial each time, p95 of 40", "≤ 100 ms", 0, 0, round(percentile95(turned))})

	first = ask(client.GetTableParams{Measures: two, By: &customer, Marks: &now, Limit: &hundred, Sort: &marks, Descending: &down})
	for i := range 20 {
		sorted = append(sorted, ask(client.GetTableParams{Measures: two, By: &customer, Marks: &now, Limit: &hundred, Sort: &marks, Descending: &down,
			Cursor: at(i)}))
	}
	add(result{"200,000 customers sorted by their marks, the first page", "≤ 1 s", 0, 0, round(first)},
		result{"scrolled, p95 of 20", "", 0, 0, round(percentile95(sorted))})
}
