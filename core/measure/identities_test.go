package measure_test

import (
	"fmt"
	"math/big"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/ledger"
	"oskel/core/measure"
)

// What two ways of writing the same thing must agree on. Where the first says
// nothing though the second does, its base is zero or below, or it asks for
// more than is there.
var identities = [][2]string{
	{"growth(revenue)", "revenue / earlier(revenue) - 1"},
	{"growth(margin, 2)", "margin / earlier(margin, 2) - 1"},
	{"change(revenue)", "revenue - earlier(revenue)"},
	{"gap(revenue)", "revenue - target(revenue)"},
	{"attainment(revenue)", "revenue / target(revenue)"},
	{"trailing(revenue, 3)", "revenue + earlier(revenue) + earlier(revenue, 2)"},
	{"trailing(revenue, 3, average)", "trailing(revenue, 3) / 3"},
	{"trailing(revenue, 2, median)", "(revenue + earlier(revenue)) / 2"},
	{"trailing(revenue, 2, best)", "when revenue above earlier(revenue) then revenue otherwise earlier(revenue)"},
	{"trailing(cost, 2, best)", "when cost below earlier(cost) then cost otherwise earlier(cost)"},
	{"history(revenue, 2, average, at least 2)", "(earlier(revenue) + earlier(revenue, 2)) / 2"},
	{"share(revenue)", "revenue / group_value(revenue)"},
	{"share(revenue, rep.territory)", "revenue / group_value(revenue, rep.territory)"},
	{"typical", "revenue / orders"},
	{"margin", "1 - cost / revenue"},
	{"coalesce(by_phone, revenue)", "when by_phone is missing then revenue otherwise by_phone"},
	{"peers(revenue, median)", "peers(revenue, percentile 50)"},
	{"to_date(margin, month)", "margin"},
	{"- - revenue", "revenue"},
}

// drawn is a world of random lines, all with a net and a cost, and targets.
func drawn(t *rapid.T, measures string) *measure.Engine {
	var lines []line
	for range rapid.IntRange(0, 40).Draw(t, "lines") {
		day := calendar.Date(2026, 7, 15) + calendar.Day(rapid.IntRange(0, 120).Draw(t, "day"))
		money := func(name string) string { return fmt.Sprint(rapid.IntRange(-3, 12).Draw(t, name)) }
		lines = append(lines, line{rapid.IntRange(0, 2).Draw(t, "rep"), rapid.IntRange(0, 3).Draw(t, "customer"), day.String(), money("net"), money("cost"),
			rapid.IntRange(0, 2).Draw(t, "channel")})
	}
	e := world(t, measures, lines)
	sheet := e.Snapshot.Targets[ledger.SheetKey{Kind: "rep", Measure: "revenue"}]
	for rep := range uint32(3) {
		if rapid.Bool().Draw(t, "has a target") {
			sheet.Set(calendar.MonthOf(2026, 10), rep, amount.FromInt(rapid.Int64Range(-1, 9).Draw(t, "target")))
		}
	}
	return e
}

func TestTwoWaysOfSayingTheSame(t *testing.T) {
	measures := ""
	for i, pair := range identities {
		measures += fmt.Sprintf("  a%d: {formula: %q, unit: percent}\n  b%d: {formula: %q, unit: percent}\n", i, pair[0], i, pair[1])
	}
	rapid.Check(t, func(t *rapid.T) {
		plain := drawn(t, "")
		e := worldUnchecked(t, measures, nil)
		e = measure.New(e.Book, plain.Snapshot)
		level := rapid.SampledFrom([]measure.Level{reps, areas}).Draw(t, "level")
		s := e.Slot(level, calendar.MonthPeriod(calendar.MonthOf(2026, 10)))
		for i, pair := range identities {
			for code := range uint32(e.Size(level)) {
				a, why := e.Exact(fmt.Sprintf("a%d", i), code, s)
				b, whyNot := e.Exact(fmt.Sprintf("b%d", i), code, s)
				switch {
				case why == measure.Present:
					require.Equal(t, measure.Present, whyNot, "%s of %d is there, %s is not", pair[0], code, pair[1])
					require.Zero(t, a.Cmp(b), "%s of %d is %s, %s is %s", pair[0], code, a, pair[1], b)
				case whyNot == measure.Present:
					require.Contains(t, []measure.Why{measure.BaseNotPositive, measure.LittleHistory}, why, "%s of %d", pair[0], code)
				}
			}
		}
	})
}

// What adds up does so over subjects and over periods, shares are of one whole,
// places are dense, and the order of a day's lines is nothing to any of it.
func TestFiguresAddUp(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		e := drawn(t, "  part: {formula: share(revenue), unit: percent}\n  high: {formula: rank(revenue), groups: own figures, unit: count}\n  low: "+
			"{formula: \"rank(revenue, lowest)\", groups: own figures, unit: count}\n")
		october := calendar.MonthPeriod(calendar.MonthOf(2026, 10))
		quarter, err := e.Book.Calendar.Parse("2027-Q3") // August to October
		require.NoError(t, err)
		sum := func(name string, l measure.Level, periods ...calendar.Period) *big.Rat {
			out := new(big.Rat)
			for _, p := range periods {
				for code := range uint32(e.Size(l)) {
					if v, why := e.Exact(name, code, e.Slot(l, p)); why == measure.Present {
						out.Add(out, v)
					}
				}
			}
			return out
		}
		months := []calendar.Period{calendar.MonthPeriod(calendar.MonthOf(2026, 8)), calendar.MonthPeriod(calendar.MonthOf(2026, 9)), october}
		for _, name := range []string{"revenue", "cost", "orders", "by_phone", "to_yards"} {
			for _, l := range []measure.Level{reps, areas, {Kind: "customer"}} {
				require.Zero(t, sum(name, whole, october).Cmp(sum(name, l, october)), "%s by %s", name, l)
			}
			require.Zero(t, sum(name, reps, quarter).Cmp(sum(name, reps, months...)), name)
		}
		require.LessOrEqual(t, sum("customers", whole, quarter).Cmp(sum("customers", whole, months...)), 0)
		if all := sum("revenue", whole, october); all.Sign() > 0 {
			require.Equal(t, "1", sum("part", reps, october).RatString())
		}
		// A place from above and one from below make one more than there are
		// different values.
		s := e.Slot(reps, october)
		different := map[string]bool{}
		ends := map[string]bool{}
		for code := range uint32(3) {
			if v, why := e.Exact("revenue", code, s); why == measure.Present {
				different[v.RatString()] = true
				high, _ := e.Exact("high", code, s)
				low, _ := e.Exact("low", code, s)
				ends[new(big.Rat).Add(high, low).RatString()] = true
			}
		}
		if len(different) > 0 {
			require.Equal(t, map[string]bool{fmt.Sprint(len(different) + 1): true}, ends)
		}
		shuffled := measure.New(e.Book, &ledger.Snapshot{Registers: e.Snapshot.Registers, Targets: e.Snapshot.Targets,
			Feeds: map[string]*ledger.Feed{"sales": shuffle(e.Snapshot.Feeds["sales"], rapid.Uint64().Draw(t, "order"))}})
		for _, name := range []string{"revenue", "orders", "customers", "typical", "smallest", "largest", "to_yards", "margin", "part", "high"} {
			for code := range uint32(3) {
				a, why := e.Exact(name, code, s)
				b, same := shuffled.Exact(name, code, s)
				require.Equal(t, why, same)
				require.True(t, why != measure.Present || a.Cmp(b) == 0, "%s of %d", name, code)
			}
		}
	})
}

// shuffle is a feed with the lines of each chunk in another order.
func shuffle(f *ledger.Feed, seed uint64) *ledger.Feed {
	out := *f
	out.Chunks = nil
	rng := rand.New(rand.NewPCG(seed, 1))
	for _, c := range f.Chunks {
		order := rng.Perm(c.Days.Len())
		slices.SortStableFunc(order, func(a, b int) int { return c.Days.Of(a) - c.Days.Of(b) }) // days stay in theirs
		d := &ledger.Chunk{Month: c.Month, Subjects: make([][]uint32, len(c.Subjects)), Numbers: make([][]amount.Amount, len(c.Numbers)),
			Labels: make([][]uint32, len(c.Labels))}
		for _, i := range order {
			d.Days.Add(c.Days.Of(i))
			for k := range c.Subjects {
				d.Subjects[k] = append(d.Subjects[k], c.Subjects[k][i])
			}
			for k := range c.Numbers {
				d.Numbers[k] = append(d.Numbers[k], c.Numbers[k][i])
			}
			for k := range c.Labels {
				d.Labels[k] = append(d.Labels[k], c.Labels[k][i])
			}
		}
		out.Chunks = append(out.Chunks, d)
	}
	return &out
}
