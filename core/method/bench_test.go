package method_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/measure"
)

// busy is a world of many shops with lines over three years.
func busy(b *testing.B, rule string, shops, count int) *measure.Engine {
	r := rand.New(rand.NewPCG(1, 2))
	var all []line
	first := calendar.Date(2023, 11, 1)
	for i := range count {
		day := first + calendar.Day(i*1095/count)
		all = append(all, line{[]string{"sales", "sales", "sales", "returns"}[r.IntN(4)], day.String(), r.IntN(shops), r.IntN(5),
			fmt.Sprintf("%d.%02d", r.IntN(900), r.IntN(100)), ""})
	}
	return world(b, read(b, rule), shops, all...)
}

// One rule of a method, judged on an engine that knows nothing.
func BenchmarkMethods(b *testing.B) {
	for _, rule := range []string{
		"outlier: {of: net, by: level shift, over: 24 periods, grade: act}",
		"outlier: {of: net, by: deviation from trend, over: 12 periods, beyond: 4, grade: act}",
		"outlier: {of: net, by: own past, beyond: 4, grade: act}",
		"outlier: {of: net, by: standard score, beyond: 3, grade: act}",
		"window: {silence: sales, longer_than: 3 usual gaps, grade: act}",
		"window: {burst: sales, at_least: 30 lines, within: 7 days, grade: act}",
		"window: {followed: sales, by: returns, within: 3 days, same: [item], grade: act}",
		"window: {shift: sales, number: net, after: returns, days: 20 days, beyond: 60%, grade: act}",
	} {
		e := busy(b, rule, 2000, 200_000)
		b.Run(rule, func(b *testing.B) {
			for b.Loop() {
				fresh := measure.New(e.Book, e.Snapshot)
				judge.All(fresh, calendar.MonthPeriod(october))
			}
		})
	}
}
