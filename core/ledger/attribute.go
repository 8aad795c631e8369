package ledger

import (
	"sort"
	"sync"

	"oskel/core/calendar"
	"oskel/core/lang"
)

// Attribute is one attribute of every subject, with its changes over time.
// Values[0] is missing.
type Attribute struct {
	Values []lang.Value

	codes   []uint32 // from the beginning, by subject
	changes []change // by rising day
	mu      sync.Mutex
	asOf    map[int][]uint32 // by how many changes have happened
}

// change is a value by its code, of a subject from a day on. Neither is ever taken back: another
// register is another Attribute.
type change struct {
	from           calendar.Day
	subject, value uint32
}

// Dated is a value that a subject's attribute takes from a day on.
type Dated struct {
	From    calendar.Day
	Subject uint32
	Value   lang.Value
}

// NewAttribute makes an attribute of one value a subject, and of changes in
// any order. Of two changes of a subject on one day the later in the list
// holds.
func NewAttribute(values []lang.Value, changes []Dated) *Attribute {
	a := &Attribute{codes: make([]uint32, len(values)), Values: []lang.Value{{}}, asOf: map[int][]uint32{}}
	seen := map[lang.Value]uint32{{}: 0}
	code := func(v lang.Value) uint32 {
		c, ok := seen[v]
		if !ok {
			c = uint32(len(a.Values))
			a.Values = append(a.Values, v)
			seen[v] = c
		}
		return c
	}
	for i, v := range values {
		a.codes[i] = code(v)
	}
	for _, d := range changes {
		a.changes = append(a.changes, change{d.From, d.Subject, code(d.Value)})
	}
	sort.SliceStable(a.changes, func(i, j int) bool { return a.changes[i].from < a.changes[j].from })
	return a
}

// At is the codes of all subjects as of a day: Values[At(day)[c]] is that of
// subject c. It is not to be written to.
func (a *Attribute) At(day calendar.Day) []uint32 {
	n := sort.Search(len(a.changes), func(i int) bool { return a.changes[i].from > day })
	if n == 0 {
		return a.codes
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.asOf[n] == nil {
		codes := append([]uint32(nil), a.codes...)
		for _, c := range a.changes[:n] {
			codes[c.subject] = c.value
		}
		a.asOf[n] = codes
	}
	return a.asOf[n]
}

// Turns lists the days after first, up to last, on which any subject's value
// changes, each once.
func (a *Attribute) Turns(first, last calendar.Day) []calendar.Day {
	var out []calendar.Day
	for _, c := range a.changes {
		if c.from > first && c.from <= last && (len(out) == 0 || out[len(out)-1] != c.from) {
			out = append(out, c.from)
		}
	}
	return out
}

// SetAttribute gives a register an attribute.
func (r *Register) SetAttribute(name string, values []lang.Value, changes ...Dated) {
	r.Attributes[name] = NewAttribute(values, changes)
}

// Value is a subject's value of an attribute as of a day; missing where there
// is none.
func (r *Register) Value(attribute string, code uint32, day calendar.Day) lang.Value {
	a := r.Attributes[attribute]
	if a == nil || int(code) >= len(a.codes) {
		return lang.Value{}
	}
	return a.Values[a.At(day)[code]]
}
