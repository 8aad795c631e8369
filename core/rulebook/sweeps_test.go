package rulebook_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/method"
	"oskel/core/rulebook"
)

const planBook = `oskel: 1
calendar: {time_zone: Europe/Lisbon}
kinds: {rep: {}}
feeds:
  sales: {title: Order lines, date: day, subjects: {rep: rep}, numbers: {net: money}}
  returns: {date: day, subjects: {rep: rep}, numbers: {net: money}}
grades: [{name: act, tone: red, shape: diamond}]
measures: {revenue: {sum: sales.net, unit: money}}
rules: [{name: low, judges: rep, threshold: {of: revenue, bands: [{grade: act, below: 10}, {clear: rest}]}}]
desks: [{name: one}]
routes: [{otherwise: one}]
`

// A plan is read, said in words, and part of the difference.
func TestPlans(t *testing.T) {
	read := func(text string) *rulebook.Book {
		b, problems := rulebook.Read([]byte(planBook+text), method.All())
		require.Empty(t, problems)
		return b
	}
	full := read(`sweeps: [{each: month, after: 2 working days, at: "06:30", waits_for: [sales, returns], at_the_latest: 5 working days,
	    when_outdated: at night, looks_back: 2 periods}]`)
	assert.Equal(t, "Each month is swept 2 working days after its last day at 06:30 (Europe/Lisbon), once the lines of order lines and returns have "+
		"come, and 5 working days after it at the latest. "+
		"Of the last 2 periods, those out of date are swept again the next night.", full.PlanWords(full.Sweeps[0]))
	least := read("sweeps: [{each: month}]")
	assert.Equal(t, "Each month is swept 1 working day after its last day at 06:00 (Europe/Lisbon). Those out of date are swept again on request.",
		least.PlanWords(least.Sweeps[0]))
	assert.Contains(t, read("sweeps: [{each: month, after: 3 days, when_outdated: at once}]").PlanWords(read("sweeps: [{each: month, after: 3 days, " +
		"when_outdated: at once}]").Sweeps[0]), "3 days after its last day at 06:00 (Europe/Lisbon). Of the last 3 periods, those out of date are swept "+
		"again at once.")
	daily := read("sweeps: [{each: month, to_date: true}]")
	assert.Contains(t, daily.PlanWords(daily.Sweeps[0]), "on request. The running one is swept to date when lines of another day come, from 06:00 on.")
	assert.Equal(t, []string{"sweeps: changed"}, rulebook.Difference(full, least))
	assert.Empty(t, rulebook.Difference(full, full))
}

// What a plan may not say, with the place.
func TestPlansThatAreNone(t *testing.T) {
	for plan, want := range map[string]string{
		`{each: fortnight}`: "line 12, column 17: sweeps[1].each: expected one of day, week, month, quarter, half, " +
			"year, found \"fortnight\"",
		`{each: week}`: "line 12, column 17: sweeps[1].each: no rule is evaluated 'each: week', so that such a " +
			"sweep would find nothing",
		`{each: month, after: soon}`: "line 12, column 31: sweeps[1].after: expected 1 to 250 days after the period's last " +
			"day, such as '2 working days' or '3 days', found \"soon\"",
		`{each: month, after: 0 days}`: "line 12, column 31: sweeps[1].after: expected 1 to 250 days after the period's last " +
			"day, such as '2 working days' or '3 days', found \"0 days\"",
		`{each: month, at: "24:00"}`: "line 12, column 28: sweeps[1].at: expected a time of day from \"00:00\" to \"23:59\", " +
			"such as \"06:30\", found \"24:00\"",
		`{each: month, waits_for: [sale], at_the_latest: 3 days}`: "line 12, column 36: sweeps[1].waits_for[1]: unknown feed \"sale\"; did you mean sales?",
		`{each: month, waits_for: [sales]}`: "line 12, column 35: sweeps[1].waits_for: say until when it waits at the latest, such " +
			"as 'at_the_latest: 5 working days'",
		`{each: month, at_the_latest: 3 days}`: "line 12, column 39: sweeps[1].at_the_latest: nothing is waited for; name the feeds, " +
			"such as 'waits_for: [sales]'",
		`{each: month, after: 4 days, waits_for: [sales], at_the_latest: 3 days}`: "line 12, column 74: sweeps[1].at_the_latest: 3 days is before 4 days, " +
			"when it begins",
		`{each: month, when_outdated: sometime}`: "line 12, column 39: sweeps[1].when_outdated: \"sometime\" is not one " +
			"of at once, at night, on request",
		`{each: month, looks_back: 40 periods}`: "line 12, column 36: sweeps[1].looks_back: expected a number of " +
			"periods from 1 to 36, such as '3 periods', found \"40 periods\"",
		`{each: month}, {each: month}`: "line 12, column 25: sweeps[2]: the periods of 'each: month' have a " +
			"plan already, in line 12",
		`{each: month, soon: yes}`: "line 12, column 24: sweeps[1].soon: unknown key \"soon\"; known here: " +
			"after, at, at_the_latest, each, looks_back, to_date, waits_for, when_outdated",
	} {
		_, problems := rulebook.Read([]byte(planBook+"sweeps: ["+plan+"]\n"), method.All())
		if assert.NotEmpty(t, problems, plan) {
			assert.Equal(t, want, problems[0].String(), plan)
		}
	}
}

func TestADayIsNotSweptToDate(t *testing.T) {
	_, problems := rulebook.Read([]byte(strings.Replace(planBook, "rules: [{", "rules: [{each: day, ", 1)+"sweeps: [{each: day, to_date: true}]\n"), method.All())
	require.Len(t, problems, 1)
	assert.Equal(t, "line 12, column 31: sweeps[1].to_date: a day is over before it can be swept to date", problems[0].String())
}

// A plan that waits for some of the feeds that are judged by says for which it does not.
func TestPlansWaitForWhatIsRead(t *testing.T) {
	const both = "measures: {revenue: {sum: sales.net, unit: money}, back: {sum: returns.net, unit: money}, net: {formula: revenue - back, unit: money}}\n"
	advice := func(of, plan string) (out []string) {
		text := strings.Replace(planBook, "measures: {revenue: {sum: sales.net, unit: money}}\n", both, 1)
		b, problems := rulebook.Read([]byte(strings.Replace(text, "of: revenue", "of: "+of, 1)+plan), method.All())
		require.Empty(t, problems)
		for _, a := range b.Advice() {
			if strings.HasPrefix(a.Path, "sweeps") {
				out = append(out, a.Text)
			}
		}
		return out
	}
	const one, two = "sweeps: [{each: month, waits_for: [sales], at_the_latest: 5 days}]",
		"sweeps: [{each: month, waits_for: [returns, sales], at_the_latest: 5 days}]"
	assert.Equal(t, []string{"does not wait for returns, which low read: say waits_for: [sales, returns]"}, advice("net", one))
	assert.Empty(t, advice("net", two))
	assert.Empty(t, advice("revenue", one), "returns are not judged by")
	assert.Empty(t, advice("net", "sweeps: [{each: month}]"), "it waits for nothing")
}

// A route for a kind passes its groups and pairs by, which is said.
func TestRoutesOfAKindAndItsGroups(t *testing.T) {
	advice := func(judges, when string) (out []string) {
		text := strings.Replace(planBook, "kinds: {rep: {}}", "kinds: {rep: {attributes: {region: text}}}", 1)
		text = strings.Replace(text, "judges: rep", "judges: "+judges, 1)
		text = strings.Replace(text, "routes: [", "routes: [{when: "+when+", to: one}, ", 1)
		b, problems := rulebook.Read([]byte(text), method.All())
		require.Empty(t, problems)
		for _, a := range b.Advice() {
			if strings.HasPrefix(a.Path, "routes") {
				out = append(out, a.Path+" "+a.Text)
			}
		}
		return out
	}
	const said = `routes[1].when does not match what is flagged of "rep.region": ask for it by its name too, if it is meant`
	assert.Equal(t, []string{said}, advice("[rep, rep.region]", `'kind is "rep"'`))
	assert.Equal(t, []string{said}, advice("[rep, rep.region]", `'kind in ("rep")'`))
	assert.Empty(t, advice("[rep, rep.region]", `'kind in ("rep", "rep.region")'`))
	assert.Empty(t, advice("[rep, rep.region]", `'kind is not "rep"'`))
	assert.Empty(t, advice("rep", `'kind is "rep"'`))
}
