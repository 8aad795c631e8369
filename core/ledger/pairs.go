package ledger

import (
	"slices"
	"sort"
	"sync"

	"oskel/core/calendar"
)

// Pairs numbers the pairs of codes that lines were seen to join, such as a rep
// and a product it sold: pair p joins First[p] and Second[p]. Pairs are in
// rising order of both.
//
// Numbers hang on all lines there are: those of later ones may be dealt anew. A pair is
// known by its keys; Since says from which day on there is one.
type Pairs struct {
	First, Second []uint32
	Since         []calendar.Day // the day of the first line that joins them

	starts  []uint32 // where the pairs of each first code begin
	columns map[*Chunk][]uint32
}

// Sides says for lines From to To-1 of a chunk which codes they join. A line
// with Nobody on a side joins none.
type Sides struct {
	Chunk         *Chunk
	From, To      int
	First, Second func(line int) uint32
}

func (s Sides) joins(line int) bool { return s.First(line) != Nobody && s.Second(line) != Nobody }

// NewPairs numbers the pairs of some lines; firsts is how many first codes
// there are.
func NewPairs(all []Sides, firsts int) *Pairs {
	p := &Pairs{starts: make([]uint32, firsts+1), columns: map[*Chunk][]uint32{}}
	// Sorted by first code by counting, then each stretch by second.
	ends := make([]uint32, firsts+1)
	for _, s := range all {
		for i := s.From; i < s.To; i++ {
			if s.joins(i) {
				ends[s.First(i)+1]++
			}
		}
	}
	for i := 1; i < len(ends); i++ {
		ends[i] += ends[i-1]
	}
	seconds := make([]uint32, ends[firsts])
	next := slices.Clone(ends[:firsts])
	for _, s := range all {
		for i := s.From; i < s.To; i++ {
			if !s.joins(i) {
				continue
			}
			first := s.First(i)
			seconds[next[first]] = s.Second(i)
			next[first]++
		}
	}
	for first := range firsts {
		stretch := seconds[ends[first]:ends[first+1]]
		slices.Sort(stretch)
		for _, second := range slices.Compact(stretch) {
			p.First, p.Second = append(p.First, uint32(first)), append(p.Second, second)
		}
		p.starts[first+1] = uint32(len(p.First))
	}
	p.Since = make([]calendar.Day, len(p.First))
	for _, s := range all {
		column := p.columns[s.Chunk]
		if column == nil {
			column = make([]uint32, s.Chunk.Days.Len())
			p.columns[s.Chunk] = column
		}
		before := s.Chunk.Month.First() - 1
		for i := s.From; i < s.To; i++ {
			if column[i] = Nobody; s.joins(i) {
				column[i], _ = p.Code(s.First(i), s.Second(i))
				if day := before + calendar.Day(s.Chunk.Days.Of(i)); p.Since[column[i]] == 0 || day < p.Since[column[i]] {
					p.Since[column[i]] = day
				}
			}
		}
	}
	return p
}

// Code is the number of a pair, if any line joins it.
func (p *Pairs) Code(first, second uint32) (uint32, bool) {
	from, to := p.starts[first], p.starts[first+1]
	stretch := p.Second[from:to]
	i := sort.Search(len(stretch), func(i int) bool { return stretch[i] >= second })
	return from + uint32(i), i < len(stretch) && stretch[i] == second
}

// Column is the pair of each line of a chunk.
func (p *Pairs) Column(c *Chunk) []uint32 { return p.columns[c] }

// pairsKept holds what was numbered of a snapshot, by level.
type pairsKept struct {
	mu  sync.Mutex
	all map[any]*Pairs
}

// Pairs keeps the pairs of a level for as long as the snapshot is held.
func (s *Snapshot) Pairs(level any, build func() *Pairs) *Pairs {
	s.pairs.mu.Lock()
	defer s.pairs.mu.Unlock()
	if s.pairs.all == nil {
		s.pairs.all = map[any]*Pairs{}
	}
	if s.pairs.all[level] == nil {
		s.pairs.all[level] = build()
	}
	return s.pairs.all[level]
}
