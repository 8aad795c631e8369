package ledger

import (
	"iter"
	"slices"
	"sync"

	"oskel/core/amount"
)

// Totals are aggregates by code. A count is how many lines had a value; the
// amount is void where it is 0.
//
// They are dense, Counts[c] and Amounts[c] being those of code c, unless Codes
// lists the codes that have a line, in rising order: then the others lie beside
// it. Few of 200,000 customers buy in one month.
type Totals struct {
	Size    int
	Codes   []uint32
	Counts  []uint32
	Amounts []amount.Amount // sums, minima, maxima, first or last values; nil of a count
	Beyond  bool            // a sum left the range: all amounts are void

	once sync.Once
	made any
}

// Made is what make makes of totals that are not written to any more: a figure for each
// code, of 17 bytes. It is made once and kept with them, unless so few codes have a line
// that it would be many times what the totals are. It is safe for concurrent use.
func (t *Totals) Made(make func() any) any {
	if !t.keeps() {
		return make()
	}
	t.once.Do(func() { t.made = make() })
	return t.made
}

func (t *Totals) keeps() bool { return t.Size <= 4*len(t.Counts) }

// NewTotals are dense totals of no lines.
func NewTotals(size int, amounts bool) *Totals {
	t := &Totals{Size: size, Counts: make([]uint32, size)}
	if amounts {
		t.Amounts = make([]amount.Amount, size)
	}
	return t
}

// At is the count and the aggregate of one code; the aggregate of a count is
// how many lines there were.
func (t *Totals) At(code uint32) (n uint32, a amount.Amount) {
	i := int(code)
	if t.Codes != nil {
		var seen bool
		if i, seen = slices.BinarySearch(t.Codes, code); !seen {
			return 0, 0
		}
	}
	return t.Counts[i], t.amount(i)
}

func (t *Totals) amount(i int) amount.Amount {
	if t.Amounts == nil {
		return amount.FromInt(int64(t.Counts[i]))
	}
	return t.Amounts[i]
}

// Total is one code's count and aggregate.
type Total struct {
	Count  uint32
	Amount amount.Amount
}

// All are the codes that have a line, in rising order.
func (t *Totals) All() iter.Seq2[uint32, Total] {
	return func(yield func(uint32, Total) bool) {
		for i, n := range t.Counts {
			if n == 0 {
				continue
			}
			code := uint32(i)
			if t.Codes != nil {
				code = t.Codes[i]
			}
			if !yield(code, Total{n, t.amount(i)}) {
				return
			}
		}
	}
}

// Dense is a dense copy that may be written to.
func (t *Totals) Dense() *Totals {
	if t.Codes == nil {
		return &Totals{Size: t.Size, Counts: slices.Clone(t.Counts), Amounts: slices.Clone(t.Amounts), Beyond: t.Beyond}
	}
	out := NewTotals(t.Size, t.Amounts != nil)
	out.Beyond = t.Beyond
	for i, code := range t.Codes {
		out.Counts[code] = t.Counts[i]
		if t.Amounts != nil {
			out.Amounts[code] = t.Amounts[i]
		}
	}
	return out
}

// sparse says whether so few lines are better listed by the codes they have:
// fresh memory for each code costs more than the lines do.
func sparse(size, lines int) bool { return size >= 1024 && size > lines/8 }

// scratch is dense working room, zero between uses, that is handed on so that its
// memory is touched but once.
type scratch struct {
	counts []uint32
	sums   []amount.Amount
	codes  []uint32 // of those seen
	lines  []uint32 // that are picked
}

var scratches = sync.Pool{New: func() any { return &scratch{} }}

func takeScratch(size int) *scratch {
	d := scratches.Get().(*scratch)
	if len(d.counts) < size {
		d.counts, d.sums = make([]uint32, size), make([]amount.Amount, size)
	}
	return d
}

// appendSeen lists the codes whose count is not 0. Eight are looked at together, for
// long stretches are all 0; among those that are not, it branches nowhere.
func appendSeen(codes, counts []uint32) []uint32 {
	n := len(codes)
	codes = slices.Grow(codes, len(counts))[:n+len(counts)]
	seen := func(code int, count uint32) {
		codes[n] = uint32(code)
		if count != 0 {
			n++
		}
	}
	from := 0
	for ; from+8 <= len(counts); from += 8 {
		c := counts[from : from+8 : from+8]
		if c[0]|c[1]|c[2]|c[3]|c[4]|c[5]|c[6]|c[7] == 0 {
			continue
		}
		for i, count := range c {
			seen(from+i, count)
		}
	}
	for i, count := range counts[from:] {
		seen(from+i, count)
	}
	return codes[:n]
}

// total aggregates lines with work, which is given dense totals of no lines.
func (c *Chunk) total(s Scan, amounts bool, work func(*Totals)) *Totals {
	if !sparse(s.Size, s.To-s.From) {
		t := NewTotals(s.Size, amounts)
		work(t)
		return t
	}
	d := takeScratch(s.Size)
	t := &Totals{Size: s.Size, Counts: d.counts[:s.Size]}
	if amounts {
		t.Amounts = d.sums[:s.Size]
	}
	work(t)
	d.codes = appendSeen(d.codes[:0], t.Counts)
	out := &Totals{Size: s.Size, Beyond: t.Beyond, Codes: append(make([]uint32, 0, len(d.codes)), d.codes...), Counts: make([]uint32, len(d.codes))}
	if amounts {
		out.Amounts = make([]amount.Amount, len(d.codes))
	}
	for i, code := range out.Codes {
		out.Counts[i], t.Counts[code] = t.Counts[code], 0
		if amounts {
			out.Amounts[i], t.Amounts[code] = t.Amounts[code], 0
		}
	}
	scratches.Put(d)
	return out
}

// with are totals of the same lines as these counts, which add sums.
func (t *Totals) with(add func(sums []amount.Amount)) *Totals {
	out := &Totals{Size: t.Size, Codes: t.Codes, Counts: t.Counts, Amounts: make([]amount.Amount, len(t.Counts))}
	if t.Codes == nil {
		add(out.Amounts)
		return out
	}
	d := takeScratch(t.Size)
	add(d.sums[:t.Size])
	for i, code := range t.Codes {
		out.Amounts[i], d.sums[code] = d.sums[code], 0
	}
	scratches.Put(d)
	return out
}
