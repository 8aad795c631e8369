package rulebook_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/method"
	. "oskel/core/rulebook"
)

const beforeRule = `oskel: 1
kinds:
  rep: {attributes: {territory: text, size: number, joined: date}}
  product: {attributes: {family: text}}
feeds:
  sales: {title: Order lines, date: day, subjects: {rep: rep, product: product}, numbers: {net: money, cost: money}}
grades: [{name: act, label: Act now}, {name: look}]
dials: {floor: {value: 22%}, goal: {value: 5000}}
measures:
  revenue: {title: Revenue, sum: sales.net, unit: money}
  cost: {title: Cost, sum: sales.cost, unit: money}
  margin: {title: Margin rate, formula: "(revenue - cost) / revenue", unit: percent}
rules:
  - `

const afterRule = `
desks: [{name: home}]
routes: [{otherwise: home}]
`

// Every form of a rule says what it does; read back from what it is written
// as, it says the same.
func TestRulesInWords(t *testing.T) {
	for rule, words := range map[string]string{
		`{name: x, judges: rep, threshold: {of: revenue, against: 250, as: difference, bands: [{grade: act, below: 0},
		    {clear: rest}]}}`: `Each month, for every rep: Act now when revenue less 250 is below 0, else clear. Subjects without data are not flagged.`,
		`{name: x, judges: rep, threshold: {of: revenue, against: goal, as: ratio, bands: [{grade: act, at_most: 80%},
		    {clear: rest}]}}`: `Each month, for every rep: Act now when revenue as a share of goal (5,000) is at most 80%, else clear. Subjects without ` +
			`data are not flagged.`,
		`{name: x, judges: rep, threshold: {of: revenue, against: target, as: change, bands: [{grade: act, below: -10%},
		    {clear: rest}]}}`: `Each month, for every rep: Act now when revenue as a change from its target is below -10%, else clear. Subjects without ` +
			`data are not flagged.`,
		`{name: x, judges: rep, threshold: {of: revenue, against: "earlier(revenue)", as: change, bands: [{grade: act, above: 30%},
		    {clear: rest}]}}`: `Each month, for every rep: Act now when revenue as a change from its revenue of the period before is above 30%, else ` +
			`clear. Subjects without data are not flagged.`,
		`{name: x, judges: rep, threshold: {of: revenue, against: "earlier(revenue, 3)", as: ratio, bands: [{grade: act, below: 30%},
		    {clear: rest}]}}`: `Each month, for every rep: Act now when revenue as a share of its revenue of 3 periods before is below 30%, else clear. ` +
			`Subjects without data are not flagged.`,
		`{name: x, judges: rep, threshold: {of: revenue, against: "earlier(revenue, 1 year)", as: ratio, bands: [{grade: act, below: 30%},
		    {clear: rest}]}}`: `Each month, for every rep: Act now when revenue as a share of its revenue of a year before is below 30%, else clear. ` +
			`Subjects without data are not flagged.`,
		`{name: x, judges: rep, threshold: {of: revenue, against: "history(revenue, 12, best)", as: ratio, bands: [{grade: act, below: 30%},
		    {clear: rest}]}}`: `Each month, for every rep: Act now when revenue as a share of its own best revenue of the 12 periods before is below 30%, ` +
			`else clear. Subjects without data are not flagged.`,
		`{name: x, judges: rep, threshold: {of: revenue, against: "history(revenue, 6, median, at least 3)", as: ratio, bands: [{grade: act, below: 30%},
		    {clear: rest}]}}`: `Each month, for every rep: Act now when revenue as a share of its own median revenue of the 6 periods before is below ` +
			`30%, else clear. Subjects without data are not flagged.`,
		`{name: x, judges: rep, threshold: {of: revenue, against: "trailing(revenue, 3, average)", as: ratio, bands: [{grade: act, below: 30%},
		    {clear: rest}]}}`: `Each month, for every rep: Act now when revenue as a share of its own average revenue of the 3 periods up to this one is ` +
			`below 30%, else clear. Subjects without data are not flagged.`,
		`{name: x, judges: rep, threshold: {of: margin, against: "group_value(margin)", as: difference, bands: [{grade: act, below: -5%},
		    {clear: rest}]}}`: `Each month, for every rep: Act now when margin rate less margin rate of the whole is below -5%, else clear. Subjects ` +
			`without data are not flagged.`,
		`{name: x, judges: rep, threshold: {of: margin, against: "group_value(margin, rep.territory)", as: difference, bands: [{grade: act, below: -5%},
		    {clear: rest}]}}`: `Each month, for every rep: Act now when margin rate less margin rate of its territory is below -5%, else clear. Subjects ` +
			`without data are not flagged.`,
		`{name: x, judges: rep, threshold: {of: margin, against: "peers(margin, median, rep.territory)", as: difference, bands: [{grade: act, below: -5%},
		    {clear: rest}]}}`: `Each month, for every rep: Act now when margin rate less the median margin rate of its territory is below -5%, else ` +
			`clear. Subjects without data are not flagged.`,
		`{name: x, judges: rep, threshold: {of: margin, against: "peers(margin, percentile 10)", as: difference, bands: [{grade: act, below: 0%},
		    {clear: rest}]}}`: `Each month, for every rep: Act now when margin rate less percentile 10 of margin rate among all is below 0%, else clear. ` +
			`Subjects without data are not flagged.`,
		`{name: x, judges: rep, threshold: {of: revenue, against: cost, as: ratio, bands: [{grade: act, below: 100%}, {grade: look, at_least: 100%,
		    at_most: 110%}, {clear: true, above: 110%}]}}`: `Each month, for every rep: Act now when revenue as a share of cost is below 100%, else Look ` +
			`when at least 100% and at most 110%, else clear when above 110%. Subjects without data are not flagged.`,
		`{name: x, judges: rep, threshold: {of: revenue, against: "revenue * 2 - cost", as: ratio, bands: [{grade: act, below: 100%},
		    {clear: rest}]}}`: `Each month, for every rep: Act now when revenue as a share of revenue * 2 - cost is below 100%, else clear. Subjects ` +
			`without data are not flagged.`,
		`{name: x, judges: [rep, rep.territory, whole], no_data: look, base: {revenue: above 100}, threshold: {of: margin, bands: [{grade: act,
		    label: "under 18%", below: 18%}, {grade: look, below: floor}, {clear: rest}]}}`: `Each month, for every rep, for every territory, and for the ` +
			`whole: Act now when margin rate is below 18%, else Look when below floor (22%), else clear. Only where revenue is above 100. No data is Look.`,
		`{name: x, judges: rep x product, persists: 2 of 3, last_word: true, valid_from: 2026-01-01, valid_until: 2026-12-31, threshold: {of: margin,
		    bands: [{clear: true, at_least: 18%}, {grade: act, below: 18%}]}}`: `Each month, for every pair of rep and product: clear when margin rate is ` +
			`at least 18%, else Act now when below 18%. Subjects without data are not flagged. Flagged only when it happens in at least 2 of the last 3 ` +
			`months. If it flags a subject, later rules skip that subject. Valid for periods that end from 1 Jan 2026 to 31 Dec 2026.`,
		`{name: x, judges: rep.territory x product.family, valid_until: 2026-12-31, on: false, threshold: {of: margin, bands: [{clear: true,
		    at_least: 18%}, {grade: act, below: 18%}]}}`: `Each month, for every pair of territory and family: clear when margin rate is at least 18%, ` +
			`else Act now when below 18%. Subjects without data are not flagged. Valid for periods that end until 31 Dec 2026. The rule is off.`,
		`{name: x, judges: rep, where: 'rep.size above 3 and rep.joined above "2020-01-01"', valid_from: 2026-01-01, threshold: {choose: [{grade: act,
		    all: [revenue above 10, margin below floor]}, {grade: look, any: [revenue above 100,
		        cost above 100]}]}}`: `Each month, for every rep where rep.size above 3 and rep.joined above "2020-01-01": Act now when all of these ` +
			`conditions are met: revenue above 10; margin below floor, else Look when any of these conditions is met: revenue above 100; cost above 100, ` +
			`else clear. Subjects without data are not flagged. Valid for periods that end from 1 Jan 2026 on.`,
		`{name: x, judges: rep, threshold: {choose: [{grade: act, some: {at_least: 2, of: [revenue above 10, margin below 3%, cost is missing]}},
		    {grade: look, none: [revenue above 100]}]}}`: `Each month, for every rep: Act now when at least 2 of these conditions are met: revenue above ` +
			`10; margin below 3%; cost is missing, else Look when none of these conditions is met: revenue above 100, else clear. Subjects without data are ` +
			`not flagged.`,
		`{name: x, judges: rep, outlier: {of: margin, by: robust score, beyond: 3.5, side: low,
		    grade: look}}`: `Each month, for every rep: Look when the robust score of margin rate among all reps is beyond 3.5 on the low side; with ` +
			`fewer than 8 others it is not judged. Subjects without data are not flagged.`,
		`{name: x, judges: rep, outlier: {of: margin, among: rep.territory, by: robust score, beyond: 4, side: both, peers: 8,
		    grade: look}}`: `Each month, for every rep: Look when the robust score of margin rate among reps with the same territory is beyond 4 on ` +
			`either side; with fewer than 8 others it is not judged. Subjects without data are not flagged.`,
		`{name: x, judges: rep, outlier: {of: revenue, by: robust score, beyond: 3.5, side: high,
		    grade: act}}`: `Each month, for every rep: Act now when the robust score of revenue among all reps is beyond 3.5 on the high side; with fewer ` +
			`than 8 others it is not judged. Subjects without data are not flagged.`,
		`{name: x, judges: product, window: {silence: sales, at_least: 60 days,
		    grade: look}}`: `Each month, for every product: Look when the last of the order lines lies 60 days or more before the period's last day; one ` +
			`that was never seen is not judged.`,
	} {
		book, problems := Read([]byte(beforeRule+rule+afterRule), method.All())
		require.Empty(t, problems, rule)
		assert.Equal(t, words, book.Words(&book.Rules[0]))
		definition := book.Define(&book.Rules[0])
		again, problems := Read([]byte(strings.TrimSuffix(beforeRule, "  - ")+definition.Write("  ", method.All())+afterRule), method.All())
		require.Empty(t, problems, rule)
		assert.Equal(t, words, again.Words(&again.Rules[0]))
		assert.Empty(t, Difference(book, again))
	}
}

// What cannot be is refused where it stands, with what was expected, and
// nothing is said twice.
func TestRulesThatCannotBe(t *testing.T) {
	for rule, faults := range map[string][]string{
		`{name: x, judges: rep, threshold: {of: revenue, against: 50%, as: difference, bands: [{grade: act, below: 0}, {clear: rest}]}}`: {
			`62: rules.x.threshold.against: a percentage, but revenue is in money`,
		},
		`{name: x, judges: rep, threshold: {of: revenue, against: margin, as: ratio, bands: [{grade: act, below: 50%}, {clear: rest}]}}`: {
			`62: rules.x.threshold.against: holding against one another money and percent makes no sense`,
		},
		`{name: x, judges: rep, threshold: {of: revenue, against: 250, as: ratio, bands: [{grade: act, below: 2}, {clear: rest}]}}`: {
			`106: rules.x.threshold.bands[1].below: a share of the comparison value is a percentage: did you mean 2%?`,
		},
		`{name: x, judges: rep, threshold: {of: revenue, against: 250, as: share, bands: [{grade: act, below: 2}, {clear: rest}]}}`: {
			`71: rules.x.threshold.as: "share" is not one of ratio, difference, change`,
		},
		`{name: x, judges: rep, threshold: {of: revenue, against: 250, bands: [{grade: act, below: 2}, {clear: rest}]}}`: {
			`62: rules.x.threshold.against: 'against' needs 'as: ratio', 'as: difference' or 'as: change'`,
		},
		`{name: x, judges: rep, threshold: {of: revenue, as: ratio, bands: [{grade: act, below: 2}, {clear: rest}]}}`: {
			`57: rules.x.threshold.as: 'as' needs 'against'`,
		},
		`{name: x, judges: rep, threshold: {of: revenue, against: "(revenu)", as: ratio, bands: [{grade: act, below: 50%}, {clear: rest}]}}`: {
			`64: rules.x.threshold.against: unknown measure or dial "revenu"; did you mean revenue?`,
		},
		`{name: x, judges: rep, stake: revenue - nothing_there, threshold: {of: revenue, bands: [{grade: act, below: 5}, {clear: rest}]}}`: {
			`45: rules.x.stake: unknown measure or dial "nothing_there"; known here: cost, floor, goal, margin, revenue`,
		},
		`{name: x, judges: rep, threshold: {of: revenue, bands: []}}`: {
			`60: rules.x.threshold.bands: state at least one band, such as {grade: act, below: 10}`,
		},
		`{name: x, judges: rep, threshold: {of: revenue}}`: {
			`39: rules.x.threshold: 'bands' are missing`,
		},
		`{name: x, judges: rep, threshold: {bands: [{grade: act, below: 2}, {clear: rest}]}}`: {
			`39: rules.x.threshold.of: 'of' is missing`,
		},
		`{name: x, judges: rep, threshold: {of: revenue, bands: [{grade: act, below: 2, at_most: 3}, {clear: rest}]}}`: {
			`93: rules.x.threshold.bands[1].at_most: "below" and "at_most" state the same end twice`,
		},
		`{name: x, judges: rep, threshold: {of: revenue, bands: [{grade: act, below: 2, clear: rest}]}}`: {
			`61: rules.x.threshold.bands[1]: state either 'grade: …' or 'clear: rest'`,
		},
		`{name: x, judges: rep, threshold: {of: revenue, bands: [{grade: act, below: lots}, {clear: rest}]}}`: {
			`81: rules.x.threshold.bands[1].below: unknown dial "lots"; known here: floor, goal`,
		},
		`{name: x, judges: rep, threshold: {of: revenue, bands: [{grade: act, below: floor}, {clear: rest}]}}`: {
			`81: rules.x.threshold.bands[1].below: a percentage, but revenue is in money`,
		},
		`{name: x, judges: rep, threshold: {of: revenue, bands: [{clear: rest}, {grade: act, below: 3}]}}`: {
			`61: rules.x.threshold.bands[1]: 'rest' is what all bands leave over: write it last`,
		},
		`{name: x, judges: rep, threshold: {choose: []}}`: {
			`48: rules.x.threshold.choose: state at least one choice: a grade with 'all', 'any', 'none' or 'some' of a list of conditions`,
		},
		`{name: x, judges: rep, threshold: {choose: [{grade: act}]}}`: {
			`49: rules.x.threshold.choose[1]: state exactly one of all, any, none and some; 0 are stated`,
		},
		`{name: x, judges: rep, threshold: {choose: [{grade: act, all: [revenue above], any: [cost above 3]}]}}`: {
			`49: rules.x.threshold.choose[1]: state exactly one of all, any, none and some; 2 are stated`,
			`67: rules.x.threshold.choose[1].all: expected a list of conditions`,
			`81: rules.x.threshold.choose[1].all[1]: expected a number, a name or '(', found the end`,
		},
		`{name: x, judges: rep, threshold: {choose: [{grade: act, some: {at_least: 4, of: [revenue above 3]}}]}}`: {
			`86: rules.x.threshold.choose[1].some.of: at least 4 of 1 can never hold`,
		},
		`{name: x, judges: rep, threshold: {choose: [{grade: act, all: [revenue above 3%]}]}}`: {
			`76: rules.x.threshold.choose[1].all[1]: comparing money and percent makes no sense`,
		},
		`{name: x, judges: rep, threshold: {choose: [{grade: act, all: [margin above 3]}]}}`: {
			`81: rules.x.threshold.choose[1].all[1]: 3 for a percentage: did you mean 3%?`,
		},
		`{name: x, judges: rep, threshold: {choose: [{grade: act, all: [rep.teritory is "North"]}]}}`: {
			`68: rules.x.threshold.choose[1].all[1]: unknown attribute "rep.teritory"; did you mean rep.territory?`,
		},
		`{name: x, judges: rep, threshold: {choose: [{grade: act, all: ["revenue is \"North\""]}]}}`: {
			`80: rules.x.threshold.choose[1].all[1]: a text cannot be used in arithmetic`,
		},
		`{name: x, judges: rep, outlier: {of: margin, by: score, beyond: 3.5, grade: look}}`: {
			`54: rules.x.outlier.by: there is no method "score"; known here: CUSUM, EWMA, control chart, deviation from trend, false discovery rate, ` +
				`generalised ESD, level shift, own past, percentile, position in range, quartile fences, robust score, same season, standard score, top or bottom`,
		},
		`{name: x, judges: rep, outlier: {of: margin, by: robust score, beyond: 0, grade: look}}`: {
			`76: rules.x.outlier.beyond: expected a score above 0, such as 3.5, found 0`,
		},
		`{name: x, judges: rep, outlier: {of: margin, by: robust score, beyond: 3.5%, grade: look}}`: {
			`76: rules.x.outlier.beyond: expected a score above 0, such as 3.5, found 3.5%`,
		},
		`{name: x, judges: rep, outlier: {of: margin, by: robust score, beyond: 3.5, side: left, grade: look}}`: {
			`87: rules.x.outlier.side: "left" is not one of high, low, both`,
		},
		`{name: x, judges: rep, outlier: {of: margin, by: robust score, beyond: 3.5, among: product.family, grade: look}}`: {
			`88: rules.x.outlier.among: expected an attribute of rep; known here: rep.joined, rep.size, rep.territory`,
		},
		`{name: x, judges: rep, outlier: {of: margin, by: robust score, beyond: 3.5, peers: few, grade: look}}`: {
			`88: rules.x.outlier.peers: expected a number of others from 2 to 1000000, such as 8, or a dial, found "few"`,
		},
		`{name: x, judges: [rep, whole], outlier: {of: margin, by: robust score, beyond: 3.5, grade: look}}`: {
			`46: rules.x.outlier: robust score cannot judge whole: it has no peers`,
		},
		`{name: x, judges: rep, window: {silence: sale, at_least: 60 days, grade: look}}`: {
			`46: rules.x.window.silence: unknown feed "sale"; did you mean sales?`,
		},
		`{name: x, judges: rep, window: {silence: sales, at_least: 60, grade: look}}`: {
			`63: rules.x.window.at_least: expected a number of days from 1 to 3660, such as '45 days', found "60"`,
		},
		`{name: x, judges: rep, window: {silence: sales, at_least: 0 days, grade: look}}`: {
			`63: rules.x.window.at_least: expected a number of days from 1 to 3660, such as '45 days', found 0`,
		},
		`{name: x, judges: rep, persists: often, window: {silence: sales, at_least: 60 days, grade: look}}`: {
			`38: rules.x.persists: expected how many of the last periods, such as '2 of 3', found "often"`,
		},
		`{name: x, judges: rep, persists: 4 of 3, window: {silence: sales, at_least: 60 days, grade: look}}`: {
			`38: rules.x.persists: expected how many of the last periods, such as '2 of 3', found "4 of 3"`,
		},
		`{name: x, judges: rep, each: fortnight, window: {silence: sales, at_least: 60 days, grade: look}}`: {
			`34: rules.x.each: expected one of day, week, month, quarter, half, year, found "fortnight"`,
		},
		`{name: x, judges: rep, on: perhaps, window: {silence: sales, at_least: 60 days, grade: look}}`: {
			`32: rules.x.on: "perhaps" is not one of true, false, trial`,
		},
		`{name: x, judges: rep, valid_from: soon, window: {silence: sales, at_least: 60 days, grade: look}}`: {
			`40: rules.x.valid_from: expected a day such as 2026-10-31, found "soon"`,
		},
		`{name: x, judges: rep, shows: [revenu], window: {silence: sales, at_least: 60 days, grade: look}}`: {
			`36: rules.x.shows[1]: unknown measure "revenu"; did you mean revenue?`,
		},
		`{name: x, judges: rep, stake: "margin +", window: {silence: sales, at_least: 60 days, grade: look}}`: {
			`44: rules.x.stake: expected a number, a name or '(', found the end`,
		},
		`{name: x, judges: rep, base: {revenue: 5000}, window: {silence: sales, at_least: 60 days, grade: look}}`: {
			`44: rules.x.base.revenue: expected a minimum such as 'at least 5000' or 'above 5000', found "5000"`,
		},
		`{name: x, judges: rep, base: {revenue: below 5000}, window: {silence: sales, at_least: 60 days, grade: look}}`: {
			`44: rules.x.base.revenue: expected a minimum such as 'at least 5000' or 'above 5000', found "below 5000"`,
		},
		`{name: x, judges: [], window: {silence: sales, at_least: 60 days, grade: look}}`: {
			`23: rules.x.judges: state at least one kind, such as rep or product`,
		},
		`{name: x, judges: [rep, rep], threshold: {of: revenue, bands: [{grade: act, below: 2}, {clear: rest}]}}`: {
			`29: rules.x.judges[2]: the rule already judges rep`,
		},
		`{name: x, judges: rep x rep, threshold: {of: revenue, bands: [{grade: act, below: 2}, {clear: rest}]}}`: {
			`23: rules.x.judges: a pair joins two kinds, such as rep x product; found "rep x rep"`,
		},
		`{name: x, judges: rep x whole, threshold: {of: revenue, bands: [{grade: act, below: 2}, {clear: rest}]}}`: {
			`23: rules.x.judges: a pair joins two kinds, such as rep x product; found "rep x whole"`,
		},
		`{judges: rep, window: {silence: sales, at_least: 60 days, grade: look}}`: {
			`5: rules[1].name: 'name' is missing`,
		},
		`{name: x y, judges: rep, window: {silence: sales, at_least: 60 days, grade: look}}`: {
			`12: rules.x y.name: "x y" cannot be a name; use small letters, digits, - and _, beginning with a letter`,
		},
		`{name: x, judges: rep, where: 'rep.size is "large"', window: {silence: sales, at_least: 60 days, grade: look}}`: {
			`48: rules.x.where: expected a number`,
		},
		`{name: x, judges: rep, where: 'rep.joined above "soon"', window: {silence: sales, at_least: 60 days, grade: look}}`: {
			`53: rules.x.where: "soon" is not a day; write it as 2026-10-31`,
		},
		`{name: x, judges: rep, where: 'rep.territory above 3', window: {silence: sales, at_least: 60 days, grade: look}}`: {
			`56: rules.x.where: 'above' is for numbers and dates; this is a text`,
		},
		`{name: x, judges: rep, where: [rep.size], window: {silence: sales, at_least: 60 days, grade: look}}`: {
			`35: rules.x.where: expected a single value, found a list`,
		},
		`x`: {
			`5: rules[1]: expected keys with values, found a single value`,
		},
	} {
		_, problems := Read([]byte(beforeRule+rule+afterRule), method.All())
		var found []string
		for _, p := range problems {
			found = append(found, strings.TrimPrefix(p.String(), "line 14, column "))
		}
		assert.Equal(t, faults, found, rule)
	}
}
