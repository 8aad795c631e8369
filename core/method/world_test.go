package method_test

import (
	"fmt"
	"slices"
	"strings"

	"github.com/stretchr/testify/require"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/explain"
	"oskel/core/judge"
	"oskel/core/lang"
	"oskel/core/ledger"
	"oskel/core/measure"
	"oskel/core/rulebook"
)

const head = `oskel: 1
calendar:
  windows:
    - {name: fair_25, kind: fair, from: 2025-10-10, to: 2025-10-12}
    - {name: fair_26, kind: fair, from: 2026-10-06, to: 2026-10-08}
    - {name: fair_26b, kind: fair, from: 2026-09-28, to: 2026-09-30}
kinds:
  shop: {attributes: {town: text}}
  item: {}
feeds:
  sales: {title: Orders, date: day, subjects: {shop: shop, item: item}, numbers: {net: money}, labels: [ticket]}
  returns: {title: Returns, date: day, subjects: {shop: shop, item: item}, numbers: {net: money}, labels: [ticket]}
grades: [{name: act, label: Act now, tone: red}, {name: look, label: Look}]
dials: {cut: {value: 3, from: 1, to: 9}, patience: {value: 7}, part: {value: 5%}}
measures:
  net: {title: Net, sum: sales.net, unit: money}
  orders: {count: sales, unit: count}
  rate: {title: Rate, formula: net / orders, unit: money}
desks: [{name: home}]
routes: [{otherwise: home}]
rules:
`

// line is one of a world: feed, day, shop and item by number, net, ticket.
type line struct {
	feed       string
	day        string
	shop, item int
	net        string
	ticket     string
}

var october = calendar.MonthOf(2026, 10)

// read is the book of one rule, whose problems are none.
func read(t require.TestingT, rule string) *rulebook.Book {
	book, problems, _ := judge.ReadBook([]byte(head + "  - {name: x, judges: shop, " + rule + "}\n"))
	require.Empty(t, problems, rule)
	return book
}

// problems are those of a rule, as texts.
func problems(rule string) (out []string) {
	_, all, _ := judge.ReadBook([]byte(head + "  - {name: x, judges: shop, " + rule + "}\n"))
	for _, p := range all {
		out = append(out, p.Text)
	}
	return out
}

// world is an engine over lines of n shops, S0 to Sn-1, the even ones in East.
func world(t require.TestingT, book *rulebook.Book, n int, lines ...line) *measure.Engine {
	register := func(kind, letter string, n int) *ledger.Register {
		var keys []string
		for i := range n {
			keys = append(keys, fmt.Sprintf("%s%d", letter, i))
		}
		return ledger.NewRegister(kind, keys, keys)
	}
	shops := register("shop", "S", n)
	var towns []lang.Value
	for i := range n {
		towns = append(towns, lang.Value{Type: lang.TextType, Text: []string{"East", "West"}[i%2]})
	}
	shops.SetAttribute("town", towns)
	feeds := map[string]*ledger.Feed{}
	for _, name := range []string{"sales", "returns"} {
		feeds[name] = &ledger.Feed{Name: name, Subjects: []string{"shop", "item"}, Numbers: []string{"net"},
			Labels: []*ledger.Label{{Column: "ticket", Words: []string{""}}}}
	}
	slices.SortStableFunc(lines, func(a, b line) int { return strings.Compare(a.day, b.day) })
	for _, l := range lines {
		day, err := calendar.ParseDay(l.day)
		require.NoError(t, err)
		f := feeds[l.feed]
		k := len(f.Chunks) - 1
		if k < 0 || f.Chunks[k].Month != day.Month() {
			f.Chunks = append(f.Chunks, &ledger.Chunk{Month: day.Month(), Subjects: make([][]uint32, 2), Numbers: make([][]amount.Amount, 1),
				Labels: make([][]uint32, 1)})
			k++
		}
		c := f.Chunks[k]
		c.Days.Add(int(day-day.Month().First()) + 1)
		c.Subjects[0], c.Subjects[1] = append(c.Subjects[0], uint32(l.shop)), append(c.Subjects[1], uint32(l.item))
		net := amount.Missing
		if l.net != "" {
			net, err = amount.Parse(l.net)
			require.NoError(t, err)
		}
		c.Numbers[0] = append(c.Numbers[0], net)
		words := f.Labels[0]
		at := slices.Index(words.Words, l.ticket)
		if at < 0 {
			at = len(words.Words)
			words.Words = append(words.Words, l.ticket)
		}
		c.Labels[0] = append(c.Labels[0], uint32(at))
	}
	return measure.New(book, &ledger.Snapshot{Registers: map[string]*ledger.Register{"shop": shops, "item": register("item", "I", 5)}, Feeds: feeds,
		Targets: map[ledger.SheetKey]*ledger.Sheet{}})
}

// found judges the only rule of a book.
func found(e *measure.Engine, m calendar.Month) *judge.Result {
	rule := &e.Book.Rules[0]
	return judge.Judge(e, rule, rule.Levels[0], calendar.MonthPeriod(m))
}

// said are the verdicts of a result, one a subject.
func said(r *judge.Result) string {
	var out []string
	for _, v := range r.All() {
		s := v.Grade
		if s == "" {
			s = v.Outcome.String()
		}
		if v.Why != "" {
			s += " (" + v.Why + ")"
		}
		out = append(out, s)
	}
	return strings.Join(out, "; ")
}

// sentence says why a code got its verdict.
func sentence(e *measure.Engine, r *judge.Result, code uint32) string {
	return explain.Sentence(e.Book, r.Rule, r.Period, r.Verdict(code), judge.EvidenceFor(e, r, code))
}

// monthly are sales of one shop, one line a month up to October 2026, the last
// value there; "" is no line.
func monthly(shop int, values ...string) (out []line) {
	for i, v := range values {
		if v != "" {
			month := october - calendar.Month(len(values)-1-i)
			out = append(out, line{"sales", month.String() + "-15", shop, 0, v, ""})
		}
	}
	return out
}

// all are sales in October 2026, one line a shop; "" is none.
func all(values ...string) (out []line) {
	for i, v := range values {
		out = append(out, monthly(i, v)...)
	}
	return out
}
