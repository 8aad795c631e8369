package stats

import (
	"math/big"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

// A wide number is rounded as it is written with so many places, a half to even.
func TestRationalIsWhatIsWritten(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		places := rapid.IntRange(0, 12).Draw(t, "places")
		f := (Wide{}).Quo((Wide{}).Int(rapid.Int().Draw(t, "over")), (Wide{}).Int(rapid.IntRange(1, 1<<40).Draw(t, "under")))
		if rapid.Bool().Draw(t, "a half") {
			f = new(big.Float).SetPrec(200).Quo(big.NewFloat(float64(2*rapid.IntRange(-50, 50).Draw(t, "halves")+1)), big.NewFloat(2))
			places = 0
		}
		written, ok := new(big.Rat).SetString(f.Text('f', places))
		assert.True(t, ok)
		assert.Equal(t, written, Rational(f, places), f.String())
	})
}
