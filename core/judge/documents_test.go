package judge_test

import (
	"math/big"
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/ledger"
	"oskel/core/measure"
	"oskel/core/method"
	"oskel/core/rulebook"
)

// table reads the rows of a table in docs/rulebook.md, by its first heading.
func table(t *testing.T, heading string) (rows [][]string) {
	text, err := os.ReadFile("../../docs/rulebook.md")
	require.NoError(t, err)
	_, after, found := strings.Cut(string(text), "| "+heading+" |")
	require.True(t, found, "there is no table of %q", heading)
	lines := strings.Split(after, "\n")[2:]
	for _, line := range lines {
		if !strings.HasPrefix(line, "|") {
			break
		}
		cells := strings.Split(strings.Trim(line, "| "), " | ")
		for i := range cells {
			cells[i] = strings.TrimSpace(cells[i])
		}
		rows = append(rows, cells)
	}
	require.NotEmpty(t, rows)
	return rows
}

var inTicks = regexp.MustCompile("`([^`]+)`")

// formulas are those of a cell; one word after another formula stands for its
// last part.
func formulas(cell string) (out []string) {
	for _, m := range inTicks.FindAllStringSubmatch(cell, -1) {
		f := m[1]
		if len(out) > 0 && !strings.Contains(f, "(") {
			f = out[0][:strings.LastIndex(out[0], " ")+1] + f + ")"
		}
		out = append(out, f)
	}
	return out
}

// asWritten says a rational as the document does: in as many places, as a
// percentage, or as a dash where there is none.
func asWritten(like string, v *big.Rat) string {
	if v == nil {
		return "–"
	}
	number, percent := strings.CutSuffix(like, "%")
	if percent {
		v = new(big.Rat).Mul(v, big.NewRat(100, 1))
	}
	_, decimals, _ := strings.Cut(number, ".")
	out := amount.RoundRat(v, len(decimals))
	if percent {
		out += "%"
	}
	return out
}

// documented is the world of the worked examples, whose quarter starts in
// August.
func documented(t *testing.T, rules string, lines []line) *measure.Engine {
	e := world(t, 3, margin, lines...)
	text := strings.Replace(head, "measures:\n", "measures:\n  returned: {sum: sales.cost, unit: money}\n  margin_rate: {formula: \"(revenue - cost) / "+
		"revenue\", unit: percent}\n", 1)
	book, problems := rulebook.Read([]byte("calendar: {fiscal_year_starts: \"02-01\"}\n"+text+margin+rules), method.All())
	require.Empty(t, problems)
	sheet := &ledger.Sheet{Months: map[calendar.Month][]amount.Amount{}}
	sheet.Set(october, 0, amount.FromInt(300))
	e.Snapshot.Targets[ledger.SheetKey{Kind: "rep", Measure: "revenue"}] = sheet
	return measure.New(book, e.Snapshot)
}

// What the rule reference says that each function gives is what it gives.
func TestFunctionsAreAsDocumented(t *testing.T) {
	e := documented(t, "", []line{
		{0, "2025-10-09", "150", "75"}, {0, "2026-08-09", "100", "50"}, {0, "2026-09-09", "240", "120"}, {0, "2026-10-09", "300", "150"},
		{1, "2026-10-10", "150", "50"}, {2, "2026-10-11", "50", "40"},
	})
	s := e.Slot(measure.Level{Kind: "rep"}, calendar.MonthPeriod(october))
	compared := 0
	for _, row := range table(t, "function") {
		values := strings.Split(strings.TrimSuffix(row[len(row)-1], " (quarter from August)"), ", ")
		for i, formula := range formulas(row[0]) {
			book, err := e.Book.WithFormula(formula)
			require.NoError(t, err, formula)
			if len(row) < 3 || i >= len(values) {
				continue
			}
			v, _ := measure.New(book, e.Snapshot).Exact(formula, 0, s)
			assert.Equal(t, values[i], asWritten(values[i], v), formula)
			compared++
		}
	}
	assert.Greater(t, compared, 12)
}

// So is what it says of each comparison.
func TestComparisonsAreAsDocumented(t *testing.T) {
	compared := 0
	for _, row := range table(t, "`against`") {
		for k, as := range []string{"difference", "ratio", "change"} {
			values := strings.Split(row[2+k], ", ")
			for i, against := range formulas(row[0]) {
				bands := map[string]string{"difference": "0", "ratio": "0%", "change": "0%"}[as]
				e := documented(t, "  - {name: held, judges: rep, threshold: {of: revenue, against: \""+against+"\", as: "+as+", bands: [{grade: act, below: "+
					bands+"}, {clear: rest}]}}\n", worked)
				rule := e.Book.Rule("held")
				ev := judge.EvidenceFor(e, judge.Judge(e, rule, rule.Levels[0], calendar.MonthPeriod(october)), 0)
				want := values[min(i, len(values)-1)]
				assert.Equal(t, want, asWritten(want, ev.Held), "%s as %s", against, as)
				compared++
			}
		}
	}
	assert.Greater(t, compared, 40)
}

// Every piece of a rulebook that the reference shows is one: put together, with
// what they name elsewhere added, they are read without a fault.
func TestThePiecesAreAsDocumented(t *testing.T) {
	text, err := os.ReadFile("../../docs/rulebook.md")
	require.NoError(t, err)
	var sections []string
	var families []string
	for _, m := range regexp.MustCompile("(?s)```yaml\n(.*?)```").FindAllStringSubmatch(string(text), -1) {
		switch piece := m[1]; {
		case strings.HasPrefix(piece, "calendar:\n  week_years"):
			_, problems := rulebook.Read([]byte(piece+head+margin), method.All())
			assert.Empty(t, problems, piece)
		case strings.HasPrefix(piece, "    "):
			families = append(families, piece)
		default:
			sections = append(sections, piece)
		}
	}
	require.Len(t, families, 4)
	whole := strings.Join(sections, "")
	rule, rest, found := strings.Cut(whole, "    threshold: …                         # or outlier, or window\n")
	require.True(t, found)
	shared := rule[strings.Index(rule, "    each: month"):strings.Index(rule, "    examples:")]
	for i, family := range families {
		if i == 0 {
			rule += family
			continue
		}
		if strings.Contains(family, "silence") {
			shared = regexp.MustCompile(`.*no_data.*\n`).ReplaceAllString(shared, "")
		}
		rule += "  - name: family-" + string(rune('a'+i)) + "\n    judges: rep\n" + strings.ReplaceAll(shared, "last_word: true", "last_word: false") + family
	}
	for _, add := range [][2]string{
		{"kinds:\n", "kinds:\n  customer: {}\n"},
		{"feeds:\n", "feeds:\n  returns: {date: day, subjects: {rep: rep}, numbers: {net: money}}\n"},
		{"numbers: {net: money, cost: money}", "numbers: {quantity: count, net: money, cost: money, discount: money}"},
		{"measures:\n", `measures:
  growth_year: {formula: "growth(revenue, 1 year)", unit: percent}
  discount_rate: {formula: "discounted / revenue", unit: percent}
  discounted: {sum: sales.discount, unit: money}
  return_rate: {formula: "returned / revenue", unit: percent}
  returned: {sum: returns.net, unit: money}
`},
		{"desks:\n", "desks:\n  - {name: head-office}\n"},
	} {
		require.Contains(t, rule+rest, add[0])
		rule, rest = strings.Replace(rule, add[0], add[1], 1), strings.Replace(rest, add[0], add[1], 1)
	}
	book, problems := rulebook.Read([]byte(rule+rest), method.All())
	for _, p := range problems {
		t.Error(p)
	}
	require.Empty(t, problems)
	assert.Len(t, book.Rules, 4)
	assert.Empty(t, judge.Examples(book))
}
