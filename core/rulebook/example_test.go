package rulebook_test

import (
	"fmt"

	"oskel/core/method"
	"oskel/core/rulebook"
)

func ExampleRead() {
	_, problems := rulebook.Read([]byte(`oskel: 1
kinds: {rep: {}}
feeds: {sales: {date: day, subjects: {rep: rep}, numbers: {net: money}}}
grades: [{name: act, tone: red, shape: diamond}]
measures: {revenue: {sum: sales.net, unit: money}}
rules: [{name: low, judges: rep, threshold: {of: revenu, bands: [{grade: act, below: 100}, {clear: rest}]}}]
desks: [{name: north}]
routes: [{otherwise: north}]
`), method.All())
	for _, p := range problems {
		fmt.Println(p)
	}
	// Output:
	// line 6, column 50: rules.low.threshold.of: unknown measure "revenu"; did you mean revenue?
}
