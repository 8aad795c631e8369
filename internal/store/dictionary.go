package store

import "oskel/core/ledger"

// dictionary gives codes to the words of a label column. It begins with the
// words known before, so that chunks of an earlier snapshot stay good.
type dictionary struct {
	column string
	words  []string
	codes  map[string]uint32
}

type dictionaries []*dictionary

func newDictionaries(f *ledger.Feed) dictionaries {
	var out dictionaries
	for _, l := range f.Labels {
		d := &dictionary{l.Column, append([]string(nil), l.Words...), map[string]uint32{}}
		for i, w := range d.words {
			d.codes[w] = uint32(i)
		}
		out = append(out, d)
	}
	return out
}

func (d *dictionary) code(word []byte) uint32 {
	if code, ok := d.codes[string(word)]; ok {
		return code
	}
	code := uint32(len(d.words))
	d.words = append(d.words, string(word))
	d.codes[string(word)] = code
	return code
}

func (ds dictionaries) labels() []*ledger.Label {
	var out []*ledger.Label
	for _, d := range ds {
		out = append(out, &ledger.Label{Column: d.column, Words: d.words})
	}
	return out
}
