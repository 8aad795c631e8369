package judge_test

import (
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

const pairsHead = `oskel: 1
kinds: {rep: {}, product: {}}
feeds: {sales: {date: day, subjects: {rep: rep, product: product}, numbers: {net: money}}}
grades: [{name: act}]
measures:
  revenue: {sum: sales.net, unit: money}
  sold: {formula: "coalesce(revenue, 0)", unit: money}
desks: [{name: home}]
routes: [{otherwise: home}]
rules:
  - {name: low, judges: rep x product, no_data: act, threshold: {of: revenue, bands: [{grade: act, below: 50}, {clear: rest}]}}
  - {name: far, judges: rep x product, outlier: {of: sold, by: robust score, beyond: 3, peers: 2, grade: act}}
`

// sale is a line: who, what, on which day of its month, for how much.
type sale struct{ rep, product, day, net int }

// ofPairs are engines over the same three reps and products, one for each asked for lines
// of September and of October; the months that are asked for alike are the same chunk.
func ofPairs(t *testing.T) func(september, october []sale) *measure.Engine {
	book, problems := rulebook.Read([]byte(pairsHead), method.All())
	require.Empty(t, problems)
	registers := map[string]*ledger.Register{
		"rep":     ledger.NewRegister("rep", []string{"R0", "R1", "R2"}, []string{"R0", "R1", "R2"}),
		"product": ledger.NewRegister("product", []string{"P0", "P1", "P2"}, []string{"P0", "P1", "P2"}),
	}
	known := map[*sale]*ledger.Chunk{}
	chunk := func(m calendar.Month, all []sale) *ledger.Chunk {
		if c := known[&all[0]]; c != nil {
			return c
		}
		c := &ledger.Chunk{Month: m, Subjects: make([][]uint32, 2), Numbers: make([][]amount.Amount, 1)}
		for _, s := range all {
			c.Days.Add(s.day)
			c.Subjects[0], c.Subjects[1] = append(c.Subjects[0], uint32(s.rep)), append(c.Subjects[1], uint32(s.product))
			c.Numbers[0] = append(c.Numbers[0], amount.FromInt(int64(s.net)))
		}
		known[&all[0]] = c
		return c
	}
	return func(september, month []sale) *measure.Engine {
		feed := &ledger.Feed{Name: "sales", Subjects: []string{"rep", "product"}, Numbers: []string{"net"},
			Chunks: []*ledger.Chunk{chunk(october-1, september), chunk(october, month)}}
		return measure.New(book, &ledger.Snapshot{Registers: registers, Feeds: map[string]*ledger.Feed{"sales": feed}, Targets: map[ledger.SheetKey]*ledger.Sheet{}})
	}
}

// byPair are the verdicts of a result by the pair's key; of those out of scope there is none.
func byPair(e *measure.Engine, r *judge.Result) map[string]judge.Verdict {
	keys, _ := e.Names(r.Level)
	out := map[string]judge.Verdict{}
	for code, v := range r.All() {
		if v.Outcome != judge.OutOfScope {
			out[keys[code]] = v
		}
	}
	return out
}

// Lines of a later month bear on nothing that was found of pairs, whatever numbers they
// have by then: verdicts that are kept are of the same pairs, no verdict is of a pair that
// there was not yet, and the same basis has the same verdicts.
func TestPairsOfALaterMonth(t *testing.T) {
	engine := ofPairs(t)
	september := []sale{{1, 0, 5, 10}, {1, 1, 6, 100}, {1, 2, 6, 120}, {2, 2, 7, 110}}
	before := engine(september, []sale{{1, 0, 5, 10}, {1, 1, 6, 100}})
	after := engine(september, []sale{{0, 0, 4, 7}, {1, 0, 5, 10}, {1, 1, 6, 100}, {2, 0, 8, 9}})
	sept, oct := calendar.MonthPeriod(october-1), calendar.MonthPeriod(october)
	for _, name := range []string{"low", "far"} {
		rule := before.Book.Rule(name)
		level := rule.Levels[0]
		var kept judge.Cache
		then := kept.History(before, rule, level, oct, 2)
		now := kept.History(after, rule, level, oct, 2)
		fresh := judge.History(after, rule, level, oct, 2)
		assert.Equal(t, byPair(after, fresh[0]), byPair(after, now[0]), "%s as it was kept", name)
		assert.Equal(t, byPair(before, then[0]), byPair(after, fresh[0]), "%s of September", name)
		require.True(t, judge.Bases(before, sept)(rule, level).Same(judge.Bases(after, sept)(rule, level)), "nothing of September is another")
		assert.False(t, judge.Bases(before, oct)(rule, level).Same(judge.Bases(after, oct)(rule, level)))
	}
	low := after.Book.Rule("low")
	october := judge.Judge(after, low, low.Levels[0], oct)
	v := byPair(after, october)
	key := rulebook.PairKey
	assert.Equal(t, judge.NoData, v[key("R2", "P2")].Outcome, "they had a line before")
	assert.Equal(t, "act", v[key("R0", "P0")].Grade)
	assert.NotContains(t, byPair(after, judge.Judge(after, low, low.Levels[0], sept)), key("R0", "P0"))
}
