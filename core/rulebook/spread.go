package rulebook

import (
	"oskel/core/amount"
	"oskel/core/calendar"
)

// SpreadTarget divides a target of a month, quarter, half or year over its
// months by the book's weights, to the last cent. Periods of other lengths
// are not spread: ok is false.
func (b *Book) SpreadTarget(target amount.Amount, p calendar.Period) (months []calendar.Month, parts []amount.Amount, ok bool) {
	if p.Unit < calendar.Monthly || p.Unit > calendar.Yearly {
		return nil, nil, false
	}
	first, last := b.Calendar.Whole(p)
	month := func(d calendar.Day) calendar.Month { return calendar.Month(b.Calendar.Of(calendar.Monthly, d).Number) }
	yearFrom, _ := b.Calendar.Whole(b.Calendar.Of(calendar.Yearly, first))
	var weights []amount.Amount
	some := false
	for m := month(first); m <= month(last); m++ {
		w := amount.FromInt(1)
		if b.Weights != nil {
			w = b.Weights[m-month(yearFrom)]
		}
		some = some || w > 0
		months, weights = append(months, m), append(weights, w)
	}
	if !some { // all of a stretch that weighs nothing is spread evenly
		for i := range weights {
			weights[i] = 1
		}
	}
	return months, amount.Spread(target, weights, amount.Scale/100), true
}
