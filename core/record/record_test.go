package record_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"oskel/core/record"
)

var (
	up      = &record.Flag{State: record.Raised, Grade: "look"}
	stood   = &record.Flag{State: record.Standing, Grade: "look"}
	cleared = &record.Flag{State: record.Cleared, Grade: "look", Own: true}
	carried = &record.Flag{State: record.Cleared, Grade: "look"} // by the period before alone
)

// Every way in which a flag may go on, by hand.
func TestStates(t *testing.T) {
	act, look, none, gone := record.Found{Flagged: true, Grade: "act"}, record.Found{Flagged: true, Grade: "look"}, record.Found{}, record.Found{Gone: true}
	for _, c := range []struct {
		what         string
		now          record.Found
		here, before *record.Flag
		state        record.State
		grade        string
		change       record.Change
		carried      bool
	}{
		{"new", act, nil, nil, record.Raised, "act", record.NewlyFlagged, false},
		{"cleared from the period before, which flags it still", none, carried, up, record.Cleared, "look", "", false},
		{"new again after it cleared", act, nil, cleared, record.Raised, "act", record.NewlyFlagged, false},
		{"in both", act, nil, up, record.Standing, "act", record.NewlyFlagged, false},
		{"swept again, the same", look, up, nil, record.Raised, "look", record.Same, false},
		{"swept again, and the period before has come to be flagged", look, up, stood, record.Standing, "look", record.Same, false},
		{"swept again, worse", act, up, nil, record.Raised, "act", record.Regraded, false},
		{"swept again, back", look, cleared, nil, record.Raised, "look", record.NewlyFlagged, false},
		{"no longer, of this period", none, stood, up, record.Cleared, "look", record.NoLonger, false},
		{"still cleared", none, cleared, up, record.Cleared, "look", "", false},
		{"no longer, of the period before", none, nil, up, record.Cleared, "look", "", true},
		{"the rule is gone, of this period", gone, up, nil, record.Cleared, "look", record.NoLonger, false},
		{"the rule is gone, of the period before", gone, nil, stood, record.Cleared, "look", "", true},
	} {
		s, ok := record.Next(c.now, c.here, c.before)
		assert.True(t, ok, c.what)
		assert.Equal(t, []any{c.state, c.grade, c.change, c.carried}, []any{s.State, s.Grade, s.Change, s.Carried}, c.what)
		assert.Equal(t, c.now.Flagged, s.Flagged, c.what)
	}
	for _, c := range []struct {
		now          record.Found
		here, before *record.Flag
	}{{none, nil, nil}, {none, carried, nil}, {none, carried, cleared}, {none, nil, cleared}, {gone, cleared, up}, {gone, nil, cleared}, {gone, nil, nil}} {
		_, ok := record.Next(c.now, c.here, c.before)
		assert.False(t, ok)
	}
}

// Sweeping the same again changes nothing: what is recorded once stays as it is.
func TestTheSameAgainIsTheSame(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		flag := func(name string) *record.Flag {
			return rapid.SampledFrom([]*record.Flag{nil, up, stood, cleared, carried}).Draw(t, name)
		}
		now := rapid.SampledFrom([]record.Found{{}, {Flagged: true, Grade: "act"}, {Flagged: true, Grade: "look"}}).Draw(t, "now")
		before := flag("before")
		here := flag("here")
		first, ok := record.Next(now, here, before)
		if !ok {
			return
		}
		own := first.Flagged || here != nil && (here.Own || here.State != record.Cleared)
		again, ok := record.Next(now, &record.Flag{State: first.State, Grade: first.Grade, Own: own}, before)
		assert.True(t, ok)
		assert.Equal(t, first.State, again.State)
		assert.Equal(t, first.Grade, again.Grade)
		assert.Contains(t, []record.Change{record.Same, ""}, again.Change)
		var c record.Counts
		c.Add(again)
		assert.Equal(t, 1, c.Raised+c.Standing+c.Cleared)
		assert.Equal(t, again.Flagged, c.Unaffected == 1)
	})
}
