package judge_test

import (
	"math/rand/v2"
	"strconv"
	"sync"
	"testing"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/ledger"
	"oskel/core/measure"
	"oskel/core/method"
	"oskel/core/rulebook"
)

const benchBook = `oskel: 1
title: Bench
kinds: {rep: {attributes: {territory: text}}, customer: {attributes: {category: text}}}
feeds:
  sales: {date: day, subjects: {rep: rep, customer: customer}, numbers: {net: money, cost: money, discount: money}}
grades: [{name: act, tone: red, shape: diamond}]
measures:
  net: {sum: sales.net, unit: money}
  cost: {sum: sales.cost, unit: money}
  discount: {sum: sales.discount, unit: money}
  orders: {count: sales, unit: count}
  margin: {formula: "(net - cost) / net", unit: percent}
rules:
  - {name: thin, judges: customer, base: {net: at least 1000}, threshold: {of: margin, bands: [{grade: act, below: 22%}, {clear: rest}]}}
desks: [{name: one}]
routes: [{otherwise: one}]
`

// large is 1,000,000 lines of 36 months by 2,000 reps and 200,000 customers,
// heavy-tailed.
var large = sync.OnceValues(func() (*rulebook.Book, *ledger.Snapshot) {
	book, problems := rulebook.Read([]byte(benchBook), method.All())
	if len(problems) > 0 {
		panic(problems)
	}
	sizes := map[string]int{"rep": 2000, "customer": 200_000}
	s := &ledger.Snapshot{Registers: map[string]*ledger.Register{}, Feeds: map[string]*ledger.Feed{}}
	for kind, n := range sizes {
		keys := make([]string, n)
		for i := range keys {
			keys[i] = strconv.Itoa(i)
		}
		s.Registers[kind] = ledger.NewRegister(kind, keys, keys)
	}
	rng := rand.New(rand.NewPCG(7, 7))
	zipf := rand.NewZipf(rng, 1.1, 50, uint64(sizes["customer"]-1))
	f := &ledger.Feed{Name: "sales", Subjects: []string{"rep", "customer"}, Numbers: []string{"net", "cost", "discount"}}
	const months, lines = 36, 1_000_000
	for m := range calendar.Month(months) {
		c := &ledger.Chunk{Month: calendar.MonthOf(2023, 11) + m, Subjects: make([][]uint32, 2), Numbers: make([][]amount.Amount, 3)}
		for i := range lines / months {
			net := amount.Amount(rng.Int64N(6_000_000))
			c.Days.Add(1 + i*28/(lines/months))
			c.Subjects[0] = append(c.Subjects[0], uint32(rng.IntN(sizes["rep"])))
			c.Subjects[1] = append(c.Subjects[1], uint32(zipf.Uint64()))
			for k, v := range []amount.Amount{net, net * 3 / 4, net / 20} {
				c.Numbers[k] = append(c.Numbers[k], v)
			}
		}
		f.Chunks = append(f.Chunks, c)
	}
	s.Feeds["sales"] = f
	return book, s
})

// afresh is the snapshot without what its chunks remember.
func afresh(s *ledger.Snapshot) *ledger.Snapshot {
	f := *s.Feeds["sales"]
	f.Chunks = nil
	for _, c := range s.Feeds["sales"].Chunks {
		f.Chunks = append(f.Chunks, &ledger.Chunk{Month: c.Month, Days: c.Days, Subjects: c.Subjects, Numbers: c.Numbers})
	}
	return &ledger.Snapshot{Registers: s.Registers, Feeds: map[string]*ledger.Feed{"sales": &f}}
}

// Three sums and a count by month and subject, of columns that remember
// nothing.
func BenchmarkScan(b *testing.B) {
	book, s := large()
	for _, kind := range []string{"rep", "customer"} {
		b.Run(kind, func(b *testing.B) {
			for b.Loop() {
				e := measure.New(book, afresh(s))
				names, slots := []string{"net", "cost", "discount", "orders"}, []measure.Slot{}
				for _, c := range e.Snapshot.Feeds["sales"].Chunks {
					slots = append(slots, e.Slot(measure.Level{Kind: kind}, calendar.MonthPeriod(c.Month)))
				}
				e.Ahead(names, slots)
				for _, s := range slots {
					for _, name := range names {
						e.Totals(name, s)
					}
				}
			}
		})
	}
}

// A cut moved on a rule that judges 200,000 customers.
func BenchmarkCutMoved(b *testing.B) {
	book, s := large()
	e := measure.New(book, s)
	month := calendar.MonthOf(2026, 10)
	level := book.Rule("thin").Levels[0]
	before := judge.Judge(e, book.Rule("thin"), level, calendar.MonthPeriod(month))
	cut := amount.Amount(0)
	for b.Loop() {
		cut = (cut + 1) % 100
		turned, err := book.WithCuts("thin", rulebook.CutMove{High: true, At: 2000 + cut})
		if err != nil {
			b.Fatal(err)
		}
		e := e.With(turned)
		r := judge.Judge(e, turned.Rule("thin"), level, calendar.MonthPeriod(month))
		r.Tally()
		judge.Flips(before, r)
		r.NearCut(12)
	}
}

// A page of figures amid 200,000 customers, sorted.
func BenchmarkGridPage(b *testing.B) {
	book, s := large()
	e := measure.New(book, s)
	for b.Loop() {
		e.Grid(measure.Ask{Level: measure.Level{Kind: "customer"}, Measures: []string{"net", "margin"},
			Periods: []calendar.Period{calendar.MonthPeriod(calendar.MonthOf(2026, 10))},
			Sort:    0, Descending: true, Limit: 100, Offset: 6000})
	}
}
