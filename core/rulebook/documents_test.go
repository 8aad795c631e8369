package rulebook_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/method"
	. "oskel/core/rulebook"
)

const sound = `oskel: 1
title: Sound
calendar: {fiscal_year_starts: "02-01"}
kinds:
  rep: {attributes: {territory: text, size: number}}
feeds:
  sales: {title: Order lines, date: day, subjects: {rep: rep}, numbers: {net: money, items: count}, labels: [channel]}
grades: [{name: act, label: Act now}]
dials: {floor: {value: 22%}}
measures:
  revenue: {sum: sales.net, unit: money}
  margin: {formula: "revenue / 2", unit: money}
rules:
  - {name: thin, judges: rep, threshold: {of: revenue, bands: [{grade: act, below: 5}, {clear: rest}]}}
desks: [{name: home, due: {act: 2 working days}}]
routes: [{when: rep.territory is "North", to: home}, {otherwise: home}]
`

// Each edit of a sound document is refused where it stands, in words that say
// what was expected; nothing is said twice.
func TestDocumentsThatCannotBe(t *testing.T) {
	for _, c := range []struct {
		old, new string
		faults   []string
	}{
		{sound, ``, []string{
			`line 1, column 1: document: expected one document that begins with 'oskel: 1', found nothing`,
		}},
		{sound, "- a\n- b\n", []string{
			`line 1, column 1: document: expected keys with values, the first of them 'oskel: 1', found a list`,
		}},
		{sound, `just text`, []string{
			`line 1, column 1: document: expected keys with values, the first of them 'oskel: 1', found a single value`,
		}},
		{"oskel: 1\n", ``, []string{
			`line 1, column 1: oskel: expected 'oskel: 1', the version of the format`,
		}},
		{"oskel: 1\n", "oskel: 1\noskel: 1\n", []string{
			`line 2, column 1: document: not readable as YAML: mapping key "oskel" already defined at [1:1]`,
		}},
		{`title: Sound`, `title: [a]`, []string{
			`line 2, column 8: title: expected a single value, found a list`,
		}},
		{`title: Sound`, `titel: Sound`, []string{
			`line 2, column 1: titel: unknown key "titel"; did you mean title?`,
		}},
		{`calendar: {fiscal_year_starts: "02-01"}`, `calendar: {fiscal_year_starts: "13-01"}`, []string{
			`line 3, column 32: calendar.fiscal_year_starts: expected the first day of a month, such as "02-01", found "13-01"`,
		}},
		{`calendar: {fiscal_year_starts: "02-01"}`, `calendar: {fiscal_year_starts: "02-15"}`, []string{
			`line 3, column 32: calendar.fiscal_year_starts: expected the first day of a month, such as "02-01", found "02-15"`,
		}},
		{`calendar: {fiscal_year_starts: "02-01"}`, `calendar: {weeks_from: someday}`, []string{
			`line 3, column 24: calendar.weeks_from: "someday" is not one of sunday, monday, tuesday, wednesday, thursday, friday, saturday`,
		}},
		{`calendar: {fiscal_year_starts: "02-01"}`, `calendar: {month_weights: [1, 2]}`, []string{
			`line 3, column 27: calendar.month_weights: expected twelve weights, of the months from the start of the fiscal year, found 2`,
		}},
		{`calendar: {fiscal_year_starts: "02-01"}`, `calendar: {month_weights: [1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1, -1]}`, []string{
			`line 3, column 61: calendar.month_weights[12]: a weight is not negative`,
		}},
		{`calendar: {fiscal_year_starts: "02-01"}`, `calendar: {month_weights: [0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0]}`, []string{
			`line 3, column 27: calendar.month_weights: all weights are 0: at least one is more`,
		}},
		{`calendar: {fiscal_year_starts: "02-01"}`, `calendar: {working_days: []}`, []string{
			`line 3, column 26: calendar.working_days: state at least one day that is worked: due days are counted in them`,
		}},
		{`calendar: {fiscal_year_starts: "02-01"}`, `calendar: {holidays: {2026-02-30: Nothing}}`, []string{
			`line 3, column 23: calendar.holidays.2026-02-30: expected a day such as 2026-12-25 and its name, found "2026-02-30"`,
		}},
		{`calendar: {fiscal_year_starts: "02-01"}`, `calendar: {windows: [{name: fair, from: 2026-02-03, to: 2026-02-01}]}`, []string{
			`line 3, column 57: calendar.windows.fair.to: the window ends on 2026-02-01, before it begins on 2026-02-03`,
		}},
		{`calendar: {fiscal_year_starts: "02-01"}`, `calendar: {windows: [{name: fair, from: 2026-02-03, to: 2026-02-05}, {name: fair, from: 2026-02-03,
		    to: 2026-02-05}]}`, []string{
			`line 3, column 77: calendar.windows.fair.name: the window "fair" is defined twice`,
		}},
		{`calendar: {fiscal_year_starts: "02-01"}`, `calendar: {windows: [{name: 2026-q1, from: 2026-02-03, to: 2026-02-05}]}`, []string{
			`line 3, column 29: calendar.windows.2026-q1.name: "2026-q1" cannot be a name; use small letters, digits, - and _, beginning with a letter`,
		}},
		{`calendar: {fiscal_year_starts: "02-01"}`, `calendar: {week_years: {pattern: 5-5-5, end_on: saturday, last_in: january}}`, []string{
			`line 3, column 34: calendar.week_years.pattern: "5-5-5" is not one of 4-4-5, 4-5-4, 5-4-4`,
		}},
		{`calendar: {fiscal_year_starts: "02-01"}`, `calendar: {week_years: {pattern: 4-4-5, end_on: saturday}}`, []string{
			`line 3, column 24: calendar.week_years: state either 'last_in' or 'nearest_end_of' and a month: the year ends on the last such weekday in it, ` +
				`or on the one nearest to its last day`,
		}},
		{`calendar: {fiscal_year_starts: "02-01"}`, `calendar: {week_years: {pattern: 4-4-5, end_on: saturday, last_in: january},
		    fiscal_year_starts: "02-01"}`, []string{
			`line 4, column 27: calendar.fiscal_year_starts: 'week_years' already says where years and weeks begin`,
		}},
		{`rep: {attributes: {territory: text, size: number}}`, `rep: {attributes: {territory: word}}`, []string{
			`line 5, column 33: kinds.rep.attributes.territory: "word" is not one of text, number, date, person`,
		}},
		{`rep: {attributes: {territory: text, size: number}}`, `rep: {attributes: {territory: text, name: text, valid_to: date}}`, []string{
			`line 5, column 39: kinds.rep.attributes.name: "name" is a column that every register has`,
			`line 5, column 51: kinds.rep.attributes.valid_to: "valid_to" is a column that every register has`,
		}},
		{`rep: {attributes: {territory: text, size: number}}`, `rep: {attributes: {territory: {type: text, within: area}}}`, []string{
			`line 5, column 22: kinds.rep.attributes.territory: unknown attribute "area"; known here: territory`,
		}},
		{`rep: {attributes: {territory: text, size: number}}`,
			`rep: {attributes: {territory: {type: text, within: area}, area: {type: text, within: territory}}}`, []string{
				`line 5, column 22: kinds.rep.attributes.territory: attributes lie within one another in a circle: territory -> area -> territory`,
				`line 5, column 61: kinds.rep.attributes.area: attributes lie within one another in a circle: area -> territory -> area`,
			}},
		{`rep: {attributes: {territory: text, size: number}}`, `Rep: {attributes: {territory: text}}`, []string{
			`line 5, column 3: kinds.Rep: "Rep" cannot be a name; use small letters, digits and _, beginning with a letter`,
			`line 7, column 58: feeds.sales.subjects.rep: unknown kind "rep"; did you mean Rep?`,
			`line 14, column 26: rules.thin.judges: unknown kind "rep"; did you mean Rep?`,
			`line 16, column 17: routes[1].when: unknown name "rep.territory"; did you mean Rep.territory?`,
		}},
		{`rep: {attributes: {territory: text, size: number}}`, `rep: 5`, []string{
			`line 5, column 8: kinds.rep: expected keys with values, found a single value`,
			`line 16, column 17: routes[1].when: unknown name "rep.territory"; known here: family, grade, kind, rule, stake, state, streak`,
		}},
		{"kinds:\n  rep: {attributes: {territory: text, size: number}}\n", "kinds: {}\n", []string{
			`line 6, column 58: feeds.sales.subjects.rep: unknown kind "rep"`,
			`line 13, column 26: rules.thin.judges: unknown kind "rep"; known here: whole`,
			`line 15, column 17: routes[1].when: unknown name "rep.territory"; known here: family, grade, kind, rule, stake, state, streak`,
		}},
		{"kinds:\n  rep: {attributes: {territory: text, size: number}}\n", ``, []string{
			`line 5, column 58: feeds.sales.subjects.rep: unknown kind "rep"`,
			`line 12, column 26: rules.thin.judges: unknown kind "rep"; known here: whole`,
			`line 14, column 17: routes[1].when: unknown name "rep.territory"; known here: family, grade, kind, rule, stake, state, streak`,
		}},
		{`date: day, `, ``, []string{
			`line 7, column 10: feeds.sales.date: 'date' is missing`,
		}},
		{`subjects: {rep: rep}`, `subjects: {}`, []string{
			`line 7, column 3: feeds.sales.subjects: state at least one column that names whose lines they are, such as {rep: rep}`,
			`line 14, column 42: rules.thin.threshold: revenue comes from the feed sales, whose lines name no rep`,
		}},
		{`subjects: {rep: rep}`, `subjects: {rep: person}`, []string{
			`line 7, column 58: feeds.sales.subjects.rep: unknown kind "person"; known here: rep`,
			`line 14, column 42: rules.thin.threshold: revenue comes from the feed sales, whose lines name no rep`,
		}},
		{`subjects: {rep: rep}`, `subjects: {rep: rep, other: rep}`, []string{
			`line 7, column 70: feeds.sales.subjects.other: the lines name a rep already, in the column rep: which column is it?`,
		}},
		{`numbers: {net: money, items: count}`, `numbers: {net: coins, items: count}`, []string{
			`line 7, column 79: feeds.sales.numbers.net: "coins" is not one of money, count, percent, days`,
		}},
		{`numbers: {net: money, items: count}`, `numbers: {net: money EURO, items: count}`, []string{
			`line 7, column 79: feeds.sales.numbers.net: expected a currency of three capital letters, such as money EUR, found "money EURO"`,
		}},
		{`numbers: {net: money, items: count}`, `numbers: {net: money, day: count}`, []string{
			`line 7, column 86: feeds.sales.numbers.day: the column "day" is already there`,
		}},
		{`labels: [channel]`, `labels: [channel, channel]`, []string{
			`line 7, column 119: feeds.sales.labels[2]: the column "channel" is already there`,
		}},
		{`labels: [channel]`, `labels: [net]`, []string{
			`line 7, column 110: feeds.sales.labels[1]: the column "net" is already there`,
		}},
		{`labels: [channel]`, `labels: channel`, []string{
			`line 7, column 109: feeds.sales.labels: expected a list, found a single value`,
		}},
		{`labels: [channel]`, `labels: [Order No]`, []string{
			`line 7, column 110: feeds.sales.labels[1]: "Order No" cannot be a name; use small letters, digits and _, beginning with a letter`,
		}},
		{`grades: [{name: act, label: Act now}]`, `grades: []`, []string{
			`line 14, column 72: rules.thin.threshold.bands[1].grade: unknown grade "act"`,
			`line 15, column 28: desks.home.due.act: unknown grade "act"`,
		}},
		{`grades: [{name: act, label: Act now}]`, `grades: [{name: act, tone: pink}]`, []string{
			`line 8, column 28: grades.act.tone: "pink" is not one of red, amber, green, blue, violet, grey`,
		}},
		{`grades: [{name: act, label: Act now}]`, `grades: [{name: act, shape: star}]`, []string{
			`line 8, column 29: grades.act.shape: "star" is not one of pennant, half pennant, open pennant, tick, diamond, triangle, circle, square, cross`,
		}},
		{`grades: [{name: act, label: Act now}]`, `grades: [{name: act}, {name: act}]`, []string{
			`line 8, column 30: grades.act.name: the grade "act" is defined twice`,
		}},
		{`grades: [{name: act, label: Act now}]`, `grades: [act]`, []string{
			`line 8, column 10: grades[1]: expected keys with values, found a single value`,
			`line 14, column 72: rules.thin.threshold.bands[1].grade: unknown grade "act"`,
			`line 15, column 28: desks.home.due.act: unknown grade "act"`,
		}},
		{`dials: {floor: {value: 22%}}`, `dials: {floor: 22%}`, []string{
			`line 9, column 16: dials.floor: expected keys with values, found a single value`,
		}},
		{`dials: {floor: {value: 22%}}`, `dials: {floor: {value: much}}`, []string{
			`line 9, column 24: dials.floor.value: expected a number such as 12 or 22%: "much": not a decimal number`,
		}},
		{`dials: {floor: {value: 22%}}`, `dials: {floor: {from: 2%}}`, []string{
			`line 9, column 16: dials.floor.value: 'value' is missing`,
		}},
		{`dials: {floor: {value: 22%}}`, `dials: {floor: {value: 22%, from: 2}}`, []string{
			`line 9, column 35: dials.floor.from: write it as the value is written: with % or without`,
		}},
		{`dials: {floor: {value: 22%}}`, `dials: {floor: {value: 22%, from: 30%, to: 20%}}`, []string{
			`line 9, column 35: dials.floor.from: the range ends before it begins: 'from' is above 'to'`,
		}},
		{`dials: {floor: {value: 22%}}`, `dials: {and: {value: 22%}}`, []string{
			`line 9, column 9: dials.and: "and" is a word of the language and cannot be a name`,
		}},
		{`revenue: {sum: sales.net, unit: money}`, `revenue: {sum: sales.net}`, []string{
			`line 11, column 3: measures.revenue: unit is missing: money, count, percent or days`,
		}},
		{`revenue: {sum: sales.net, unit: money}`, `revenue: {sum: sales.net, unit: count}`, []string{
			`line 11, column 3: measures.revenue.unit: sum of sales.net is in money, and the measure is declared in count`,
			`line 12, column 22: measures.margin.formula: the formula gives count, and the measure is declared in money`,
		}},
		{`revenue: {sum: sales.net, unit: money}`, `revenue: {sum: sales, unit: money}`, []string{
			`line 11, column 18: measures.revenue.sum: expected a feed and its column, such as sales.net, found "sales"`,
		}},
		{`revenue: {sum: sales.net, unit: money}`, `revenue: {sum: sales.channel, unit: money}`, []string{
			`line 11, column 18: measures.revenue.sum: the feed sales has no number "channel"; known here: items, net`,
		}},
		{`revenue: {sum: sales.net, unit: money}`, `revenue: {sum: sales.net, average: sales.net, unit: money}`, []string{
			`line 11, column 3: measures.revenue: state exactly one of sum, count, distinct, average, minimum, maximum, first, last, formula and days; 2 are stated`,
		}},
		{`revenue: {sum: sales.net, unit: money}`, `revenue: {unit: money}`, []string{
			`line 11, column 3: measures.revenue: state exactly one of sum, count, distinct, average, minimum, maximum, first, last, formula and days; 0 are stated`,
		}},
		{`revenue: {sum: sales.net, unit: money}`, `revenue: {sum: sales.net, unit: money, places: 9}`, []string{
			`line 11, column 50: measures.revenue.places: expected a whole number from 0 to 4, found "9"`,
		}},
		{`revenue: {sum: sales.net, unit: money}`, `revenue: {sum: sales.net, unit: money, good: sideways}`, []string{
			`line 11, column 48: measures.revenue.good: "sideways" is not one of up, down`,
		}},
		{`revenue: {sum: sales.net, unit: money}`, `revenue: {sum: sales.net, unit: money, where: chanel is "phone"}`, []string{
			`line 11, column 49: measures.revenue.where: the lines of sales have no label, number or attribute "chanel"; did you mean channel?`,
		}},
		{`revenue: {sum: sales.net, unit: money}`, `revenue: {sum: sales.net, unit: money, where: net above "much"}`, []string{
			`line 11, column 59: measures.revenue.where: expected a number`,
		}},
		{`revenue: {sum: sales.net, unit: money}`, `revenue: {sum: sales.net, unit: money, where: channel is phone}`, []string{
			`line 11, column 60: measures.revenue.where: expected a text in quotation marks`,
		}},
		{`revenue: {sum: sales.net, unit: money}`, `revenue: {distinct: sales.net, unit: count}`, []string{
			`line 11, column 23: measures.revenue.distinct: the feed sales has no subject "net"; known here: rep`,
		}},
		{`revenue: {sum: sales.net, unit: money}`, `revenue: {days: lazy, unit: money}`, []string{
			`line 11, column 3: measures.revenue: days of the period are in days or a count, not in money`,
			`line 11, column 19: measures.revenue.days: "lazy" is not one of all, working`,
		}},
		{`revenue: {sum: sales.net, unit: money}`, `revenue: {formula: revenue + 1, unit: money}`, []string{
			`line 11, column 22: measures.revenue.formula: circular reference between formulas: revenue -> revenue`,
		}},
		{`formula: "revenue / 2"`, `formula: "revenue / "`, []string{
			`line 12, column 32: measures.margin.formula: expected a number, a name or '(', found the end`,
		}},
		{`formula: "revenue / 2"`, `formula: "revenue / revenu"`, []string{
			`line 12, column 32: measures.margin.formula: unknown measure or dial "revenu"; did you mean revenue?`,
		}},
		{`formula: "revenue / 2"`, `formula: "revenue + 5%"`, []string{
			`line 12, column 30: measures.margin.formula: adding money and percent makes no sense`,
		}},
		{`formula: "revenue / 2"`, `formula: "grow(revenue)"`, []string{
			`line 12, column 22: measures.margin.formula: there is no function "grow"; did you mean growth?`,
		}},
		{`formula: "revenue / 2"`, `formula: "growth()"`, []string{
			`line 12, column 29: measures.margin.formula: expected a number, a name or '(', found ')'`,
		}},
		{`formula: "revenue / 2"`, `formula: "growth(revenue, 1 yaer)"`, []string{
			`line 12, column 38: measures.margin.formula: not understood in growth, which is written so: growth(revenue, 1 year)`,
		}},
		{`formula: "revenue / 2"`, `formula: "history(revenue, 0)"`, []string{
			`line 12, column 39: measures.margin.formula: not understood in history, which is written so: history(revenue, 12, median, at least 8)`,
		}},
		{`formula: "revenue / 2"`, `formula: "trailing(revenue, 3, mean)"`, []string{
			`line 12, column 43: measures.margin.formula: not understood in trailing, which is written so: trailing(revenue, 6, average, at least 4)`,
		}},
		{`formula: "revenue / 2"`, `formula: "share(revenue, rep.teritory)"`, []string{
			`line 12, column 22: measures.margin.formula: unknown attribute "rep.teritory"; did you mean rep.territory?`,
		}},
		{`formula: "revenue / 2"`, `formula: "peers(revenue, percentile 101)"`, []string{
			`line 12, column 37: measures.margin.formula: not understood in peers, which is written so: peers(margin_rate, percentile 75, rep.territory)`,
		}},
		{`formula: "revenue / 2"`, `formula: "to_date(revenue, decade)"`, []string{
			`line 12, column 39: measures.margin.formula: not understood in to_date, which is written so: to_date(revenue, year)`,
		}},
		{`formula: "revenue / 2"`, `formula: "(revenue"`, []string{
			`line 12, column 30: measures.margin.formula: expected ')' to close the one at character 1, found the end`,
		}},
		{`formula: "revenue / 2"`, `formula: "revenue ^ 2"`, []string{
			`line 12, column 30: measures.margin.formula: "^" means nothing here`,
		}},
		{`formula: "revenue / 2"`, `formula: "when revenue above 3 then revenue"`, []string{
			`line 12, column 55: measures.margin.formula: expected 'otherwise', found the end`,
		}},
		{`formula: "revenue / 2"`, `formula: "when revenue then revenue otherwise 2"`, []string{
			`line 12, column 35: measures.margin.formula: expected a comparison (is, is not, in, contains, starts with, above, below, at least, at most, ` +
				`between), found 'then'`,
		}},
		{`formula: "revenue / 2"`, `formula: "99999999999999999999"`, []string{
			`line 12, column 22: measures.margin.formula: "99999999999999999999": beyond 900 trillion`,
		}},
		{`formula: "revenue / 2"`, `formula: "1.23456"`, []string{
			`line 12, column 22: measures.margin.formula: "1.23456": more than four decimal places`,
		}},
		{`desks: [{name: home, due: {act: 2 working days}}]`, `desks: []`, []string{
			`line 16, column 47: routes[1].to: unknown desk "home"`,
			`line 16, column 66: routes[2].otherwise: unknown desk "home"`,
		}},
		{`desks: [{name: home, due: {act: 2 working days}}]`, `desks: [{name: home, due: {akt: 2 working days}}]`, []string{
			`line 15, column 28: desks.home.due.akt: unknown grade "akt"; did you mean act?`,
		}},
		{`desks: [{name: home, due: {act: 2 working days}}]`, `desks: [{name: home}, {name: home}]`, []string{
			`line 15, column 30: desks.home.name: the desk "home" is defined twice`,
		}},
		{`desks: [{name: home, due: {act: 2 working days}}]`, `desks: [{title: Home}]`, []string{
			`line 15, column 9: desks[1].name: 'name' is missing`,
			`line 16, column 47: routes[1].to: unknown desk "home"`,
			`line 16, column 66: routes[2].otherwise: unknown desk "home"`,
		}},
		{`routes: [{when: rep.territory is "North", to: home}, {otherwise: home}]`, `routes: []`, []string{
			`line 1, column 1: routes: rules need routes, or their exceptions go to no desk; the least is: routes: [{otherwise: a desk}]`,
		}},
		{`routes: [{when: rep.territory is "North", to: home}, {otherwise: home}]`,
			`routes: [{otherwise: home}, {when: rep.territory is "North", to: home}]`, []string{
				`line 16, column 10: routes[1]: 'otherwise' matches everything, so the routes after it are never reached; put it last`,
				`line 16, column 29: routes[2]: the last route must be 'otherwise', or exceptions that match none go to no desk`,
			}},
		{`routes: [{when: rep.territory is "North", to: home}, {otherwise: home}]`, `routes: [{when: rep.territory is "North"}, {otherwise: home}]`, []string{
			`line 16, column 10: routes[1].to: 'to' is missing`,
		}},
		{`routes: [{when: rep.territory is "North", to: home}, {otherwise: home}]`, `routes: [{to: home}, {otherwise: home}]`, []string{
			`line 16, column 10: routes[1].when: 'when' is missing`,
		}},
		{`routes: [{when: rep.territory is "North", to: home}, {otherwise: home}]`,
			`routes: [{when: rep.territory is "North", to: hom}, {otherwise: home}]`, []string{
				`line 16, column 47: routes[1].to: unknown desk "hom"; did you mean home?`,
			}},
		{`routes: [{when: rep.territory is "North", to: home}, {otherwise: home}]`, `routes: [{when: grade is "akt", to: home}, {otherwise: home}]`, []string{
			`line 16, column 26: routes[1].when: unknown grade "akt"; did you mean act?`,
		}},
		{`routes: [{when: rep.territory is "North", to: home}, {otherwise: home}]`, `routes: [{when: 'rule is "thick"', to: home}, {otherwise: home}]`, []string{
			`line 16, column 26: routes[1].when: unknown rule "thick"; did you mean thin?`,
		}},
		{`routes: [{when: rep.territory is "North", to: home}, {otherwise: home}]`, `routes: [home]`, []string{
			`line 16, column 10: routes[1]: expected keys with values, found a single value`,
		}},
		{`name: thin,`, `name: thin, title: &a Thin,`, []string{
			`line 14, column 25: document: anchors and aliases are not read here; write the value out, or put it in quotes if it is text`,
		}},
		{`judges: rep`, `judges: *a`, []string{
			`line 14, column 26: document: anchors and aliases are not read here; write the value out, or put it in quotes if it is text`,
		}},
		{`when: rep.territory is "North", to: home}`, `when: "North" is rep.territory, to: home}`, []string{
			`line 16, column 25: document: not readable as YAML: ',' or '}' must be specified; put the whole when in quotes, '"North" …', since it begins ` +
				`with a quotation mark and goes on after it`,
		}},
		{"oskel: 1\n", "oskel: 1\n---\noskel: 1\n", []string{
			`line 1, column 1: document: expected one document that begins with 'oskel: 1', found 2 of them`,
		}},
		{`labels: [channel]`, `labels: [channel], colour: red`, []string{
			`line 7, column 120: feeds.sales.colour: unknown key "colour"; known here: date, labels, notes, numbers, owner, subjects, title`,
		}},
		{`routes: [{when: rep.territory is "North", to: home}, {otherwise: home}]`,
			`routes: [{when: 'kind in ("rep", "rap")', to: home}, {otherwise: home}]`, []string{
				`line 16, column 34: routes[1].when: there is nothing like "rap" to ask by; did you mean rep?`,
			}},
	} {
		require.Contains(t, sound, c.old)
		_, problems := Read([]byte(strings.Replace(sound, c.old, c.new, 1)), method.All())
		var found []string
		for _, p := range problems {
			found = append(found, p.String())
		}
		assert.Equal(t, c.faults, found, c.new)
	}
	_, problems := Read([]byte(sound), method.All())
	assert.Empty(t, problems)
}
