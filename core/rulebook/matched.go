package rulebook

import (
	"slices"
)

// matchNotes notes which columns of notes the rules match lines by, or choose them
// by: those are held in memory, which others are not.
func (b *Book) matchNotes() {
	match := func(feed, column string) {
		f := b.Feed(feed)
		if f != nil && slices.Contains(f.Notes, column) && !slices.Contains(f.matched, column) {
			f.matched = append(f.matched, column)
		}
	}
	for i := range b.Rules {
		r := &b.Rules[i]
		var feeds []string
		for _, v := range r.Settings {
			if v.Feed == "" {
				continue
			}
			feeds = append(feeds, v.Feed)
			if v.Where != nil {
				for _, name := range v.Where.Tree.Names() {
					match(v.Feed, name)
				}
			}
		}
		for _, v := range r.Settings {
			for _, column := range v.List {
				for _, feed := range feeds {
					match(feed, column)
				}
			}
		}
	}
	for i := range b.Feeds {
		slices.Sort(b.Feeds[i].matched)
	}
}

// sameMatched says whether two books hold the same notes in memory.
func sameMatched(a, b *Book) bool {
	return slices.EqualFunc(a.Feeds, b.Feeds, func(f, g Feed) bool { return slices.Equal(f.matched, g.matched) })
}
