package schedule

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// A clock leaps when it goes back by more than an hour or on by more than sixty days.
func TestLeapt(t *testing.T) {
	seen := time.Date(2026, 11, 5, 9, 0, 0, 0, time.UTC)
	for by, leapt := range map[time.Duration]bool{
		0: false, time.Minute: false, -time.Hour: false, -time.Hour - time.Second: true, -400 * 24 * time.Hour: true,
		60 * 24 * time.Hour: false, 60*24*time.Hour + time.Second: true,
	} {
		assert.Equal(t, leapt, Leapt(seen, seen.Add(by)), by)
	}
	assert.False(t, Leapt(time.Time{}, seen), "one that was never seen")
}
