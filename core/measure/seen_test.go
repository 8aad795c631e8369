package measure_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"oskel/core/calendar"
	"oskel/core/measure"
)

// The days of a code's lines and the gaps between them are those of a plain loop,
// however many codes have been asked for before.
func TestDaysSeen(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var lines []line
		for range rapid.IntRange(0, 40).Draw(t, "lines") {
			lines = append(lines, line{rapid.IntRange(0, 2).Draw(t, "rep"), 0,
				fmt.Sprintf("2026-%02d-%02d", rapid.IntRange(9, 10).Draw(t, "month"), rapid.IntRange(1, 30).Draw(t, "day")), "1", "1",
				rapid.IntRange(0, 2).Draw(t, "channel")})
		}
		e := world(t, "", lines)
		until := calendar.Date(2026, 10, rapid.IntRange(1, 31).Draw(t, "until"))
		asked, phone := measure.Lines{Feed: "sales"}, rapid.Bool().Draw(t, "by phone")
		if phone {
			asked.Where = e.Book.Measure("by_phone").Where
		}
		level := rapid.SampledFrom([]measure.Level{reps, areas}).Draw(t, "level")
		of := func(l line) uint32 {
			if level == areas {
				key := "North"
				if l.rep == 2 {
					key = "South"
				}
				code, _ := e.Code(areas, key)
				return code
			}
			return uint32(l.rep)
		}
		seen := e.Seen(asked, level, until)
		for range 12 {
			for code := range uint32(e.Size(level)) {
				var days []calendar.Day
				var gaps []int
				for _, l := range lines {
					day, _ := calendar.ParseDay(l.day)
					if of(l) != code || day > until || phone && l.channel != 1 {
						continue
					}
					if n := len(days); n > 0 && days[n-1] != day {
						gaps = append(gaps, int(day-days[n-1]))
					}
					days = append(days, day)
				}
				require.Equal(t, days, seen.Of(code))
				require.Equal(t, gaps, seen.GapsOf(code))
				most := make([]uint32, e.Size(level)) // the others are not asked for
				most[code] = rapid.Uint32Range(1, 12).Draw(t, "most")
				expected := make([]bool, len(most))
				if n := len(gaps); n > 0 {
					slices.Sort(gaps)
					expected[code] = uint32(gaps[(n-1)/2]+gaps[n/2]) <= most[code]
				}
				require.Equal(t, expected, seen.UsualGapAtMost(most))
			}
		}
	})
}
