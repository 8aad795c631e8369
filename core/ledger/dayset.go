package ledger

// DaySets are on which days of a chunk's month there is a line, by code: bit d of
// Sets[k] is day d, for Codes[k]. Codes rise, and each has a day.
type DaySets struct {
	Codes, Sets []uint32
}

// DaySets are those of some lines. They are kept with the chunk and not to be written
// to.
func (c *Chunk) DaySets(s Some) *DaySets {
	if d, ok := c.daySets.get(s.key()); ok {
		return d
	}
	return c.daySets.put(s.key(), c.DaySetsBy(c.Subjects[s.Subject], s.Pick, s.Size), leastRemembered+c.size())
}

// DaySetsBy are those of the lines that are picked, nil being all, by the codes of the
// chunk's lines, which are below size or Nobody.
func (c *Chunk) DaySetsBy(codes []uint32, pick Pick, size int) *DaySets {
	d := takeScratch(size)
	defer scratches.Put(d)
	sets := d.counts[:size]
	if pick != nil {
		d.lines = pick(c, d.lines[:0])
	}
	at := 0 // in the lines that are picked
	for day := 1; day <= 31; day++ {
		bit, to := uint32(1)<<day, c.Days.From(day+1)
		if pick != nil {
			for ; at < len(d.lines) && int(d.lines[at]) < to; at++ {
				if code := codes[d.lines[at]]; code != Nobody {
					sets[code] |= bit
				}
			}
			continue
		}
		for _, code := range codes[c.Days.From(day):to] {
			if code != Nobody {
				sets[code] |= bit
			}
		}
	}
	d.codes = appendSeen(d.codes[:0], sets)
	out := &DaySets{Codes: append([]uint32(nil), d.codes...), Sets: make([]uint32, len(d.codes))}
	for k, code := range out.Codes {
		out.Sets[k], sets[code] = sets[code], 0
	}
	return out
}

func (s *DaySets) bytes() int { return 128 + 4*(len(s.Codes)+len(s.Sets)) }
