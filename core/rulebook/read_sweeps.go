package rulebook

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
)

// Plan says when the periods of a grain are swept without anybody asking.
type Plan struct {
	At          Position
	Each        string   // the grain
	After       Delay    // from the period's last day
	Clock       int      // when on that day, in minutes after midnight of the calendar's zone
	WaitsFor    []string // feeds without which it does not begin
	AtTheLatest Delay    // when it begins whatever has come; nothing is waited for without it
	Outdated    string   // what becomes of a sweep that is out of date: AtOnce, AtNight or OnRequest
	LooksBack   int      // how many of the last periods it cares for
	ToDate      bool     // the one that runs is swept each day, as it is so far
}

// What becomes of a sweep that is out of date.
const (
	AtOnce    = "at once"
	AtNight   = "at night"
	OnRequest = "on request"
)

// Delay is a number of days, or of working days.
type Delay struct {
	Days    int
	Working bool
}

// String says a delay as the rulebook writes it.
func (d Delay) String() string {
	noun := "day"
	if d.Working {
		noun = "working day"
	}
	if d.Days != 1 {
		noun += "s"
	}
	return fmt.Sprintf("%d %s", d.Days, noun)
}

// The most that a plan may ask for.
const (
	mostDelay     = 250
	mostLooksBack = 36
	usualLookBack = 3
)

// readSweeps reads 'sweeps': when each kind of period is swept, what it waits for, and how far
// back.
func (r *reader) readSweeps(v value, book *Book) {
	for _, item := range v.maps() {
		f := item.fields(sections["sweep"]...)
		p := Plan{At: item.at, Each: f["each"].grain(book), After: f["after"].delay(Delay{1, true}), Clock: f["at"].clock(6 * 60),
			AtTheLatest: f["at_the_latest"].delay(Delay{}), Outdated: f["when_outdated"].oneOf(OnRequest, AtOnce, AtNight, OnRequest),
			LooksBack: usualLookBack, ToDate: f["to_date"].yes(false)}
		if b := f["looks_back"]; !b.absent() {
			n, ok := countOf(b.scalar(), "period")
			if !ok || n < 1 || n > mostLooksBack {
				b.complain("expected a number of periods from 1 to %d, such as '3 periods', found %q", mostLooksBack, b.scalar())
			}
			p.LooksBack = n
		}
		for _, other := range book.Sweeps {
			if other.Each == p.Each {
				item.complain("the periods of 'each: %s' have a plan already, in line %d", p.Each, other.At.Line)
			}
		}
		for _, feed := range f["waits_for"].items() {
			name := feed.scalar()
			if book.Feed(name) == nil {
				feed.complain("unknown feed %q%s", name, suggest(name, feedNames(book)))
			}
			p.WaitsFor = append(p.WaitsFor, name)
		}
		switch {
		case len(p.WaitsFor) > 0 && f["at_the_latest"].absent():
			f["waits_for"].complain("say until when it waits at the latest, such as 'at_the_latest: 5 working days'")
		case len(p.WaitsFor) == 0 && !f["at_the_latest"].absent():
			f["at_the_latest"].complain("nothing is waited for; name the feeds, such as 'waits_for: [%s]'", strings.Join(feedNames(book)[:min(1, len(book.Feeds))], ""))
		case len(p.WaitsFor) > 0 && p.AtTheLatest.before(p.After):
			f["at_the_latest"].complain("%s is before %s, when it begins", p.AtTheLatest, p.After)
		}
		if evaluated := grainsEvaluated(book); p.Each != "" && len(book.Rules) > 0 && !evaluated[p.Each] {
			f["each"].complain("no rule is evaluated 'each: %s', so that such a sweep would find nothing", p.Each)
		}
		if p.ToDate && p.Each == "day" {
			f["to_date"].complain("a day is over before it can be swept to date")
		}
		book.Sweeps = append(book.Sweeps, p)
	}
}

// before says that a delay ends before another whatever days are worked.
func (d Delay) before(o Delay) bool { return d.Days < o.Days && (!d.Working || o.Working) }

func grainsEvaluated(book *Book) map[string]bool {
	out := map[string]bool{}
	for _, rule := range book.Rules {
		out[rule.Each] = true
	}
	return out
}

// delay reads '2 working days' or '3 days'.
func (v value) delay(fallback Delay) Delay {
	if v.absent() {
		return fallback
	}
	for _, noun := range []string{"day", "working day"} {
		if n, ok := countOf(v.scalar(), noun); ok && n >= 1 && n <= mostDelay {
			return Delay{n, noun == "working day"}
		}
	}
	v.complain("expected 1 to %d days after the period's last day, such as '2 working days' or '3 days', found %q", mostDelay, v.scalar())
	return fallback
}

var clockForm = regexp.MustCompile(`^([01]\d|2[0-3]):([0-5]\d)$`)

// clock reads a time of day, such as "06:30".
func (v value) clock(fallback int) int {
	if v.absent() {
		return fallback
	}
	m := clockForm.FindStringSubmatch(v.scalar())
	if m == nil {
		v.complain("expected a time of day from \"00:00\" to \"23:59\", such as \"06:30\", found %q", v.scalar())
		return fallback
	}
	hours, _ := strconv.Atoi(m[1])
	minutes, _ := strconv.Atoi(m[2])
	return hours*60 + minutes
}

// PlanWords say a plan in words.
func (b *Book) PlanWords(p Plan) string {
	s := fmt.Sprintf("Each %s is swept %s after its last day at %s", p.Each, p.After, ClockText(p.Clock))
	if b.Calendar.Zone != "" {
		s += " (" + b.Calendar.Zone + ")"
	}
	if len(p.WaitsFor) > 0 {
		var titles []string
		for _, name := range p.WaitsFor {
			titles = append(titles, strings.ToLower(b.Feed(name).Title))
		}
		s += fmt.Sprintf(", once the lines of %s have come, and %s after it at the latest", strings.Join(titles, " and "), p.AtTheLatest)
	}
	switch p.Outdated {
	case AtOnce:
		s += ". Of the last " + countWords(p.LooksBack, "period") + ", those out of date are swept again at once."
	case AtNight:
		s += ". Of the last " + countWords(p.LooksBack, "period") + ", those out of date are swept again the next night."
	default:
		s += ". Those out of date are swept again on request."
	}
	if p.ToDate {
		s += " The running one is swept to date when lines of another day come, from " + ClockText(p.Clock) + " on."
	}
	return s
}

// ClockText writes minutes after midnight as a time of day.
func ClockText(minutes int) string { return fmt.Sprintf("%02d:%02d", minutes/60, minutes%60) }

func countWords(n int, noun string) string {
	if n != 1 {
		noun += "s"
	}
	return strconv.Itoa(n) + " " + noun
}
