package explain_test

import (
	"math/big"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/explain"
	"oskel/core/judge"
	"oskel/core/method"
	"oskel/core/rulebook"
)

// An evidence table holds all that a reader needs to reckon the verdict anew,
// each with its unit, and nothing that does not apply.
func TestEvidenceInRows(t *testing.T) {
	book, problems := rulebook.Read([]byte(text), method.All())
	require.Empty(t, problems)
	rat := big.NewRat
	rows := func(rule string, ev judge.Evidence) (out []string) {
		for _, r := range explain.Rows(book, book.Rule(rule), ev) {
			out = append(out, r.Label+" = "+r.Text)
		}
		return out
	}
	held := judge.Evidence{Measure: "revenue", Unit: rulebook.Money, Value: rat(4800, 1), Comparison: rat(5000, 1), Against: "target", As: "ratio",
		Held: rat(24, 25),
		Band: &judge.BandFound{High: end(10000, false, true)}, Stake: rat(-2001, 10),
		Inputs: []method.Input{{Measure: "revenue", Unit: rulebook.Money, Value: rat(4800, 1)},
			{Measure: "rate", Unit: rulebook.Percent, Why: "no lines in the period"}}}
	assert.Equal(t, []string{"Revenue = 4,800.00", "Target = 5,000.00", "Share of it = 96.00%", "Band = below 100%", "Revenue = 4,800.00",
		"Rate = none: no lines in the period", "At stake = -200.10"}, rows("held", held))
	held.Against, held.As, held.Held, held.Band, held.Inputs, held.Stake = "goal", "difference", rat(-200, 1), nil, nil, nil
	assert.Equal(t, []string{"Revenue = 4,800.00", "Compared with goal = 5,000.00", "Difference = -200.00"}, rows("held", held))
	held.Against, held.As, held.Held = "number", "change", rat(-1, 25)
	assert.Equal(t, []string{"Revenue = 4,800.00", "Compared with = 5,000.00", "Change from it = -4.00%"}, rows("held", held))
	assert.Equal(t, []string{"Revenue = none: no lines in the period"},
		rows("held", judge.Evidence{Measure: "revenue", Unit: rulebook.Money, Why: "no lines in the period"}))

	far := judge.Evidence{Measure: "revenue", Unit: rulebook.Money, Value: rat(90, 1),
		Peers: &method.Peers{Others: 1200, Place: 3, Median: rat(10, 1), MAD: rat(1, 2), Score: rat(1079, 10), Cut: rat(7, 2)}}
	assert.Equal(t, []string{"Revenue = 90.00", "Peer group = all reps", "Others = 1,200", "Rank, highest first = 3", "Median = 10.00",
		"Median absolute deviation = 0.50", "Robust score = 107.90", "Cut = 3.50"}, rows("far", far))

	quiet := judge.Evidence{Silence: &method.Silence{Feed: "sales", Last: "2026-09-30", AsOf: "2026-10-31", Days: 31, Limit: 30},
		Persisted: &method.Persisted{Breaches: 2, Of: 3, Least: 2},
		Shown:     []method.Input{{Measure: "revenue", Unit: rulebook.Money, Value: rat(5, 1)}, {Measure: "rate", Unit: rulebook.Percent, Why: "division by zero"}}}
	assert.Equal(t, []string{"Last seen in order lines = 30 Sep 2026", "As of the end of = 31 Oct 2026", "Days since last = 31 days",
		"Limit = at least 30 days", "Revenue = 5", "Rate = none: division by zero",
		"Breached = in 2 of the last 3 months; flagged from 2 on"}, rows("quiet", quiet))

	shifted := judge.Evidence{Events: &method.Events{AsOf: "2026-10-31",
		Windows: []method.EventWindow{{First: "2026-09-23", Last: "2026-10-21", Role: "after"}, {First: "2026-08-26", Last: "2026-09-22", Role: "before"}},
		Lines:   []method.EventLine{{Feed: "sales", Day: "2026-09-23", Role: "event"}}}}
	assert.Equal(t, []string{"After = 24 Sep 2026 to 21 Oct 2026", "Before = 26 Aug 2026 to 22 Sep 2026", "23 Sep 2026 = Order lines"},
		rows("plain", shifted), "28 days each, the event in neither")

	shifted.Events.Windows = nil
	shifted.Events.Lines = slices.Repeat(shifted.Events.Lines, 12)
	assert.Len(t, rows("plain", shifted), 12)
	shifted.Events.Lines, shifted.Events.More = slices.Repeat(shifted.Events.Lines[:1], 14), 5
	assert.Equal(t, "Further lines = 7", rows("plain", shifted)[12])

	chosen := judge.Evidence{Holding: []string{"revenue above 10", "rate below 3%"}}
	assert.Equal(t, []string{"Condition met = revenue above 10", "Condition met = rate below 3%"}, rows("plain", chosen))
	value, comparison := shown(chosen)
	assert.Equal(t, []string{"revenue above 10; rate below 3%", ""}, []string{value, comparison})
	value, comparison = shown(far)
	assert.Equal(t, []string{"90", "10"}, []string{value, comparison}, "held against the median")
	held.Comparison = rat(48001, 10)
	value, comparison = shown(held)
	assert.Equal(t, []string{"4,800.0", "4,800.1"}, []string{value, comparison}, "apart where they are")
	low := judge.Evidence{Measure: "rate", Unit: rulebook.Percent, Places: 1, Value: rat(3, 10), Held: rat(3, 10),
		Band: &judge.BandFound{Low: end(2000, true, true)}}
	value, comparison = shown(low)
	assert.Equal(t, []string{"30.0%", "20%"}, []string{value, comparison})
}

// shown is what was found and what it was held against, in words.
func shown(ev judge.Evidence) (value, comparison string) { return ev.Compared().Words() }
