package rulebook

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
