package ledger

// Order is lines of a chunk by code, those of one code in order of days: of
// Codes[k] they are Lines[Starts[k]] to Lines[Starts[k+1]-1]. Codes rise, and
// each has a line; lines that name nobody are in none.
type Order struct {
	Codes  []uint32
	Starts []uint32
	Lines  []uint32
}

// Some are lines of a chunk by a column of subjects, of whom there are so many: those
// that a mask lets count, which Where names and which hangs on the lines alone.
type Some struct {
	Subject, Size int
	Where         string // "" is all
	Mask          func(*Chunk) []bool
}

type someKey struct {
	subject, size int
	where         string
}

func (s Some) key() someKey { return someKey{s.Subject, s.Size, s.Where} }

// Order is some lines by their subjects. It is kept with the chunk and not to be
// written to.
func (c *Chunk) Order(s Some) *Order {
	if o, ok := c.orders.get(s.key()); ok {
		return o
	}
	return c.orders.put(s.key(), OrderBy(c.Subjects[s.Subject], s.Mask(c), s.Size), leastRemembered+c.size())
}

// OrderBy orders the lines that a mask lets count, nil being all, by their codes,
// which are below size or Nobody.
func OrderBy(codes []uint32, mask []bool, size int) *Order {
	d := takeScratch(size)
	defer scratches.Put(d)
	counts := d.counts[:size]
	for i, code := range codes {
		if code != Nobody && (mask == nil || mask[i]) {
			counts[code]++
		}
	}
	d.codes = appendSeen(d.codes[:0], counts)
	o := &Order{Codes: append([]uint32(nil), d.codes...), Starts: make([]uint32, len(d.codes)+1)}
	n := uint32(0)
	for k, code := range o.Codes {
		o.Starts[k] = n
		counts[code], n = n, n+counts[code]
	}
	o.Starts[len(o.Codes)], o.Lines = n, make([]uint32, n)
	for i, code := range codes {
		if code != Nobody && (mask == nil || mask[i]) {
			o.Lines[counts[code]] = uint32(i)
			counts[code]++
		}
	}
	for _, code := range o.Codes {
		counts[code] = 0
	}
	return o
}

func (o *Order) bytes() int { return 128 + 4*(len(o.Codes)+len(o.Starts)+len(o.Lines)) }
