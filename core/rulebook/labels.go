package rulebook

import (
	"regexp"
	"strings"

	"oskel/core/amount"
	"oskel/core/lang"
)

// A label may say a cut in words; these are the words, with the side they
// bound and whether the number belongs to it.
var labelCut = regexp.MustCompile(`(?i)\b(over|above|more than|under|below|less than|at least|from|at most|up to)\s+(-?[\d,]+(?:\.\d+)?%?)`)

var cutWords = map[string]struct{ low, included bool }{
	"over": {true, false}, "above": {true, false}, "more than": {true, false}, "at least": {true, true}, "from": {true, true},
	"under": {false, false}, "below": {false, false}, "less than": {false, false}, "at most": {false, true}, "up to": {false, true},
}

// checkLabels holds what a band's label says against its cut: 'over 250' where
// the band begins at 250, it included, is an error.
func (r *reader) checkLabels(book *Book, t *Threshold, path string) {
	intervals, _ := book.Partition(t.Bands)
	for i, band := range t.Bands {
		for _, m := range labelCut.FindAllStringSubmatch(band.Label, -1) {
			n, err := lang.ParseNumber(strings.ReplaceAll(m[2], ",", ""))
			if err != nil {
				continue
			}
			said := cutWords[strings.ToLower(m[1])]
			for _, in := range intervals {
				if in.Band == i && !agrees(in, n, said.low, said.included) {
					r.complain(band.At, path, "the label %q contradicts its cut: the band is %s", band.Label, span(in, t.Relative() || strings.HasSuffix(m[2], "%")))
				}
			}
		}
	}
}

func agrees(in Interval, n amount.Amount, low, included bool) bool {
	if low {
		return in.Low.Inf == 0 && in.Low.At == n && in.Low.After != included
	}
	return in.High.Inf == 0 && in.High.At == n && in.High.After == included
}
