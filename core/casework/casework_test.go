package casework_test

import (
	"reflect"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/casework"
	"oskel/core/method"
	"oskel/core/rulebook"
)

const text = `oskel: 1
calendar: {time_zone: UTC}
kinds: {rep: {}}
feeds: {returns: {title: Returns, date: day, subjects: {rep: rep}, numbers: {net: money}}}
grades: [{name: act, tone: red, shape: diamond}]
measures: {net: {sum: returns.net, unit: money}}
rules: [{name: low, judges: rep, threshold: {of: net, bands: [{grade: act, below: 1}, {clear: rest}]}}]
desks: [{name: north, title: North desk}, {name: south, title: South desk}]
routes: [{otherwise: north}]
reasons:
  - {name: on-leave, title: On leave, for: explained}
  - {name: credit-note, title: Credit note, for: [confirmed, data fault]}
  - {name: other}
`

var (
	today = calendar.Date(2026, 11, 5)
	now   = time.Date(2026, 11, 5, 9, 0, 0, 0, time.UTC)
	nell  = casework.Person{Name: "nell", Reviews: true, Desks: []string{"north"}}
	sig   = casework.Person{Name: "sig", Reviews: true, Desks: []string{"north", "south"}}
	pim   = casework.Person{Name: "pim", Reviews: true, Desks: []string{"south"}}
	ines  = casework.Person{Name: "ines", Defines: true}
	tor   = casework.Person{Name: "tor", Lead: true}
)

func scene(t require.TestingT) casework.Scene {
	book, problems := rulebook.Read([]byte(text), method.All())
	require.Empty(t, problems)
	return casework.Scene{Book: book, Today: today, Now: now, Person: func(name string) (casework.Person, bool) {
		for _, p := range []casework.Person{nell, sig, pim, ines, tor} {
			if p.Name == name {
				return p, true
			}
		}
		return casework.Person{}, false
	}}
}

func day(d calendar.Day) *calendar.Day { return &d }
func money(n int64) *amount.Amount     { a := amount.FromInt(n); return &a }
func held(by string) casework.Case {
	return casework.Case{Desk: "north", State: casework.Taken, Holder: by}
}
func open() casework.Case { return casework.Case{Desk: "north", State: casework.Open} }
func parked(by string) casework.Case {
	return casework.Case{Desk: "north", State: casework.Parked, Holder: by, ParkedTo: day(today + 3)}
}
func settled() casework.Case {
	at := now.Add(-48 * time.Hour)
	return casework.Case{Desk: "north", State: casework.Settled, Finding: "explained", SettledBy: "nell", SettledAt: &at}
}

// Each row is an act on a case and what comes of it: the state and holder, and what the
// trail says.
func TestWhatIsDoneToACase(t *testing.T) {
	s := scene(t)
	for _, c := range []struct {
		name   string
		of     casework.Case
		by     casework.Person
		act    casework.Act
		state  string
		holder string
		event  casework.Event
	}{
		{"taken", open(), nell, casework.Act{Do: "take"}, casework.Taken, "nell", casework.Event{What: "taken"}},
		{"a parked one is taken up", parked(""), nell, casework.Act{Do: "take"}, casework.Taken, "nell", casework.Event{What: "taken"}},
		{"put back", held("nell"), nell, casework.Act{Do: "release", Text: "not mine"}, casework.Open, "", casework.Event{What: "released", Text: "not mine"}},
		{"put back by a lead", held("nell"), tor, casework.Act{Do: "release"}, casework.Open, "", casework.Event{What: "released", Text: "from nell"}},
		{"put back, and parked still", parked("nell"), nell, casework.Act{Do: "release"}, casework.Parked, "", casework.Event{What: "released"}},
		{"handed to a member", held("nell"), nell, casework.Act{Do: "hand over", Person: "sig", Text: "you know them"}, casework.Taken, "sig", casework.Event{What: "handed over", Text: "to sig: you know them"}},
		{"handed to a lead", open(), nell, casework.Act{Do: "hand over", Person: "tor"}, casework.Taken, "tor", casework.Event{What: "handed over", Text: "to tor"}},
		{"handed to a desk", parked("nell"), nell, casework.Act{Do: "hand over", Desk: "south"}, casework.Open, "", casework.Event{What: "moved", Text: "to South desk"}},
		{"asked", held("nell"), nell, casework.Act{Do: "ask", Person: "ines", Text: " Is it so? "}, casework.Taken, "nell", casework.Event{What: "asked", Text: "ines: Is it so?"}},
		{"parked until a day", held("nell"), nell, casework.Act{Do: "park", Until: day(today + 1), Text: "away"}, casework.Parked, "nell", casework.Event{What: "parked", Text: "until 6 Nov 2026: away"}},
		{"parked for a year", open(), nell, casework.Act{Do: "park", Until: day(today + 366), Text: "away"}, casework.Parked, "", casework.Event{What: "parked", Text: "until 6 Nov 2027: away"}},
		{"parked for lines", open(), nell, casework.Act{Do: "park", Feed: "returns", Text: "credit note"}, casework.Parked, "", casework.Event{What: "parked", Text: "until the next lines of returns: credit note"}},
		{"taken up again", parked("nell"), sig, casework.Act{Do: "resume"}, casework.Taken, "nell", casework.Event{What: "resumed"}},
		{"said by an analyst", open(), ines, casework.Act{Do: "comment", Text: " So it is. "}, casework.Open, "", casework.Event{What: "comment", Text: "So it is."}},
		{"said of a settled one", settled(), nell, casework.Act{Do: "comment", Text: "Later."}, casework.Settled, "", casework.Event{What: "comment", Text: "Later."}},
		{"settled", held("nell"), nell, casework.Act{Do: "settle", Finding: "confirmed", Reason: "credit-note", Recovered: money(1200), WrittenOff: money(0), Text: "sent"}, casework.Settled, "nell",
			casework.Event{What: "settled", Text: "confirmed (Credit note), recovered 1,200, written off 0: sent"}},
		{"settled by a lead", held("nell"), tor, casework.Act{Do: "settle", Finding: "explained", Reason: "other"}, casework.Settled, "nell", casework.Event{What: "settled", Text: "explained (Other)"}},
		{"settled while parked", parked(""), nell, casework.Act{Do: "settle", Finding: "data fault"}, casework.Settled, "", casework.Event{What: "settled", Text: "data fault"}},
		{"opened again", settled(), nell, casework.Act{Do: "reopen", Text: "cancelled"}, casework.Open, "", casework.Event{What: "reopened", Text: "cancelled"}},
	} {
		of := c.of
		e, err := s.Do(&of, c.by, c.act)
		require.NoError(t, err, c.name)
		assert.Equal(t, c.state, of.State, c.name)
		assert.Equal(t, c.holder, of.Holder, c.name)
		assert.Equal(t, c.event, e, c.name)
		whole(t, of)
	}
	asked := held("nell")
	asked.Asked = "pim"
	e, err := s.Do(&asked, pim, casework.Act{Do: "comment", Text: "Yes."})
	require.NoError(t, err)
	assert.Equal(t, casework.Event{What: "answered", Text: "Yes."}, e)
	assert.Empty(t, asked.Asked)
	assert.Equal(t, "nell", asked.Holder, "who is asked does not own it")
}

// whole is what holds of every case.
func whole(t require.TestingT, c casework.Case) {
	assert.Equal(t, c.State == casework.Settled, c.Finding != "")
	assert.Equal(t, c.State == casework.Settled, c.SettledAt != nil)
	assert.Equal(t, c.State == casework.Parked, c.ParkedTo != nil || c.ParkedFor != "")
	assert.False(t, c.ParkedTo != nil && c.ParkedFor != "")
	if c.State == casework.Taken || c.State == casework.Open {
		assert.Equal(t, c.State == casework.Taken, c.Holder != "")
	}
}

// What cannot be done says why, and the case is what it was.
func TestWhatCannotBeDone(t *testing.T) {
	s := scene(t)
	cleared := open()
	cleared.Cleared = true
	for _, c := range []struct {
		of   casework.Case
		by   casework.Person
		act  casework.Act
		says string
	}{
		{open(), pim, casework.Act{Do: "take"}, "only members of the desk"},
		{open(), ines, casework.Act{Do: "settle", Finding: "explained"}, "only members of the desk"},
		{open(), pim, casework.Act{Do: "comment", Text: "x"}, "only members of the desk"},
		{open(), nell, casework.Act{Do: "burn"}, `"burn" is nothing that is done to a case`},
		{open(), nell, casework.Act{Do: "comment", Text: "  "}, "a comment says something"},
		{held("nell"), nell, casework.Act{Do: "take"}, "already yours"},
		{held("nell"), sig, casework.Act{Do: "take"}, "nell has taken it"},
		{held("nell"), tor, casework.Act{Do: "take"}, "nell has taken it"},
		{open(), nell, casework.Act{Do: "release"}, "nobody has taken it"},
		{held("nell"), sig, casework.Act{Do: "release"}, "nell has taken it and puts it back, or a lead"},
		{held("nell"), sig, casework.Act{Do: "hand over", Person: "sig"}, "nell has taken it and hands it over"},
		{held("nell"), nell, casework.Act{Do: "hand over"}, "say whom"},
		{held("nell"), nell, casework.Act{Do: "hand over", Person: "nell"}, "nell has it already"},
		{held("nell"), nell, casework.Act{Do: "hand over", Person: "pim"}, "pim does not work the cases of North desk"},
		{held("nell"), nell, casework.Act{Do: "hand over", Person: "ghost"}, `no account "ghost"`},
		{held("nell"), nell, casework.Act{Do: "hand over", Person: "sig", Desk: "south"}, "not to both"},
		{held("nell"), nell, casework.Act{Do: "hand over", Desk: "east"}, `no desk "east"`},
		{held("nell"), nell, casework.Act{Do: "hand over", Desk: "north"}, "on that desk already"},
		{open(), nell, casework.Act{Do: "ask", Text: "x"}, "say who is asked"},
		{open(), nell, casework.Act{Do: "ask", Person: "ines"}, "say what is asked"},
		{open(), nell, casework.Act{Do: "ask", Person: "nell", Text: "x"}, "nobody asks themselves"},
		{open(), nell, casework.Act{Do: "ask", Person: "ghost", Text: "x"}, `no account "ghost"`},
		{open(), nell, casework.Act{Do: "park"}, "until a day, or until lines"},
		{open(), nell, casework.Act{Do: "park", Until: day(today + 1), Feed: "returns"}, "until a day, or until lines"},
		{open(), nell, casework.Act{Do: "park", Until: day(today)}, "5 Nov 2026 is none"},
		{open(), nell, casework.Act{Do: "park", Until: day(today - 1)}, "4 Nov 2026 is none"},
		{open(), nell, casework.Act{Do: "park", Until: day(today + 367)}, "for a year at the longest, until 6 Nov 2027"},
		{open(), nell, casework.Act{Do: "park", Until: day(today + 1), Text: " "}, "say why it is parked"},
		{open(), nell, casework.Act{Do: "comment", Text: "@sig and @nobody"}, `no account "nobody" to be told`},
		{open(), nell, casework.Act{Do: "park", Feed: "sales"}, `no feed "sales"`},
		{held("nell"), sig, casework.Act{Do: "park", Feed: "returns"}, "nell has taken it and parks it"},
		{open(), nell, casework.Act{Do: "resume"}, "not parked"},
		{held("nell"), sig, casework.Act{Do: "settle", Finding: "explained"}, "nell has taken it and settles it"},
		{open(), nell, casework.Act{Do: "settle", Finding: "fine"}, `"fine" is not a finding; expected confirmed, explained, data fault, rule fault or cleared`},
		{open(), nell, casework.Act{Do: "settle", Finding: "cleared"}, "still flagged"},
		{open(), nell, casework.Act{Do: "settle", Finding: "confirmed", Reason: "holiday"}, `no reason "holiday"; the rulebook has credit-note, other`},
		{open(), nell, casework.Act{Do: "settle", Finding: "confirmed", Reason: "on-leave"}, `"On leave" is no reason for confirmed; those are credit-note, other`},
		{cleared, nell, casework.Act{Do: "settle", Finding: "cleared", Reason: "on-leave"}, "those are other"},
		{open(), nell, casework.Act{Do: "settle", Finding: "confirmed", Recovered: money(-1)}, "not below zero"},
		{open(), nell, casework.Act{Do: "settle", Finding: "confirmed", WrittenOff: money(-1)}, "not below zero"},
		{settled(), nell, casework.Act{Do: "take"}, "nell settled it on 3 Nov 2026 as explained"},
		{settled(), nell, casework.Act{Do: "reopen", Text: " "}, "say why"},
		{settled(), pim, casework.Act{Do: "reopen", Text: "x"}, "only members"},
		{open(), nell, casework.Act{Do: "reopen", Text: "x"}, "not settled"},
	} {
		of := c.of
		_, err := s.Do(&of, c.by, c.act)
		if assert.ErrorContains(t, err, c.says) {
			assert.Equal(t, c.of, of, c.says)
		}
	}
}

// Whatever is done in whatever order, a case stays whole.
func TestCasesStayWhole(t *testing.T) {
	s := scene(t)
	rapid.Check(t, func(t *rapid.T) {
		c := open()
		done := 0
		for range rapid.IntRange(1, 30).Draw(t, "acts") {
			was := c
			act := casework.Act{Do: rapid.SampledFrom(casework.Acts).Draw(t, "do"), Person: rapid.SampledFrom([]string{"", "nell", "sig", "pim", "tor"}).Draw(t, "person"),
				Desk: rapid.SampledFrom([]string{"", "", "north", "south"}).Draw(t, "desk"), Feed: rapid.SampledFrom([]string{"", "returns"}).Draw(t, "feed"),
				Finding: rapid.SampledFrom(casework.Findings).Draw(t, "finding"), Text: rapid.SampledFrom([]string{"", "so"}).Draw(t, "text")}
			if rapid.Bool().Draw(t, "until") {
				act.Until = day(today + calendar.Day(rapid.IntRange(-1, 400).Draw(t, "days")))
			}
			c.Cleared = rapid.Bool().Draw(t, "cleared")
			was.Cleared = c.Cleared
			e, err := s.Do(&c, rapid.SampledFrom([]casework.Person{nell, sig, pim, ines, tor}).Draw(t, "by"), act)
			if err != nil {
				assert.Equal(t, was, c)
			} else {
				done++
				assert.NotEmpty(t, e.What)
			}
			whole(t, c)
			if c.Due(today+400, func(string) bool { return true }) {
				back := c
				assert.Equal(t, "resumed", back.Return().What)
				whole(t, back)
				assert.Equal(t, c.Holder, back.Holder)
			} else {
				assert.NotEqual(t, casework.Parked, c.State)
			}
		}
		_ = done
	})
}

// A parked case is back on its day, not the day before, or when its lines have come.
func TestBackFromParking(t *testing.T) {
	never, always := func(string) bool { return false }, func(string) bool { return true }
	c := parked("nell")
	assert.False(t, c.Due(today+2, always))
	assert.True(t, c.Due(today+3, never))
	assert.Equal(t, casework.Event{What: "resumed", Text: "parked until 8 Nov 2026"}, c.Return())
	assert.Equal(t, held("nell"), c)
	lines := casework.Case{Desk: "north", State: casework.Parked, ParkedFor: "returns"}
	assert.False(t, lines.Due(today+1000, never))
	assert.True(t, lines.Due(today, func(feed string) bool { return feed == "returns" }))
	assert.Equal(t, "the lines have come for which it was parked", lines.Return().Text)
	assert.Equal(t, open(), lines)
	opened := open()
	assert.False(t, opened.Due(today, always))
}

// Who is explained may be left in peace until a day to come, a year on at the most, in
// words that say how.
func TestLeavingInPeace(t *testing.T) {
	s := scene(t)
	worse := func(f float64) *float64 { return &f }
	settle := func(finding string, p casework.Peace) (string, error) {
		c := held("nell")
		e, err := s.Do(&c, nell, casework.Act{Do: "settle", Finding: finding, Peace: &p, Text: "so"})
		assert.Equal(t, err != nil, reflect.DeepEqual(c, held("nell")), "what is refused leaves it")
		return e.Text, err
	}
	for _, c := range []struct {
		of   casework.Peace
		says string
	}{
		{casework.Peace{Until: today + 1}, "explained: so: left in peace until 6 Nov 2026"},
		{casework.Peace{Until: today + 366, All: true}, "explained: so: left in peace until 6 Nov 2027, by all rules"},
		{casework.Peace{Until: today + 1, Worse: worse(0)}, "explained: so: left in peace until 6 Nov 2026, or until it is worse by 0%"},
		{casework.Peace{Until: today + 1, Worse: worse(100)}, "explained: so: left in peace until 6 Nov 2026, or until it is worse by 10000%"},
	} {
		text, err := settle("explained", c.of)
		require.NoError(t, err)
		assert.Equal(t, c.says, text)
	}
	for _, c := range []struct {
		finding string
		of      casework.Peace
		says    string
	}{
		{"confirmed", casework.Peace{Until: today + 1}, "only who is explained"},
		{"explained", casework.Peace{Until: today}, "5 Nov 2026 is none"},
		{"explained", casework.Peace{Until: today + 367}, "a year at the longest, until 6 Nov 2027"},
		{"explained", casework.Peace{Until: today + 1, Worse: worse(-0.01)}, "0% to 10,000%"},
		{"explained", casework.Peace{Until: today + 1, Worse: worse(100.5)}, "0% to 10,000%"},
	} {
		_, err := settle(c.finding, c.of)
		assert.ErrorContains(t, err, c.says)
	}
	// What is about somebody is nobody's to review who is that.
	own := open()
	own.Self = "nell"
	_, err := s.Do(&own, nell, casework.Act{Do: "take"})
	assert.ErrorContains(t, err, "nobody reviews themselves")
	_, err = s.Do(&own, sig, casework.Act{Do: "hand over", Person: "nell"})
	assert.ErrorContains(t, err, "nobody reviews themselves")
	_, err = s.Do(&own, sig, casework.Act{Do: "take"})
	assert.NoError(t, err)
}
