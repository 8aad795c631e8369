package routing_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"oskel/core/amount"
	"oskel/core/lang"
	"oskel/core/method"
	"oskel/core/routing"
	"oskel/core/rulebook"
)

// In turn everybody gets as many as everybody else, give or take one; by load nobody gets
// one while somebody has less to do; nobody who is away, or whom it is about, gets any.
func TestCasesAreSharedOut(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		names := []string{"ada", "ben", "cid", "dot"}[:rapid.IntRange(1, 4).Draw(t, "members")]
		var members []routing.Member
		able := map[string]bool{}
		for _, name := range names {
			m := routing.Member{Name: name, Load: rapid.IntRange(0, 5).Draw(t, "load"), Away: rapid.IntRange(0, 3).Draw(t, "away") == 0}
			if m.Away {
				m.StandIn = rapid.SampledFrom([]string{"", "ada", "ben", "zoe"}).Draw(t, "stand-in")
			}
			members = append(members, m)
		}
		self := rapid.SampledFrom([]string{"", "ada", "cid"}).Draw(t, "self")
		for _, m := range members {
			able[m.Name] = !m.Away && m.Name != self
		}
		for _, how := range []string{rulebook.ByTurn, rulebook.ByLoad} {
			got := map[string]int{}
			for n := range 24 {
				name := routing.Share(how, members, barring(self), n)
				if name == "" {
					for who, is := range able {
						assert.False(t, is, "%s could have had it", who)
					}
					continue
				}
				assert.True(t, able[name], "%s gets it", name)
				got[name]++
				if how == rulebook.ByLoad {
					for i := range members {
						if members[i].Name == name {
							for _, other := range members {
								assert.False(t, able[other.Name] && other.Load < members[i].Load, "%s has less to do", other.Name)
							}
						}
					}
				}
			}
			if how == rulebook.ByTurn { // who stands in has the turns of whom they stand in for, too
				turns := map[string]int{}
				for _, m := range members {
					who := m.Name
					if m.Away {
						who = m.StandIn
					}
					if able[who] {
						turns[who]++
					}
				}
				all := 0
				for _, n := range turns {
					all += n
				}
				for who, n := range turns {
					assert.InDelta(t, 24*n/all, got[who], float64(n), who)
				}
			}
		}
	})
	assert.Empty(t, routing.Share("", []routing.Member{{Name: "ada"}}, barring(""), 0), "it is not shared")
	assert.Equal(t, "ben", routing.Share(rulebook.ByTurn, []routing.Member{{Name: "ada", Away: true, StandIn: "ben"}, {Name: "ben"}}, barring(""), 0))
}

const persons = `oskel: 1
kinds: {rep: {attributes: {territory: text, manager: person, account: {type: person, is: self}}}}
feeds: {sales: {date: day, subjects: {rep: rep}, numbers: {net: money}}}
grades: [{name: act}, {name: look, tone: blue}]
measures: {revenue: {sum: sales.net, unit: money}}
rules:
  - {name: low, judges: [rep, rep.territory], threshold: {of: revenue, bands: [{grade: act, below: 5}, {clear: rest}]}}
  - {name: quiet, judges: rep, window: {silence: sales, at_least: 20 days, grade: look}}
desks: [{name: north, shares: by turn}, {name: south, shares: by load}, {name: home}]
routes:
  - {when: family is "event window", to: south, for: ada}
  - {when: stake at least 5000 and state is "raised", to: north, for: rep.manager, copy: [home, tor]}
  - {when: streak above 2, to: north}
  - {otherwise: home}
`

// A route may ask for all that an exception knows, and name who gets it.
func TestRoutesToPersons(t *testing.T) {
	book, problems := rulebook.Read([]byte(persons), method.All())
	require.Empty(t, problems)
	values := map[string]lang.Value{"rep.manager": {Type: lang.TextType, Text: "meg"}, "rep.account": {Type: lang.TextType, Text: "rex"}}
	lookup := func(name string) lang.Value { return values[name] }
	stake := func(n int64) *amount.Amount { a := amount.FromInt(n); return &a }
	for _, c := range []struct {
		item routing.Item
		to   routing.Destination
	}{
		{routing.Item{Family: "event window", Stake: stake(9000), State: "raised"}, routing.Destination{Desk: "south", For: "ada"}},
		{routing.Item{Family: "threshold", Stake: stake(5000), State: "raised"}, routing.Destination{Desk: "north", For: "meg", Copy: []string{"home", "tor"}}},
		{routing.Item{Family: "threshold", Stake: stake(4999), State: "raised"}, routing.Destination{Desk: "home"}},
		{routing.Item{Family: "threshold", Stake: stake(9000), State: "standing", Streak: 3}, routing.Destination{Desk: "north"}},
		{routing.Item{Family: "threshold", Stake: stake(9000), State: "standing", Streak: 2}, routing.Destination{Desk: "home"}},
		{routing.Item{Family: "threshold"}, routing.Destination{Desk: "home"}},
	} {
		c.item.Attributes = lookup
		assert.Equal(t, c.to, routing.To(book, c.item), "%+v", c.item)
		assert.Equal(t, c.to.Desk, routing.Desk(book, c.item))
	}
	level := book.Rules[0].Levels
	assert.Equal(t, "rex", book.SelfOf(level[0], lookup))
	assert.Empty(t, book.SelfOf(level[1], lookup), "a territory has no account")
	assert.Equal(t, []string{"ada", "tor"}, book.PersonsNamed())
	assert.Empty(t, routing.To(&rulebook.Book{}, routing.Item{}))
}

func barring(names ...string) func(string) bool {
	return func(name string) bool { return slices.Contains(names, name) }
}

// Whom a case is about does not review it, nor who reports to them alone; nobody is no name.
func TestBars(t *testing.T) {
	for _, c := range []struct {
		self, below, name string
		bars              bool
	}{{"", "", "", false}, {"ann", "", "", false}, {"ann", "", "ann", true}, {"ann", "bob cy", "cy", true}, {"ann", "bob cy", "bo", false},
		{"ann", "bob cy", "bob cy", false}, {"", "", "ann", false}} {
		assert.Equal(t, c.bars, routing.Bars(c.self, c.below, c.name), "%+v", c)
	}
}

// Who gets a case by name, or why not; who stands in; what is shared out goes on from
// where the desk was; who gets one has more to do for the next.
func TestGive(t *testing.T) {
	book := &rulebook.Book{Desks: []rulebook.Desk{{Name: "north", Shares: rulebook.ByLoad}, {Name: "south"}, {Name: "east", Shares: rulebook.ByTurn}}}
	staff := func() map[string]routing.Staff {
		return map[string]routing.Staff{
			"ada": {Reviews: true, Desks: []string{"north", "east"}, Load: 1}, "ben": {Reviews: true, Desks: []string{"north", "east"}},
			"cy":  {Reviews: true, Desks: []string{"south"}, Away: true, StandIn: "dot"},
			"dot": {Reviews: true, Desks: []string{"south"}}, "eve": {Lead: true}, "flo": {Reviews: true, Desks: []string{"south"}, Away: true},
			"gus": {Reviews: true, Desks: []string{"south"}, Away: true, StandIn: "flo"}, "hal": {},
		}
	}
	giver := func() *routing.Giver {
		return &routing.Giver{Book: book, Staff: staff(), Had: func(desk string) (int, error) { return map[string]int{"east": 1}[desk], nil }}
	}
	for _, c := range []struct {
		desk, to, self string
		bars           []string
		name, text     string
	}{
		{"south", "", "", nil, "", ""},
		{"south", "dot", "", nil, "dot", "to dot"},
		{"south", "eve", "", nil, "eve", "to eve"},
		{"south", "cy", "", nil, "dot", "to dot: cy is away"},
		{"south", "flo", "", nil, "", "flo is away"},
		{"south", "gus", "", nil, "", "gus is away: flo is away too"},
		{"south", "ada", "", nil, "", "ada does not work the cases of south"},
		{"south", "hal", "", nil, "", "hal does not work the cases of south"},
		{"south", "nobody", "", nil, "", `there is no account "nobody"`},
		{"south", "dot", "dot", []string{"dot"}, "", "dot cannot review their own case"},
		{"south", "dot", "cy", []string{"dot"}, "", "dot cannot review a case about cy, to whom they report"},
		{"north", "", "", nil, "ben", "to ben: by load"},
		{"north", "dot", "", nil, "ben", "to ben: dot does not work the cases of north; by load"},
		{"north", "", "", []string{"ben"}, "ada", "to ada: by load"},
		{"north", "", "", []string{"ada", "ben"}, "", ""},
		{"east", "", "", nil, "ben", "to ben: by turn"},
	} {
		to, err := giver().Give(routing.Case{Desk: c.desk, For: c.to, Self: c.self, Bars: barring(c.bars...)})
		assert.NoError(t, err)
		assert.Equal(t, routing.Given{Name: c.name, Text: c.text}, to, "%+v", c)
	}
	g, got := giver(), []string{}
	for range 3 {
		to, _ := g.Give(routing.Case{Desk: "north", Bars: barring()})
		got = append(got, to.Name)
	}
	for range 2 {
		to, _ := g.Give(routing.Case{Desk: "east", Bars: barring()})
		got = append(got, to.Name)
	}
	assert.Equal(t, []string{"ben", "ada", "ben", "ben", "ada"}, got)

	// Three in turn: forward, not back.
	g, got = giver(), nil
	g.Staff["ivy"] = routing.Staff{Reviews: true, Desks: []string{"east"}}
	for range 4 {
		to, _ := g.Give(routing.Case{Desk: "east", Bars: barring()})
		got = append(got, to.Name)
	}
	assert.Equal(t, []string{"ben", "ivy", "ada", "ben"}, got)
}
