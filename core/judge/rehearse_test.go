package judge_test

import (
	"fmt"
	"math"
	"math/big"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/ledger"
	"oskel/core/method"
)

// drawMonths draws the revenue of some reps in October and the months before,
// now and then none.
func drawMonths(t *rapid.T, reps, months int) (lines []line, revenue [][]int) {
	for rep := range reps {
		revenue = append(revenue, nil)
		for back := range months {
			n := rapid.IntRange(-1, 20).Draw(t, "revenue")
			revenue[rep] = append(revenue[rep], n)
			if n >= 0 {
				lines = append(lines, line{rep, fmt.Sprintf("2026-%02d-05", 10-back), fmt.Sprint(n * 10), "1"})
			}
		}
	}
	return lines, revenue
}

// Those named as near the cut are the nearest of all, the nearest first.
func TestNearestAreTheNearest(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		const reps = 30
		lines, revenue := drawMonths(t, reps, 1)
		low, high := rapid.IntRange(0, 100).Draw(t, "low"), rapid.IntRange(101, 200).Draw(t, "high")
		e := world(t, reps, fmt.Sprintf("\n  - {name: two, judges: rep, threshold: {of: revenue, bands: [{grade: act, below: %d}, {grade: look, below: "+
			"%d}, {clear: rest}]}}\n", low, high), lines...)
		r := judge.Judge(e, e.Book.Rule("two"), e.Book.Rule("two").Levels[0], calendar.MonthPeriod(october))
		type near struct {
			code uint32
			far  float64
		}
		var all []near
		for rep, months := range revenue {
			if n := float64(months[0] * 10); n >= 0 {
				all = append(all, near{uint32(rep), min(math.Abs(n-float64(low)), math.Abs(n-float64(high)))})
			}
		}
		slices.SortStableFunc(all, func(a, b near) int { return int(a.far - b.far) })
		most := rapid.IntRange(1, 12).Draw(t, "most")
		found := r.NearCut(most)
		require.Len(t, found, min(most, len(all)))
		for i, n := range found {
			assert.Equal(t, all[i], near{n.Code, math.Abs(n.Held - n.Cut)})
		}
	})
}

// The value found for a dial is as good as the best of every step there is.
func TestTheDialFoundIsTheBest(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		_, margins := drawMonths(t, 8, 3)
		var lines []line
		for rep, months := range margins {
			for back, n := range months {
				if n >= 0 { // a margin of twice n percent
					lines = append(lines, line{rep, fmt.Sprintf("2026-%02d-05", 10-back), "100", fmt.Sprint(100 - 2*n)})
				}
			}
		}
		e := world(t, 8, "\n  - {name: small, judges: rep, threshold: {of: margin, bands: [{grade: act, below: floor}, {clear: rest}]}}\n", lines...)
		wanted := float64(rapid.IntRange(0, 9).Draw(t, "wanted"))
		months := rapid.IntRange(1, 3).Draw(t, "months")
		const high = 40
		step := amount.Amount(amount.Scale / 100)
		best, tried := judge.SolveDial(e, "floor", []string{"small"}, calendar.MonthPeriod(october), months, wanted, 0, high*step, step)
		least := math.Inf(1)
		for i := range amount.Amount(high + 1) {
			turned := e.With(e.Book.WithDial("floor", i*step))
			flagged, full := 0, 0
			for back := range months {
				rule := turned.Book.Rule("small")
				r := judge.Judge(turned, rule, rule.Levels[0], calendar.MonthPeriod(october-calendar.Month(back)))
				flagged += r.Tally().Flagged
				if !r.Empty {
					full++
				}
			}
			least = min(least, math.Abs(float64(flagged)/float64(max(full, 1))-wanted))
		}
		assert.Equal(t, least, math.Abs(best.Average-wanted))
		assert.True(t, slices.ContainsFunc(tried, func(x judge.Tried) bool { return x == best }))
	})
}

// Flips are those, and only those, whose grade differs, whichever side has it.
func TestFlipsAreAllThatDiffer(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		lines, _ := drawMonths(t, 12, 1)
		judged := func(act, look int) *judge.Result {
			e := world(t, 12, fmt.Sprintf("\n  - {name: two, judges: rep, no_data: look, threshold: {of: revenue, bands: [{grade: act, below: %d}, {grade: "+
				"look, below: %d}, {clear: rest}]}}\n", act, look), lines...)
			return judge.Judge(e, e.Book.Rule("two"), e.Book.Rule("two").Levels[0], calendar.MonthPeriod(october))
		}
		draw := func() *judge.Result {
			act := rapid.IntRange(0, 200).Draw(t, "act")
			return judged(act, act+rapid.IntRange(1, 100).Draw(t, "look"))
		}
		before, after := draw(), draw()
		flips := judge.Flips(before, after)
		differ := 0
		for code, v := range after.All() {
			if v.Grade != before.Verdict(code).Grade {
				differ++
				assert.True(t, slices.Contains(flips, judge.Flip{Code: code, Before: before.Verdict(code), After: v}))
			}
		}
		assert.Len(t, flips, differ)
		assert.Equal(t, len(after.Flagged()), after.Tally().Flagged)
	})
}

// A breach that must be found in k of the last n months is one where a plain
// count finds so many, this month among them.
func TestPersistenceIsACount(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		const of = 4
		lines, revenue := drawMonths(t, 5, of)
		least := rapid.IntRange(1, of).Draw(t, "least")
		e := world(t, 5, fmt.Sprintf("\n  - {name: low, judges: rep, persists: %d of %d, threshold: {of: revenue, bands: [{grade: act, below: 100}, "+
			"{clear: rest}]}}\n", least, of), lines...)
		rule := e.Book.Rule("low")
		r := judge.Judge(e, rule, rule.Levels[0], calendar.MonthPeriod(october))
		for rep, months := range revenue {
			n := 0
			for _, v := range months {
				if v >= 0 && v*10 < 100 {
					n++
				}
			}
			now := months[0] >= 0 && months[0]*10 < 100
			v := r.Verdict(uint32(rep))
			assert.Equal(t, now && n >= least, v.Outcome == judge.Breach, "R%d, %v", rep, months)
			if now && n < least {
				assert.Equal(t, judge.Verdict{Outcome: judge.Clear, Why: method.NotPersisting}, v)
			}
			if now {
				assert.Equal(t, &method.Persisted{Breaches: n, Of: of, Least: least}, judge.EvidenceFor(e, r, uint32(rep)).Persisted)
			}
		}
	})
}

// What a rule would say if a figure were another: of targets, of a formula that
// looks beyond, of what would then be missing.
func TestWhatIf(t *testing.T) {
	e := world(t, 3, `
  - {name: behind, judges: rep, threshold: {of: revenue, against: target, as: ratio, bands: [{grade: act, below: 100%}, {clear: rest}]}}
  - {name: fell, judges: rep, threshold: {of: margin, against: "earlier(margin)", as: difference, bands: [{grade: act, below: -10%}, {clear: rest}]}}
  - {name: mixed, judges: rep, threshold: {choose: [{grade: act, all: [revenue above 250, 'rep.territory is "North"']}, {grade: look, any: [cost above 100]}]}}
`, worked...)
	sheet := e.Snapshot.Targets[ledger.SheetKey{Kind: "rep", Measure: "revenue"}]
	sheet.Set(october, 0, amount.FromInt(300))
	say := func(rule string, code uint32, changes map[string]*big.Rat) string {
		r := judge.Judge(e, e.Book.Rule(rule), e.Book.Rule(rule).Levels[0], calendar.MonthPeriod(october))
		v, refused := judge.WhatIf(e, r, code, changes)
		if refused != "" {
			return refused
		}
		return v.Outcome.String() + " " + v.Grade + v.Why
	}
	rat := func(n int64) *big.Rat { return big.NewRat(n, 1) }
	assert.Equal(t, "clear ", say("behind", 0, nil))
	assert.Equal(t, "breach act", say("behind", 0, map[string]*big.Rat{"revenue": big.NewRat(2999999, 10000)}))
	assert.Equal(t, "breach act", say("behind", 0, map[string]*big.Rat{"target": big.NewRat(3000001, 10000)}))
	assert.Equal(t, "not judged no target", say("behind", 0, map[string]*big.Rat{"target": nil}))
	assert.Equal(t, "not judged no target", say("behind", 1, nil))
	assert.Equal(t, "clear ", say("behind", 1, map[string]*big.Rat{"target": rat(200)}))
	assert.Equal(t, "clear ", say("fell", 0, nil), "its margin was a half in September, too")
	assert.Equal(t, "breach act", say("fell", 0, map[string]*big.Rat{"cost": rat(200)}))
	assert.Equal(t, "clear ", say("fell", 0, map[string]*big.Rat{"margin": big.NewRat(2, 5)}), "exactly ten points less is not below")
	assert.Equal(t, "breach act", say("mixed", 0, nil))
	assert.Equal(t, "breach look", say("mixed", 0, map[string]*big.Rat{"revenue": rat(250)}))
	assert.Equal(t, "clear ", say("mixed", 1, map[string]*big.Rat{"revenue": rat(1000)}), "it is in the south, and cost 50")
	assert.Equal(t, "no data no lines in the period", say("mixed", 0, map[string]*big.Rat{"revenue": nil, "cost": nil}))
}

// A rule that flags a quarter of those judged, and ten at least, is said to.
func TestCrowdedFromAQuarterOn(t *testing.T) {
	for _, c := range []struct {
		flagged, clear int
		crowded        bool
	}{{10, 30, false}, {11, 30, true}, {9, 1, false}, {10, 0, true}, {0, 0, false}} {
		tally := judge.Tally{Clear: c.clear, Breach: map[string]int{"act": c.flagged}, Flagged: c.flagged}
		assert.Equal(t, c.crowded, tally.Crowded(), "%d of %d", c.flagged, c.flagged+c.clear)
	}
}

// Groups are judged by their own figures: subjects that have none in common
// with others form no group, and a group that is too small is not judged.
func TestPeersWithinGroups(t *testing.T) {
	var lines []line
	for rep := range 9 {
		lines = append(lines, line{rep, "2026-10-05", fmt.Sprint(100 + rep), "1"})
	}
	lines[8].net = "9000" // R8 is in North, with R0, R2, R4 and R6
	e := world(t, 9, "\n  - {name: far, judges: rep, outlier: {of: revenue, among: rep.territory, by: robust score, beyond: 3.5, side: both, peers: 4, "+
		"grade: look}}\n", lines...)
	rule := e.Book.Rule("far")
	r := judge.Judge(e, rule, rule.Levels[0], calendar.MonthPeriod(october))
	assert.Equal(t, "clear; not judged (too few peers); clear; not judged (too few peers); clear; not judged (too few peers); clear; not judged (too "+
		"few peers); breach look", verdicts(r))
	ev := judge.EvidenceFor(e, r, 8)
	assert.Equal(t, []any{"North", 4, 1, "104", "2"},
		[]any{ev.Peers.Group, ev.Peers.Others, ev.Peers.Place, ev.Peers.Median.RatString(), ev.Peers.MAD.RatString()})
	up := r.LineUp(8)
	assert.Equal(t, []uint32{0, 2, 4, 6, 8}, codesOf(up))
	assert.InDeltaSlice(t, []float64{104 - 3.5*2/0.6745, 104 + 3.5*2/0.6745}, up.Cuts, 1e-9)
	assert.Empty(t, r.LineUp(-1).Cuts, "each group has its own")
	assert.Nil(t, r.NearCut(5))
}

func codesOf(up judge.LineUp) (codes []uint32) {
	for _, p := range up.Points {
		codes = append(codes, p.Code)
	}
	return codes
}
