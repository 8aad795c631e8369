package record_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"oskel/core/record"
)

// Left in snooze until a day, it included, and while it is no worse: neither graded more
// seriously nor further beyond its cut by more than was said.
func TestLeftInSnooze(t *testing.T) {
	num := func(f float64) *float64 { return &f }
	p := record.Snooze{Kind: "rep", Code: 7, Rule: "low", Until: monday, Worse: num(0.5), Severity: 1, Beyond: num(10)}
	assert.True(t, p.Holds(monday, "thin", 1, num(15)), "half as far again, and no further")
	assert.True(t, p.Holds(monday, "thin", 2, num(3)))
	assert.False(t, p.Holds(monday, "thin", 1, num(15.01)))
	assert.False(t, p.Holds(monday, "thin", 0, num(3)), "more serious")
	assert.False(t, p.Holds(monday+1, "thin", 1, num(3)), "it is over")
	assert.True(t, p.Holds(monday, "thin", 1, nil), "nobody knows how far")
	p.Worse = nil
	assert.True(t, p.Holds(monday, "thin", 1, num(1000)))
	p.Worse, p.Beyond = num(0), nil
	assert.True(t, p.Holds(monday, "thin", 1, num(1000)))

	all := record.SnoozesOf([]record.Snooze{{Kind: "rep", Code: 7, Rule: "low", Until: monday}, {Kind: "rep", Code: 8, Until: monday}})
	keep := func(kind string, code uint32, rule string) bool { return all.Keep(monday, kind, code, rule, 0, nil) }
	assert.True(t, keep("rep", 7, "low"))
	assert.False(t, keep("rep", 7, "high"), "of one rule alone")
	assert.True(t, keep("rep", 8, "high"), "of all")
	assert.False(t, keep("rep", 9, "low"))
	assert.False(t, keep("customer", 7, "low"))
	assert.False(t, record.Snoozes(nil).Keep(monday, "rep", 7, "low", 0, nil))
}
