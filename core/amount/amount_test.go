package amount

import (
	"math/big"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestParse(t *testing.T) {
	good := map[string]Amount{
		"0": 0, "1": 10000, "-1": -10000, "+2.5": 25000, "1234.5678": 12345678,
		".5": 5000, "1.50000": 15000, "-0.0001": -1, "900000000000000": limit,
	}
	for in, want := range good {
		got, err := Parse(in)
		require.NoError(t, err, in)
		assert.Equal(t, want, got, in)
	}
	bad := map[string]error{
		"": ErrNotDecimal, "-": ErrNotDecimal, ".": ErrNotDecimal, "1.": ErrNotDecimal,
		"1,5": ErrNotDecimal, "1e3": ErrNotDecimal, "12 %": ErrNotDecimal, " 1": ErrNotDecimal,
		"1.23456": ErrTooFine, "1.2345x": ErrNotDecimal, "1.23456x": ErrNotDecimal,
		"900000000000000.0001": ErrRange, "99999999999999999999": ErrRange, "9999999999999999999x": ErrNotDecimal,
	}
	for in, want := range bad {
		_, err := Parse(in)
		assert.ErrorIs(t, err, want, in)
	}
}

func TestStringReadsBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a := Amount(rapid.Int64Range(-limit, limit).Draw(t, "a"))
		back, err := Parse(a.String())
		require.NoError(t, err)
		assert.Equal(t, a, back)
	})
}

func TestAddStopsAtTheRange(t *testing.T) {
	_, err := Add(limit, 1)
	assert.ErrorIs(t, err, ErrRange)
	_, err = Add(-limit, -1)
	assert.ErrorIs(t, err, ErrRange)
	got, err := Add(limit, -1)
	require.NoError(t, err)
	assert.Equal(t, Amount(limit-1), got)
}

// The exact comparison agrees with rationals, boundaries included: half of the
// draws put the ratio exactly on the cut.
func TestRoundRatHalfAwayFromZero(t *testing.T) {
	cases := []struct {
		num, den int64
		places   int
		want     string
	}{
		{1, 2, 0, "1"}, {-1, 2, 0, "-1"}, {5, 1000, 2, "0.01"}, {4, 1000, 2, "0.00"}, {-4, 1000, 2, "0.00"},
		{12345, 100, 1, "123.5"}, {1, 3, 3, "0.333"}, {2, 3, 3, "0.667"},
	}
	for _, c := range cases {
		assert.Equal(t, c.want, RoundRat(big.NewRat(c.num, c.den), c.places))
	}
}
