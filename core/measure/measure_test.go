package measure_test

import (
	"fmt"
	"math/big"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/ledger"
	"oskel/core/measure"
	"oskel/core/method"
	"oskel/core/rulebook"
)

const head = `oskel: 1
calendar: {fiscal_year_starts: "02-01"}
kinds:
  rep: {attributes: {territory: text}}
  customer: {attributes: {category: text}}
feeds:
  sales: {date: day, subjects: {rep: rep, customer: customer}, numbers: {net: money, cost: money}, labels: [channel]}
dials: {floor: {value: 20%}}
measures:
  revenue: {sum: sales.net, unit: money}
  cost: {sum: sales.cost, unit: money, good: down}
  orders: {count: sales, unit: count}
  customers: {distinct: sales.customer, unit: count}
  typical: {average: sales.net, unit: money}
  smallest: {minimum: sales.net, unit: money}
  largest: {maximum: sales.net, unit: money}
  opening: {first: sales.net, unit: money}
  closing: {last: sales.net, unit: money}
  by_phone: {sum: sales.net, where: channel is "phone", unit: money}
  to_yards: {sum: sales.net, where: customer.category is "Yard" and net above 0, unit: money}
  margin: {formula: "(revenue - cost) / revenue", unit: percent}
`

type line struct {
	rep, customer int
	day           string
	net, cost     string
	channel       int // 0 none, 1 phone, 2 visit
}

// world is an engine over lines of three reps (North, North, South) and four
// customers (Yard, Shop, Yard, none).
func world(t require.TestingT, measures string, lines []line) *measure.Engine {
	book, problems := rulebook.Read([]byte(head+measures), method.All())
	require.Empty(t, problems)
	register := func(kind, attribute string, values ...string) *ledger.Register {
		var keys []string
		var texts []lang.Value
		for i, v := range values {
			keys = append(keys, fmt.Sprintf("%s%d", kind, i))
			texts = append(texts, lang.Value{})
			if v != "" {
				texts[i] = lang.Value{Type: lang.TextType, Text: v}
			}
		}
		r := ledger.NewRegister(kind, keys, keys)
		r.SetAttribute(attribute, texts)
		return r
	}
	feed := &ledger.Feed{Name: "sales", Subjects: []string{"rep", "customer"}, Numbers: []string{"net", "cost"},
		Labels: []*ledger.Label{{Column: "channel", Words: []string{"", "phone", "visit"}}}}
	slices.SortStableFunc(lines, func(a, b line) int { return strings.Compare(a.day, b.day) })
	for _, l := range lines {
		day, err := calendar.ParseDay(l.day)
		require.NoError(t, err)
		n := len(feed.Chunks)
		if n == 0 || feed.Chunks[n-1].Month != day.Month() {
			feed.Chunks = append(feed.Chunks, &ledger.Chunk{Month: day.Month(), Subjects: make([][]uint32, 2), Numbers: make([][]amount.Amount, 2),
				Labels: make([][]uint32, 1)})
			n++
		}
		c := feed.Chunks[n-1]
		c.Days.Add(int(day-day.Month().First()) + 1)
		c.Subjects[0] = append(c.Subjects[0], uint32(l.rep))
		c.Subjects[1] = append(c.Subjects[1], uint32(l.customer))
		c.Numbers[0] = append(c.Numbers[0], number(t, l.net))
		c.Numbers[1] = append(c.Numbers[1], number(t, l.cost))
		c.Labels[0] = append(c.Labels[0], uint32(l.channel))
	}
	return measure.New(book, &ledger.Snapshot{
		Registers: map[string]*ledger.Register{"rep": register("rep", "territory", "North", "North", "South"),
			"customer": register("customer", "category", "Yard", "Shop", "Yard", "")},
		Feeds:   map[string]*ledger.Feed{"sales": feed},
		Targets: map[ledger.SheetKey]*ledger.Sheet{{Kind: "rep", Measure: "revenue"}: {Months: map[calendar.Month][]amount.Amount{}}},
	})
}

func number(t require.TestingT, s string) amount.Amount {
	if s == "" {
		return amount.Missing
	}
	a, err := amount.Parse(s)
	require.NoError(t, err)
	return a
}

var (
	reps  = measure.Level{Kind: "rep"}
	areas = measure.Level{Kind: "rep", By: "territory"}
	whole = measure.Level{}
)

// say writes a measure for every code of a level in a period, exactly.
func say(e *measure.Engine, name string, l measure.Level, period string) string {
	p, err := e.Book.Calendar.Parse(period)
	if err != nil {
		return err.Error()
	}
	s := e.Slot(l, p)
	var out []string
	for code := range e.Size(l) {
		v, why := e.Exact(name, uint32(code), s)
		if why != measure.Present {
			out = append(out, why.String())
			continue
		}
		text := v.RatString()
		if !v.IsInt() {
			text = strings.TrimRight(v.FloatString(6), "0")
		}
		out = append(out, text)
	}
	return strings.Join(out, "; ")
}

// The lines of the worked examples: three months of three reps.
func examples(t *testing.T, measures string) *measure.Engine {
	e := world(t, measures, []line{
		{0, 0, "2026-08-03", "100", "80", 1}, {0, 1, "2026-08-31", "60", "", 2}, {1, 2, "2026-08-05", "50", "30", 0},
		{0, 0, "2026-09-01", "200", "150", 1}, {0, 0, "2026-09-02", "40", "10", 2}, {2, 3, "2026-09-30", "-20", "5", 1},
		{0, 2, "2026-10-01", "300", "240", 1}, {1, 1, "2026-10-15", "100", "80", 2}, {1, 1, "2026-10-15", "100", "80", 0}, {2, 3, "2026-10-31", "0", "0", 2},
		{0, 1, "2025-10-09", "150", "100", 1},
	})
	october, _ := calendar.ParseMonth("2026-10")
	sheet := e.Snapshot.Targets[ledger.SheetKey{Kind: "rep", Measure: "revenue"}]
	sheet.Set(october, 0, amount.FromInt(300))
	sheet.Set(october, 2, 0)
	sheet.Set(october-1, 0, amount.FromInt(100))
	return e
}

func TestAggregates(t *testing.T) {
	e := examples(t, "")
	none, absent := "no lines in the period", "no such group in the period"
	for _, c := range []struct{ measure, level, want string }{
		{"revenue", "rep 2026-09", "240; " + none + "; -20"},
		{"revenue", "area 2026-08", absent + "; 210; " + none},
		{"revenue", "whole 2026-Q3", "430"}, // the fiscal quarter is August to October: see below
		{"orders", "rep 2026-08", "2; 1; " + none},
		{"customers", "rep 2026-08", "2; 1; " + none},
		{"customers", "whole 2027", "4"},
		{"typical", "rep 2026-08", "80; 50; " + none},
		{"smallest", "rep 2027", "40; 50; -20"},
		{"largest", "rep 2027", "300; 100; 0"},
		{"opening", "rep 2027", "100; 50; -20"},
		{"closing", "rep 2027", "300; 100; 0"},
		{"cost", "rep 2026-08", "80; 30; " + none}, // a missing cost is left out
		{"by_phone", "rep 2026-10", "300; " + none + "; " + none},
		{"to_yards", "rep 2026-10", "300; " + none + "; " + none},
		{"margin", "rep 2026-10", "0.2; 0.2; division by zero"},
		{"margin", "area 2026-10", absent + "; 0.2; division by zero"},
		{"margin", "whole 2026-09", "0.25"}, // 220 sold at 165: the ratio of the sums
		{"revenue", "rep 2026-10-15", none + "; 200; " + none},
		{"revenue", "rep 2026-W36", "300; " + none + "; " + none}, // 31 August to 6 September
	} {
		level, period, _ := strings.Cut(c.level, " ")
		if c.want == "430" {
			period = "2027-Q3"
			c.want = "930"
		}
		l := map[string]measure.Level{"rep": reps, "area": areas, "whole": whole}[level]
		assert.Equal(t, c.want, say(e, c.measure, l, period), "%s %s %s", c.measure, level, period)
	}
}

func TestFunctions(t *testing.T) {
	none := "no lines in the period"
	for _, c := range []struct{ formula, unit, level, period, want string }{
		{"earlier(revenue)", "money", "rep", "2026-10", "240; " + none + "; -20"},
		{"earlier(revenue, 1 year)", "money", "rep", "2026-10", "150; " + none + "; " + none},
		{"change(revenue)", "money", "rep", "2026-10", "60; no base to compare with; 20"},
		{"growth(revenue)", "percent", "rep", "2026-10", "0.25; no base to compare with; the base is not above zero"},
		{"growth(revenue, 1 year)", "percent", "rep", "2026-10", "1; no base to compare with; no base to compare with"},
		{"earlier(margin, 1 year)", "percent", "rep", "2026-W53", "there is no such period; there is no such period; there is no such period"},
		{"to_date(revenue, quarter)", "money", "rep", "2026-10", "700; 250; -20"},
		{"to_date(margin, quarter)", "percent", "rep", "2026-09", "0.4; 0.4; 1.25"},
		{"trailing(revenue, 3)", "money", "rep", "2026-10", "700; not enough history; not enough history"},
		{"trailing(revenue, 3, at least 2)", "money", "rep", "2026-10", "700; 250; -20"},
		{"trailing(revenue, 3, median, at least 1)", "money", "rep", "2026-10", "240; 125; -10"},
		{"trailing(revenue, 3, average, at least 1)", "money", "rep", "2026-10", "233.333333; 125; -10"},
		{"trailing(cost, 3, best, at least 1)", "money", "rep", "2026-10", "80; 30; 0"}, // less cost is better
		{"trailing(revenue, 2, worst, at least 1)", "money", "rep", "2026-10", "240; 200; -20"},
		{"history(revenue, 2, best)", "money", "rep", "2026-10", "240; not enough history; not enough history"},
		{"history(revenue, 2, best, at least 1)", "money", "rep", "2026-10", "240; 50; -20"},
		{"share(revenue)", "percent", "rep", "2026-10", "0.6; 0.4; 0"},
		{"share(revenue, rep.territory)", "percent", "rep", "2026-10", "0.6; 0.4; division by zero"},
		{"share(revenue)", "percent", "area", "2026-10", "no such group in the period; 1; 0"},
		{"rank(revenue)", "count", "rep", "2026-10", "1; 2; 3"},
		{"rank(margin)", "count", "rep", "2026-10", "1; 1; division by zero"}, // ties share a place
		{"rank(revenue, lowest)", "count", "rep", "2026-09", "2; " + none + "; 1"},
		{"rank(revenue, rep.territory)", "count", "rep", "2026-10", "1; 2; 1"},
		{"target(revenue)", "money", "rep", "2026-10", "300; no target; 0"},
		{"target(revenue)", "money", "area", "2026-10", "no such group in the period; 300; 0"},
		{"target(revenue)", "money", "whole", "2027-Q3", "400"},
		{"attainment(revenue)", "percent", "rep", "2026-10", "1; no target; division by zero"},
		{"gap(revenue)", "money", "rep", "2026-09", "140; no target; no target"},
		{"peers(revenue, average)", "money", "rep", "2026-10", "166.666667; 166.666667; 166.666667"},
		{"peers(revenue, median, rep.territory)", "money", "rep", "2026-10", "250; 250; 0"},
		{"peers(revenue, percentile 25)", "money", "rep", "2026-10", "100; 100; 100"},
		{"coalesce(by_phone, 0) / revenue", "percent", "rep", "2026-10", "1; 0; division by zero"},
		{"when revenue above 100 and not cost is missing then margin otherwise floor", "percent", "rep", "2026-10", "0.2; 0.2; 0.2"},
		{"when orders is 1 then revenue otherwise missing", "money", "rep", "2026-10", "300; by its formula; 0"},
	} {
		e := examples(t, fmt.Sprintf("  x: {formula: %q, groups: own figures, unit: %s}\n", c.formula, c.unit))
		l := map[string]measure.Level{"rep": reps, "area": areas, "whole": whole}[c.level]
		assert.Equal(t, c.want, say(e, "x", l, c.period), "%s by %s in %s", c.formula, c.level, c.period)
	}
}

func TestUnitsAreChecked(t *testing.T) {
	for formula, says := range map[string]string{
		"revenue + orders":          "adding money and count makes no sense",
		"revenue - margin":          "subtracting money and percent makes no sense",
		"revenue / orders":          "the formula gives money, and the measure is declared in percent",
		"growth(revenue) + revenue": "adding percent and money makes no sense",
		"when revenue above margin then margin otherwise margin": "comparing money and percent makes no sense",
		"share(revenue, rep.teritory)":                           "did you mean rep.territory?",
	} {
		_, problems := rulebook.Read([]byte(head+fmt.Sprintf("  x: {formula: %q, groups: own figures, unit: percent}\n", formula)), method.All())
		require.NotEmpty(t, problems, formula)
		assert.Contains(t, problems[0].Text, says, formula)
	}
	for formula, unit := range map[string]string{"revenue / orders": "money", "margin * revenue": "money", "revenue / cost": "count",
		"1 - margin": "percent", "rank(revenue) / 2": "count"} {
		_, problems := rulebook.Read([]byte(head+fmt.Sprintf("  x: {formula: %q, groups: own figures, unit: %s}\n", formula, unit)), method.All())
		assert.Empty(t, problems, formula)
	}
}

// Whatever the lines, every column lies within its stated error of the exact
// value, and gives the same reason where there is none: at every level and in
// every length of period.
func TestColumnsLieWithinTheirErrorOfTheExactValue(t *testing.T) {
	formulas := []string{
		"(revenue - cost) / (revenue - cost - by_phone)", "growth(revenue)", "change(margin, 2)", "to_date(margin, half)", "trailing(margin, 3, average, at least 1)",
		"trailing(revenue, 4, at least 2) / history(orders, 3, median)", "share(revenue, rep.territory)", "peers(margin, average)",
		"peers(revenue, percentile 33.3, rep.territory)",
		"rank(margin, rep.territory)", "attainment(revenue)", "coalesce(by_phone, 0) - typical * customers",
		"when margin above 20% then earlier(revenue, 1 year) otherwise gap(revenue)", "-smallest * largest / (opening + closing)",
	}
	measures := ""
	for i, f := range formulas {
		measures += fmt.Sprintf("  f%d: {formula: %q, unit: money}\n", i, f)
	}
	// Their units do not matter here.
	measures = strings.ReplaceAll(measures, "unit: money", "unit: percent")
	rapid.Check(t, func(t *rapid.T) {
		var lines []line
		for range rapid.IntRange(0, 40).Draw(t, "lines") {
			cents := func(name string) string {
				if rapid.IntRange(0, 9).Draw(t, name+" missing") == 0 {
					return ""
				}
				return amount.Amount(rapid.SampledFrom([]int64{1000, 2000, 3000, -1000, 1, 9_999_999_999_999}).Draw(t, name) * rapid.Int64Range(-3, 9).Draw(t,
					name+" times")).String()
			}
			day := calendar.Date(2025, 9, 1) + calendar.Day(rapid.IntRange(0, 420).Draw(t, "day"))
			lines = append(lines, line{rapid.IntRange(0, 2).Draw(t, "rep"), rapid.IntRange(0, 3).Draw(t, "customer"), day.String(), cents("net"),
				cents("cost"), rapid.IntRange(0, 2).Draw(t, "channel")})
		}
		e := worldUnchecked(t, measures, lines)
		sheet := e.Snapshot.Targets[ledger.SheetKey{Kind: "rep", Measure: "revenue"}]
		for m := calendar.Date(2026, 1, 1).Month(); m < calendar.Date(2026, 12, 1).Month(); m++ {
			sheet.Set(m, uint32(rapid.IntRange(0, 2).Draw(t, "who")), amount.FromInt(rapid.Int64Range(-1, 50).Draw(t, "target")))
		}
		period := rapid.SampledFrom([]string{"2026-10", "2026-09", "2027-Q3", "2027-H2", "2027", "2026-W40", "2026-10-05"}).Draw(t, "period")
		level := rapid.SampledFrom([]measure.Level{reps, areas, whole}).Draw(t, "level")
		p, err := e.Book.Calendar.Parse(period)
		require.NoError(t, err)
		s := e.Slot(level, p)
		for i := range formulas {
			name := fmt.Sprintf("f%d", i)
			c := e.Column(name, s)
			for code := range e.Size(level) {
				exact, why := e.Exact(name, uint32(code), s)
				require.Equal(t, why.String(), c.Why[code].String(), "%s of %d", formulas[i], code)
				if why != measure.Present {
					continue
				}
				off := new(big.Rat).SetFloat64(c.Value[code])
				off.Abs(off.Sub(off, exact))
				require.LessOrEqual(t, off.Cmp(new(big.Rat).SetFloat64(c.Error[code])), 0, "%s of %d: %v is off by more than %v from %s", formulas[i], code,
					c.Value[code], c.Error[code], exact)
			}
		}
	})
}

// worldUnchecked is world for formulas whose units make no sense.
func worldUnchecked(t require.TestingT, measures string, lines []line) *measure.Engine {
	e := world(t, "", lines)
	book, _ := rulebook.Read([]byte(head+measures), method.All())
	return measure.New(book, e.Snapshot)
}

// A rep who changes territory on 16 October counts in the old one until the
// 15th: in sums, distinct counts and levels, by the line's own day; a whole
// month's group is that of its last day.
func TestAGroupIsThatOfTheLinesDay(t *testing.T) {
	e := world(t, "", []line{
		{0, 0, "2026-10-15", "10", "0", 0}, {0, 1, "2026-10-16", "20", "0", 0}, {1, 0, "2026-10-20", "100", "0", 0}, {2, 1, "2026-10-01", "1000", "0", 0},
		{0, 2, "2026-11-02", "5", "0", 0},
	})
	text := func(s string) lang.Value { return lang.Value{Type: lang.TextType, Text: s} }
	e.Snapshot.Registers["rep"].SetAttribute("territory", []lang.Value{text("North"), text("North"), text("South")},
		ledger.Dated{From: calendar.Date(2026, 10, 16), Subject: 0, Value: text("South")},
		ledger.Dated{From: calendar.Date(2027, 1, 1), Subject: 1, Value: text("East")})
	none, absent := "no lines in the period", "no such group in the period"
	// The values, in order of first appearance: none, North, South, East.
	assert.Equal(t, absent+"; 110; 1020; "+absent, say(e, "revenue", areas, "2026-10"))
	assert.Equal(t, absent+"; 1; 1; "+absent, say(e, "customers", areas, "2026-10"))
	assert.Equal(t, absent+"; 10; "+none+"; "+absent, say(e, "revenue", areas, "2026-10-15"))
	assert.Equal(t, absent+"; 110; 1025; "+none, say(e, "revenue", areas, "2027-H2"), "the half holds January 2027, from which on there is an East")
	october, err := e.Book.Calendar.Parse("2026-10")
	require.NoError(t, err)
	s := e.Slot(areas, october)
	assert.Equal(t, []int32{0, 1}, e.Members(s, 1))
	assert.ElementsMatch(t, []int32{0, 2}, e.Members(s, 2))
}
