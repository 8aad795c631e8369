package store

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"oskel/core/amount"
)

// What is written for PostgreSQL reads back as the same amount.
func TestNumericReadsBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a := amount.Amount(rapid.Int64Range(-9e18, 9e18).Draw(t, "a"))
		if rapid.Bool().Draw(t, "round") {
			a = a / 1e12 * 1e12
		}
		b := appendNumeric(nil, a)
		assert.Equal(t, a, decodeNumeric(b[4:]), "%s", a)
	})
	assert.Equal(t, []byte{0xff, 0xff, 0xff, 0xff}, appendNumeric(nil, amount.Missing))
	assert.Equal(t, amount.Missing, decodeNumeric(nil))
}
