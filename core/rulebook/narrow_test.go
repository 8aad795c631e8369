package rulebook_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/method"
	"oskel/core/rulebook"
)

// What cannot be asked of certain lines is left out with all that reads it, and rules over
// windows, which read lines by themselves; the book that was narrowed stays whole.
func TestNarrowedLeavesOutWhatItCannotAsk(t *testing.T) {
	book, problems := rulebook.Read([]byte(`oskel: 1
kinds: {rep: {}, customer: {attributes: {region: text}}}
feeds:
  sales: {date: day, subjects: {rep: rep, customer: customer}, numbers: {net: money}}
  visits: {date: day, subjects: {rep: rep}, numbers: {hours: count}}
grades: [{name: act}]
measures:
  revenue: {sum: sales.net, where: net above 0, unit: money}
  hours: {sum: visits.hours, unit: count}
  hourly: {formula: revenue / hours, unit: money}
  double: {formula: hourly * 2, unit: money}
rules:
  - {name: low, judges: rep, threshold: {of: revenue, bands: [{grade: act, below: 1}, {clear: rest}]}}
  - {name: slow, judges: rep, base: {double: at least 1}, threshold: {of: revenue, bands: [{grade: act, below: 1}, {clear: rest}]}}
  - {name: quiet, judges: rep, window: {silence: sales, at_least: 9 days, grade: act}}
desks: [{name: home}]
routes: [{otherwise: home}]
`), method.All())
	require.Empty(t, problems)
	narrow, err := book.Narrowed(`customer.region is "West"`)
	require.NoError(t, err)
	var measures, rules []string
	for _, m := range narrow.Measures {
		measures = append(measures, m.Name)
	}
	for _, r := range narrow.Rules {
		rules = append(rules, r.Name)
	}
	assert.Equal(t, []string{"revenue"}, measures)
	assert.Equal(t, []string{"low"}, rules)
	assert.Equal(t, `(net above 0) and (customer.region is "West")`, narrow.Measure("revenue").Where.Text)
	assert.Equal(t, "net above 0", book.Measure("revenue").Where.Text)
	assert.Len(t, book.Rules, 3)
	_, err = book.Narrowed(`customer.region is`)
	assert.Error(t, err)
}
