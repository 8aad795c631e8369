package rulebook

import (
	"fmt"
	"strings"
)

// Words says what a rule does, made from its definition alone.
func (b *Book) Words(r *Rule) string {
	var s strings.Builder
	kind := b.Kind(r.Judges)
	fmt.Fprintf(&s, "Each %s, for every %s", r.Each, strings.ToLower(kind.Title))
	if r.Where != nil {
		fmt.Fprintf(&s, " where %s", r.Where.Text)
	}
	s.WriteString(": ")
	switch {
	case r.Threshold != nil:
		s.WriteString(b.thresholdWords(r.Threshold))
	case r.Outlier != nil:
		s.WriteString(b.outlierWords(r.Outlier, strings.ToLower(kind.Plural)))
	case r.Window != nil:
		fmt.Fprintf(&s, "%s when the last of the %s lies %d days or more before the period's last day; one that was never seen is not judged",
			b.Grade(r.Window.Grade).Label, strings.ToLower(b.Feed(r.Window.Feed).Title), r.Window.Days)
	}
	s.WriteString(".")
	for _, base := range r.Base {
		fmt.Fprintf(&s, " Judged only where %s is %s %s.", strings.ToLower(b.Measure(base.Measure).Title), atLeast(base.Included), b.Number(base.Bound))
	}
	switch {
	case r.Window != nil:
	case r.NoData != "":
		fmt.Fprintf(&s, " No data is %s.", b.Grade(r.NoData).Label)
	default:
		s.WriteString(" No data says nothing.")
	}
	if !r.On {
		s.WriteString(" The rule is off.")
	}
	return s.String()
}

func atLeast(included bool) string {
	if included {
		return "at least"
	}
	return "above"
}

func (b *Book) thresholdWords(t *Threshold) string {
	what := lowerFirst(b.Measure(t.Of).Title)
	if t.Against != nil {
		yardstick := "its target"
		if !t.Against.Target {
			yardstick = b.Number(t.Against.Bound)
		}
		if t.As == "ratio" {
			what += " as a share of " + yardstick
		} else {
			what += " less " + yardstick
		}
	}
	var parts []string
	for i, band := range t.Bands {
		verdict := "clear"
		if band.Grade != "" {
			verdict = b.Grade(band.Grade).Label
		}
		switch {
		case band.Rest:
			parts = append(parts, verdict)
		case i == 0:
			parts = append(parts, verdict+" when "+what+" is "+b.endWords(band))
		default:
			parts = append(parts, verdict+" when "+b.endWords(band))
		}
	}
	return strings.Join(parts, ", else ")
}

func (b *Book) endWords(band Band) string {
	var stated []string
	if band.Low != nil {
		stated = append(stated, atLeast(band.Low.Included)+" "+b.Number(band.Low.Bound))
	}
	if band.High != nil {
		word := "below"
		if band.High.Included {
			word = "at most"
		}
		stated = append(stated, word+" "+b.Number(band.High.Bound))
	}
	return strings.Join(stated, " and ")
}

func (b *Book) outlierWords(o *Outlier, plural string) string {
	side := map[string]string{"high": " on the high side", "low": " on the low side", "both": " on either side"}[o.Side]
	peers := "all " + plural
	if o.Among != "" {
		peers = plural + " with the same " + o.Among
	}
	return fmt.Sprintf("%s when the robust score of %s among %s is beyond %s%s; with fewer than %d others it is not judged",
		b.Grade(o.Grade).Label, lowerFirst(b.Measure(o.Of).Title), peers, b.Number(o.Beyond), side, o.Peers)
}

func lowerFirst(s string) string {
	if s == "" {
		return s
	}
	return strings.ToLower(s[:1]) + s[1:]
}
