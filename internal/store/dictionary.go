package store

import (
	"sync"

	"oskel/core/ledger"
)

// dictionary gives codes to the words of a label column. It begins with the
// words known before, so that chunks of an earlier snapshot stay good.
type dictionary struct {
	mu     sync.Mutex // months are read side by side
	column string
	words  []string
	codes  map[string]uint32
}

// dictionaries are those of a feed's labels, in the order of its columns.
type dictionaries []*dictionary

func newDictionaries(f *ledger.Feed) dictionaries {
	var out dictionaries
	for _, l := range f.Labels {
		d := &dictionary{column: l.Column, words: append([]string(nil), l.Words...), codes: map[string]uint32{}}
		for i, w := range d.words {
			d.codes[w] = uint32(i)
		}
		out = append(out, d)
	}
	return out
}

func (d *dictionary) code(word []byte) uint32 {
	d.mu.Lock()
	defer d.mu.Unlock()
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
