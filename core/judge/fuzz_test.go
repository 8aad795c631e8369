package judge_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"oskel/core/calendar"
	"oskel/core/explain"
	"oskel/core/judge"
	"oskel/core/ledger"
	"oskel/core/measure"
	"oskel/core/method"
)

// Whatever is written as a rule is refused, or can be judged, explained and
// written back: nothing panics, and nobody is left without a verdict.
func FuzzRule(f *testing.F) {
	for _, rule := range []string{
		`{name: x, judges: rep, threshold: {of: revenue, against: 250, as: difference, bands: [{grade: act, below: 0}, {clear: rest}]}}`,
		`{name: x, judges: [rep, rep.territory, whole], no_data: look, base: {revenue: above 100}, threshold: {of: margin,
		    against: "history(margin, 3, best, at least 1)", as: change, bands: [{grade: act, below: 18%}, {grade: look, below: floor}, {clear: rest}]}}`,
		`{name: x, judges: rep, persists: 2 of 3, last_word: true, valid_from: 2026-01-01, threshold: {of: revenue, against: target, as: ratio,
		    bands: [{grade: act, below: 100%}, {clear: rest}]}}`,
		`{name: x, judges: rep, where: 'rep.territory is "North"', shows: [orders], stake: "revenue - cost", threshold: {choose: [{grade: act,
		    some: {at_least: 2, of: [revenue above 10, margin below floor,
		        cost is missing]}}, {grade: look, none: [revenue above 100]}]}, examples: [{revenue: 5, cost: missing, is: act}]}`,
		`{name: x, judges: rep, outlier: {of: margin, among: rep.territory, by: robust score, beyond: 3.5, side: low, peers: 2, grade: look},
		    examples: [{score: -4, is: look}]}`,
		`{name: x, judges: rep, window: {silence: sales, at_least: 60 days, grade: look}}`,
		`{name: x, judges: rep, threshold: {of: margin, against: "peers(margin, percentile 10, rep.territory) - group_value(margin) / 2", as: difference,
		    bands: [{grade: act, below: -5%}, {grade: look, at_least: -5%, at_most: 0%}, {clear: true, above: 0%}]}}`,
		`{name: x, judges: rep, threshold: {of: revenue, against: "when rank(revenue) above 2 then coalesce(earlier(revenue), 0) otherwise share(revenue) ` +
			`* 5", as: difference, bands: [{grade: act, below: 0}, {clear: rest}]}}`,
	} {
		f.Add(rule)
	}
	sound := world(f, 6, margin, worked...)
	f.Fuzz(func(t *testing.T, rule string) {
		if strings.Contains(rule, "\n") {
			return // one rule, on one line
		}
		book, problems, _ := judge.ReadBook([]byte(head + "  - " + rule + "\n"))
		if len(problems) > 0 {
			return
		}
		snapshot := &ledger.Snapshot{Registers: sound.Snapshot.Registers, Feeds: sound.Snapshot.Feeds, Targets: sound.Snapshot.Targets}
		e := measure.New(book, snapshot)
		for _, r := range judge.All(e, calendar.MonthPeriod(october)) {
			tally := r.Tally()
			require.Equal(t, r.Len(), tally.Judged()+tally.NoData+sum(tally.NotJudged)+outside(r), rule)
			for code, v := range r.All() {
				require.NotEmpty(t, explain.Sentence(book, r.Rule, calendar.MonthPeriod(october), v, judge.EvidenceFor(e, r, code)))
			}
			r.LineUp(0)
			r.NearCut(3)
			judge.WhatIf(e, r, 0, nil)
		}
		for i := range book.Rules {
			d := book.Define(&book.Rules[i])
			again, problems, _ := judge.ReadBook([]byte(head + d.Write("  ", method.All())))
			require.Empty(t, problems, "%s is written as %s", rule, d.Write("  ", method.All()))
			require.Equal(t, book.Words(&book.Rules[i]), again.Words(&again.Rules[0]))
		}
	})
}

func sum(counts map[string]int) (n int) {
	for _, c := range counts {
		n += c
	}
	return n
}

func outside(r *judge.Result) (n int) {
	for _, v := range r.All() {
		if v.Outcome == judge.OutOfScope {
			n++
		}
	}
	return n
}
