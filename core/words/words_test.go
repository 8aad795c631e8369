package words

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestFirstLettersAndPlurals(t *testing.T) {
	for word, want := range map[string]string{"": "", "Net": "net", "Übersatz": "übersatz", "Ærlig": "ærlig", "4 weeks": "4 weeks", "\xffbad": "\xffbad"} {
		assert.Equal(t, want, LowerFirst(word))
	}
	assert.Equal(t, []string{"Übersatz", "Éclair", ""}, []string{UpperFirst("übersatz"), UpperFirst("éclair"), UpperFirst("")})
	for word, want := range map[string]string{"half": "halves", "day": "days", "territory": "territories", "week": "weeks", "branch": "branches",
		"box": "boxes", "promotion": "promotions", "y": "ys"} {
		assert.Equal(t, want, Plural(word))
	}
}
