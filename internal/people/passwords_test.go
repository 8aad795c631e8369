package people

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestPasswordsThatFit(t *testing.T) {
	for _, good := range []string{"a long password", "rope and rigging", "Zwölf Zeichen!", "correcthorsebattery", "ines has a boat"} {
		assert.NoError(t, fit("ines", good), good)
	}
	for password, why := range map[string]string{
		"short":            "12 characters",
		"elevenchars":      "12 characters",
		"zwölfzwölf!":      "12 characters",
		"inesinesines":     "account's name",
		"Ines-2026-ines":   "account's name",
		"password1234":     "too common",
		"!!Qwertyuiop!!":   "too common",
		"letmeinletmein":   "too common",
		"123456789012":     "letters",
		"xyzxyzxyzxyz":     "too common",
		"passwordpassword": "too common",
	} {
		err := fit("ines", password)
		if assert.Error(t, err, password) {
			assert.Contains(t, err.Error(), why, password)
			assert.NotContains(t, err.Error(), password)
		}
	}
}
