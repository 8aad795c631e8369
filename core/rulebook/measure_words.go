package rulebook

import (
	"strings"

	"oskel/core/lang"
)

// MeasureWords says how a measure is made.
func (b *Book) MeasureWords(m *Measure) string {
	if m.Groups.How != "" {
		return b.ownWords(m) + "; of groups and the total " + b.GatheringWords(m)
	}
	return b.ownWords(m)
}

// GatheringWords says how a measure's groups and total are made: "the sum of
// the reps' values".
func (b *Book) GatheringWords(m *Measure) string {
	if m.Groups.How == "" {
		return "from their own figures"
	}
	return "the " + m.Groups.How + " of the values of the " + b.Many(Level{Kind: m.Groups.Kind})
}

func (b *Book) ownWords(m *Measure) string {
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

// Askable lists the kinds that a measure can be asked of.
func (b *Book) Askable(measure string) []string {
	var out []string
	for _, k := range b.Kinds {
		if b.AskableAt(measure, Level{Kind: k.Name}) == "" {
			out = append(out, k.Name)
		}
	}
	return out
}

// AskableAt says why a measure cannot be asked at a level, or "": every feed
// under it must name subjects of the level's kinds, and groups that it asks
// within must be of one of them. The whole can be asked of anything.
func (b *Book) AskableAt(measure string, l Level) string {
	for _, kind := range []string{l.Kind, l.With} {
		for _, f := range b.FeedsUnder(measure) {
			if kind != "" && b.Feed(f).SubjectColumn(kind) == "" {
				return measure + " comes from lines that name no " + kind
			}
		}
	}
	m := b.Measure(measure)
	if m == nil || m.Formula == nil || l.Kind == "" {
		return ""
	}
	return b.groupsFit(m.Formula.Tree, l, map[string]bool{measure: true})
}

// groupsFit finds a group of another kind than those of a level.
func (b *Book) groupsFit(n *lang.Node, l Level, seen map[string]bool) string {
	if n.Op == lang.Call {
		if kind, attribute := n.Group(); kind != "" && kind != l.Kind && kind != l.With {
			return n.Text + " asks within " + kind + "." + attribute + ", which is none of a " + b.One(l)
		}
	}
	if m := b.Measure(n.Text); n.Op == lang.Name && m != nil && m.Formula != nil && !seen[n.Text] {
		seen[n.Text] = true
		return b.groupsFit(m.Formula.Tree, l, seen)
	}
	for _, p := range n.Parts {
		if why := b.groupsFit(p, l, seen); why != "" {
			return why
		}
	}
	return ""
}
