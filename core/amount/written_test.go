package amount

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestPlain(t *testing.T) {
	for in, want := range map[string]string{
		"1,234.50": "1234.50", "-1,234,567": "-1234567", " 12,000 ": "12000", "1,250%": "1250%", "+1,000": "+1000",
		"1,5": "1,5", "1234,567": "1234,567", "1,23,456": "1,23,456", ",123": ",123", "1,234,": "1,234,", "1.234,50": "1.234,50", "12": "12",
		"floor": "floor", "": "", "1,234 x": "1,234 x",
	} {
		assert.Equal(t, want, Plain(in), in)
	}
}
