package e2e

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/e2e/browser"
	"oskel/internal/client"
)

// threeCases is a desk of three cases of reps of the north: R1, R3 and R5.
func threeCases(t *testing.T) *service {
	s := small(t)
	s.load("register", "rep", smallReps+"R5,Elin Made-Up,North,,\n")
	s.load("feed", "sales", "day,order_no,rep,net,cost\n2026-10-08,B1,R1,100,99\n2026-10-08,B5,R5,100,99\n")
	s.sweep("2026-10")
	return s
}

// What keys are for is what is in view, by its number: where somebody else settles a case,
// the list follows within a moment and says who, and no key acts on what comes in its place.
func TestKeysActOnWhatIsInView(t *testing.T) {
	t.Parallel()
	s := threeCases(t)
	p := screen(t, s, 1280, 800)
	rows := func(n string) error { return p.Until("document.querySelectorAll('[data-row]').length === " + n) }
	do(t, p.SignIn("rea", password, "/desk"), rows("3"), p.Press("j"), p.Press("j"))
	focus := func() int64 {
		id, err := browser.Value[int64](p, "Number(document.activeElement?.dataset.row ?? 0)")
		require.NoError(t, err)
		return id
	}
	second := focus()
	require.NotZero(t, second)
	settle := func(by string, id int64) {
		want[[]client.Case](t, 200)(s.as(by).ActOnCases(ctx,
			client.CaseAct{Do: client.CaseActDoSettle, Cases: []client.CaseRef{{Id: id}}, Finding: ptr(client.CaseActFindingConfirmed)}))
	}
	settle("lea", second)
	do(t, rows("2"), p.Sees("case "+itoa(second)+": settled by lea."), p.Press("t"))
	for _, c := range want[client.CasePage](t, 200)(s.as("lea").ListCases(ctx, &client.ListCasesParams{})).Items {
		assert.Equal(t, "open", string(c.State), "%s was not in view", c.Key)
	}
	// One goes on from where it stood, and takes the one that has the focus now.
	do(t, p.Press("j"), p.Until("!!document.activeElement.dataset.row"))
	third := focus()
	do(t, p.Press("t"), p.Sees("Took"), p.Sees(", case "+itoa(third)))
	assert.Equal(t, "taken", string(want[client.CaseDetail](t, 200)(s.as("lea").GetCase(ctx, third)).Case.State))

	// With a case open beside the list, keys are for that one, wherever the focus is.
	do(t, p.Press("o"), p.Sees("What is flagged"), p.Run("document.querySelector('aside a, aside button').focus()"), p.Press("s"),
		p.Until("document.querySelector('[role=dialog]')?.innerText.includes(', case "+itoa(third)+"')"),
		p.Until("document.querySelector('[role=dialog]').contains(document.activeElement)"),
		p.Press("Escape"), p.Until("!document.querySelector('[role=dialog]') && !!document.querySelector('aside[aria-label=Case]')"))
	do(t, p.Press("o"), p.Until("!document.querySelector('aside[aria-label=Case]')"))

	// After one's own settling the focus stands where the case stood.
	do(t, p.Press("s"), p.Sees("Finding"), p.Press("2"), p.Press("Enter"), p.Sees("Settled"), rows("1"), p.Until("!!document.activeElement.dataset.row"))
	do(t, p.Press("u"), rows("2"))
}

// What others say of a case is there within a moment, and who changed it first is named.
func TestACaseIsLive(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	p := screen(t, s, 1280, 800)
	id := s.caseOf("rea", "R3").Id
	do(t, p.SignIn("rea", password, "/cases/"+itoa(id)), p.Sees("Take this case"))
	want[[]client.Case](t, 200)(onCase(s.as("lea"), id, toSay("A word from the lead.")))
	do(t, p.Sees("A word from the lead."))
	version := want[client.CaseDetail](t, 200)(s.as("lea").GetCase(ctx, id)).Case.Version
	want[[]client.Case](t, 200)(onCase(s.as("lea"), id, toTake))
	problem := refused(t, 412, "changed-meanwhile")(s.as("rea").ActOnCases(ctx,
		client.CaseAct{Do: client.CaseActDoTake, Cases: []client.CaseRef{{Id: id, Version: &version}}}))
	assert.Equal(t, "the case has changed since it was read: taken by lea", *problem.Detail)
}

// All that has cleared is settled at once, told, and can be undone.
func TestClearedCasesAreSettledAndUndone(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	s.load("feed", "sales", salesHead+"2026-10-05,A1,R3,1000,100\n", replace("2026-10"))
	s.sweep("2026-10")
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("lea", password, "/desk"), p.ClickText("Settle 1 cleared case"), p.Sees(" as cleared"),
		p.Until("!document.body.innerText.includes('Settle 1 cleared')"), p.ClickText("Undo"), p.Sees("Settle 1 cleared case"))
	assert.Equal(t, 3, want[client.CasePage](t, 200)(s.as("lea").ListCases(ctx, &client.ListCasesParams{})).Total)
}

// A draft is there on its second visit, what is deleted or discarded can be put back, and
// what is typed fast stands where it was typed.
func TestADraftTwice(t *testing.T) {
	t.Parallel()
	s := small(t)
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("ana", password, "/rules/draft?rule=thin-margin"), p.Sees("Delete this rule"))
	do(t, p.ClickText("Dials"), p.Sees("Used by: rule"), p.ClickText("My draft"), p.Sees("Delete this rule"))
	do(t, p.ClickText("Delete this rule"), p.Sees("is deleted from the draft"), p.ClickText("Undo"),
		p.Until("document.body.innerText.includes('no change yet') || document.body.innerText.includes('No change')"))

	// Typed on in the next field while the answer to the one before comes: what is in it then
	// is what was typed, and it is the draft's when the field is left.
	const fields = "document.querySelectorAll(\"input[aria-label^='below, band']\")"
	do(t, p.Until(fields+".length === 2"), p.Run(`const [a, b] = [...`+fields+`]
		a.focus(); a.value = '17%'; a.dispatchEvent(new Event('input', {bubbles: true})); a.dispatchEvent(new Event('change', {bubbles: true}))
		b.focus(); b.value = '21%'; b.dispatchEvent(new Event('input', {bubbles: true}))`))
	do(t, p.Sees("1 change"), p.Sees("below 17%"), p.Until(fields+"[1].value === '21%'"))
	do(t, p.Run("document.activeElement.dispatchEvent(new Event('change', {bubbles: true})); document.activeElement.blur()"), p.Sees("below 21%"))
	do(t, p.ClickText("Discard draft"), p.Sees("The draft is discarded."), p.ClickText("Undo"), p.Sees("1 change"))
}

// Who is away says so on their page, a lead on anybody's; it is taken away there too.
func TestAnAbsenceInTheConsole(t *testing.T) {
	t.Parallel()
	s := small(t)
	noted := func() (out []string) {
		for _, a := range want[[]client.Absence](t, 200)(s.as("rea").ListAbsences(ctx)) {
			standIn := ""
			if a.StandIn != nil {
				standIn = *a.StandIn
			}
			out = append(out, strings.Join([]string{a.Person, a.First.String(), a.Last.String(), standIn, a.By}, " "))
		}
		return out
	}
	form := func(p *browser.Page, first, last, standIn string) {
		do(t, p.ClickText("Note an absence"), p.Set("input[aria-label='First day']", first), p.Set("input[aria-label='Last day']", last),
			p.Until("[...document.querySelectorAll('form select option')].some((o) => o.value === '"+standIn+"')"),
			p.Do("form:has(input[aria-label='First day']) select", "e.value = '"+standIn+"'; e.dispatchEvent(new Event('change', {bubbles: true}))"),
			p.ClickText("Note it"))
	}
	p := screen(t, s, 390, 844)
	do(t, p.SignIn("rea", password, "/account"), p.Sees("You are not noted as away"))
	form(p, "21 Dec 2026", "2 Jan 2027", "rob")
	do(t, p.Sees("21 Dec 2026 to 2 Jan 2027"), p.Sees("stands in"))
	assert.Equal(t, []string{"rea 2026-12-21 2027-01-02 rob rea"}, noted())
	do(t, p.ClickText("Remove"), p.Sees("You are not noted as away"))
	assert.Empty(t, noted())
	form(p, "2 Jan 2027", "21 Dec 2026", "")
	do(t, p.Until("document.querySelector('form [role=alert]')"))
	assert.Empty(t, noted())

	lead := screen(t, s, 1280, 800)
	do(t, lead.SignIn("lea", password, "/people?name=rob"), lead.Sees("not noted as away"))
	form(lead, "21 Dec 2026", "21 Dec 2026", "")
	do(t, lead.Sees("no stand-in"))
	assert.Equal(t, []string{"rob 2026-12-21 2026-12-21  lea"}, noted())
}
