package casework_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"oskel/core/calendar"
	"oskel/core/casework"
)

// Who is away, and what cannot be: days that are over, twice at once, a circle.
func TestAbsences(t *testing.T) {
	away := func(person string, first, last calendar.Day, standIn string) casework.Absence {
		return casework.Absence{Person: person, First: today + first, Last: today + last, StandIn: standIn}
	}
	known := []casework.Absence{away("sig", 0, 9, "pim"), away("pim", 10, 19, "nell"), away("ned", 0, 9, "nell"), away("pim", 30, 39, "ned"),
		away("ned", 32, 33, "sig"), away("ned", 35, 50, "nell")}
	for _, c := range []struct {
		of   casework.Absence
		says string
	}{
		{away("nell", 0, 3, ""), ""},
		{away("nell", -5, 0, ""), ""},
		{away("nell", 3, 2, ""), "7 Nov 2026 is before 8 Nov 2026"},
		{away("nell", -5, -1, ""), "4 Nov 2026 is over"},
		{away("nell", 0, 367, ""), "an absence can last a year, until 6 Nov 2027"},
		{away("nell", 0, 3, "nell"), "you cannot be your own stand-in"},
		{away("sig", 9, 12, ""), "sig is away from 5 Nov 2026 to 14 Nov 2026 already"},
		{away("sig", 10, 12, ""), ""},
		{away("nell", 0, 3, "sig"), ""},
		{away("nell", 0, 3, "ned"), "the stand-ins would form a circle: nell -> ned -> nell"},
		{away("nell", 9, 12, "sig"), ""}, // sig and pim are never away at once
		{away("nell", 10, 12, "sig"), ""},
		{away("nell", 38, 45, "pim"), "the stand-ins would form a circle: nell -> pim -> ned -> nell"}, // of ned's second absence
		{away("nell", 31, 34, "pim"), ""},
	} {
		err := casework.CheckAbsence(c.of, known, today)
		if c.says == "" {
			assert.NoError(t, err, "%+v", c.of)
		} else {
			assert.ErrorContains(t, err, c.says)
		}
	}
}
