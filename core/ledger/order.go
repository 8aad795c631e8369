package ledger

// Order is lines of a chunk by code, those of one code in order of days: of
// Codes[k] they are Lines[Starts[k]] to Lines[Starts[k+1]-1]. Codes rise, and
// each has a line; lines that name nobody are in none.
type Order struct {
	Codes  []uint32
	Starts []uint32
	Lines  []uint32
}

// Pick lists the lines of a chunk that count, in order, in the room it is given where
// they fit in.
type Pick func(c *Chunk, room []uint32) []uint32

// Some are lines of a chunk by a column of subjects, of whom there are so many: those
// that are picked, nil being all, by what Where names and hangs on the lines alone.
type Some struct {
	Subject, Size int
	Where         string // "" is all
	Pick          Pick
}

// someKey is Some as a value that compares: what is picked goes by its name, since functions do
// not compare.
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
	return c.orders.put(s.key(), c.OrderBy(c.Subjects[s.Subject], s.Pick, s.Size), leastRemembered+c.size())
}

// OrderBy orders the lines that are picked, nil being all, by the codes of the chunk's
// lines, which are below size or Nobody.
func (c *Chunk) OrderBy(codes []uint32, pick Pick, size int) *Order {
	d := takeScratch(size)
	defer scratches.Put(d)
	counts := d.counts[:size]
	if pick != nil {
		d.lines = pick(c, d.lines[:0])
		for _, i := range d.lines {
			if code := codes[i]; code != Nobody {
				counts[code]++
			}
		}
	} else {
		for _, code := range codes {
			if code != Nobody {
				counts[code]++
			}
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
	place := func(code, i uint32) {
		if code != Nobody {
			o.Lines[counts[code]] = i
			counts[code]++
		}
	}
	if pick != nil {
		for _, i := range d.lines {
			place(codes[i], i)
		}
	} else {
		for i, code := range codes {
			place(code, uint32(i))
		}
	}
	for _, code := range o.Codes {
		counts[code] = 0
	}
	return o
}

func (o *Order) bytes() int { return 128 + 4*(len(o.Codes)+len(o.Starts)+len(o.Lines)) }
