package measure

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"oskel/core/amount"
	"oskel/core/lang"
	"oskel/core/ledger"
	"oskel/core/rulebook"
)

// The lines that are picked are those of which the condition holds when it is asked of
// each by itself, whatever it compares and whatever is missing.
func TestLinesPickedAreThoseOfTheCondition(t *testing.T) {
	number := rapid.Custom(func(t *rapid.T) string { return fmt.Sprint(rapid.IntRange(-2, 2).Draw(t, "number")) })
	comparison := rapid.Custom(func(t *rapid.T) string {
		switch op := rapid.SampledFrom([]string{"is", "is not", "below", "at most", "above", "at least", "between", "is missing", "is not missing",
			"label"}).Draw(t, "op"); op {
		case "between":
			return fmt.Sprintf("net between %s and %s", number.Draw(t, "from"), number.Draw(t, "to"))
		case "is missing", "is not missing":
			return "net " + op
		case "label":
			return `channel is "phone"`
		default:
			return fmt.Sprintf("net %s %s", op, number.Draw(t, "than"))
		}
	})
	rapid.Check(t, func(t *rapid.T) {
		text := comparison.Draw(t, "condition")
		for range rapid.IntRange(0, 2).Draw(t, "more") {
			text = fmt.Sprintf("(%s) %s (%s)", text, rapid.SampledFrom([]string{"and", "or", "and not"}).Draw(t, "joined"), comparison.Draw(t, "condition"))
		}
		tree, problem := lang.Condition(text)
		require.Nil(t, problem, text)
		n := rapid.IntRange(0, 30).Draw(t, "lines")
		c := &ledger.Chunk{Numbers: make([][]amount.Amount, 1), Labels: make([][]uint32, 1)}
		words := []string{"", "web", "phone"}
		var expected []uint32
		for i := range n {
			c.Days.Add(1)
			v := rapid.SampledFrom([]amount.Amount{amount.Missing, -20000, -10000, -9999, 0, 10000, 10001, 20000}).Draw(t, "net")
			label := rapid.Uint32Range(0, 2).Draw(t, "channel")
			c.Numbers[0], c.Labels[0] = append(c.Numbers[0], v), append(c.Labels[0], label)
			if lang.Test(tree, func(name string) lang.Value {
				switch {
				case name == "channel" && label > 0:
					return lang.Value{Type: lang.TextType, Text: words[label]}
				case name == "net" && v != amount.Missing:
					return lang.Value{Type: lang.NumberType, Number: v}
				}
				return lang.Value{}
			}) {
				expected = append(expected, uint32(i))
			}
		}
		f := &ledger.Feed{Numbers: []string{"net"}, Labels: []*ledger.Label{{Column: "channel", Words: words}}}
		pick, lasting := (&Engine{}).picker(&rulebook.Condition{Text: text, Tree: tree}, f, &rulebook.Feed{})
		assert.True(t, lasting)
		for _, room := range [][]uint32{nil, make([]uint32, 0, 100), make([]uint32, 0, 3)} {
			assert.Equal(t, expected, append([]uint32(nil), pick(c, room)...), text)
		}
	})
}
