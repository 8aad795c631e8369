package rulebook

import (
	"slices"
	"strconv"
	"strings"

	"oskel/core/words"
)

func names[T any](list []T, of func(T) string) []string {
	out := make([]string, len(list))
	for i, x := range list {
		out[i] = of(x)
	}
	return out
}

func kindNames(b *Book) []string { return names(b.Kinds, func(k Kind) string { return k.Name }) }
func feedNames(b *Book) []string { return names(b.Feeds, func(f Feed) string { return f.Name }) }
func figureNames(f *Feed) []string {
	return names(f.Numbers, func(n Figure) string { return n.Column })
}
func gradeNames(b *Book) []string { return names(b.Grades, func(g Grade) string { return g.Name }) }
func dialNames(b *Book) []string  { return names(b.Dials, func(d Dial) string { return d.Name }) }
func measureNames(b *Book) []string {
	return names(b.Measures, func(m Measure) string { return m.Name })
}
func deskNames(b *Book) []string { return names(b.Desks, func(d Desk) string { return d.Name }) }
func attributeNames(k *Kind) []string {
	return names(k.Attributes, func(a Attribute) string { return k.Name + "." + a.Name })
}

// Named is something that people call by its name or by its title.
type Named struct{ Name, Title string }

// Resolve finds what a text calls: a name, or a title in whatever letters. What
// it cannot find it complains of, with the nearest name or all of them.
func Resolve(what, text string, all []Named) (name, complaint string) {
	var known []string
	for _, n := range all {
		if n.Name == text {
			return n.Name, ""
		}
		known = append(known, n.Name)
	}
	for _, n := range all {
		if strings.EqualFold(n.Title, text) || strings.EqualFold(n.Name, text) {
			return n.Name, ""
		}
	}
	return "", "there is no " + what + " " + strconv.Quote(text) + suggest(text, known)
}

// The names of what exceptions are filtered by. Levels are those that rules
// judge, beside all kinds; grades that praise are no exceptions.
func (b *Book) GradesNamed() []Named {
	flagging := slices.DeleteFunc(slices.Clone(b.Grades), func(g Grade) bool { return g.Good })
	return named(flagging, func(g Grade) Named { return Named{g.Name, g.Label} })
}

// RulesNamed lists the rules.
func (b *Book) RulesNamed() []Named {
	return named(b.Rules, func(r Rule) Named { return Named{r.Name, r.Title} })
}

// FeedsNamed lists the feeds.
func (b *Book) FeedsNamed() []Named {
	return named(b.Feeds, func(f Feed) Named { return Named{f.Name, f.Title} })
}

// DesksNamed lists the desks.
func (b *Book) DesksNamed() []Named {
	return named(b.Desks, func(d Desk) Named { return Named{d.Name, d.Title} })
}

// LevelsNamed lists the kinds, and what rules judge beside.
func (b *Book) LevelsNamed() []Named {
	out := named(b.Kinds, func(k Kind) Named { return Named{k.Name, k.Plural} })
	for _, r := range b.Rules {
		for _, l := range r.Levels {
			if name := l.String(); !slices.ContainsFunc(out, func(n Named) bool { return n.Name == name }) {
				title := b.Many(l)
				out = append(out, Named{name, words.UpperFirst(title)})
			}
		}
	}
	return out
}

func named[T any](all []T, of func(T) Named) []Named {
	out := make([]Named, len(all))
	for i, x := range all {
		out[i] = of(x)
	}
	return out
}

// Grains lists how often the rules are evaluated, in the order of their first
// appearance; a book without rules is looked at by the month.
func (b *Book) Grains() []string {
	var out []string
	for _, r := range b.Rules {
		if !slices.Contains(out, r.Each) {
			out = append(out, r.Each)
		}
	}
	if len(out) == 0 {
		out = append(out, "month")
	}
	return out
}

// AllNames lists everything that has a name and can be used: measures, dials,
// kinds, grades, feeds, desks and rules.
func (b *Book) AllNames() []string {
	return slices.Concat(measureNames(b), dialNames(b), kindNames(b), gradeNames(b), feedNames(b), deskNames(b),
		names(b.Rules, func(r Rule) string { return r.Name }))
}

// Knows says whether anything of the book bears a name; kind.attribute too.
func (b *Book) Knows(name string) bool {
	kind, attribute, dotted := strings.Cut(name, ".")
	if k := b.Kind(kind); dotted && k != nil {
		return k.Attribute(attribute) != nil
	}
	return slices.Contains(b.AllNames(), name)
}
