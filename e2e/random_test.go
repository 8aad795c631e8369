package e2e

import (
	"fmt"
	"maps"
	"math/big"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

// model is a rulebook with registers, lines and targets, all drawn at random,
// and beside it what the same asks for in PostgreSQL's own SQL.
type model struct {
	rng    *rand.Rand
	fiscal int // the month in which the fiscal year starts
	book   string
	base   map[string]string // the SQL of the base measures

	repRows, customerRows, lines, targets string
}

var (
	territories = []string{"North", "South", "East", ""}
	categories  = []string{"Yard", "Shop", ""}
	channels    = []string{"phone", "visit", ""}
)

func (m *model) pick(from ...string) string { return from[m.rng.IntN(len(from))] }

func (m *model) decimal() string {
	if m.rng.IntN(12) == 0 {
		return ""
	}
	return fmt.Sprintf("%d.%04d", m.rng.IntN(2000)-300, m.rng.IntN(10000))
}

func (m *model) day() string {
	return time.Date(2025, 1, 1+m.rng.IntN(730), 0, 0, 0, 0, time.UTC).Format(time.DateOnly)
}

// condition draws a condition over lines in the product's words and in SQL; a
// comparison with what is missing does not hold.
func (m *model) condition(depth int) (ours, sql string) {
	if depth > 0 && m.rng.IntN(3) > 0 {
		a, x := m.condition(depth - 1)
		b, y := m.condition(depth - 1)
		switch m.rng.IntN(3) {
		case 0:
			return "(" + a + " and " + b + ")", "(" + x + " and " + y + ")"
		case 1:
			return "(" + a + " or " + b + ")", "(" + x + " or " + y + ")"
		}
		return "not " + a, "(not " + x + ")"
	}
	n := m.rng.IntN(1200) - 100
	word := m.pick("phone", "visit", "post")
	switch m.rng.IntN(10) {
	case 0:
		return fmt.Sprintf("channel is %q", word), fmt.Sprintf("coalesce(channel = '%s', false)", word)
	case 1:
		return fmt.Sprintf("channel is not %q", word), fmt.Sprintf("(channel <> '%s')", word)
	case 2:
		return "channel is missing", "(channel is null)"
	case 3:
		return fmt.Sprintf("net above %d.5", n), fmt.Sprintf("coalesce(net > %d.5, false)", n)
	case 4:
		return fmt.Sprintf("cost at most %d", n), fmt.Sprintf("coalesce(cost <= %d, false)", n)
	case 5:
		return fmt.Sprintf("net between %d and %d", n, n+300), fmt.Sprintf("coalesce(net between %d and %d, false)", n, n+300)
	case 6:
		t := m.pick("North", "South", "East")
		return fmt.Sprintf("rep.territory is %q", t), fmt.Sprintf("coalesce(territory = '%s', false)", t)
	case 7:
		return `rep.territory in ("North", "East")`, "coalesce(territory in ('North', 'East'), false)"
	case 8:
		k := m.rng.IntN(9)
		return fmt.Sprintf("rep.size at least %d", k), fmt.Sprintf("coalesce(size >= %d, false)", k)
	}
	return `customer.category starts with "S"`, "coalesce(category like 'S%', false)"
}

func drawModel(seed uint64) *model {
	m := &model{rng: rand.New(rand.NewPCG(seed, 5)), base: map[string]string{}}
	m.fiscal = 1 + m.rng.IntN(12)
	var s strings.Builder
	fmt.Fprintf(&s, `oskel: 1
calendar: {fiscal_year_starts: "%02d-01", windows: [{name: sale, from: 2026-01-20, to: 2026-03-05}]}
kinds:
  rep: {attributes: {territory: text, size: number}}
  customer: {attributes: {category: text}}
feeds:
  sales: {date: day, subjects: {rep: rep, customer: customer}, numbers: {net: money, cost: money}, labels: [channel]}
measures:
`, m.fiscal)
	// The same lines may be asked for as a sum, a count or a value of theirs.
	for i, aggregate := range []string{"sum", "sum", "count", "distinct", "average", "minimum", "maximum", "first", "last"} {
		name, figure := fmt.Sprintf("m%d", i), m.pick("net", "cost")
		condition, where, filter := "", "", "true"
		if m.rng.IntN(3) > 0 {
			condition, filter = m.condition(2)
			where = fmt.Sprintf(", where: '%s'", condition)
		}
		of, unit := "sales."+figure, "money"
		there := fmt.Sprintf("filter (where %s and %s is not null)", filter, figure)
		switch aggregate {
		case "count":
			of, unit = "sales", "count"
			m.base[name] = fmt.Sprintf("nullif(count(*) filter (where %s), 0)::text", filter)
		case "distinct":
			of, unit = "sales.customer", "count"
			m.base[name] = fmt.Sprintf("nullif(count(distinct customer) filter (where %s), 0)::text", filter)
		case "average":
			m.base[name] = fmt.Sprintf("sum(%s) %s || '/' || count(*) %s", figure, there, there)
		case "sum":
			m.base[name] = fmt.Sprintf("(sum(%s) %s)::text", figure, there)
		case "minimum", "maximum":
			m.base[name] = fmt.Sprintf("(%s(%s) %s)::text", aggregate[:3], figure, there)
		case "first":
			m.base[name] = fmt.Sprintf("((array_agg(%s order by day, line) %s)[1])::text", figure, there)
		case "last":
			m.base[name] = fmt.Sprintf("((array_agg(%s order by day desc, line desc) %s)[1])::text", figure, there)
		}
		fmt.Fprintf(&s, "  %s: {%s: %s%s, unit: %s}\n", name, aggregate, of, where, unit)
	}
	m.book = s.String()
	m.drawRegisters()
	s.Reset()
	s.WriteString("day,rep,customer,net,cost,channel\n")
	for range 2500 {
		fmt.Fprintf(&s, "%s,R%d,C%d,%s,%s,%s\n", m.day(), m.rng.IntN(10), m.rng.IntN(30), m.decimal(), m.decimal(), m.pick(channels...))
	}
	m.lines = s.String()
	s.Reset()
	s.WriteString("rep,month,m0\n")
	for rep := range 9 { // the last has none
		for month := range 12 {
			if m.rng.IntN(8) > 0 {
				fmt.Fprintf(&s, "R%d,2026-%02d,%d.%02d\n", rep, month+1, m.rng.IntN(3000), m.rng.IntN(100))
			}
		}
	}
	m.targets = s.String()
	return m
}

// drawRegisters draws reps that change over time: a row holds until the next,
// or until its stated end.
func (m *model) drawRegisters() {
	var s strings.Builder
	s.WriteString("rep,territory,size,valid_from,valid_to\n")
	for rep := range 10 {
		var starts []string
		for range m.rng.IntN(3) {
			if d := m.day(); !slices.Contains(starts, d) {
				starts = append(starts, d)
			}
		}
		slices.Sort(starts)
		if m.rng.IntN(4) > 0 {
			starts = append([]string{""}, starts...)
		}
		if len(starts) == 0 {
			starts = []string{""}
		}
		for i, from := range starts {
			to := ""
			if m.rng.IntN(4) == 0 {
				to = m.day()
			}
			if to < from || i+1 < len(starts) && to >= starts[i+1] {
				to = ""
			}
			fmt.Fprintf(&s, "R%d,%s,%s,%s,%s\n", rep, m.pick(territories...), m.pick("", "2", "4.5", "7"), from, to)
		}
	}
	m.repRows = s.String()
	s.Reset()
	s.WriteString("customer,category\n")
	for i := range 30 {
		fmt.Fprintf(&s, "C%d,%s\n", i, m.pick(categories...))
	}
	m.customerRows = s.String()
}

// span is a stretch of days, with the name by which the product knows it.
type span struct {
	name        string
	first, last time.Time
}

// period draws a period that holds a random day of 2026, worked out with no
// calendar but Go's.
func (m *model) period(unit string) span {
	d := time.Date(2026, 1, 1+m.rng.IntN(365), 0, 0, 0, 0, time.UTC)
	in := (int(d.Month()) - m.fiscal + 12) % 12 // months into the fiscal year
	start := time.Date(d.Year(), d.Month()-time.Month(in), 1, 0, 0, 0, 0, time.UTC)
	year := start.AddDate(1, 0, -1).Year() // named after its end
	part := func(letter string, months int) span {
		k := in / months
		first := start.AddDate(0, k*months, 0)
		return span{fmt.Sprintf("%d-%s%d", year, letter, k+1), first, first.AddDate(0, months, -1)}
	}
	switch unit {
	case "day":
		return span{d.Format(time.DateOnly), d, d}
	case "week":
		monday := d.AddDate(0, 0, -(int(d.Weekday())+6)%7)
		y, w := d.ISOWeek()
		return span{fmt.Sprintf("%d-W%02d", y, w), monday, monday.AddDate(0, 0, 6)}
	case "month":
		first := time.Date(d.Year(), d.Month(), 1, 0, 0, 0, 0, time.UTC)
		return span{first.Format("2006-01"), first, first.AddDate(0, 1, -1)}
	case "quarter":
		return part("Q", 3)
	case "half":
		return part("H", 6)
	case "year":
		return span{fmt.Sprint(year), start, start.AddDate(1, 0, -1)}
	}
	return span{"sale", time.Date(2026, 1, 20, 0, 0, 0, 0, time.UTC), time.Date(2026, 3, 5, 0, 0, 0, 0, time.UTC)}
}

// back is the month so many before.
func (s span) back(months int) span {
	first := s.first.AddDate(0, -months, 0)
	return span{first: first, last: first.AddDate(0, 1, -1)}
}

// randomLines puts the lines beside what the registers said on their day.
const randomLines = `create temporary table lines as
	select l.*, r.key as rep_key, c.key as customer_key, rr.attributes->>'territory' as territory,
		(rr.attributes->>'size')::numeric as size, cc.attributes->>'category' as category
	from feeds.sales l join subjects r on r.kind = 'rep' and r.code = l.rep join subjects c on c.kind = 'customer' and c.code = l.customer
	join registers cc on cc.kind = 'customer' and cc.code = l.customer
	left join lateral (select * from (
		select attributes, valid_to from registers where kind = 'rep' and code = l.rep and (valid_from is null or valid_from <= l.day)
		order by valid_from desc nulls last limit 1) x where valid_to is null or valid_to >= l.day) rr on true`

var randomLevels = map[string]string{"rep": "rep_key", "customer": "customer_key", "rep.territory": "coalesce(territory, 'without a territory')",
	"customer.category": "coalesce(category, 'without a category')", "whole": "'all'",
	"rep x customer":                    "rep_key || ' x ' || customer_key",
	"rep.territory x customer.category": "coalesce(territory, 'without a territory') || ' x ' || coalesce(category, 'without a category')"}

// randomPeer answers for base measures in SQL.
type randomPeer struct {
	t    *testing.T
	m    *model
	conn *pgx.Conn
	kept map[string]map[string]*big.Rat
}

func (p *randomPeer) figures(measure, by string, s span) map[string]*big.Rat {
	sql := fmt.Sprintf("select %s, %s from lines where day between '%s' and '%s' group by 1", randomLevels[by], p.m.base[measure],
		s.first.Format(time.DateOnly), s.last.Format(time.DateOnly))
	if p.kept[sql] == nil {
		rows, err := p.conn.Query(ctx, sql)
		require.NoError(p.t, err, sql)
		out := map[string]*big.Rat{}
		var key string
		var value *string
		_, err = pgx.ForEachRow(rows, []any{&key, &value}, func() error {
			if value != nil {
				out[key] = rational(p.t, *value)
			}
			return nil
		})
		require.NoError(p.t, err, sql)
		p.kept[sql] = out
	}
	return p.kept[sql]
}

// formulas are worked out here from the base measures' figures, by what the
// documents say of each; nil is missing.
var randomFormulas = []struct {
	text    string
	monthly bool // it looks to other months
	value   func(at func(measure string, back int) *big.Rat, whole func(measure string) *big.Rat) *big.Rat
}{
	{"m0 / m1", false, func(at func(string, int) *big.Rat, _ func(string) *big.Rat) *big.Rat {
		return quotient(at("m0", 0), at("m1", 0))
	}},
	{"m0 - coalesce(m1, 0) * 2", false, func(at func(string, int) *big.Rat, _ func(string) *big.Rat) *big.Rat {
		a, b := at("m0", 0), at("m1", 0)
		if a == nil || b == nil {
			return a
		}
		return new(big.Rat).Sub(a, new(big.Rat).Mul(b, big.NewRat(2, 1)))
	}},
	{"when m2 above 3 then m4 otherwise m5", false, func(at func(string, int) *big.Rat, _ func(string) *big.Rat) *big.Rat {
		if n := at("m2", 0); n != nil && n.Cmp(big.NewRat(3, 1)) > 0 {
			return at("m4", 0)
		}
		return at("m5", 0)
	}},
	{"share(m0)", false, func(at func(string, int) *big.Rat, whole func(string) *big.Rat) *big.Rat {
		if w := whole("m0"); w == nil || w.Sign() <= 0 {
			return nil
		}
		return quotient(at("m0", 0), whole("m0"))
	}},
	{"change(m4, 2)", true, func(at func(string, int) *big.Rat, _ func(string) *big.Rat) *big.Rat {
		a, b := at("m4", 0), at("m4", 2)
		if a == nil || b == nil {
			return nil
		}
		return new(big.Rat).Sub(a, b)
	}},
	{"growth(m0)", true, func(at func(string, int) *big.Rat, _ func(string) *big.Rat) *big.Rat {
		a, b := at("m0", 0), at("m0", 1)
		if a == nil || b == nil || b.Sign() <= 0 {
			return nil
		}
		return quotient(new(big.Rat).Sub(a, b), b)
	}},
	{"history(m6, 4, best, at least 2)", true, func(at func(string, int) *big.Rat, _ func(string) *big.Rat) *big.Rat {
		var best *big.Rat
		n := 0
		for back := 1; back <= 4; back++ {
			if v := at("m6", back); v != nil {
				n++
				if best == nil || v.Cmp(best) > 0 {
					best = v
				}
			}
		}
		if n < 2 {
			return nil
		}
		return best
	}},
	{"trailing(m2, 3, average)", true, func(at func(string, int) *big.Rat, _ func(string) *big.Rat) *big.Rat {
		sum := new(big.Rat)
		for back := range 3 {
			v := at("m2", back)
			if v == nil {
				return nil
			}
			sum.Add(sum, v)
		}
		return sum.Quo(sum, big.NewRat(3, 1))
	}},
}

func quotient(a, b *big.Rat) *big.Rat {
	if a == nil || b == nil || b.Sign() == 0 {
		return nil
	}
	return new(big.Rat).Quo(a, b)
}

// Feeds, calendars, registers that change, targets, measures with conditions,
// levels and periods are drawn at random: every figure is what PostgreSQL's own
// SQL makes of the same lines, to the last decimal, and every formula what
// rationals make of those.
func TestRandomModelsAgreeWithSQL(t *testing.T) {
	t.Parallel()
	compared := 0
	for seed := range uint64(2) {
		m := drawModel(seed + 1)
		s := newService(t)
		s.publish(m.book, 0)
		s.load("register", "rep", m.repRows)
		s.load("register", "customer", m.customerRows)
		s.load("feed", "sales", m.lines)
		s.load("targets", "rep", m.targets)
		conn, err := pgx.Connect(ctx, s.database)
		require.NoError(t, err)
		_, err = conn.Exec(ctx, randomLines)
		require.NoError(t, err)
		peer := &randomPeer{t, m, conn, map[string]map[string]*big.Rat{}}
		levels := slices.Sorted(maps.Keys(randomLevels))
		m.rng.Shuffle(len(levels), func(i, j int) { levels[i], levels[j] = levels[j], levels[i] })
		for _, by := range levels[:4] {
			units := []string{"day", "week", "quarter", "half", "year", "window"}
			m.rng.Shuffle(len(units), func(i, j int) { units[i], units[j] = units[j], units[i] })
			for _, unit := range append(units[:2], "month") {
				period := m.period(unit)
				for name := range m.base {
					compared += agreeOnFigures(t, s, fmt.Sprintf("model %d, %s", seed+1, m.book), name, by, period.name, peer.figures(name, by, period))
				}
				for _, f := range randomFormulas {
					if f.monthly && unit != "month" {
						continue
					}
					keys := map[string]bool{}
					for name := range m.base {
						for key := range peer.figures(name, by, period) {
							keys[key] = true
						}
					}
					for back := range 5 {
						for key := range peer.figures("m6", by, period.back(back)) {
							keys[key] = keys[key] || f.monthly
						}
					}
					expected := map[string]*big.Rat{}
					for key := range keys {
						v := f.value(func(measure string, back int) *big.Rat {
							if back == 0 {
								return peer.figures(measure, by, period)[key]
							}
							return peer.figures(measure, by, period.back(back))[key]
						}, func(measure string) *big.Rat { return peer.figures(measure, "whole", period)["all"] })
						if v != nil {
							expected[key] = v
						}
					}
					compared += agreeOnFigures(t, s, fmt.Sprintf("model %d, %s", seed+1, m.book), f.text, by, period.name, expected)
				}
			}
		}
		agreeOnTargets(t, s, m, conn)
		require.NoError(t, conn.Close(ctx))
		s.stop()
		if t.Failed() {
			return // one model at a time is enough to read
		}
	}
	assert.Greater(t, compared, 1_000)
}

// agreeOnFigures holds a table's figures against those expected, whichever of
// both has a key.
func agreeOnFigures(t *testing.T, s *service, model, measure, by, period string, expected map[string]*big.Rat) (compared int) {
	limit := 1000
	table := want[client.Table](t, 200)(s.as("rea").GetTable(ctx, &client.GetTableParams{Measures: measure, By: &by, Period: period, Limit: &limit}))
	found := map[string]*big.Rat{}
	for _, row := range table.Rows {
		if exact := row.Cells[0].Exact; exact != nil {
			found[row.Key] = rational(t, *exact)
		}
	}
	if by == "whole" && len(table.Rows) == 0 && table.Whole[0].Exact != nil {
		found["all"] = rational(t, *table.Whole[0].Exact)
	}
	for key, value := range expected {
		if !assert.Contains(t, found, key, "%s by %s in %s: expected %s; %s", measure, by, period, value, model) {
			return compared
		}
		if !assert.Zero(t, value.Cmp(found[key]), "%s of %q in %s: expected %s, found %s; %s", measure, key, period, value, found[key], model) {
			return compared
		}
		compared++
	}
	for key, value := range found {
		if !assert.Contains(t, expected, key, "%s by %s in %s: found %s; %s", measure, by, period, value, model) {
			return compared
		}
	}
	return compared
}

// agreeOnTargets holds the attainment of a month and of a quarter against the
// sums of the targets there are.
func agreeOnTargets(t *testing.T, s *service, m *model, conn *pgx.Conn) {
	peer := &randomPeer{t, m, conn, map[string]map[string]*big.Rat{}}
	for _, unit := range []string{"month", "quarter"} {
		period := m.period(unit)
		for period.first.Year() != 2026 || period.last.Year() != 2026 {
			period = m.period(unit)
		}
		targets := map[string]*big.Rat{}
		rows, err := conn.Query(ctx,
			"select s.key, sum(target)::text from targets join subjects s using (kind, code) where month between $1 and $2 group by 1", period.first, period.last)
		require.NoError(t, err)
		var key, sum string
		_, err = pgx.ForEachRow(rows, []any{&key, &sum}, func() error { targets[key] = rational(t, sum); return nil })
		require.NoError(t, err)
		expected := map[string]*big.Rat{}
		for key, v := range peer.figures("m0", "rep", period) {
			if target := targets[key]; target != nil && target.Sign() > 0 {
				expected[key] = quotient(v, target)
			}
		}
		assert.NotEmpty(t, expected)
		agreeOnFigures(t, s, m.book, "attainment(m0)", "rep", period.name, expected)
	}
}
