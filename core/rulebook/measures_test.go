package rulebook_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/method"
	. "oskel/core/rulebook"
)

const measured = `oskel: 1
calendar: {fiscal_year_starts: "02-01", weeks_from: sunday, month_weights: [1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 2]}
kinds:
  rep: {attributes: {territory: text}}
  product: {attributes: {category: text, launched: date}}
feeds:
  sales: {title: Order lines, date: day, subjects: {rep: rep, product: product}, numbers: {net: money, pieces: count}, labels: [channel]}
  visits: {date: day, subjects: {rep: rep}, numbers: {minutes: count}}
measures:
  revenue: {sum: sales.net, unit: money}
  range: {distinct: sales.product, unit: count}
  new_goods: {sum: sales.net, where: product.launched above "2026-01-01" and channel is not "gift", unit: money}
  visits_made: {count: visits, unit: count}
  effort: {formula: "revenue / visits_made", unit: money}
`

func TestMeasuresInWordsAndUse(t *testing.T) {
	book, problems := Read([]byte(measured), method.All())
	require.Empty(t, problems)
	words := map[string]string{}
	for i := range book.Measures {
		words[book.Measures[i].Name] = book.MeasureWords(&book.Measures[i])
	}
	assert.Equal(t, map[string]string{
		"revenue": "the sum of net of order lines", "range": "how many different product there are in order lines",
		"new_goods":   `the sum of net of order lines where product.launched above "2026-01-01" and channel is not "gift"`,
		"visits_made": "how many visits there are", "effort": "revenue / visits_made",
	}, words)
	assert.Equal(t, []string{"rep", "product"}, book.Askable("revenue"))
	assert.Equal(t, []string{"rep"}, book.Askable("effort"), "visits name no product")
	assert.Equal(t, []string{"measure effort"}, book.Uses("revenue"))
}

func TestMeasuresRefused(t *testing.T) {
	cases := []struct{ old, new, says string }{
		{"{sum: sales.net, unit: money}", "{sum: sales, unit: money}", "expected a feed and its column"},
		{"{count: visits, unit: count}", "{count: visits.minutes, unit: count}", "expected a feed, such as sales"},
		{"{distinct: sales.product, unit: count}", "{distinct: sales.produkt, unit: count}", "has no subject \"produkt\"; did you mean product?"},
		{"{sum: sales.net, unit: money}", "{sum: sales.net, count: sales, unit: money}", "exactly one of"},
		{"{sum: sales.net, unit: money}", "{sum: sales.net, unit: count}", "sum of sales.net is in money, and the measure is declared in count"},
		{"channel is not \"gift\"", "chanel is not \"gift\"", "did you mean channel?"},
		{"product.launched above \"2026-01-01\"", "product.launched above \"spring\"", "is not a day"},
		{"unit: money}\n", "where: channel is \"x\", unit: money}\n", "'where' is for aggregates"},
		{"\"02-01\"", "\"02-15\"", "the first day of a month"},
		{"weeks_from: sunday", "weeks_from: son", "is not one of sunday"},
		{"[1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 2]", "[1, 2]", "expected twelve weights"},
		{"[1, 1, 1,", "[-1, 1, 1,", "a weight is not negative"},
	}
	for _, c := range cases {
		at := strings.LastIndex(measured, c.old)
		require.GreaterOrEqual(t, at, 0, c.old)
		_, problems := Read([]byte(measured[:at]+c.new+measured[at+len(c.old):]), method.All())
		require.NotEmpty(t, problems, c.new)
		all := ""
		for _, p := range problems {
			all += p.String() + "\n"
		}
		assert.Contains(t, all, c.says)
	}
}

func TestTargetsSpreadByTheWeights(t *testing.T) {
	book, problems := Read([]byte(measured), method.All())
	require.Empty(t, problems)
	spread := func(period string, total int64) ([]calendar.Month, []amount.Amount, bool) {
		p, err := book.Calendar.Parse(period)
		require.NoError(t, err)
		return book.SpreadTarget(amount.FromInt(total), p)
	}
	months, parts, ok := spread("2027", 1300)
	require.True(t, ok)
	assert.Equal(t, []string{"2026-02", "2027-01"}, []string{months[0].String(), months[11].String()})
	assert.Equal(t, []amount.Amount{amount.FromInt(100), amount.FromInt(200)}, []amount.Amount{parts[0], parts[11]})
	months, parts, _ = spread("2027-Q4", 100)
	assert.Equal(t, "2026-11", months[0].String())
	assert.Equal(t, []amount.Amount{250000, 250000, 500000}, parts)
	// The last cent goes to the largest remainder, of equal ones the earliest.
	quarter, err := book.Calendar.Parse("2027-Q4")
	require.NoError(t, err)
	for total, want := range map[amount.Amount][]amount.Amount{500: {100, 100, 300}, 700: {200, 200, 300}, 900: {200, 200, 500},
		-500: {-100, -100, -300}, 1_000_100: {250_000, 250_000, 500_100}} {
		_, parts, ok = book.SpreadTarget(total, quarter)
		require.True(t, ok)
		assert.Equal(t, want, parts, total)
	}
	_, _, ok = spread("2026-W05", 100)
	assert.False(t, ok, "a week holds no whole month")
}

func TestAFormulaIsTriedBesideTheBook(t *testing.T) {
	book, _ := Read([]byte(measured), method.All())
	with, err := book.WithFormula("growth(revenue, 1 year)")
	require.NoError(t, err)
	assert.Equal(t, Percent, with.Measure("growth(revenue, 1 year)").Unit)
	assert.Nil(t, book.Measure("growth(revenue, 1 year)"), "the book stays as it is")
	_, err = book.WithFormula("revenue + visits_made")
	assert.ErrorContains(t, err, "adding money and count makes no sense")
	_, err = book.WithFormula("revenu")
	assert.ErrorContains(t, err, "did you mean revenue?")
	assert.Equal(t, []string{"a", "peers(a, median, rep.x)", "(b - c) / d"}, SplitFormulas("a, peers(a, median, rep.x),(b - c) / d"))
}

// A formula that is a measure alone is good as that one is; any other is not
// known to be better when it is small.
func TestWhatIsGoodOfAFormulaThatIsTried(t *testing.T) {
	book, problems := Read([]byte(strings.Replace(measured, "visits_made: {count: visits", "visits_made: {good: down, count: visits", 1)), method.All())
	require.Empty(t, problems)
	for text, down := range map[string]bool{"(visits_made)": true, "(revenue)": false, "visits_made + 1": false, "revenue / visits_made": false,
		"growth(visits_made)": false} {
		with, err := book.WithFormula(text)
		require.NoError(t, err, text)
		assert.Equal(t, down, with.Measure(text).GoodDown, text)
	}
}

// A feed is used by what counts its lines, with a condition or without; an
// attribute and a label by what asks for them.
func TestUsesOfFeedsAndConditions(t *testing.T) {
	book, problems := Read([]byte(measured), method.All())
	require.Empty(t, problems)
	for name, want := range map[string][]string{
		"sales": {"measure revenue", "measure range", "measure new_goods"}, "visits": {"measure visits_made"},
		"product": {"measure range", "measure new_goods"}, "visits_made": {"measure effort"}, "effort": nil, "range": nil,
	} {
		assert.Equal(t, want, book.Uses(name), name)
	}
}

func TestDifferenceTellsEverything(t *testing.T) {
	from, _ := Read([]byte(measured), method.All())
	for edit, says := range map[[2]string]string{
		{"weeks_from: sunday", "weeks_from: monday"}:                 "calendar: changed",
		{"1, 2]}", "2, 2]}"}:                                         "calendar: changed",
		{"territory: text", "territory: text, area: text"}:           "kind rep: changed",
		{"labels: [channel]", "labels: [channel, shift]"}:            "feed sales: changed",
		{"title: Order lines", "title: Lines"}:                       "feed sales: changed",
		{"channel is not \"gift\"", "channel is \"gift\""}:           "measure new_goods: changed",
		{"  visits_made: {count: visits", "  calls: {count: visits"}: "measure visits_made: removed",
	} {
		to, _ := Read([]byte(strings.Replace(measured, edit[0], edit[1], 1)), method.All())
		assert.Contains(t, Difference(from, to), says, edit[1])
	}
	assert.True(t, SameShape(from, from))
	moved, _ := Read([]byte(strings.Replace(measured, "weeks_from: sunday", "weeks_from: monday", 1)), method.All())
	assert.True(t, SameShape(from, moved), "the data read for one serves the other")
	other, _ := Read([]byte(strings.Replace(measured, "labels: [channel]", "labels: []", 1)), method.All())
	assert.False(t, SameShape(from, other))
}
