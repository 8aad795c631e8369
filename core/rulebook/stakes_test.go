package rulebook_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/method"
	. "oskel/core/rulebook"
)

// A stake is in what its formula gives: what is no money is not added to money.
func TestWhatAStakeIsIn(t *testing.T) {
	for formula, unit := range map[string]Unit{
		"(floor - margin) * revenue": Money, "1000 - revenue": Money, "goal": Money, "lines * 2": Count, "revenue / lines": Money,
		"revenue / cost": Percent, "margin - 5%": Percent,
	} {
		rule := `{name: x, judges: rep, stake: "` + formula + `", threshold: {of: revenue, bands: [{grade: act, below: 0}, {clear: rest}]}}`
		measures := "\n  lines: {title: Lines, count: sales, unit: count}\nrules:\n  - "
		book, faults := Read([]byte(beforeRule[:len(beforeRule)-len("\nrules:\n  - ")]+measures+rule+afterRule), method.All())
		require.Empty(t, faults, formula)
		assert.Equal(t, unit, book.StakeUnit(&book.Rules[0]), formula)
		assert.Equal(t, map[bool]string{true: "x"}[unit != Money], book.OtherStakes(), formula)
	}
}
