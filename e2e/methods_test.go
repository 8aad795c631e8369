package e2e

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
	"oskel/internal/demo"
)

// What a method found is drawn: the own past with its limits, or the lines on a time
// line with their windows.
func TestEvidenceIsDrawn(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("ines", demo.Password))
	// The row is named: until the new list is there, the page shows the one before.
	open := func(subject string) {
		do(t, p.Follow("/exceptions?period=2026-10&text="+subject), p.Until("[...document.querySelectorAll('[data-row]')].every(r => "+
			"r.innerText.includes('"+subject+"')) && document.querySelectorAll('[data-row]').length === 1"), p.Click("[data-row]"), p.ClickText("Open full page"))
	}
	open("R-18")
	do(t, p.Sees("Its own past"), p.Sees("since Jul 2026 its level is"),
		p.Until("document.querySelectorAll('figure svg[aria-label*=\"24 values, 4 of them marked\"] path[transform]').length === 4"))
	open("C-0205")
	do(t, p.Sees("The lines that decided"),
		p.Until("document.querySelectorAll('figure svg[aria-label*=\"5 lines and 1 windows\"] circle').length === 5"), p.Sees("12 Oct 2026 to 16 Oct 2026"))
}

// Every method can be chosen in the form, which then has its settings, and the rule
// that is written is read without a fault or says what is missing.
func TestEveryMethodByForm(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	methods := want[[]client.Method](t, 200)(s.as("ines").ListMethods(ctx))
	require.Greater(t, len(methods), 20)
	book := want[client.Rulebook](t, 200)(s.as("ines").GetRulebook(ctx))
	p := screen(t, s, 1280, 900)
	do(t, p.SignIn("tor", demo.Password, "/rules/draft?rule=discount-hand"), p.Sees("Needs:"))
	for _, m := range methods {
		do(t, p.Set("select[aria-label=Family]", string(m.Family)+": "+m.Name), p.Sees(m.Good))
		for _, set := range m.Settings {
			label := strings.ToUpper(set.Key[:1]) + strings.ReplaceAll(set.Key[1:], "_", " ")
			if set.Type == "measure" {
				label = "Measure"
			}
			if set.Type != "words" {
				do(t, p.Until("!!document.querySelector('[aria-label=\""+label+"\"]')"))
			}
		}
		// What the form makes of a method is understood, whatever else it needs.
		settings := map[string]string{}
		if m.Family == "outlier" {
			settings["by"] = m.Name
		}
		d := client.RuleDefinition{Name: ptr("tried"), Title: ptr("Tried"), Judges: &[]string{"customer"}}
		for _, set := range m.Settings {
			switch {
			case !set.Required:
			case set.Type == "measure":
				settings[set.Key] = "revenue"
			case set.Type == "grade":
				settings[set.Key] = "look"
			case set.Type == "lines":
				settings[set.Key] = "sales"
			case set.Example != nil:
				settings[set.Key] = strings.Trim(*set.Example, "'")
			default:
				settings[set.Key] = "last 5 working days"
			}
		}
		extra := map[string]map[string]string{"silence": {"at_least": "30 days"}, "shift": {"beyond": "30%"}, "during": {"above": "50%"}}[m.Name]
		for key, v := range extra {
			settings[key] = v
		}
		if m.Family == "outlier" {
			d.Outlier = &settings
		} else {
			d.Window = &settings
		}
		placed := want[client.RulebookText](t, 200)(s.as("ines").PlaceRule(ctx, client.PlaceRule{Text: book.Text, Name: "discount-hand", Rule: &d}))
		checked := want[client.CheckReport](t, 200)(s.as("ines").CheckRulebook(ctx, client.RulebookText{Text: placed.Text}))
		assert.Empty(t, checked.Problems, m.Name)
	}
}

// A what-if of an outlier rule is judged amid all others.
func TestWhatIfOfAnOutlier(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	code, out, errs := s.oskel("ines", "rehearse", "-period", "2026-10", "-rule", "discount-hand", "-what-if", "R-08", "-set", "discount=100")
	assert.Zero(t, code, errs)
	assert.Regexp(t, `R-08.*clear`, out+errs)
}
