package people

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestHashMatchesItsPasswordAlone(t *testing.T) {
	h := hash("rope and rigging")
	assert.True(t, matches("rope and rigging", h))
	assert.False(t, matches("rope and riggin", h))
	assert.NotEqual(t, h, hash("rope and rigging"), "salted")
	for _, broken := range []string{"", "$argon2id$", "$argon2id$v=19$m=x$a$b", "$argon2id$v=19$m=19456,t=2,p=1$!$!"} {
		assert.False(t, matches("rope and rigging", broken))
	}
}
