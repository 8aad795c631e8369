package httpapi

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/words"
	"oskel/internal/httpapi/contract"
)

// Every operation of the contract says who may do it, and nothing else does: a
// new one is closed until it stands in allowed.
func TestEveryOperationSaysWhoMay(t *testing.T) {
	spec, err := contract.GetSpec()
	require.NoError(t, err)
	known := map[string]bool{}
	for path, item := range spec.Paths.Map() {
		for method, op := range item.Operations() {
			name := words.UpperFirst(op.OperationID)
			known[name] = true
			assert.Contains(t, allowed, name, "%s %s", method, path)
		}
	}
	for name := range allowed {
		assert.True(t, known[name], "%s is no operation of the contract", name)
	}
	assert.Greater(t, len(known), 40)
	for _, list := range [][]string{computing, exporting, loading, bookish, quick, reading, reviewing} {
		for _, name := range list {
			assert.True(t, known[name], "%s is no operation of the contract", name)
		}
	}
}
