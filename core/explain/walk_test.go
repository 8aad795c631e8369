package explain_test

import (
	"fmt"
	"math/big"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/explain"
	"oskel/core/lang"
	"oskel/core/ledger"
	"oskel/core/measure"
	"oskel/core/method"
	"oskel/core/rulebook"
)

const walkBook = `oskel: 1
kinds:
  rep: {attributes: {territory: text}}
  product: {}
feeds:
  sales: {date: day, subjects: {rep: rep, product: product}, numbers: {quantity: count, net: money, cost: money}}
dials: {half: {value: 50%}}
measures:
  units: {sum: sales.quantity, unit: count}
  revenue: {sum: sales.net, unit: money}
  cost: {sum: sales.cost, unit: money}
  lines: {count: sales, unit: count}
  margin: {formula: "revenue - coalesce(cost, 0)", unit: money}
  weighted: {formula: "-(half * margin / 2) + revenue * 3", unit: money}
  margin_rate: {formula: "(revenue - cost) / revenue", unit: percent}
  price: {formula: "revenue / units", unit: money}
  product_of: {formula: "revenue * units", unit: money}
  largest: {maximum: sales.net, unit: money}
`

// productOf is the code of a line's product; -1 names none.
func productOf(l sold) uint32 {
	if l.product < 0 {
		return ledger.Nobody
	}
	return uint32(l.product)
}

type sold struct {
	month               int // 0 is September 2026, 1 is October
	rep, product        int
	quantity, net, cost int64 // a cost of -1 is none
}

// shop is an engine over lines of two reps (North, South) and three products.
func shop(t require.TestingT, lines []sold) *measure.Engine {
	book, problems := rulebook.Read([]byte(walkBook), method.All())
	require.Empty(t, problems)
	reps := ledger.NewRegister("rep", []string{"R0", "R1"}, []string{"R0", "R1"})
	reps.SetAttribute("territory", []lang.Value{{Type: lang.TextType, Text: "North"}, {Type: lang.TextType, Text: "South"}})
	feed := &ledger.Feed{Name: "sales", Subjects: []string{"rep", "product"}, Numbers: []string{"quantity", "net", "cost"}}
	for month := range 2 {
		c := &ledger.Chunk{Month: calendar.MonthOf(2026, 9) + calendar.Month(month), Subjects: make([][]uint32, 2), Numbers: make([][]amount.Amount, 3)}
		for _, l := range lines {
			if l.month != month {
				continue
			}
			cost := amount.Amount(l.cost * amount.Scale)
			if l.cost < 0 {
				cost = amount.Missing
			}
			c.Days.Add(5)
			c.Subjects[0], c.Subjects[1] = append(c.Subjects[0], uint32(l.rep)), append(c.Subjects[1], productOf(l))
			for k, a := range []amount.Amount{amount.Amount(l.quantity * amount.Scale), amount.Amount(l.net * amount.Scale), cost} {
				c.Numbers[k] = append(c.Numbers[k], a)
			}
		}
		if c.Days.Len() > 0 {
			feed.Chunks = append(feed.Chunks, c)
		}
	}
	return measure.New(book, &ledger.Snapshot{
		Registers: map[string]*ledger.Register{"rep": reps, "product": ledger.NewRegister("product", []string{"P0", "P1", "P2"}, []string{"P0", "P1", "P2"})},
		Feeds:     map[string]*ledger.Feed{"sales": feed}, Targets: map[ledger.SheetKey]*ledger.Sheet{},
	})
}

func walk(e *measure.Engine, name, quantity string, level measure.Level, code uint32, by measure.Level) (*explain.Walk, error) {
	october, _ := e.Book.Calendar.Parse("2026-10")
	september, _ := e.Book.Calendar.Before(october, 1)
	var q *lang.Node
	if quantity != "" {
		q = &lang.Node{Op: lang.Name, Text: quantity}
	}
	return explain.WalkOf(e, &lang.Node{Op: lang.Name, Text: name}, q, []measure.Slot{e.Slot(level, september)}, e.Slot(level, october), code, by)
}

var (
	anyRep   = measure.Level{Kind: "rep"}
	products = measure.Level{Kind: "product"}
)

// By hand: R0 sold 10 of P0 at 5 (cost 3) and 4 of P1 at 10 (cost 6) in September; 12
// of P0 at 6 (cost 4), none of P1 and 5 of P2 at 2 (cost 1) in October.
func TestAWalkByHand(t *testing.T) {
	e := shop(t, []sold{{0, 0, 0, 10, 50, 30}, {0, 0, 1, 4, 40, 24}, {0, 1, 0, 100, 500, 100}, {1, 0, 0, 12, 72, 48}, {1, 0, 2, 5, 10, 5}})
	said := func(w *explain.Walk) (out []string) {
		for _, p := range w.Parts {
			out = append(out, fmt.Sprintf("P%d %s new=%v lost=%v", p.Code, p.Change.RatString(), p.New(), p.Lost()))
		}
		for _, x := range w.Effects {
			out = append(out, x.Name+" "+x.Change.RatString())
		}
		return out
	}
	w, err := walk(e, "revenue", "units", anyRep, 0, products)
	require.NoError(t, err)
	assert.Equal(t, "90 82", w.Then.RatString()+" "+w.Now.RatString())
	// Volume (12 - 10) 50 / 10 = 10; mix 12 x 5 - 50 x 12 / 10 = 0; price (6 - 5) 12 = 12; new 10, lost 40.
	assert.Equal(t, []string{"P1 -40 new=false lost=true", "P0 22 new=false lost=false", "P2 10 new=true lost=false", "volume 10", "mix 0", "price 12",
		"new 10", "lost -40"}, said(w))
	w, err = walk(e, "margin", "units", anyRep, 0, products)
	require.NoError(t, err)
	// Margin 20 + 16 then, 24 + 5 now. Volume 2 x 2 = 4, price 12, cost -(4 - 3) 12 = -12.
	assert.Equal(t, []string{"P1 -16 new=false lost=true", "P2 5 new=true lost=false", "P0 4 new=false lost=false", "volume 4", "mix 0", "price 12",
		"cost -12", "new 5", "lost -16"}, said(w))
	w, err = walk(e, "margin_rate", "", anyRep, 0, products)
	require.NoError(t, err)
	// 36 / 90 = 2/5 then, 29 / 82 now; P0 had 2/5 and has 1/3: of its change, w1 (1/3 - 2/5) is its own rate's, with w1 = 72 / 82.
	assert.Equal(t, "2/5 29/82", w.Then.RatString()+" "+w.Now.RatString())
	for _, p := range w.Parts {
		if p.Code == 0 {
			assert.Equal(t, "-12/205 0", p.Own.RatString()+" "+p.Weight.RatString())
		} else {
			assert.Nil(t, p.Own)
		}
	}

	for name, why := range map[string]string{"product_of": "it cannot be broken down: only sums of lines, and ratios of such sums, can be broken down",
		"largest": "it cannot be broken down: only sums of lines, and ratios of such sums, can be broken down"} {
		_, err = walk(e, name, "", anyRep, 0, products)
		assert.ErrorIs(t, err, explain.ErrNoParts)
		assert.ErrorContains(t, err, why)
	}
	_, err = walk(e, "revenue", "", anyRep, 1, products)
	assert.ErrorIs(t, err, explain.ErrNoThen, "R1 has nothing now")
}

// Lines that name no product are a part of their own; a product with an amount then and now
// but no quantity is neither new nor lost.
func TestAWalkOfWhatIsNotNamedOrCounted(t *testing.T) {
	e := shop(t, []sold{{0, 0, 0, 10, 50, 30}, {0, 0, -1, 1, 40, 24}, {0, 0, 1, 0, 9, 1}, {1, 0, 0, 10, 50, 30}, {1, 0, -1, 1, 25, 20},
		{1, 0, 1, 3, 4, 1}, {1, 0, 2, 2, 7, 1}})
	w, err := walk(e, "revenue", "units", anyRep, 0, products)
	require.NoError(t, err)
	assert.Equal(t, "99 86", w.Then.RatString()+" "+w.Now.RatString())
	parts := map[uint32]string{}
	for _, p := range w.Parts {
		parts[p.Code] = p.Change.RatString()
	}
	assert.Equal(t, map[uint32]string{0: "0", explain.Unnamed: "-15", 1: "-5", 2: "7"}, parts)
	effects := map[string]string{}
	for _, x := range w.Effects {
		effects[x.Name] = x.Change.RatString()
	}
	assert.Equal(t, "-5", effects["without quantities"])
	assert.Equal(t, "7", effects["new"])
	assert.Equal(t, "0", effects["lost"])
}

// Whatever the lines, parts add up to the change exactly, effects too, and the walk's
// ends are the figures themselves; of a part with a rate, own and weight make its change.
func TestWalksAddUp(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var lines []sold
		for range rapid.IntRange(1, 25).Draw(t, "lines") {
			lines = append(lines, sold{rapid.IntRange(0, 1).Draw(t, "month"), rapid.IntRange(0, 1).Draw(t, "rep"), rapid.IntRange(-1, 2).Draw(t, "product"),
				rapid.Int64Range(-2, 6).Draw(t, "quantity"), rapid.Int64Range(-40, 90).Draw(t, "net"), rapid.Int64Range(-1, 60).Draw(t, "cost")})
		}
		e := shop(t, lines)
		october, _ := e.Book.Calendar.Parse("2026-10")
		september, _ := e.Book.Calendar.Before(october, 1)
		for _, level := range []measure.Level{anyRep, {Kind: "rep", By: "territory"}, {}} {
			for _, by := range []measure.Level{products, anyRep, {Kind: "rep", By: "territory"}} {
				for _, name := range []string{"revenue", "margin", "weighted", "margin_rate", "price"} {
					for code := range uint32(e.Size(level)) {
						w, err := walk(e, name, "units", level, code, by)
						now, why := e.Exact(name, code, e.Slot(level, october))
						then, was := e.Exact(name, code, e.Slot(level, september))
						if why != measure.Present || was != measure.Present { // what is missing is not zero
							var missing *explain.NoFigure
							require.ErrorAs(t, err, &missing)
							require.Equal(t, explain.NoFigure{Then: was, Now: why}, *missing)
							require.ErrorIs(t, err, explain.ErrNoThen)
							continue
						}
						require.NoError(t, err, "%s by %s: from %s to %s", name, by, then.RatString(), now.RatString())
						require.Equal(t, then.RatString(), w.Then.RatString(), name)
						require.Equal(t, now.RatString(), w.Now.RatString(), name)
						change := new(big.Rat).Sub(w.Now, w.Then)
						sum := new(big.Rat)
						for i, p := range w.Parts {
							sum.Add(sum, p.Change)
							if p.Own != nil {
								require.Equal(t, p.Change.RatString(), new(big.Rat).Add(p.Own, p.Weight).RatString())
							}
							if i > 0 {
								require.GreaterOrEqual(t, new(big.Rat).Abs(w.Parts[i-1].Change).Cmp(new(big.Rat).Abs(p.Change)), 0)
							}
						}
						require.Equal(t, change.RatString(), sum.RatString(), "%s by %s", name, by)
						if len(w.Effects) > 0 {
							sum.SetInt64(0)
							for _, x := range w.Effects {
								sum.Add(sum, x.Change)
							}
							require.Equal(t, change.RatString(), sum.RatString(), "effects of %s by %s", name, by)
						}
					}
				}
			}
		}
	})
}

// Which formulas are sums of lines, times a number.
func TestLinear(t *testing.T) {
	e := shop(t, []sold{{0, 0, 0, 1, 1, 1}})
	for formula, want := range map[string]string{
		"revenue":                            "revenue 1",
		"revenue * (1 + half)":               "revenue 3/2",
		"(2 - half) * revenue":               "revenue 3/2",
		"revenue * half / 4":                 "revenue 1/8",
		"revenue * (half / 4) - cost":        "revenue 1/8, cost -1",
		"-(revenue - cost) - (-half) * cost": "revenue -1, cost 3/2",
		"margin + revenue":                   "revenue 2, cost -1",
		"coalesce(cost, 0)":                  "cost 1",
		"coalesce(cost, 1)":                  "no",
		"half + revenue":                     "no",
		"revenue / units":                    "no",
		"revenue * units":                    "no",
		"revenue / (half - 50%)":             "no",
		"revenue * (1 / (half - 50%))":       "no",
		"revenue * (half + units)":           "no",
		"largest":                            "no",
		"half":                               "no",
	} {
		n, err := lang.Formula(formula)
		require.Nil(t, err, formula)
		terms, ok := e.Linear(n)
		said := "no"
		if ok {
			said = ""
			for i, term := range terms {
				if i > 0 {
					said += ", "
				}
				said += term.Measure + " " + term.Times.RatString()
			}
		}
		assert.Equal(t, want, said, formula)
	}
}

// What is walked of a measure or a rule, and from when.
func TestWhatIsWalked(t *testing.T) {
	text := walkBook + `  grown: {formula: "growth(revenue)", unit: percent}
  grown_year: {formula: "growth(revenue, 1 year)", unit: percent}
  moved: {formula: "change(revenue, 2)", unit: money}
  reached: {formula: "attainment(revenue)", groups: own figures, unit: percent}
grades: [{name: act, tone: red, shape: diamond}]
rules:
  - {name: plain, judges: rep, threshold: {of: margin, bands: [{grade: act, below: 10}, {clear: rest}]}}
  - {name: before, judges: rep, ended: no data, threshold: {of: margin, against: earlier(margin), as: change, bands: [{grade: act, below: 10%}, {clear: rest}]}}
  - {name: year, judges: rep, ended: no data, threshold: {of: margin, against: "earlier(margin, 1 year)", as: change, bands: [{grade: act,
      below: 10%}, {clear: rest}]}}
  - {name: usual, judges: rep, ended: no data, threshold: {of: margin, against: "history(margin, 6, median)", as: ratio, bands: [{grade: act,
      below: 10%}, {clear: rest}]}}
  - {name: grows, judges: rep, ended: no data, threshold: {of: grown_year, bands: [{grade: act, below: 10%}, {clear: rest}]}}
  - {name: season, judges: rep, outlier: {of: revenue, by: same season, years: 2, beyond: 3, grade: act}}
  - {name: own, judges: rep, outlier: {of: revenue, by: own past, over: 12 periods, beyond: 3, grade: act}}
  - {name: far, judges: rep, outlier: {of: revenue, by: robust score, beyond: 3, grade: act}}
  - {name: quiet, judges: rep, window: {silence: sales, at_least: 30 days, grade: act}}
  - {name: picks, judges: rep, threshold: {choose: [{grade: act, all: [margin below 10]}]}}
desks: [{name: one}]
routes: [{otherwise: one}]
`
	book, problems := rulebook.Read([]byte(text), method.All())
	require.Empty(t, problems)
	for rule, want := range map[string]string{"plain": "margin before", "before": "margin before", "year": "margin year before", "usual": "margin usual",
		"grows": "grown_year year before", "season": "revenue year before", "far": "revenue before", "own": "revenue usual", "quiet": " ", "picks": " "} {
		name, from := explain.MovedBy(book, book.Rule(rule))
		assert.Equal(t, want, name+" "+from, rule)
	}
	for measure, want := range map[string]string{"revenue": "revenue ", "grown": "revenue before", "grown_year": "revenue year before",
		"moved": "revenue before", "reached": "revenue ", "margin": "margin "} {
		n, from := explain.Moved(book, measure)
		assert.Equal(t, want, n.Text+" "+from, measure)
	}
}

// Of several slots then is the average of those that have a figure, of a ratio the ratio
// of their sums.
func TestFromTheUsual(t *testing.T) {
	e := shop(t, []sold{{0, 0, 0, 10, 50, 30}, {1, 0, 0, 10, 90, 30}})
	october, _ := e.Book.Calendar.Parse("2026-10")
	september, _ := e.Book.Calendar.Before(october, 1)
	august, _ := e.Book.Calendar.Before(october, 2)
	then := []measure.Slot{e.Slot(anyRep, august), e.Slot(anyRep, september)}
	w, err := explain.WalkOf(e, &lang.Node{Op: lang.Name, Text: "revenue"}, nil, then, e.Slot(anyRep, october), 0, products)
	require.NoError(t, err)
	assert.Equal(t, "50 90", w.Then.RatString()+" "+w.Now.RatString(), "August has no figure, which is not zero")
	assert.Equal(t, 1, w.Periods)
	w, err = explain.WalkOf(e, &lang.Node{Op: lang.Name, Text: "price"}, nil, then, e.Slot(anyRep, october), 0, products)
	require.NoError(t, err)
	assert.Equal(t, "5 9", w.Then.RatString()+" "+w.Now.RatString())
	_, err = explain.WalkOf(e, &lang.Node{Op: lang.Name, Text: "revenue"}, nil, then, e.Slot(anyRep, october), 0, measure.Level{Kind: "customer"})
	assert.ErrorContains(t, err, "the lines of sales name no customer")
}
