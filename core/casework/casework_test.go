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

func scene(t require.TestingT) casework.Context {
	book, problems := rulebook.Read([]byte(text), method.All())
	require.Empty(t, problems)
	return casework.Context{Book: book, Today: today, Now: now, Person: func(name string) (casework.Person, bool) {
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
	return casework.Case{Standing: casework.Standing{Desk: "north", State: casework.Taken, Holder: by}}
}
func open() casework.Case {
	return casework.Case{Standing: casework.Standing{Desk: "north", State: casework.Open}}
}
func parked(by string) casework.Case {
	return casework.Case{Standing: casework.Standing{Desk: "north", State: casework.Parked, Holder: by, ParkedTo: day(today + 3)}}
}
func settled() casework.Case {
	at := now.Add(-48 * time.Hour)
	return casework.Case{Standing: casework.Standing{Desk: "north", State: casework.Settled, Finding: "explained", SettledBy: "nell", SettledAt: &at}}
}

// Each row is an act on a case and what comes of it: the state and holder, and what the
// trail says.
func TestWhatIsDoneToACase(t *testing.T) {
	s := scene(t)
	for _, c := range []struct {
		name   string
		of     casework.Case
		by     casework.Person
		act    casework.Action
		state  string
		holder string
		event  casework.Event
	}{
		{"taken", open(), nell, casework.Action{Kind: "take"}, casework.Taken, "nell", casework.Event{What: "taken"}},
		{"a parked one is taken up", parked(""), nell, casework.Action{Kind: "take"}, casework.Taken, "nell", casework.Event{What: "taken"}},
		{"put back", held("nell"), nell, casework.Action{Kind: "return", Text: "not mine"}, casework.Open, "", casework.Event{What: "returned", Text: "not mine"}},
		{"put back by a lead", held("nell"), tor, casework.Action{Kind: "return"}, casework.Open, "", casework.Event{What: "returned", Text: "from nell"}},
		{"put back, and parked still", parked("nell"), nell, casework.Action{Kind: "return"}, casework.Parked, "", casework.Event{What: "returned"}},
		{"handed to a member", held("nell"), nell, casework.Action{Kind: "hand over", Person: "sig", Text: "you know them"}, casework.Taken, "sig",
			casework.Event{What: "handed over", Text: "to sig: you know them"}},
		{"handed to a lead", open(), nell, casework.Action{Kind: "hand over", Person: "tor"}, casework.Taken, "tor",
			casework.Event{What: "handed over", Text: "to tor"}},
		{"handed to a desk", parked("nell"), nell, casework.Action{Kind: "hand over", Desk: "south"}, casework.Open, "",
			casework.Event{What: "moved", Text: "to South desk"}},
		{"asked", held("nell"), nell, casework.Action{Kind: "ask", Person: "ines", Text: " Is it so? "}, casework.Taken, "nell",
			casework.Event{What: "asked", Text: "ines: Is it so?"}},
		{"parked until a day", held("nell"), nell, casework.Action{Kind: "park", Until: day(today + 1), Text: "away"}, casework.Parked, "nell",
			casework.Event{What: "parked", Text: "until 6 Nov 2026: away"}},
		{"parked for a year", open(), nell, casework.Action{Kind: "park", Until: day(today + 366), Text: "away"}, casework.Parked, "",
			casework.Event{What: "parked", Text: "until 6 Nov 2027: away"}},
		{"parked for lines", open(), nell, casework.Action{Kind: "park", Feed: "returns", Text: "credit note"}, casework.Parked, "",
			casework.Event{What: "parked", Text: "until the next lines of returns: credit note"}},
		{"taken up again", parked("nell"), sig, casework.Action{Kind: "resume"}, casework.Taken, "nell", casework.Event{What: "resumed"}},
		{"said by an analyst", open(), ines, casework.Action{Kind: "comment", Text: " So it is. "}, casework.Open, "",
			casework.Event{What: "comment", Text: "So it is."}},
		{"said of a settled one", settled(), nell, casework.Action{Kind: "comment", Text: "Later."}, casework.Settled, "",
			casework.Event{What: "comment", Text: "Later."}},
		{"settled", held("nell"), nell, casework.Action{Kind: "settle", Finding: "confirmed", Reason: "credit-note", Recovered: money(1200),
			WrittenOff: money(0), Text: "sent"}, casework.Settled, "nell",
			casework.Event{What: "settled", Text: "confirmed (Credit note), recovered 1,200, written off 0: sent"}},
		{"settled by a lead", held("nell"), tor, casework.Action{Kind: "settle", Finding: "explained", Reason: "other"}, casework.Settled, "nell",
			casework.Event{What: "settled", Text: "explained (Other)"}},
		{"settled while parked", parked(""), nell, casework.Action{Kind: "settle", Finding: "data fault"}, casework.Settled, "",
			casework.Event{What: "settled", Text: "data fault"}},
		{"opened again", settled(), nell, casework.Action{Kind: "reopen", Text: "cancelled"}, casework.Open, "", casework.Event{What: "reopened", Text: "cancelled"}},
	} {
		of := c.of
		e, err := s.Apply(&of, c.by, c.act)
		require.NoError(t, err, c.name)
		assert.Equal(t, c.state, of.State, c.name)
		assert.Equal(t, c.holder, of.Holder, c.name)
		assert.Equal(t, c.event, e, c.name)
		whole(t, of)
	}
	asked := held("nell")
	asked.Asked = "pim"
	e, err := s.Apply(&asked, pim, casework.Action{Kind: "comment", Text: "Yes."})
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
		act  casework.Action
		says string
	}{
		{open(), pim, casework.Action{Kind: "take"}, "only members of the desk"},
		{open(), ines, casework.Action{Kind: "settle", Finding: "explained"}, "only members of the desk"},
		{open(), pim, casework.Action{Kind: "comment", Text: "x"}, "only members of the desk"},
		{open(), nell, casework.Action{Kind: "burn"}, `unknown action "burn"; expected one of take, return, hand over, ask, comment, park, resume, settle, reopen`},
		{open(), nell, casework.Action{Kind: "comment", Text: "  "}, "write a comment"},
		{held("nell"), nell, casework.Action{Kind: "take"}, "already yours"},
		{held("nell"), sig, casework.Action{Kind: "take"}, "nell has taken it"},
		{held("nell"), tor, casework.Action{Kind: "take"}, "nell has taken it"},
		{open(), nell, casework.Action{Kind: "return"}, "it is not taken"},
		{held("nell"), sig, casework.Action{Kind: "return"}, "nell has taken it; only nell or a lead can return it"},
		{held("nell"), sig, casework.Action{Kind: "hand over", Person: "sig"}, "nell has taken it; only nell or a lead can hand it over"},
		{held("nell"), nell, casework.Action{Kind: "hand over"}, "state a person or a desk"},
		{held("nell"), nell, casework.Action{Kind: "hand over", Person: "nell"}, "nell has it already"},
		{held("nell"), nell, casework.Action{Kind: "hand over", Person: "pim"}, "pim does not work the cases of North desk"},
		{held("nell"), nell, casework.Action{Kind: "hand over", Person: "ghost"}, `no account "ghost"`},
		{held("nell"), nell, casework.Action{Kind: "hand over", Person: "sig", Desk: "south"}, "state a desk or a person, not both"},
		{held("nell"), nell, casework.Action{Kind: "hand over", Desk: "east"}, `no desk "east"`},
		{held("nell"), nell, casework.Action{Kind: "hand over", Desk: "north"}, "on that desk already"},
		{open(), nell, casework.Action{Kind: "ask", Text: "x"}, "state a person to ask"},
		{open(), nell, casework.Action{Kind: "ask", Person: "ines"}, "write the question"},
		{open(), nell, casework.Action{Kind: "ask", Person: "nell", Text: "x"}, "you cannot ask yourself"},
		{open(), nell, casework.Action{Kind: "ask", Person: "ghost", Text: "x"}, `no account "ghost"`},
		{open(), nell, casework.Action{Kind: "park"}, "state a day or a feed, not both"},
		{open(), nell, casework.Action{Kind: "park", Until: day(today + 1), Feed: "returns"}, "state a day or a feed, not both"},
		{open(), nell, casework.Action{Kind: "park", Until: day(today)}, "state a day after today; 5 Nov 2026 is not"},
		{open(), nell, casework.Action{Kind: "park", Until: day(today - 1)}, "state a day after today; 4 Nov 2026 is not"},
		{open(), nell, casework.Action{Kind: "park", Until: day(today + 367)}, "a case can be parked for a year, until 6 Nov 2027"},
		{open(), nell, casework.Action{Kind: "park", Until: day(today + 1), Text: " "}, "give a reason for parking"},
		{open(), nell, casework.Action{Kind: "comment", Text: "@sig and @nobody"}, `there is no account @nobody; type @ and the name of an account`},
		{open(), nell, casework.Action{Kind: "park", Feed: "sales"}, `no feed "sales"`},
		{held("nell"), sig, casework.Action{Kind: "park", Feed: "returns"}, "nell has taken it; only nell or a lead can park it"},
		{open(), nell, casework.Action{Kind: "resume"}, "not parked"},
		{held("nell"), sig, casework.Action{Kind: "settle", Finding: "explained"}, "nell has taken it; only nell or a lead can settle it"},
		{open(), nell, casework.Action{Kind: "settle", Finding: "fine"}, `"fine" is not a finding; expected confirmed, explained, data fault, rule fault or cleared`},
		{open(), nell, casework.Action{Kind: "settle", Finding: "cleared"}, "it still has flags, so it cannot be settled as cleared"},
		{open(), nell, casework.Action{Kind: "settle", Finding: "confirmed", Reason: "holiday"}, `no reason "holiday"; the rulebook has credit-note, other`},
		{open(), nell, casework.Action{Kind: "settle", Finding: "confirmed", Reason: "on-leave"},
			`"On leave" is no reason for confirmed; those are credit-note, other`},
		{cleared, nell, casework.Action{Kind: "settle", Finding: "cleared", Reason: "on-leave"}, "those are other"},
		{open(), nell, casework.Action{Kind: "settle", Finding: "confirmed", Recovered: money(-1)}, "recovered and written-off amounts cannot be negative"},
		{open(), nell, casework.Action{Kind: "settle", Finding: "confirmed", WrittenOff: money(-1)}, "recovered and written-off amounts cannot be negative"},
		{settled(), nell, casework.Action{Kind: "take"}, "nell settled it on 3 Nov 2026 as explained"},
		{settled(), nell, casework.Action{Kind: "reopen", Text: " "}, "give a reason for reopening"},
		{settled(), pim, casework.Action{Kind: "reopen", Text: "x"}, "only members"},
		{open(), nell, casework.Action{Kind: "reopen", Text: "x"}, "not settled"},
	} {
		of := c.of
		_, err := s.Apply(&of, c.by, c.act)
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
			act := casework.Action{Kind: rapid.SampledFrom(casework.Acts).Draw(t, "do"),
				Person: rapid.SampledFrom([]string{"", "nell", "sig", "pim", "tor"}).Draw(t, "person"),
				Desk:   rapid.SampledFrom([]string{"", "", "north", "south"}).Draw(t, "desk"), Feed: rapid.SampledFrom([]string{"", "returns"}).Draw(t, "feed"),
				Finding: rapid.SampledFrom(casework.Findings).Draw(t, "finding"), Text: rapid.SampledFrom([]string{"", "so"}).Draw(t, "text")}
			if rapid.Bool().Draw(t, "until") {
				act.Until = day(today + calendar.Day(rapid.IntRange(-1, 400).Draw(t, "days")))
			}
			c.Cleared = rapid.Bool().Draw(t, "cleared")
			was.Cleared = c.Cleared
			e, err := s.Apply(&c, rapid.SampledFrom([]casework.Person{nell, sig, pim, ines, tor}).Draw(t, "by"), act)
			if err != nil {
				assert.Equal(t, was, c)
			} else {
				done++
				assert.NotEmpty(t, e.What)
			}
			whole(t, c)
			if c.IsBack(today+400, func(string) bool { return true }) {
				back := c
				assert.Equal(t, casework.CaseResumed, back.Return().What)
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
	assert.False(t, c.IsBack(today+2, always))
	assert.True(t, c.IsBack(today+3, never))
	assert.Equal(t, casework.Event{What: "resumed", Text: "parked until 8 Nov 2026"}, c.Return())
	assert.Equal(t, held("nell"), c)
	lines := casework.Case{Standing: casework.Standing{Desk: "north", State: casework.Parked, ParkedFor: "returns"}}
	assert.False(t, lines.IsBack(today+1000, never))
	assert.True(t, lines.IsBack(today, func(feed string) bool { return feed == "returns" }))
	assert.Equal(t, "the lines it was parked for have come", lines.Return().Text)
	assert.Equal(t, open(), lines)
	opened := open()
	assert.False(t, opened.IsBack(today, always))
}

// Who is explained may be snoozed until a day to come, a year on at the most, in
// words that say how.
func TestSnoozing(t *testing.T) {
	s := scene(t)
	worse := func(f float64) *float64 { return &f }
	settle := func(finding string, p casework.Snooze) (string, error) {
		c := held("nell")
		e, err := s.Apply(&c, nell, casework.Action{Kind: "settle", Finding: finding, Snooze: &p, Text: "so"})
		assert.Equal(t, err != nil, reflect.DeepEqual(c, held("nell")), "what is refused leaves it")
		return e.Text, err
	}
	for _, c := range []struct {
		of   casework.Snooze
		says string
	}{
		{casework.Snooze{Until: today + 1}, "explained: so: snoozed until 6 Nov 2026"},
		{casework.Snooze{Until: today + 366, All: true}, "explained: so: snoozed until 6 Nov 2027, for all rules"},
		{casework.Snooze{Until: today + 1, Worse: worse(0)}, "explained: so: snoozed until 6 Nov 2026, or until it is worse by 0%"},
		{casework.Snooze{Until: today + 1, Worse: worse(100)}, "explained: so: snoozed until 6 Nov 2026, or until it is worse by 10000%"},
	} {
		text, err := settle("explained", c.of)
		require.NoError(t, err)
		assert.Equal(t, c.says, text)
	}
	for _, c := range []struct {
		finding string
		of      casework.Snooze
		says    string
	}{
		{"confirmed", casework.Snooze{Until: today + 1}, "only explained subjects"},
		{"explained", casework.Snooze{Until: today}, "state a day after today to snooze until; 5 Nov 2026 is not"},
		{"explained", casework.Snooze{Until: today + 367}, "a subject can be snoozed for a year, until 6 Nov 2027"},
		{"explained", casework.Snooze{Until: today + 1, Worse: worse(-0.01)}, "0% to 10,000%"},
		{"explained", casework.Snooze{Until: today + 1, Worse: worse(100.5)}, "0% to 10,000%"},
	} {
		_, err := settle(c.finding, c.of)
		assert.ErrorContains(t, err, c.says)
	}
	// What is about somebody is nobody's to review who is that.
	own := open()
	own.Self = "nell"
	_, err := s.Apply(&own, nell, casework.Action{Kind: "take"})
	assert.ErrorContains(t, err, "it is about you; you cannot review your own case")
	_, err = s.Apply(&own, sig, casework.Action{Kind: "hand over", Person: "nell"})
	assert.ErrorContains(t, err, "it is about nell, who cannot review their own case")
	_, err = s.Apply(&own, sig, casework.Action{Kind: "take"})
	assert.NoError(t, err)
}
