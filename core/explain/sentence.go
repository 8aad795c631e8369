// Package explain puts verdicts into words.
package explain

import (
	"fmt"
	"strings"

	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/method"
	"oskel/core/rulebook"
	"oskel/core/words"
)

// Sentence says in one sentence why a subject got its verdict, with the
// numbers that decided it. Values and cuts are written with as many decimal
// places as it takes to tell them apart. Of a period that is taken so far it says up to
// which day.
func Sentence(book *rulebook.Book, rule *rulebook.Rule, p calendar.Period, v judge.Verdict, ev judge.Evidence) string {
	if day, is := book.Calendar.ToDate(); is && book.Calendar.Cut(p) {
		return "To date, up to " + day.Words() + ": " + sentence(book, rule, p, v, ev)
	}
	return sentence(book, rule, p, v, ev)
}

func sentence(book *rulebook.Book, rule *rulebook.Rule, p calendar.Period, v judge.Verdict, ev judge.Evidence) string {
	if n := ev.Persisted; n != nil {
		return fmt.Sprintf("%s In %d of the last %d %s; it is flagged from %d on.", verdict(book, rule, p, v, ev), n.Breaches, n.Of, words.Plural(rule.Each), n.Least)
	}
	return verdict(book, rule, p, v, ev)
}

func verdict(book *rulebook.Book, rule *rulebook.Rule, p calendar.Period, v judge.Verdict, ev judge.Evidence) string {
	switch v.Outcome {
	case judge.OutOfScope:
		return "Outside the rule's scope."
	case judge.NotJudged:
		return "Not judged: " + v.Why + "."
	case judge.NoData:
		if ev.Measure == "" {
			return fmt.Sprintf("There is no data for %s: %s.", book.Calendar.Words(p), v.Why)
		}
		return fmt.Sprintf("There is no data on %s for %s: %s.", strings.ToLower(method.Title(book, ev.Measure)), book.Calendar.Words(p), v.Why)
	}
	return method.Sentence(book, rule, v, &ev)
}
