package rulebook

import (
	"fmt"
	"sort"

	"oskel/core/amount"
)

// Cut is a place between numbers: just before At, or just after it. Bands
// begin and end at cuts, so that every number lies in exactly one.
type Cut struct {
	At    amount.Amount
	After bool
	Inf   int // -1 and +1 are the ends of the number line; At is then void
}

func (c Cut) compare(d Cut) int {
	if c.Inf != d.Inf {
		return c.Inf - d.Inf
	}
	switch {
	case c.Inf != 0:
		return 0
	case c.At < d.At:
		return -1
	case c.At > d.At:
		return 1
	case c.After == d.After:
		return 0
	case d.After:
		return -1
	}
	return 1
}

// Interval is a stretch from Low to High that band number Band takes.
type Interval struct {
	Low, High Cut
	Band      int
}

// Partition lays the bands on the number line, in rising order.
//
// A band with one stated end reaches away from it without limit, less what
// earlier bands open to the same side already took: 'below 18 %' and then
// 'below 22 %' means from 18 % to below 22 %. 'rest' takes all that is left.
// The complaints, if any, name the bands by index: a band that can never be
// reached, two that overlap, a stretch that is in none (index -1).
func (b *Book) Partition(bands []Band) ([]Interval, []BandProblem) {
	return b.partition(bands, b.Value)
}

// BandProblem is a fault of a set of bands.
type BandProblem struct {
	Band int
	Text string
}

// partition lays bands on the line of numbers, in order, with no gap and no overlap: 'rest' is what
// the others leave. The faults name the bands that touch, overlap or are empty.
func (b *Book) partition(bands []Band, number func(Bound) amount.Amount) (laid []Interval, faults []BandProblem) {
	least, most := Cut{Inf: -1}, Cut{Inf: 1}
	takenBelow, takenAbove := least, most
	rest, percent := -1, false
	for i, band := range bands {
		if band.Rest {
			if rest >= 0 {
				faults = append(faults, BandProblem{i, "'rest' is stated twice"})
			}
			rest = i
			continue
		}
		in := Interval{takenBelow, takenAbove, i}
		if band.High != nil {
			in.High = Cut{At: number(band.High.Bound), After: band.High.Included}
			percent = percent || band.High.Bound.Percent
		}
		if band.Low != nil {
			in.Low = Cut{At: number(band.Low.Bound), After: !band.Low.Included}
			percent = percent || band.Low.Bound.Percent
		}
		switch {
		case band.High == nil:
			// Open above: the bands open below have no say.
			if in.Low.compare(takenAbove) < 0 {
				takenAbove = in.Low
			}
		case band.Low == nil:
			if in.High.compare(takenBelow) > 0 {
				takenBelow = in.High
			}
		}
		if in.Low.compare(in.High) >= 0 {
			faults = append(faults, BandProblem{i, "no number can fall in this band: " + span(in, percent)})
			continue
		}
		laid = append(laid, in)
	}
	sort.SliceStable(laid, func(i, j int) bool { return laid[i].Low.compare(laid[j].Low) < 0 })
	var gaps []Interval
	reached := least
	for i, in := range laid {
		if c := in.Low.compare(reached); c > 0 {
			gaps = append(gaps, Interval{reached, in.Low, rest})
		} else if c < 0 {
			both := Interval{Low: in.Low, High: reached}
			if in.High.compare(reached) < 0 {
				both.High = in.High
			}
			faults = append(faults, BandProblem{in.Band, "two bands overlap " + span(both, percent)})
		}
		if i == 0 || in.High.compare(reached) > 0 {
			reached = in.High
		}
	}
	if reached.compare(most) < 0 {
		gaps = append(gaps, Interval{reached, most, rest})
	}
	switch {
	case rest < 0:
		for _, g := range gaps {
			faults = append(faults, BandProblem{-1, span(g, percent) + " is in no band"})
		}
	case len(gaps) == 0:
		faults = append(faults, BandProblem{rest, "nothing is left for 'rest': the other bands take every number"})
	default:
		laid = append(laid, gaps...)
		sort.SliceStable(laid, func(i, j int) bool { return laid[i].Low.compare(laid[j].Low) < 0 })
	}
	return laid, faults
}

// span says an interval in words: 'from 59 to below 60'.
func span(in Interval, percent bool) string {
	write := func(c Cut) string { return cutText(c.At, percent) }
	low, high := "", ""
	if in.Low.Inf == 0 {
		low = map[bool]string{false: "from ", true: "above "}[in.Low.After] + write(in.Low)
	}
	if in.High.Inf == 0 {
		high = map[bool]string{false: "below ", true: "up to "}[in.High.After] + write(in.High)
	}
	switch {
	case low == "" && high == "":
		return "the whole number line"
	case low == "":
		return "everything " + high
	case high == "":
		return low + " on"
	case in.Low.At == in.High.At && !in.Low.After && in.High.After:
		return "exactly " + write(in.Low)
	}
	return low + " and " + high
}

func cutText(a amount.Amount, percent bool) string {
	if percent {
		return FormatPercent(a)
	}
	return FormatNumber(a)
}

// checkBands lays the bands with the dials as they stand, and again with each
// dial at either end of its range: turning a dial must not open a hole.
func (r *reader) checkBands(book *Book, t *Threshold, path string) {
	report := func(faults []BandProblem, note string) {
		for _, f := range faults {
			at := t.Bands[0].At
			if f.Band >= 0 {
				at = t.Bands[f.Band].At
			}
			r.complain(at, path, "%s%s", f.Text, note)
		}
	}
	_, faults := book.Partition(t.Bands)
	report(faults, "")
	if len(faults) > 0 {
		return
	}
	for i := range book.Dials {
		d := &book.Dials[i]
		for _, end := range []*amount.Amount{d.From, d.To} {
			if end == nil || !usesDial(t.Bands, d.Name) {
				continue
			}
			_, faults := book.partition(t.Bands, func(b Bound) amount.Amount {
				if b.Dial == d.Name {
					return *end
				}
				return book.Value(b)
			})
			report(faults, fmt.Sprintf(", once the dial %s is turned to %s", d.Name, cutText(*end, d.Percent)))
		}
	}
}

func usesDial(bands []Band, dial string) bool {
	for _, b := range bands {
		if b.Low != nil && b.Low.Bound.Dial == dial || b.High != nil && b.High.Bound.Dial == dial {
			return true
		}
	}
	return false
}
