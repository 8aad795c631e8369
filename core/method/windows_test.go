package method_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"oskel/core/calendar"
	"oskel/core/judge"
)

// lines reads 'sales 10-03 1 500 T1': feed, day of 2026, item, net, ticket, of
// shop 0; several by ';'.
func lines(text string) (out []line) {
	for _, part := range strings.Split(text, ";") {
		f := strings.Fields(part)
		if len(f) == 0 {
			continue
		}
		l := line{feed: map[string]string{"s": "sales", "r": "returns"}[f[0]], day: "2026-" + f[1]}
		if strings.Count(f[1], "-") == 2 {
			l.day = f[1]
		}
		l.net = "1"
		if len(f) > 2 {
			fmt.Sscan(f[2], &l.item)
		}
		if len(f) > 3 {
			l.net = f[3]
		}
		if len(f) > 4 {
			l.ticket = f[4]
		}
		out = append(out, l)
	}
	return out
}

// Patterns in dated lines at their edges, each for paper; the period is October.
func TestWindowsByHand(t *testing.T) {
	for _, c := range []struct{ rule, lines, want, words string }{
		{"window: {burst: returns, at_least: 3 lines, within: 3 days, grade: act}", "r 10-01; r 10-02; r 10-03", "act",
			"3 returns within 3 days (1 Oct 2026 to 3 Oct 2026); 3 or more are flagged."},
		{"window: {burst: returns, at_least: 3 lines, within: 3 days, grade: act}", "r 10-01; r 10-02; r 10-04", "clear",
			"At most 2 returns within 3 days; 3 or more are flagged."},
		{"window: {burst: returns, at_least: 3 lines, within: 1 day, grade: act}", "r 10-05; r 10-05; r 10-05", "act", ""},
		{"window: {burst: returns, at_least: 2 days with lines, within: 7 days, grade: act}", "r 10-05; r 10-05; r 10-05", "clear", ""},
		{"window: {burst: returns, at_least: 2 days with lines, within: 7 days, grade: act}", "r 10-05; r 10-05; r 10-11", "act", ""},
		{"window: {burst: returns, at_least: 2 days with lines, within: 7 days, grade: act}", "r 10-05; r 10-12", "clear", ""},
		{"window: {burst: returns, at_least: 100 in total, number: net, within: 7 days, grade: act}", "r 10-05 0 60; r 10-11 0 40", "act", ""},
		{"window: {burst: returns, at_least: 100.01 in total, number: net, within: 7 days, grade: act}", "r 10-05 0 60; r 10-11 0 40", "clear", ""},
		// only windows that end with a day
		{"window: {burst: returns, at_least: 100 in total, number: net, within: 7 days, grade: act}", "r 10-05 0 120; r 10-05 0 -30", "clear", ""},
		{"window: {burst: returns, at_least: 2 lines, within: 7 days, grade: act}", "r 09-28; r 10-02", "act",
			"2 returns within 7 days (28 Sep 2026 to 2 Oct 2026); 2 or more are flagged."},
		// one burst, reported in September
		{"window: {burst: returns, at_least: 2 lines, within: 7 days, grade: act}", "r 09-28; r 09-29; r 10-02", "clear", ""},
		// windows 29-30 and 2-3 share no day: two bursts
		{"window: {burst: returns, at_least: 2 lines, within: 2 days, grade: act}", "r 09-29; r 09-30; r 10-02; r 10-03", "act", ""},
		{"window: {burst: 'returns where net above 10', at_least: 2 lines, within: 7 days, grade: act}", "r 10-05 0 11; r 10-06 0 10", "clear", ""},
		{"window: {burst: returns, at_least: 2 lines, within: 7 days, grade: act}", "s 10-05; r 08-06", "not judged (no lines in the period)", ""},
		// Silence: as-of 31 October.
		{"window: {silence: sales, at_least: 30 days, grade: act}", "s 10-01", "act",
			"No orders since 1 Oct 2026: 30 days by 31 Oct 2026; flagged at 30 days or more."},
		{"window: {silence: sales, at_least: 31 days, grade: act}", "s 10-01", "clear", ""},
		{"window: {silence: sales, at_least: 22 working days, grade: act}", "s 10-01", "clear", ""}, // 2 to 31 October: 21 worked
		{"window: {silence: sales, at_least: 21 working days, grade: act}", "s 10-01", "act",
			"No orders since 1 Oct 2026: 30 days by 31 Oct 2026; flagged at 21 working days or more."},
		{"window: {silence: sales, longer_than: 2 usual gaps, grade: act}", "s 09-11; s 09-16; s 09-16; s 09-21; s 10-01", "act",
			"No orders since 1 Oct 2026: 30 days by 31 Oct 2026; flagged at more than 2.0 times its usual gap of 5 days."},
		{"window: {silence: sales, longer_than: 6 usual gaps, grade: act}", "s 09-11; s 09-16; s 09-21; s 10-01", "clear", ""}, // exactly 6 x 5
		{"window: {silence: sales, longer_than: 5.9999 usual gaps, grade: act}", "s 09-11; s 09-16; s 09-21; s 10-01", "act", ""},
		{"window: {silence: sales, longer_than: 2 usual gaps, at_least: 31 days, grade: act}", "s 09-11; s 09-16; s 09-21; s 10-01", "clear", ""},
		{"window: {silence: sales, longer_than: 2 usual gaps, grade: act}", "s 09-11; s 09-16; s 10-01", "not judged (too few gaps for a usual gap)", ""},
		{"window: {silence: sales, longer_than: 2 usual gaps, gaps: 2, grade: act}", "s 09-11; s 09-16; s 10-01", "act", ""},
		{"window: {silence: 'sales where net above 5', at_least: 20 days, grade: act}", "s 10-01 0 6; s 10-30 0 5", "act", ""},
		// Followed.
		{"window: {followed: sales, by: returns, within: 30 days, grade: act}", "s 09-05; r 10-05", "act",
			"1 event in orders was followed within 30 days by returns: 5 Sep 2026, then 5 Oct 2026."},
		{"window: {followed: sales, by: returns, within: 29 days, grade: act}", "s 09-05; r 10-05", "clear",
			"No event in orders was followed by returns within 29 days."},
		{"window: {followed: sales, by: returns, within: 30 days, grade: act}", "s 10-05; r 10-05", "act", ""},
		{"window: {followed: sales, by: returns, within: 30 days, from: the next day, grade: act}", "s 10-05; r 10-05", "clear", ""},
		{"window: {followed: sales, by: returns, within: 30 days, from: the next day, grade: act}", "s 10-05; r 10-06", "act", ""},
		{"window: {followed: sales, by: returns, within: 30 days, grade: act}", "s 10-05; r 10-04", "clear", ""},
		{"window: {followed: sales, by: returns, within: 30 days, grade: act}", "s 09-20; r 09-25; r 10-05", "clear", ""}, // its first answer was in September
		{"window: {followed: sales, by: returns, within: 30 days, same: [item], grade: act}", "s 10-05 1; r 10-06 2", "clear", ""},
		{"window: {followed: sales, by: returns, within: 30 days, same: [item], grade: act}", "s 10-05 1; r 10-06 2; r 10-07 1", "act", ""},
		{"window: {followed: sales, by: returns, within: 30 days, same: [ticket], grade: act}",
			"s 10-04 0 1 T9; s 10-05 0 1 T1; r 10-06 0 1 T2; r 10-07 0 1 T1", "act", ""},
		{"window: {followed: sales, by: returns, within: 30 days, same: [ticket], grade: act}", "s 10-05; r 10-06", "clear", ""}, // an empty key matches nothing
		{"window: {followed: 'sales where net above 10', by: sales, within: 5 days, grade: act}", "s 10-05 0 11", "clear", ""},   // not by itself
		{"window: {followed: 'sales where net above 10', by: sales, within: 5 days, grade: act}", "s 10-05 0 11; s 10-05 0 1", "act", ""},
		{"window: {followed: sales, by: returns, within: 5 days, at_least: 2, grade: act}", "s 10-05; s 10-06; r 10-07", "act", ""}, // one answers several
		{"window: {followed: sales, by: returns, within: 5 days, at_least: 2, answers: one, grade: act}", "s 10-05; s 10-06; r 10-07", "clear", ""},
		{"window: {followed: sales, by: returns, within: 5 days, at_least: 2, answers: one, grade: act}", "s 10-05; s 10-06; r 10-07; r 10-08", "act",
			"2 events in orders were followed within 5 days by returns: 5 Oct 2026, then 7 Oct 2026, and 1 more."},
		// the second order by the second return
		{"window: {followed: sales, by: returns, within: 5 days, answers: one, grade: act}", "s 09-28; s 09-29; r 09-30; r 10-01", "act", ""},
		// Unanswered: judged when the window closes.
		{"window: {unanswered: sales, by: returns, within: 10 days, grade: act}", "s 10-21; r 10-01", "act",
			"1 event in orders had no returns within 10 days: 21 Oct 2026, whose window closed on 31 Oct 2026."},
		{"window: {unanswered: sales, by: returns, within: 10 days, grade: act}", "s 10-22; r 10-01", "not judged (window open until 1 Nov 2026)",
			"Not judged: window open until 1 Nov 2026."},
		{"window: {unanswered: sales, by: returns, within: 10 days, grade: act}", "s 10-22; r 10-23", "clear", ""},
		{"window: {unanswered: sales, by: returns, within: 10 days, grade: act}", "s 10-05; r 10-15; s 10-22", "clear",
			"Every event in orders whose window closed had returns within 10 days."},
		{"window: {unanswered: sales, by: returns, within: 10 days, grade: act}", "s 10-05; r 10-16", "act", ""},
		{"window: {unanswered: sales, by: returns, within: 10 days, grade: act}", "s 09-20; r 10-16", "clear", ""}, // closed in September
		{"window: {unanswered: sales, by: returns, within: 10 days, grade: act}", "s 09-21; r 10-16", "act", ""},
		{"window: {unanswered: sales, by: returns, within: 2 working days, grade: act}", "s 10-02; r 10-06", "clear", ""}, // a Friday: Monday and Tuesday
		{"window: {unanswered: sales, by: returns, within: 2 working days, grade: act}", "s 10-02; r 10-07", "act", ""},
		{"window: {unanswered: sales, by: returns, within: 1 working day, grade: act}", "s 10-02; r 10-03", "clear", ""}, // a Saturday inside counts
		// Shift: 5 days on both sides of an event, the day itself in neither.
		{"window: {shift: sales, number: net, after: returns, days: 5 days, beyond: 39%, grade: act}", "s 10-05 0 50; s 10-10 0 999; s 10-15 0 30; r 10-10",
			"act", "After the event of 10 Oct 2026: 6.00 a day in 5 days, before it 10.00: a change of -40.0%; the cut is 39%."},
		{"window: {shift: sales, number: net, after: returns, days: 5 days, beyond: 40%, grade: act}", "s 10-05 0 50; s 10-15 0 30; r 10-10", "clear", ""},
		// What was before may lie two months back: the event is of September, and its window closes on 2 October.
		{"window: {shift: sales, number: net, after: returns, days: 28 days, beyond: 39%, grade: act}", "s 08-08 0 50; s 10-02 0 30; r 09-04", "act", ""},
		{"window: {shift: sales, number: net, after: returns, days: 5 days, beyond: 39%, side: high, grade: act}", "s 10-05 0 50; s 10-15 0 30; r 10-10",
			"clear", ""},
		{"window: {shift: sales, number: net, after: returns, days: 5 days, beyond: 10%, grade: act}", "s 10-04 0 50; s 10-16 0 30; r 10-10",
			"not judged (nothing before to compare with)", ""},
		{"window: {shift: sales, number: net, after: returns, days: 5 days, as: difference, beyond: 3.9, grade: act}",
			"s 10-05 0 50; s 10-15 0 30; r 10-10", "act", ""},
		{"window: {shift: sales, number: net, after: returns, days: 5 days, less_than: 10%, grade: act}", "s 10-05 0 50; s 10-15 0 54.9; r 10-10", "act", ""},
		// Of several events, each day counted once, the one whose change is flagged soonest.
		{"window: {shift: sales, number: net, after: returns, days: 5 days, beyond: 39%, grade: act}",
			"s 10-03 0 50; s 10-07 0 50; s 10-16 0 50; s 10-22 0 30; r 10-05; r 10-05; r 10-20", "act",
			"After the event of 20 Oct 2026: 6.00 a day in 5 days, before it 10.00: a change of -40.0%; the cut is 39%."},
		{"window: {shift: sales, number: net, after: returns, days: 5 days, beyond: 39%, grade: act}",
			"s 10-03 0 50; s 10-07 0 30; s 10-16 0 50; s 10-22 0 20; r 10-05; r 10-05; r 10-20", "act",
			"After the event of 20 Oct 2026: 4.00 a day in 5 days, before it 10.00: a change of -60.0%; the cut is 39%."},
		{"window: {shift: sales, number: net, after: returns, days: 5 days, beyond: 39%, grade: act}",
			"s 10-03 0 50; s 10-07 0 20; s 10-16 0 50; s 10-22 0 30; r 10-05; r 10-05; r 10-20", "act",
			"After the event of 5 Oct 2026: 4.00 a day in 5 days, before it 10.00: a change of -60.0%; the cut is 39%."},
		{"window: {shift: sales, number: net, after: returns, days: 5 days, beyond: 39%, side: both, grade: act}",
			"s 10-03 0 50; s 10-07 0 90; s 10-16 0 50; s 10-22 0 25; r 10-05; r 10-05; r 10-20", "act",
			"After the event of 5 Oct 2026: 18.00 a day in 5 days, before it 10.00: a change of 80.0%; the cut is 39%."},
		{"window: {shift: sales, number: net, after: returns, days: 5 days, beyond: 39%, side: both, grade: act}",
			"s 10-03 0 50; s 10-07 0 70; s 10-16 0 50; s 10-22 0 5; r 10-05; r 10-05; r 10-20", "act",
			"After the event of 20 Oct 2026: 1.00 a day in 5 days, before it 10.00: a change of -90.0%; the cut is 39%."},
		{"window: {shift: sales, number: net, after: returns, days: 5 days, beyond: 39%, side: high, grade: act}",
			"s 10-03 0 50; s 10-07 0 80; s 10-16 0 50; s 10-22 0 90; r 10-05; r 10-05; r 10-20", "act",
			"After the event of 20 Oct 2026: 18.00 a day in 5 days, before it 10.00: a change of 80.0%; the cut is 39%."},
		{"window: {shift: sales, number: net, after: returns, days: 5 days, less_than: 10%, grade: act}",
			"s 10-03 0 50; s 10-07 0 54; s 10-16 0 50; s 10-22 0 54.5; r 10-05; r 10-05; r 10-20", "act", ""},
		{"window: {shift: sales, number: net, after: returns, days: 5 days, less_than: 10%, grade: act}", "s 10-05 0 50; s 10-15 0 55; r 10-10", "clear", ""},
		{"window: {shift: sales, after: returns, days: 5 days, beyond: 40%, grade: act}", "s 10-22; s 10-23; s 10-28; r 10-26", "act", ""}, // closes on 31 October
		{"window: {shift: sales, after: returns, days: 5 days, beyond: 40%, grade: act}", "s 10-22; r 10-27", "not judged (window open until 1 Nov 2026)", ""},
		{"window: {shift: sales, after: returns, days: 5 days, beyond: 40%, grade: act}", "s 10-22; r 09-20",
			"not judged (no event whose window closed in the period)", ""},
		// During: the fair of 6 to 8 October; that of 28 to 30 September is no day before.
		{"window: {during: fair, of: net, above: 49%, grade: act}", "s 10-05 0 30; s 10-06 0 25; s 10-08 0 25; s 10-09 0 20", "act",
			"Net from 6 Oct 2026 to 8 Oct 2026 is 50, 50.0% of the month; flagged above 49%."},
		{"window: {during: fair, of: net, above: 50%, grade: act}", "s 10-05 0 30; s 10-06 0 25; s 10-08 0 25; s 10-09 0 20", "clear", ""},
		// 10 days before, 3 of them of the other fair: 70 on 7 days is 10 a day; 3 days hold 36.
		{"window: {during: fair, of: net, as: change, before: 10 days, below: 25%, grade: act}", "s 09-29 0 999; s 10-01 0 70; s 10-07 0 36", "act",
			"Net a day from 6 Oct 2026 to 8 Oct 2026 is 20.0% above the days before (36 in all); flagged below 25%."},
		{"window: {during: fair, of: net, as: change, before: 10 days, below: 20%, grade: act}", "s 09-29 0 999; s 10-01 0 70; s 10-07 0 36", "clear", ""},
		// October ends on a Saturday: its last 2 working days are from Thursday 29.
		{"window: {during: last 2 working days, of: net, above: 59%, grade: act}", "s 10-28 0 40; s 10-29 0 30; s 10-31 0 30", "act", ""},
		{"window: {during: last 2 working days, of: net, above: 60%, grade: act}", "s 10-28 0 40; s 10-29 0 30; s 10-31 0 30", "clear", ""},
		{"window: {during: first 1 day, of: net, above: 60%, grade: act}", "s 10-01 0 70; s 10-29 0 30", "act", ""},
	} {
		e := world(t, read(t, c.rule), 1, lines(c.lines)...)
		r := found(e, october)
		words := sentence(e, r, 0)
		assert.Equal(t, c.want, said(r), "%s: %s (%s)", c.rule, c.lines, words)
		if c.words != "" {
			assert.Equal(t, c.words, words, c.rule)
		}
	}
	e := world(t, read(t, "window: {during: fair, of: net, above: 50%, grade: act}"), 1, lines("s 08-05")...)
	assert.Equal(t, "not judged (no such window ended in the period)", said(found(e, october-2)))
}

// Against the change of peers in the same days: all fall by half, one by more.
func TestShiftAgainstPeers(t *testing.T) {
	var all []line
	for shop, after := range []string{"50", "50", "10", "50"} {
		all = append(all, line{"sales", "2026-10-05", shop, 0, "100", ""}, line{"sales", "2026-10-15", shop, 0, after, ""},
			line{"returns", "2026-10-10", shop, 0, "1", ""})
	}
	rule := "window: {shift: sales, number: net, after: returns, days: 5 days, beyond: 30%, peers: yes, grade: act}"
	e := world(t, read(t, rule), 4, all...)
	r := found(e, october)
	assert.Equal(t, "clear; clear; act; clear", said(r))
	assert.Equal(t, "After the event of 10 Oct 2026: 2.00 a day in 5 days, before it 20.00: a change of -40.0%, -50.0% of it the others' too; the cut "+
		"is 30%.", sentence(e, r, 2))
	plain := world(t, read(t, strings.Replace(rule, "peers: yes", "peers: no", 1)), 4, all...)
	assert.Equal(t, "act; act; act; act", said(found(plain, october)))
}

// An event is reported once: over the months, each unanswered event and each that
// was followed is in one of them, whatever reaches over their ends.
func TestEachEventIsReportedOnce(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		within := rapid.IntRange(1, 40).Draw(t, "within")
		oneToOne := rapid.Bool().Draw(t, "one")
		next := rapid.Bool().Draw(t, "next")
		sameItem := rapid.Bool().Draw(t, "item")
		start := calendar.Date(2026, 7, 1)
		type event struct {
			day  calendar.Day
			item int
		}
		draw := func(name string) (out []event) {
			for range rapid.IntRange(0, 12).Draw(t, name) {
				out = append(out, event{start + calendar.Day(rapid.IntRange(0, 91).Draw(t, "day")), rapid.IntRange(0, 2).Draw(t, "item")})
			}
			slices.SortStableFunc(out, func(a, b event) int { return int(a.day - b.day) })
			return out
		}
		as, bs := draw("a"), draw("b")
		var all []line
		for _, a := range as {
			all = append(all, line{"sales", a.day.String(), 0, a.item, "1", ""})
		}
		for _, b := range bs {
			all = append(all, line{"returns", b.day.String(), 0, b.item, "1", ""})
		}
		// By hand: the first answer of each event, in order.
		used := make([]bool, len(bs))
		followed, missed := map[calendar.Month]int{}, map[calendar.Month]int{}
		for _, a := range as {
			hit := -1
			for k, b := range bs {
				lag := int(b.day - a.day)
				if lag <= within && (lag > 0 || lag == 0 && !next) && (!sameItem || a.item == b.item) && !used[k] {
					hit = k
					break
				}
			}
			if hit < 0 {
				missed[(a.day+calendar.Day(within)).Month()]++
				continue
			}
			used[hit] = oneToOne
			followed[bs[hit].day.Month()]++
		}
		options := ""
		if oneToOne {
			options += ", answers: one"
		}
		if next {
			options += ", from: the next day"
		}
		if sameItem {
			options += ", same: [item]"
		}
		for _, c := range []struct {
			key  string
			want map[calendar.Month]int
		}{{"followed", followed}, {"unanswered", missed}} {
			e := world(t, read(t, fmt.Sprintf("window: {%s: sales, by: returns, within: %d days, grade: act%s}", c.key, within, options)), 1, all...)
			late := 0
			for m := start.Month(); m <= start.Month()+5; m++ {
				r := judge.Judge(e, &e.Book.Rules[0], e.Book.Rules[0].Levels[0], calendar.MonthPeriod(m))
				if r.Empty { // what closes in it is of the next month with lines
					late += c.want[m]
					continue
				}
				n := 0
				if ev := judge.EvidenceFor(e, r, 0); ev.Events != nil {
					n = len(ev.Events.Windows)
				}
				require.Equal(t, c.want[m]+late, n, "%s in %s", c.key, m)
				late = 0
				require.Equal(t, n > 0, r.IsFlagged(0))
			}
		}
	})
}

// Bursts against brute force: every window of d days that ends on a day with a
// line, joined where they share a day, each in the month of its first day over.
func TestBurstsAgreeWithBruteForce(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		d, least := rapid.IntRange(1, 12).Draw(t, "d"), rapid.IntRange(2, 4).Draw(t, "least")
		noun := rapid.SampledFrom([]string{"lines", "days with lines"}).Draw(t, "noun")
		start := calendar.Date(2026, 8, 20)
		counts := map[calendar.Day]int{}
		var all []line
		for range rapid.IntRange(0, 25).Draw(t, "n") {
			day := start + calendar.Day(rapid.IntRange(0, 60).Draw(t, "day"))
			counts[day]++
			all = append(all, line{"returns", day.String(), 0, 0, "1", ""})
		}
		want := map[calendar.Month]int{}
		covered := map[calendar.Day]bool{} // by windows over the count
		for day := start; day <= start+61; day++ {
			n := 0
			for k := day - calendar.Day(d) + 1; k <= day; k++ {
				switch {
				case noun == "lines":
					n += counts[k]
				case counts[k] > 0:
					n++
				}
			}
			if counts[day] == 0 || n < least {
				continue
			}
			shares := false
			for k := day - calendar.Day(d) + 1; k <= day; k++ {
				shares = shares || covered[k]
			}
			for k := day - calendar.Day(d) + 1; k <= day; k++ {
				covered[k] = true
			}
			if !shares {
				want[day.Month()]++
			}
		}
		e := world(t, read(t, fmt.Sprintf("window: {burst: returns, at_least: %d %s, within: %d days, grade: act}", least, noun, d)), 1, all...)
		for m := start.Month(); m <= october; m++ {
			r := judge.Judge(e, &e.Book.Rules[0], e.Book.Rules[0].Levels[0], calendar.MonthPeriod(m))
			if r.Empty {
				continue
			}
			require.Len(t, judge.EvidenceFor(e, r, 0).Events.Windows, want[m], m.String())
			require.Equal(t, want[m] > 0, r.IsFlagged(0))
		}
	})
}

// Windows judge groups, pairs and the whole as they judge subjects.
func TestWindowsAtOtherLevels(t *testing.T) {
	two := []line{{"returns", "2026-10-05", 0, 1, "1", ""}, {"returns", "2026-10-06", 2, 1, "1", ""}, {"returns", "2026-10-07", 1, 2, "1", ""}}
	for level, want := range map[string]string{"shop": "clear; clear; clear", "shop.town": "out of scope; act; clear", "shop.town x item": "act; clear",
		"whole": "act"} {
		book, problems, _ := judge.ReadBook([]byte(head + "  - {name: x, judges: " + level +
			", window: {burst: returns, at_least: 2 lines, within: 7 days, grade: act}}\n"))
		require.Empty(t, problems)
		assert.Equal(t, want, said(found(world(t, book, 3, two...), october)), level)
	}
	several, problems, _ := judge.ReadBook([]byte(head + "  - {name: x, judges: [shop, whole], window: {silence: returns, at_least: 20 days, grade: act}}\n"))
	require.Empty(t, problems)
	e := world(t, several, 3, two...)
	var all []string
	for _, r := range judge.All(e, calendar.MonthPeriod(october)) {
		all = append(all, said(r))
	}
	assert.Equal(t, []string{"act; act; act", "act"}, all)
}

// The evidence of what is during a window says how it was held.
func TestEvidenceOfWhatIsDuring(t *testing.T) {
	for rule, want := range map[string]string{"as: change, before: 10 days, below: 25%": "Change a day", "above: 1%": "Share of the month"} {
		e := world(t, read(t, "window: {during: fair, of: net, "+rule+", grade: act}"), 1, lines("s 09-29 0 999; s 10-01 0 70; s 10-07 0 36")...)
		assert.Equal(t, want, judge.EvidenceFor(e, found(e, october), 0).Figures[0].Label)
		assert.Len(t, found(e, october).LineUp(0).Cuts, 1, "the one that is stated is drawn")
	}
}

// What both lines must have in common is of one sort in both: the key of a subject is
// never held against a word.
func TestCommonKeysAreOfOneSort(t *testing.T) {
	words := strings.Replace(head, "returns: {title: Returns, date: day, subjects: {shop: shop, item: item}, numbers: {net: money}, labels: [ticket]}",
		"returns: {title: Returns, date: day, subjects: {shop: shop}, numbers: {net: money}, labels: [ticket, item]}", 1)
	assert.NotEqual(t, head, words)
	_, all, _ := judge.ReadBook([]byte(words + "  - {name: x, judges: shop, window: {followed: sales, by: returns, within: 30 days, same: [item], grade: act}}\n"))
	if assert.Len(t, all, 1) {
		assert.Equal(t, "item is a kind in the lines of sales, and words in those of returns: they have nothing to be compared by", all[0].Text)
	}
}

// Lines that decided are told in order of their days, whichever window they lie in.
func TestLinesInOrderOfTheirDays(t *testing.T) {
	e := world(t, read(t, "window: {followed: sales, by: returns, within: 30 days, grade: act}"), 1, lines("s 10-05 0 100; r 10-15 0 50; r 10-20 0 5")...)
	var days []string
	for _, l := range judge.EvidenceFor(e, found(e, october), 0).Events.Lines {
		days = append(days, l.Day[5:]+" "+l.Role)
	}
	assert.Equal(t, []string{"10-05 event", "10-15 answer"}, days)
}
