package rulebook

import "strings"

// MeasureWords says how a measure is made.
func (b *Book) MeasureWords(m *Measure) string {
	if m.Formula != nil {
		return m.Formula.Text
	}
	switch m.Days {
	case "all":
		return "how many days the period has"
	case "working":
		return "how many working days the period has"
	}
	feed := b.Feed(m.Of.Feed)
	what := strings.ToLower(feed.Title)
	words := map[string]string{
		"sum": "the sum of %c of %f", "count": "how many %f there are", "distinct": "how many different %c there are in %f", "average": "the average %c of %f",
		"minimum": "the smallest %c of %f", "maximum": "the largest %c of %f", "first": "the first %c of %f", "last": "the last %c of %f",
	}[m.Aggregate]
	s := strings.NewReplacer("%c", m.Of.Figure, "%f", what).Replace(words)
	if m.Where != nil {
		s += " where " + m.Where.Text
	}
	return s
}

// Askable lists the kinds that a measure can be asked of: those that every
// feed under it names.
func (b *Book) Askable(measure string) []string {
	var out []string
	for _, k := range b.Kinds {
		all := true
		for _, f := range b.FeedsUnder(measure) {
			all = all && b.Feed(f).SubjectColumn(k.Name) != ""
		}
		if all {
			out = append(out, k.Name)
		}
	}
	return out
}
