package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"oskel/internal/client"
)

func (s *service) ruleNamed(t *testing.T, name, period string) client.Rule {
	for _, r := range want[[]client.Rule](t, 200)(s.as("rea").ListRules(ctx, &client.ListRulesParams{Period: &period})) {
		if r.Name == name {
			return r
		}
	}
	t.Fatal("no rule " + name)
	return client.Rule{}
}

// A rule on trial is judged and counted each period, and flags nobody; on, it flags as
// many as it had counted.
func TestRulesOnTrial(t *testing.T) {
	t.Parallel()
	s := small(t)
	trial := strings.Replace(smallBook, "    title: Thin margin\n", "    title: Thin margin\n    on: trial\n    last_word: true\n", 1)
	s.publish(trial, 1)
	s.sweep("2026-10")
	for _, x := range want[client.ExceptionPage](t, 200)(s.as("rea").ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-10"})).Items {
		assert.NotEqual(t, "thin-margin", x.Rule)
	}
	r := s.ruleNamed(t, "thin-margin", "2026-10")
	assert.True(t, r.Trial)
	assert.False(t, r.On)
	assert.Contains(t, r.Words, "Each month, for every rep: Act now when margin rate is below 18%, else Look when below floor (22%), else clear. "+
		"Subjects without data are not flagged. If it flags a subject, later rules skip that subject. The rule is on trial: its flags are counted, not listed.")
	counted := r.Tally.Flagged
	assert.Positive(t, counted)
	assert.True(t, r.Tally.Trial)
	assert.Equal(t, counted, r.Record.Points[12].Flagged)
	assert.Empty(t, s.verification(t, 1).Wrong)
	for _, f := range want[[]client.Examined](t, 200)(s.as("lea").GetDoctor(ctx)) {
		assert.Zero(t, f.Count, f.Rule)
	}
	_, out, _ := s.oskel("rea", "exceptions", "verdicts", "-period", "2026-10", "R1")
	assert.NotContains(t, out, "Thin margin: it is off")
	// The form keeps it, and takes it off trial.
	d := *r.Definition
	assert.True(t, *d.Trial)
	placed := want[client.RulebookText](t, 200)(s.as("ana").PlaceRule(ctx, client.PlaceRule{Text: trial, Name: "thin-margin", Rule: &d}))
	assert.Contains(t, placed.Text, "on: trial")
	d.Trial = nil
	placed = want[client.RulebookText](t, 200)(s.as("ana").PlaceRule(ctx, client.PlaceRule{Text: trial, Name: "thin-margin", Rule: &d}))
	assert.NotContains(t, placed.Text, "trial")
	s.publish(placed.Text, 2)
	s.sweep("2026-10")
	listed := want[client.ExceptionPage](t, 200)(s.as("rea").ListExceptions(ctx,
		&client.ListExceptionsParams{Period: "2026-10", Rule: ptr("thin-margin"), State: ptr(client.ListExceptionsParamsState("flagged"))}))
	assert.Equal(t, counted, listed.Total)
	p := want[client.CheckReport](t, 200)(s.as("ana").CheckRulebook(ctx,
		client.RulebookText{Text: strings.Replace(smallBook, "    title: Thin margin\n", "    on: maybe\n", 1)}))
	assert.Contains(t, p.Problems[0].Text, `"maybe" is not one of true, false, trial`)
}

// Rules that flag nothing for long, or what reviewers keep explaining away, are pointed
// out.
func TestRulesPointedOut(t *testing.T) {
	t.Parallel()
	s := small(t)
	reps, lines := "rep,name,territory\n", salesHead
	for i := range 24 {
		reps += fmt.Sprintf("T%d,Thin %d,North\n", i, i)
		lines += fmt.Sprintf("2026-10-20,T%d,T%d,1000,850\n", i, i)
	}
	for month := 4; month <= 9; month++ {
		lines += fmt.Sprintf("2026-%02d-28,L%d,R1,1000000,500000\n2026-%02d-28,M%d,R2,1000000,500000\n2026-%02d-28,N%d,R3,1000000,500000\n", month, month,
			month, month, month, month)
	}
	s.load("register", "rep", reps)
	s.load("feed", "sales", lines, again)
	for month := 4; month <= 9; month++ {
		s.sweep(fmt.Sprintf("2026-%02d", month))
	}
	assert.Contains(t, s.ruleNamed(t, "thin-margin", "2026-09").Record.Notes, "It has flagged nothing in the last 6 periods.")
	s.sweep("2026-10")
	assert.Contains(t, s.ruleNamed(t, "thin-margin", "2026-10").Record.Notes, "It flags 25 of the 26 judged: too many to be useful.")
	settled := 0
	for _, x := range want[client.ExceptionPage](t, 200)(s.as("rea").ListExceptions(ctx,
		&client.ListExceptionsParams{Period: "2026-10", Rule: ptr("thin-margin")})).Items {
		if !strings.HasPrefix(x.Key, "T") || settled == 6 {
			continue
		}
		finding := client.CaseActFindingExplained
		if settled == 0 {
			finding = client.CaseActFindingRuleFault
		}
		code, _, errs := s.oskel("rea", "case", "settle", "-finding", string(finding), "-note", "as agreed", itoa(*x.Case))
		assert.Equal(t, 0, code, errs)
		settled++
	}
	notes := s.ruleNamed(t, "thin-margin", "2026-10").Record.Notes
	assert.Contains(t, notes, "5 of its 6 settled cases were explained.")
	assert.Contains(t, notes, "1 of its settled cases was found to be rule errors.")
	_, _, errs := s.oskel("rea", "rules", "-period", "2026-10")
	assert.Contains(t, errs, "thin-margin: 5 of its 6 settled cases were explained.")
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("ana", password, "/rules?period=2026-10&rule=thin-margin"), p.Sees("settled cases were explained"),
		p.Sees("The last 13 periods"), p.Sees("6 cases settled"))
}
