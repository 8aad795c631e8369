// Package explain puts verdicts into words.
package explain

import (
	"fmt"
	"math/big"
	"strings"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/rulebook"
)

// Sentence says in one sentence why a subject got its verdict, with the
// numbers that decided it. Values and cuts are written with as many decimal
// places as it takes to tell them apart.
func Sentence(book *rulebook.Book, rule *rulebook.Rule, m calendar.Month, v judge.Verdict, ev judge.Evidence) string {
	if p := ev.Persisted; p != nil {
		return fmt.Sprintf("%s In %d of the last %d %ss; it is flagged from %d on.", verdict(book, rule, m, v, ev), p.Breaches, p.Of, rule.Each, p.Least)
	}
	return verdict(book, rule, m, v, ev)
}

func verdict(book *rulebook.Book, rule *rulebook.Rule, m calendar.Month, v judge.Verdict, ev judge.Evidence) string {
	switch v.Outcome {
	case judge.OutOfScope:
		return "Outside the rule's scope."
	case judge.NotJudged:
		return "Not judged: " + v.Why + "."
	case judge.NoData:
		if ev.Measure == "" {
			return fmt.Sprintf("There is no data for %s: %s.", book.Calendar.Words(calendar.MonthPeriod(m)), v.Why)
		}
		return fmt.Sprintf("There is no data on %s for %s: %s.", strings.ToLower(title(book, ev.Measure)), book.Calendar.Words(calendar.MonthPeriod(m)), v.Why)
	}
	switch {
	case rule.Threshold != nil && rule.Threshold.Choices != nil:
		return choice(book, v, ev)
	case rule.Threshold != nil:
		return threshold(book, ev)
	case rule.Outlier != nil:
		return outlier(book, rule, ev)
	}
	return silence(book, ev)
}

func title(book *rulebook.Book, measure string) string {
	if m := book.Measure(measure); m != nil {
		return m.Title
	}
	return measure
}

func threshold(book *rulebook.Book, ev judge.Evidence) string {
	name := title(book, ev.Measure)
	if ev.As == "" {
		value, band := withBand(ev.Held, ev.Unit, ev.Places, ev.Band)
		return fmt.Sprintf("%s is %s, %s.", name, value, band)
	}
	unit, places := ev.Unit, ev.Places
	if ev.As == "ratio" || ev.As == "change" {
		unit, places = rulebook.Percent, 1
	}
	held, band := withBand(ev.Held, unit, places, ev.Band)
	value, yardstick := rulebook.FormatApart(ev.Value, ev.Yardstick, ev.Unit, ev.Places)
	against := map[string]string{"target": "its target of ", "number": ""}
	word, ok := against[ev.Against]
	if !ok {
		word = ev.Against + ", "
	}
	switch ev.As {
	case "change":
		return fmt.Sprintf("%s is %s, a change of %s from %s%s: %s.", name, value, held, word, yardstick, band)
	case "ratio":
		return fmt.Sprintf("%s is %s, %s of %s%s: %s.", name, value, held, word, yardstick, band)
	}
	return fmt.Sprintf("%s is %s against %s%s, a difference of %s: %s.", name, value, word, yardstick, held, band)
}

// choice names the conditions that decided.
func choice(book *rulebook.Book, v judge.Verdict, ev judge.Evidence) string {
	var figures []string
	for _, in := range ev.Inputs {
		text := "missing"
		if m := book.Measure(in.Measure); in.Value != nil {
			text = rulebook.Format(in.Value, in.Unit, m.Places)
		}
		figures = append(figures, lowerFirst(title(book, in.Measure))+" "+text)
	}
	with := strings.Join(figures, ", ")
	switch {
	case v.Outcome == judge.Clear:
		return "Nothing the rule asks for holds: " + with + "."
	case len(ev.Holding) == 0:
		return "None of what the rule asks for holds: " + with + "."
	case len(ev.Holding) == 1:
		return "It holds that " + ev.Holding[0] + ": " + with + "."
	}
	return "These hold: " + strings.Join(ev.Holding, "; ") + ": " + with + "."
}

func lowerFirst(s string) string {
	if s == "" {
		return s
	}
	return strings.ToLower(s[:1]) + s[1:]
}

// withBand writes a value and the nearest ends of its band so that they
// differ wherever they do.
func withBand(v *big.Rat, unit rulebook.Unit, places int, band *judge.BandFound) (string, string) {
	value := rulebook.Format(v, unit, places)
	var parts []string
	end := func(e *judge.BandEnd, closed, open string) {
		if e == nil {
			return
		}
		cut := cutWords(e)
		if c := e.At.Rat(); v.Cmp(c) != 0 && rulebook.Format(c, unit, places) == rulebook.Format(v, unit, places) {
			value, _ = rulebook.FormatApart(v, c, unit, places)
		}
		if e.Included {
			parts = append(parts, closed+" "+cut)
		} else {
			parts = append(parts, open+" "+cut)
		}
	}
	end(band.Low, "at least", "above")
	end(band.High, "at most", "below")
	return value, strings.Join(parts, " and ")
}

func cutWords(e *judge.BandEnd) string {
	s := rulebook.FormatNumber(e.At)
	if e.Percent {
		s = rulebook.FormatPercent(e.At)
	}
	if e.Dial != "" {
		s += " (" + e.Dial + ")"
	}
	return s
}

func outlier(book *rulebook.Book, rule *rulebook.Rule, ev judge.Evidence) string {
	value, median := rulebook.FormatApart(ev.Value, ev.Peers.Median, ev.Unit, ev.Places)
	side := "above"
	if ev.Peers.Score.Sign() < 0 {
		side = "below"
	}
	among := book.Many(rule.Levels[0])
	if ev.Peers.Attribute != "" {
		among += " in " + ev.Peers.Group
	}
	score, cut := rulebook.FormatApart(new(big.Rat).Abs(ev.Peers.Score), ev.Peers.Cut, rulebook.Count, 1)
	verb := "far "
	if new(big.Rat).Abs(ev.Peers.Score).Cmp(ev.Peers.Cut) <= 0 {
		verb = ""
	}
	return fmt.Sprintf("%s is %s, %s%s the median of %s among %d %s: robust score %s, the cut is %s.",
		title(book, ev.Measure), value, verb, side, median, ev.Peers.Others+1, among, score, cut)
}

func silence(book *rulebook.Book, ev judge.Evidence) string {
	last, _ := calendar.ParseDay(ev.Silence.Last)
	asOf, _ := calendar.ParseDay(ev.Silence.AsOf)
	return fmt.Sprintf("Nothing in %s since %s: %s by %s, the limit is %s.",
		strings.ToLower(book.Feed(ev.Silence.Feed).Title), last.Words(), days(ev.Silence.Days), asOf.Words(), days(ev.Silence.Limit))
}

func days(n int) string {
	return rulebook.Format(amount.FromInt(int64(n)).Rat(), rulebook.Days, 0)
}
