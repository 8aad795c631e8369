package ledger

// Order is lines of a chunk by code, those of one code in order of days: of
// Codes[k] they are Lines[Starts[k]] to Lines[Starts[k+1]-1]. Codes rise, and
// each has a line; lines that name nobody are in none.
type Order struct {
	Codes  []uint32
	Starts []uint32
	Lines  []uint32
}

// Order is the lines of the chunk by a column of subjects, of whom there are so
// many. It is kept with the chunk and not to be written to.
func (c *Chunk) Order(subject, size int) *Order {
	key := countKey{subject, size}
	if o, ok := c.orders.get(key); ok {
		return o
	}
	return c.orders.put(key, OrderBy(c.Subjects[subject], nil, size), leastRemembered+c.size())
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
