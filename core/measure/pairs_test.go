package measure_test

import (
	"fmt"
	"math/big"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/ledger"
	"oskel/core/measure"
)

func text(s string) lang.Value { return lang.Value{Type: lang.TextType, Text: s} }

// Pairs of subjects and of groups add up to what a plain loop over the lines
// gives, each line in the group its subject belonged to on its day; each side
// can be asked for its attributes.
func TestPairsAreWhatAPlainLoopGives(t *testing.T) {
	customers := []string{"Yard", "Shop", "Yard", "without a category"}
	rapid.Check(t, func(t *rapid.T) {
		var lines []line
		for range rapid.IntRange(0, 25).Draw(t, "lines") {
			lines = append(lines, line{rapid.IntRange(0, 2).Draw(t, "rep"), rapid.IntRange(0, 3).Draw(t, "customer"),
				fmt.Sprintf("2026-%02d-%02d", rapid.IntRange(9, 10).Draw(t, "month"), rapid.IntRange(1, 30).Draw(t, "day")),
				fmt.Sprint(rapid.IntRange(-50, 50).Draw(t, "net")), "1", 0})
		}
		e := world(t, "", lines)
		turn := calendar.Date(2026, 10, rapid.IntRange(1, 31).Draw(t, "turn"))
		e.Snapshot.Registers["rep"].SetAttribute("territory", []lang.Value{text("North"), text("North"), text("South")},
			ledger.Dated{From: turn, Subject: 0, Value: text("South")})
		territory := func(l line) string {
			day, _ := calendar.ParseDay(l.day)
			if l.rep == 2 || l.rep == 0 && day >= turn {
				return "South"
			}
			return "North"
		}
		for text, key := range map[string]func(line) string{
			"rep x customer":                    func(l line) string { return fmt.Sprintf("rep%d x customer%d", l.rep, l.customer) },
			"rep.territory x customer":          func(l line) string { return territory(l) + fmt.Sprintf(" x customer%d", l.customer) },
			"rep x customer.category":           func(l line) string { return fmt.Sprintf("rep%d x ", l.rep) + customers[l.customer] },
			"rep.territory x customer.category": func(l line) string { return territory(l) + " x " + customers[l.customer] },
		} {
			level, complaint := e.Book.ParseLevel(text)
			require.Empty(t, complaint)
			october, _ := e.Book.Calendar.Parse("2026-10")
			s := e.Slot(level, october)
			expected, counted := map[string]*big.Rat{}, map[string]bool{}
			for _, l := range lines {
				counted[key(l)] = true // in any month
				if l.day < "2026-10" {
					continue
				}
				if expected[key(l)] == nil {
					expected[key(l)] = new(big.Rat)
				}
				n, _ := new(big.Rat).SetString(l.net)
				expected[key(l)].Add(expected[key(l)], n)
			}
			keys, names := e.Names(level)
			assert.Equal(t, keys, names)
			assert.Len(t, keys, len(counted), text)
			column := e.Column("revenue", s)
			for code, key := range keys {
				v, why := e.Exact("revenue", uint32(code), s)
				want := expected[key]
				assert.Equal(t, want == nil, why == measure.NoLines, "%s in %s", key, text)
				if want != nil {
					assert.Zero(t, want.Cmp(v), "%s in %s: %s, not %s", key, text, want, v)
					f, _ := v.Float64()
					assert.Equal(t, f, column.Value[code])
				}
				again, ok := e.Code(level, key)
				assert.True(t, ok)
				assert.Equal(t, uint32(code), again)
				first, second, a, b := e.Sides(s, uint32(code))
				left, _ := e.Names(first.Level)
				right, _ := e.Names(second.Level)
				assert.Equal(t, key, left[a]+" x "+right[b])
				assert.Equal(t, e.Lookup(second, b)("customer.category"), e.Lookup(s, uint32(code))("customer.category"))
				assert.Equal(t, e.Lookup(first, a)("rep.territory"), e.Lookup(s, uint32(code))("rep.territory"))
			}
			_, ok := e.Code(level, "nobody x nothing")
			assert.False(t, ok)
		}
	})
}

// A share of pairs is of the whole, or of the group of the side that is named.
func TestSharesOfPairs(t *testing.T) {
	e := examples(t, "  part: {formula: \"share(revenue)\", unit: percent}\n  of_area: {formula: \"share(revenue, rep.territory)\", unit: percent}\n  "+
		"of_trade: {formula: \"share(revenue, customer.category)\", unit: percent}\n")
	level, _ := e.Book.ParseLevel("rep x customer")
	keys, _ := e.Names(level)
	assert.Equal(t, []string{"rep0 x customer0", "rep0 x customer1", "rep0 x customer2", "rep1 x customer1", "rep1 x customer2", "rep2 x customer3"}, keys)
	// In October rep0 sold 300 to a yard, rep1 200 to a shop, rep2 0 to one of no category.
	assert.Equal(t, "no lines in the period; no lines in the period; 0.6; 0.4; no lines in the period; 0", say(e, "part", level, "2026-10"))
	assert.Equal(t, "no lines in the period; no lines in the period; 0.6; 0.4; no lines in the period; division by zero", say(e, "of_area", level, "2026-10"))
	assert.Equal(t, "no lines in the period; no lines in the period; 1; 1; no lines in the period; division by zero", say(e, "of_trade", level, "2026-10"))
}

// A pair is there while both of its sides are; groups always are.
func TestWhoIsThere(t *testing.T) {
	e := examples(t, "")
	october, _ := e.Book.Calendar.Parse("2026-10")
	e.Snapshot.Registers["rep"].SetActive(1, ledger.Spell{First: ledger.Never, Last: calendar.Date(2026, 9, 30)})
	e.Snapshot.Registers["customer"].SetActive(2, ledger.Spell{First: calendar.Date(2026, 11, 1), Last: ledger.Never})
	there := func(level string) (out []bool) {
		l, complaint := e.Book.ParseLevel(level)
		require.Empty(t, complaint)
		s := e.Slot(l, october)
		active := e.Active(s)
		for code := range e.Size(l) {
			out = append(out, active == nil || active(uint32(code)))
		}
		return out
	}
	assert.Equal(t, []bool{true, false, true}, there("rep"))
	assert.Equal(t, []bool{true, true, false, false, false, true}, there("rep x customer"))
	assert.Equal(t, []bool{false, true, true}, there("rep.territory"), "nobody is without one")
	assert.Equal(t, []bool{true}, there("whole"))
}

// Each key of a level is found under its code, however often it is asked; others are not.
func TestCodesOfKeys(t *testing.T) {
	e := examples(t, "")
	for _, text := range []string{"rep", "rep x customer", "rep.territory", "whole"} {
		level, complaint := e.Book.ParseLevel(text)
		require.Empty(t, complaint)
		keys, _ := e.Names(level)
		require.NotEmpty(t, keys)
		for range 2 {
			for i, key := range keys {
				code, known := e.Code(level, key)
				assert.Equal(t, []any{uint32(i), true}, []any{code, known}, "%s %s", text, key)
			}
			_, known := e.Code(level, "nobody")
			assert.False(t, known)
		}
	}
}
