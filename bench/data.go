package main

import (
	"bufio"
	"fmt"
	"math/rand/v2"
	"os"
	"strconv"
	"strings"

	"oskel/core/calendar"
)

// The bench data: order lines of 36 months, 2,000 reps, 200,000 customers and
// 20,000 products, customers and products heavy-tailed. Keys are whole
// numbers, so that the same file can be copied into an equally typed table.
const (
	reps      = 2_000
	customers = 200_000
	products  = 20_000
	months    = 36
)

const book = `oskel: 1
title: Bench
kinds:
  rep: {attributes: {territory: text}}
  customer: {attributes: {category: text}}
  product: {attributes: {category: text}}
feeds:
  sales:
    title: Order lines
    date: day
    subjects: {rep: rep, customer: customer, product: product}
    numbers: {quantity: count, net: money, cost: money, discount: money}
  returns: {date: day, subjects: {rep: rep, customer: customer, product: product}, numbers: {net: money}}
  visits: {date: day, subjects: {rep: rep, customer: customer}, numbers: {minutes: count}}
grades:
  - {name: act, tone: red, shape: pennant}
  - {name: look, tone: amber, shape: half pennant}
dials: {fall: {value: -25%, from: -60%, to: -5%}}
measures:
  net: {sum: sales.net, unit: money}
  cost: {sum: sales.cost, unit: money}
  discount: {sum: sales.discount, unit: money}
  orders: {count: sales, unit: count}
  buyers: {distinct: sales.customer, unit: count}
  margin: {formula: "(net - cost) / net", unit: percent}
  growth_year: {formula: "growth(net, 1 year)", unit: percent}
  usual: {formula: "history(net, 12, median)", unit: money}
rules:
  - {name: thin, judges: rep, base: {net: at least 1000}, threshold: {of: margin, bands: [{grade: act, below: 24.5%}, {clear: rest}]}}
  - {name: thin-customer, judges: customer, base: {net: at least 1000}, threshold: {of: margin, bands: [{grade: act, below: 22%}, {clear: rest}]}}
  - {name: falling, judges: rep, threshold: {of: growth_year, bands: [{grade: look, below: fall}, {clear: rest}]}}
  - {name: far-product, judges: product, base: {net: at least 500}, outlier: {of: margin, by: robust score, beyond: 6, side: low, peers: 8, grade: look}}
  - {name: far-rep, judges: rep, outlier: {of: net, by: robust score, beyond: 4, side: both, peers: 8, grade: look}}
  - {name: quiet, judges: customer, window: {silence: sales, at_least: 400 days, grade: look}}
`

// tail ends the rulebook, after the rules.
const tail = `desks: [{name: one}]
routes: [{otherwise: one}]
`

func writeData(dir string, lines int) (string, error) {
	for _, r := range []struct {
		kind, attribute string
		n               int
	}{{"rep", "territory", reps}, {"customer", "category", customers}, {"product", "category", products}} {
		err := writeFile(dir+"/"+r.kind+".csv", func(w *bufio.Writer) {
			fmt.Fprintf(w, "%s,%s\n", r.kind, r.attribute)
			for i := range r.n {
				fmt.Fprintf(w, "%d,G%d\n", i, i%12)
			}
		})
		if err != nil {
			return "", err
		}
	}
	rng := rand.New(rand.NewPCG(7, 7))
	customer := rand.NewZipf(rng, 1.1, 50, customers-1)
	product := rand.NewZipf(rng, 1.1, 20, products-1)
	first := calendar.Date(2023, 11, 1)
	span := int(calendar.Date(2026, 10, 31)-first) + 1
	path := dir + "/sales.csv"
	returns, visits := &strings.Builder{}, &strings.Builder{}
	returns.WriteString("day,rep,customer,product,net\n")
	visits.WriteString("day,rep,customer,minutes\n")
	other := rand.New(rand.NewPCG(8, 8)) // so that the sales are the same whatever comes of them
	err := writeFile(path, func(w *bufio.Writer) {
		w.WriteString("day,rep,customer,product,quantity,net,cost,discount\n") //nolint:errcheck // Flush tells
		days := make([]string, span)
		for i := range days {
			days[i] = (first + calendar.Day(i)).String()
		}
		row := make([]byte, 0, 80)
		for i := range lines {
			// In date order, as files come.
			net := 500 + rng.Int64N(60_000)
			cost := net * (700 + rng.Int64N(80)) / 1000
			row = append(row[:0], days[i*span/lines]...)
			subjects := []uint64{uint64(rng.IntN(reps)), customer.Uint64(), product.Uint64(), 1 + rng.Uint64N(20)}
			if other.IntN(20) == 0 {
				fmt.Fprintf(returns, "%s,%d,%d,%d,%d.%02d\n", days[min(i*span/lines+other.IntN(20), span-1)], subjects[0], subjects[1], subjects[2], net/100, net%100)
			}
			if other.IntN(10) == 0 {
				fmt.Fprintf(visits, "%s,%d,%d,%d\n", days[min(i*span/lines+other.IntN(5), span-1)], subjects[0], subjects[1], 10+other.IntN(50))
			}
			for _, v := range subjects {
				row = append(row, ',')
				row = strconv.AppendUint(row, v, 10)
			}
			for _, v := range []int64{net, cost, net * rng.Int64N(12) / 100} {
				row = fmt.Appendf(row, ",%d.%02d", v/100, v%100)
			}
			w.Write(append(row, '\n')) //nolint:errcheck // Flush tells
		}
	})
	if err != nil {
		return "", err
	}
	if err := os.WriteFile(dir+"/returns.csv", []byte(returns.String()), 0o644); err != nil {
		return "", err
	}
	return path, os.WriteFile(dir+"/visits.csv", []byte(visits.String()), 0o644)
}

func writeFile(path string, write func(*bufio.Writer)) error {
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	w := bufio.NewWriterSize(f, 1<<20)
	write(w)
	if err := w.Flush(); err != nil {
		return err
	}
	return f.Close()
}
