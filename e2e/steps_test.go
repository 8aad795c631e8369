package e2e

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
	"oskel/internal/people"
)

const stepsDesks = `desks:
  - {name: north, title: North desk, due: {act: 2 working days, look: 2 working days}, calendar: {holidays: {2026-11-06: Harbour day}}, remind: 1 working day,
     overdue: [{step: nudge, after: 0 working days, tell: [holder]}, {step: lead, after: 2 working days, tell: [leads, ana], hand_to: lea}]}
  - {name: south, title: South desk, due: {act: 2 working days, look: 2 working days}}
`

// Cases are due in their desk's own days; who has them is reminded, and what is overdue
// goes up, each step once with two services at it; what is settled or parked does not.
func TestOverdueGoesUp(t *testing.T) {
	t.Parallel()
	var c clock
	c.set(t, "2026-11-05 09:00") // a Thursday
	first := small(t)
	desks := smallBook[strings.Index(smallBook, "desks:\n"):strings.Index(smallBook, "routes:\n")]
	first.publish(strings.Replace(strings.Replace(smallBook, desks, stepsDesks, 1), "kinds:\n", "calendar: {time_zone: UTC}\nkinds:\n", 1), 1)
	first.stop()
	hurried := func(o *options) { o.Now, o.Look = c.now, 50*time.Millisecond }
	s, other := runAs(t, first.database, hurried), runAs(t, first.database, hurried)
	s.tokens, s.home = first.tokens, first.home
	t.Cleanup(s.stop)
	t.Cleanup(other.stop)
	s.load("feed", "sales", "day,order_no,rep,net,cost\n2026-10-08,B1,R1,100,99\n")
	s.sweep("2026-10")
	due := map[string]string{}
	for _, x := range want[client.CasePage](t, 200)(s.as("lea").ListCases(ctx, &client.ListCasesParams{})).Items {
		due[x.Desk] = x.Due.Format(time.DateOnly)
	}
	assert.Equal(t, map[string]string{"north": "2026-11-10", "south": "2026-11-09"}, due, "the harbour day is of the north alone")
	ids := []int64{}
	for _, x := range want[client.CasePage](t, 200)(s.as("lea").ListCases(ctx, &client.ListCasesParams{Desk: ptr("north")})).Items {
		ids = append(ids, x.Id)
	}
	require.GreaterOrEqual(t, len(ids), 2)
	want[[]client.Case](t, 200)(s.as("rea").ActOnCases(ctx, act(client.CaseActDoTake, ids[0])))
	todo := want[client.Todo](t, 201)(s.as("lea").AddTodo(ctx, ids[0], client.NewTodo{Text: "Call", Owner: ptr("ana"), Due: day("2026-11-12")}))
	trail := func(id int64, last string) func() bool {
		return func() bool {
			all := want[client.CaseDetail](t, 200)(s.as("lea").GetCase(ctx, id)).Events
			return all[len(all)-1].By+" "+string(all[len(all)-1].What)+" "+all[len(all)-1].Text == last
		}
	}
	eventually := func(what func() bool, words string) {
		require.Eventually(t, what, 20*time.Second, 50*time.Millisecond, words)
	}
	steps := func() (n int) {
		require.NoError(t, s.pool(t).QueryRow(ctx, "select count(*) from case_events where what in ('reminder', 'escalated')").Scan(&n))
		return n
	}

	// A working day before: the weekend does not count.
	assert.Zero(t, steps())
	c.set(t, "2026-11-09 08:00")
	eventually(trail(ids[0], "the calendar reminder reminder, told to rea"), "reminded")
	eventually(trail(ids[1], "the calendar reminder reminder, told to rea"), "its desk's members, as nobody has it")
	c.set(t, "2026-11-10 23:00")
	time.Sleep(300 * time.Millisecond)
	assert.Equal(t, len(ids), steps(), "on the day it is due nothing more happens")

	// Overdue: a nudge the day after, then the lead gets it; a settled one stays.
	want[[]client.Case](t, 200)(s.as("lea").ActOnCases(ctx,
		client.CaseAct{Do: client.CaseActDoSettle, Cases: []client.CaseRef{{Id: ids[1]}}, Finding: ptr(client.CaseActFindingExplained)}))
	c.set(t, "2026-11-11 08:00")
	eventually(trail(ids[0], "the calendar escalated nudge, told to rea"), "nudged")
	c.set(t, "2026-11-12 08:00")
	eventually(trail(ids[0], "the calendar escalated lead: handed to lea, told to ana, lea, rea"), "handed up")
	assert.Equal(t, "lea", *want[client.CaseDetail](t, 200)(s.as("rea").GetCase(ctx, ids[0])).Case.TakenBy)
	told := strings.Join(s.toldTo(t, "ana"), "\n")
	assert.Contains(t, told, "the calendar escalated lead: was due 10 Nov 2026")
	assert.Contains(t, told, "the calendar reminder To do by 12 Nov 2026: Call")
	time.Sleep(300 * time.Millisecond)
	assert.Equal(t, len(ids)+2, steps(), "each step once")
	assert.Equal(t, 1, strings.Count(strings.Join(s.toldTo(t, "ana"), "\n"), "To do by"))
	want[client.Todo](t, 200)(s.as("ana").UpdateTodo(ctx, todo.Id, client.TodoTick{Done: true}))

	// What goes wrong in a step is said, and what is long overdue does not go through them all.
	s.publish(strings.Replace(strings.Replace(strings.Replace(smallBook, desks, stepsDesks, 1), "kinds:\n", "calendar: {time_zone: UTC}\nkinds:\n", 1),
		"name: south, title: South desk,", "name: south, title: South desk, remind: 1 working day, overdue: [{step: nudge, after: 0 working days, tell: "+
			"[members]}, {step: top, after: 1 working day, hand_to: rea}],", 1), 2)
	south := want[client.CasePage](t, 200)(s.as("lea").ListCases(ctx, &client.ListCasesParams{Desk: ptr("south")})).Items[0].Id
	eventually(trail(south, "the calendar escalated top: rea does not work the cases of south"), "said why not")
	for _, e := range want[client.CaseDetail](t, 200)(s.as("lea").GetCase(ctx, south)).Events {
		assert.NotContains(t, e.Text, "nudge")
	}
}

// What nobody sees is on the lead's page: on desks without members, and with who is away
// for longer than it may wait.
func TestWhatNobodySees(t *testing.T) {
	t.Parallel()
	var c clock
	c.set(t, "2026-11-05 09:00")
	s := reviewed(t, &c)
	stranded := func() (keys []string) {
		for _, x := range want[client.CasePage](t, 200)(s.as("lea").ListCases(ctx, &client.ListCasesParams{Stranded: ptr(true)})).Items {
			keys = append(keys, x.Key)
		}
		return keys
	}
	assert.Empty(t, stranded())
	want[client.Person](t, 200)(s.as("lea").ChangePerson(ctx, "rob", client.PersonChange{DisplayName: "Rob", Role: people.Reviewer, Desks: []string{}}))
	south := stranded()
	require.NotEmpty(t, south)
	id := s.caseNamed(t, "R3").Id
	want[[]client.Case](t, 200)(s.as("rea").ActOnCases(ctx, act(client.CaseActDoTake, id)))
	code, _, errs := s.oskel("rea", "absence", "add", "-from", "2026-11-05", "-to", "2026-12-05")
	require.Equal(t, 0, code, errs)
	assert.Contains(t, stranded(), "R3")
	code, out, errs := s.oskel("lea", "cases", "-all", "-stranded")
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "R3")
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("lea", password, "/desk/backlog"), p.Sees("Stuck cases"), p.Sees("Cato Made-Up"))
	found, err := p.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)
	want[[]client.Case](t, 200)(s.as("lea").ActOnCases(ctx, client.CaseAct{Do: client.CaseActDoHandOver, Cases: []client.CaseRef{{Id: id}}, Person: ptr("ned")}))
	assert.Equal(t, south, stranded())
}
