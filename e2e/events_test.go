package e2e

import (
	"database/sql"
	"strings"
	"testing"

	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
	"oskel/internal/store"
)

const eventRules = `rules:
  - name: flurry
    title: A flurry
    judges: rep
    window: {burst: sales, at_least: 2 lines, within: 3 days, grade: act}
  - name: left
    title: Left alone
    judges: rep
    window: {unanswered: sales where net above 500, by: sales where net below 50, within: 20 days, grade: look}
`

// flurries is the small world with rules that flag events; R1 has two bursts in
// September.
func flurries(t *testing.T) *service {
	s := newService(t)
	book := smallBook[:strings.Index(smallBook, "rules:\n")] + eventRules + smallBook[strings.Index(smallBook, "desks:\n"):]
	s.publish(book, 0)
	s.load("register", "rep", smallReps)
	s.load("feed", "sales", salesHead+`2026-09-05,A1,R1,109,50
2026-09-06,A2,R1,111,50
2026-09-19,A3,R1,99,50
2026-09-20,A4,R1,200,50
2026-09-12,A5,R2,900,50
2026-09-25,A6,R2,900,50
2026-10-10,A7,R2,40,50
`)
	return s
}

// found lists what is on record of a period: rule, subject, event, state.
func (s *service) found(period string) (out []string) {
	for _, e := range want[client.ExceptionPage](s.t,
		200)(s.as("ana").ListExceptions(ctx, &client.ListExceptionsParams{Period: period, Sort: ptr(client.ListExceptionsParamsSort("rule"))})).Items {
		event := "period"
		if e.Event != nil {
			event = e.Event.String()
		}
		out = append(out, strings.Join([]string{e.Rule, e.Key, event, string(e.State)}, " "))
	}
	return out
}

// Each event is an exception of its own, in the period in which it is decided and
// in no other; what corrects one clears that one.
func TestEveryEventIsAnException(t *testing.T) {
	t.Parallel()
	s := flurries(t)
	s.sweep("2026-09")
	assert.Equal(t, []string{"flurry R1 2026-09-06 raised", "flurry R1 2026-09-20 raised"}, s.found("2026-09"))
	list := want[client.ExceptionPage](t, 200)(s.as("ana").ListExceptions(ctx,
		&client.ListExceptionsParams{Period: "2026-09", Sort: ptr(client.ListExceptionsParamsSort("rule"))})).Items
	assert.Equal(t, "2 order lines within 3 days (5 Sep 2026 to 6 Sep 2026); 2 or more are flagged.", list[0].Sentence)
	assert.Equal(t, "2 order lines within 3 days (19 Sep 2026 to 20 Sep 2026); 2 or more are flagged.", list[1].Sentence)
	require.NotNil(t, list[0].Case)
	assert.Equal(t, list[0].Case, list[1].Case, "one case of the subject holds both")
	d := want[client.ExceptionDetail](t, 200)(s.as("ana").GetException(ctx, list[1].Id, nil))
	assert.Len(t, d.Evidence["events"].(map[string]any)["lines"], 2)
	_, out, _ := s.oskel("ana", "exceptions", "-period", "2026-09", "-format", "csv", "-sort", "rule")
	assert.Contains(t, out, "2 or more are flagged.,2026-09-20,1,")

	// The windows of September's large lines close in October, one of them answered.
	s.sweep("2026-10")
	assert.Equal(t, []string{"left R2 2026-09-12 raised"}, s.found("2026-10"), "September's flurries do not come again, nor clear")

	// A correction without the lines of the second.
	s.load("feed", "sales", salesHead+`2026-09-05,A1,R1,109,50
2026-09-06,A2,R1,111,50
2026-09-12,A5,R2,900,50
2026-09-13,A8,R2,30,50
2026-09-25,A6,R2,900,50
`, replace("2026-09"))
	s.sweep("2026-09")
	assert.Equal(t, []string{"flurry R1 2026-09-06 raised", "flurry R2 2026-09-13 raised", "flurry R1 2026-09-20 cleared"}, s.found("2026-09"))
	s.sweep("2026-10")
	assert.Equal(t, []string{"left R2 2026-09-12 cleared"}, s.found("2026-10"))
	gone := want[client.ExceptionPage](t, 200)(s.as("ana").ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-10"})).Items
	assert.Equal(t, "In current data the event of 12 Sep 2026 is not found.", gone[0].Sentence)
	assert.Contains(t, s.events(*list[0].Case), "cleared: A flurry, Sep 2026: In current data the event of 20 Sep 2026 is not found.")
}

// What an earlier program recorded of a subject and period is taken for its first
// event when it is swept again.
func TestEventsOfAnEarlierDatabase(t *testing.T) {
	t.Parallel()
	s := flurries(t)
	s.sweep("2026-09")
	first := s.found("2026-09")
	db, err := sql.Open("pgx", s.database)
	require.NoError(t, err)
	defer db.Close()
	provider, err := goose.NewProvider(goose.DialectPostgres, db, store.Migrations())
	require.NoError(t, err)
	_, err = provider.DownTo(ctx, 8)
	require.NoError(t, err)
	_, err = provider.Up(ctx)
	require.NoError(t, err)
	s = s.beside(t) // one that has read nothing yet
	assert.Equal(t, []string{"flurry R1 period raised"}, s.found("2026-09"))
	s.load("feed", "sales", salesHead+"2026-09-30,A9,R2,70,50\n")
	s.sweep("2026-09")
	assert.Equal(t, first, s.found("2026-09"))
}

// A window that is longer than the lines are is told of when the text is checked.
func TestAWindowLongerThanTheData(t *testing.T) {
	t.Parallel()
	s := flurries(t)
	book := want[client.Rulebook](t, 200)(s.as("ana").GetRulebook(ctx))
	check := func(text string) (out []string) {
		report := want[client.CheckReport](t, 200)(s.as("ana").CheckRulebook(ctx, client.RulebookText{Text: text}))
		require.Empty(t, report.Problems)
		for _, f := range report.Advice {
			out = append(out, f.Text)
		}
		return out
	}
	assert.NotContains(t, strings.Join(check(book.Text), "\n"), "reaches back")
	long := strings.NewReplacer("within: 20 days", "within: 50 days", "within: 3 days", "within: 35 days").Replace(book.Text)
	assert.Contains(t, check(long), "'within: 50 days' reaches back to 21 Aug 2026, but the lines of Order lines begin on 5 Sep 2026")
	past := strings.Replace(book.Text, "window: {burst: sales, at_least: 2 lines, within: 3 days, grade: act}",
		"outlier: {of: revenue, by: own past, over: 6 periods, beyond: 3, grade: act}", 1)
	assert.Contains(t, check(past), "'over: 6 periods' reaches back to 1 Mar 2026, but the lines of Order lines begin on 5 Sep 2026")
}

// Lines are matched by a note, such as an order number, and chosen by one: published,
// and in a draft of which nothing published speaks.
func TestLinesAreMatchedByNotes(t *testing.T) {
	t.Parallel()
	s := newService(t)
	head, tail := smallBook[:strings.Index(smallBook, "grades:\n")], smallBook[strings.Index(smallBook, "desks:\n"):]
	book := func(rule string) string {
		return head + "  returns: {date: day, subjects: {rep: rep}, numbers: {back: money}, notes: [order_no, why]}\n" +
			smallBook[strings.Index(smallBook, "grades:\n"):strings.Index(smallBook, "rules:\n")] +
			"rules:\n  - {name: back, judges: rep, window: {" + rule + ", grade: look}}\n" + tail
	}
	s.publish(book("followed: sales, by: returns, within: 10 days"), 0)
	s.load("register", "rep", smallReps)
	s.load("feed", "sales", salesHead+"2026-10-05,A1,R1,109,50\n2026-10-06,A2,R2,111,50\n2026-10-07,A3,R2,111,50\n")
	s.load("feed", "returns", "day,order_no,why,rep,back\n2026-10-08,A1,broken,R1,9\n2026-10-09,A9,,R2,9\n2026-10-09,,late,R2,9\n")
	s.sweep("2026-10")
	assert.Equal(t, []string{"back R1 2026-10-05 raised", "back R2 2026-10-06 raised", "back R2 2026-10-07 raised"}, s.found("2026-10"))

	matched := book("followed: sales, by: returns, within: 10 days, same: [order_no]")
	r := want[client.Rehearsal](t, 200)(s.as("ana").Rehearse(ctx, client.RehearsalRequest{Rule: "back", Period: "2026-10", Text: &matched}))
	require.Len(t, r.Flagged, 1)
	assert.Equal(t, "R1", r.Flagged[0].Key)
	s.publish(matched, 1)
	s.sweep("2026-10")
	assert.Equal(t, []string{"back R1 2026-10-05 raised", "back R2 2026-10-06 cleared", "back R2 2026-10-07 cleared"}, s.found("2026-10"),
		"an empty number matches nothing")

	s.publish(book(`burst: returns where why is "late" or why is missing, at_least: 1 lines, within: 2 days`), 2)
	s.sweep("2026-10")
	assert.Equal(t, []string{"back R2 2026-10-09 raised", "back R1 2026-10-05 cleared", "back R2 2026-10-06 cleared", "back R2 2026-10-07 cleared"},
		s.found("2026-10"))

	p := refused(t, 422, "rulebook-refused")(s.as("ana").PublishRevision(ctx,
		client.NewRevision{Text: book("followed: sales, by: returns, within: 10 days, same: [why]"), Note: "x"}))
	assert.Contains(t, (*p.Faults)[0].Text, `the lines of sales have no kind, label or note "why"`)
	measured := strings.Replace(matched, "{title: Revenue, sum: sales.net, unit: money}",
		`{title: Revenue, sum: sales.net, unit: money, where: order_no is "A1"}`, 1)
	p = refused(t, 422, "rulebook-refused")(s.as("ana").PublishRevision(ctx, client.NewRevision{Text: measured, Note: "x"}))
	assert.Contains(t, (*p.Faults)[0].Text, `no label, number or attribute "order_no"`)
}
