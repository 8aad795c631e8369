package rulebook

import (
	"strings"

	"oskel/core/words"
)

// Level says of whom figures are, and whom a rule judges: each subject of a
// Kind, each group of them By an attribute, or with an empty Kind the whole.
// With a second kind it is each pair of them that has lines, such as
// rep x product; either side may be grouped.
type Level struct{ Kind, By, With, WithBy string }

// PairSign joins the two sides of a pair, in levels, keys and names.
const PairSign = " x "

// PairKey is the key of a pair. A word x within a side is written \x, so that
// no two pairs share a key.
func PairKey(first, second string) string { return pairSide(first) + PairSign + pairSide(second) }

func pairSide(key string) string {
	words := strings.Split(key, " ")
	for i, w := range words {
		if strings.TrimLeft(w, `\`) == "x" {
			words[i] = `\` + w
		}
	}
	return strings.Join(words, " ")
}

// Without is key and name of the group of those who have no value of an
// attribute: "without a region".
func Without(attribute string) string {
	return "without " + Article(strings.ReplaceAll(attribute, "_", " "))
}

// Article puts a or an before a word.
func Article(word string) string {
	if word != "" && strings.ContainsRune("aeiouAEIOU", rune(word[0])) {
		return "an " + word
	}
	return "a " + word
}

// Paired says whether the level is of pairs.
func (l Level) Paired() bool { return l.With != "" }

// Plain says whether the level is of the subjects of one kind.
func (l Level) Plain() bool { return l.Kind != "" && l.By == "" && l.With == "" }

// named are the kinds whose subjects the level is of, by themselves: they have key and name.
func (l Level) named() (kinds []string) {
	first, second := l.Sides()
	for _, side := range []Level{first, second} {
		if side.Plain() {
			kinds = append(kinds, side.Kind)
		}
	}
	return kinds
}

// Sides are the two levels that a pair joins.
func (l Level) Sides() (Level, Level) {
	return Level{Kind: l.Kind, By: l.By}, Level{Kind: l.With, By: l.WithBy}
}

// String is the form that ParseLevel reads: rep, rep.territory, rep x product,
// whole.
func (l Level) String() string {
	side := func(kind, by string) string {
		if by != "" {
			return kind + "." + by
		}
		return kind
	}
	switch {
	case l.Kind == "":
		return "whole"
	case l.Paired():
		return side(l.Kind, l.By) + PairSign + side(l.With, l.WithBy)
	}
	return side(l.Kind, l.By)
}

// ParseLevel reads a level of the book, or says what is wrong with it.
func (b *Book) ParseLevel(s string) (l Level, complaint string) {
	first, second, paired := strings.Cut(s, PairSign)
	l, complaint = b.parseSide(first)
	if complaint != "" || !paired {
		return l, complaint
	}
	with, complaint := b.parseSide(second)
	switch {
	case complaint != "":
		return l, complaint
	case l.Kind == "" || with.Kind == "" || l.Kind == with.Kind:
		return l, "a pair joins two kinds, such as rep x product; found \"" + s + "\""
	}
	l.With, l.WithBy = with.Kind, with.By
	return l, ""
}

func (b *Book) parseSide(s string) (Level, string) {
	kind, attribute, _ := strings.Cut(s, ".")
	if s == "" || s == "whole" {
		return Level{}, ""
	}
	k := b.Kind(kind)
	if k == nil || attribute != "" && k.Attribute(attribute) == nil || attribute == "" && strings.Contains(s, ".") {
		known := []string{"whole"}
		for i := range b.Kinds {
			known = append(append(known, b.Kinds[i].Name), attributeNames(&b.Kinds[i])...)
		}
		return Level{}, "there is nothing like \"" + s + "\" to ask by" + suggest(s, known)
	}
	return Level{Kind: kind, By: attribute}, ""
}

// One and Many say a level in words: "rep", "territory", "rep and product",
// "the whole".
func (b *Book) One(l Level) string {
	return b.levelWords(l, func(k *Kind) string { return strings.ToLower(k.Title) }, func(by string) string { return by })
}

// Many is the plural of One.
func (b *Book) Many(l Level) string {
	return b.levelWords(l, func(k *Kind) string { return strings.ToLower(k.Plural) }, func(by string) string { return words.Plural(by) })
}

func (b *Book) levelWords(l Level, kind func(*Kind) string, attribute func(string) string) string {
	side := func(name, by string) string {
		if by != "" {
			return attribute(strings.ReplaceAll(by, "_", " "))
		}
		if k := b.Kind(name); k != nil {
			return kind(k)
		}
		return name
	}
	switch {
	case l.Kind == "":
		return "the whole"
	case l.Paired():
		return side(l.Kind, l.By) + " and " + side(l.With, l.WithBy)
	}
	return side(l.Kind, l.By)
}

// Attributes lists the names a condition may ask of a level, with the kind's
// attribute of each: of a subject all it has, of a group its own and what that
// lies within, of a pair those of both sides, of the whole none.
func (b *Book) Attributes(l Level) map[string]Attribute {
	out := map[string]Attribute{}
	first, second := l.Sides()
	for _, side := range []Level{first, second} {
		k := b.Kind(side.Kind)
		if k == nil {
			continue
		}
		names := k.Above(side.By)
		if side.By == "" {
			for _, a := range k.Attributes {
				names = append(names, a.Name)
			}
		}
		for _, n := range names {
			out[k.Name+"."+n] = *k.Attribute(n)
		}
	}
	return out
}
