package judge_test

import (
	"math/big"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/measure"
)

// What a figure would be is asked where a rule looks at other periods through it, and is
// enough: what it is made of is then not looked at.
func TestWhatIfOfWhatLooksBeyond(t *testing.T) {
	with := strings.Replace(head, "desks:", "  up: {title: Growth, formula: growth(revenue), unit: percent}\n  twice: {title: Twice the growth, "+
		"formula: up * 2, unit: percent}\ndesks:", 1)
	require.NotEqual(t, head, with)
	book, problems, _ := judge.ReadBook([]byte(with +
		"  - {name: x, judges: rep, ended: no data, threshold: {of: twice, bands: [{grade: act, below: 0%}, {clear: rest}]}}\n"))
	require.Empty(t, problems)
	lines := world(t, 1, "  - {name: y, judges: rep, threshold: {of: revenue, bands: [{clear: rest}]}}\n", line{0, "2026-09-05", "100", "50"},
		line{0, "2026-10-05", "120", "50"})
	e := measure.New(book, lines.Snapshot)
	r := judge.Judge(e, &book.Rules[0], book.Rules[0].Levels[0], calendar.MonthPeriod(october))
	require.Equal(t, "clear", verdicts(r))
	_, why := judge.WhatIf(e, r, 0, map[string]*big.Rat{"revenue": big.NewRat(50, 1)})
	assert.Equal(t, "twice looks beyond the subject's own figures of the month; say what twice itself would be", why)
	v, why := judge.WhatIf(e, r, 0, map[string]*big.Rat{"up": big.NewRat(-1, 10)})
	assert.Empty(t, why)
	assert.Equal(t, "act", v.Grade)
	v, why = judge.WhatIf(e, r, 0, map[string]*big.Rat{"twice": big.NewRat(1, 10)})
	assert.Empty(t, why)
	assert.Equal(t, judge.Clear, v.Outcome)
}
