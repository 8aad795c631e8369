package casework

import (
	"fmt"
	"slices"
	"strings"

	"oskel/core/calendar"
)

// Absence is when somebody is away, both days included, and who stands in for them.
type Absence struct {
	Person      string
	First, Last calendar.Day
	StandIn     string // "" is nobody
}

func (a Absence) meets(b Absence) bool { return a.First <= b.Last && b.First <= a.Last }

// CheckAbsence says what is wrong with an absence beside those that are known: days that
// are over or turned round, one who is away already, and people who would stand in for
// one another in a circle, which it names in full.
func CheckAbsence(a Absence, known []Absence, today calendar.Day) error {
	switch {
	case a.Last < a.First:
		return fmt.Errorf("%s is before %s", a.Last.Words(), a.First.Words())
	case a.Last < today:
		return fmt.Errorf("%s is over", a.Last.Words())
	case a.Last > a.First+longestParked:
		return fmt.Errorf("an absence can last a year, until %s", (a.First + longestParked).Words())
	case a.StandIn == a.Person:
		return fmt.Errorf("you cannot be your own stand-in")
	}
	for _, k := range known {
		if k.Person == a.Person && k.meets(a) {
			return fmt.Errorf("%s is away from %s to %s already", a.Person, k.First.Words(), k.Last.Words())
		}
	}
	if trail := circle(a, known, []string{a.Person}); trail != nil {
		return fmt.Errorf("the stand-ins would form a circle: %s", strings.Join(trail, " -> "))
	}
	return nil
}

// circle follows who stands in, on the days on which all on the way are away, and is the
// way back to whom it began with; nil where there is none.
func circle(a Absence, known []Absence, trail []string) []string {
	if a.StandIn == "" {
		return nil
	}
	trail = append(slices.Clone(trail), a.StandIn)
	if a.StandIn == trail[0] {
		return trail
	}
	if slices.Contains(trail[:len(trail)-1], a.StandIn) {
		return nil // a circle that is on record, of others
	}
	for _, k := range known {
		if k.Person != a.StandIn || !k.meets(a) {
			continue
		}
		k.First, k.Last = max(k.First, a.First), min(k.Last, a.Last)
		if round := circle(k, known, trail); round != nil {
			return round
		}
	}
	return nil
}
