package demo

import (
	"encoding/csv"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func rows(t *testing.T, dir, name string) [][]string {
	f, err := os.Open(filepath.Join(dir, name))
	require.NoError(t, err)
	defer f.Close()
	all, err := csv.NewReader(f).ReadAll()
	require.NoError(t, err)
	return all[1:]
}

// Grown, the demo has so many times as many reps and customers with names of their own, and
// what it has without that is in it as it was.
func TestGrownDemo(t *testing.T) {
	one, three := t.TempDir(), t.TempDir()
	require.NoError(t, Write(one, 1))
	require.NoError(t, Write(three, 3))
	for _, name := range []string{"reps.csv", "customers.csv"} {
		small, large := rows(t, one, name), rows(t, three, name)
		assert.Len(t, large, 3*len(small), name)
		assert.Equal(t, small, large[:len(small)], name)
		keys, names := map[string]bool{}, map[string]bool{}
		for _, r := range large {
			keys[r[0]], names[r[1]] = true, true
		}
		assert.Len(t, keys, len(large), name)
		assert.Len(t, names, len(large), name)
	}
	for _, name := range []string{"sales.csv", "returns.csv"} {
		in := map[string]int{}
		for _, r := range rows(t, three, name) {
			in[r[0]+r[1]+r[2]+r[3]+r[4]+r[5]+r[6]]++
		}
		small := rows(t, one, name)
		for _, r := range small {
			in[r[0]+r[1]+r[2]+r[3]+r[4]+r[5]+r[6]]--
		}
		more := 0
		for key, n := range in {
			require.GreaterOrEqual(t, n, 0, key)
			more += n
		}
		assert.InDelta(t, 2, float64(more)/float64(len(small)), 0.1, name)
	}
}
