package schedule

import "time"

// How far a clock may go before somebody is asked. Back it goes by the little that clocks
// are set by; ahead as long as a service may have been off.
const (
	mostBack  = time.Hour
	mostAhead = 60 * 24 * time.Hour
)

// Leapt says whether a clock that was last seen at one moment and says another now has
// leapt: what is due by it is not done before somebody says that it is right. A zero seen
// is never.
func Leapt(seen, now time.Time) bool {
	return !seen.IsZero() && (now.Before(seen.Add(-mostBack)) || now.After(seen.Add(mostAhead)))
}
