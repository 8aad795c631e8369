package measure

import (
	"math/big"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/ledger"
)

// Behind is the lines that an aggregate counts for one code, by day: how many,
// what their numbers add up to (nil where there are none), and a page of them.
type Behind struct {
	Sides []SideLines
	Lines []LineRef
	Total int
	Sum   *big.Rat
}

// SideLines are the subjects that lines may name in a column.
type SideLines struct {
	Column string
	Codes  []int32
}

// LineRef is one line: the nth, from 0, of those on its day that name subjects
// of all Sides, in the order in which they came.
type LineRef struct {
	Day calendar.Day
	Nth int
}

// Behind finds the lines behind an aggregate. They are those that the aggregate
// itself counts: of the same stretches, groups and conditions.
func (e *Engine) Behind(measure string, s Slot, code uint32, offset, limit int) Behind {
	m := e.Book.Measure(measure)
	s.Ended = false
	var out Behind
	f, def, column, ok := e.feedOf(m.Of.Feed, s.Level)
	if !ok {
		return out
	}
	var names []func(c *ledger.Chunk, line int) bool // whether a line names a subject of each side
	for _, side := range e.sides(s, code) {
		k := ledger.Column(f.Subjects, def.SubjectColumn(side.Kind))
		if k < 0 {
			return out
		}
		members := e.Members(side.Slot, side.code)
		in := make(map[uint32]bool, len(members))
		for _, c := range members {
			in[uint32(c)] = true
		}
		out.Sides = append(out.Sides, SideLines{f.Subjects[k], members})
		names = append(names, func(c *ledger.Chunk, line int) bool { return in[c.Subjects[k][line]] })
	}
	number, _ := e.counted(m, f, def)
	sums := number >= 0 && m.Aggregate != "distinct"
	mask, _ := e.masker(m, f, def)
	total := new(big.Rat)
	day, nth := ledger.Never, 0
	Memory{e}.stretches(f, s, ledger.Scan{Subject: column}, func(c *ledger.Chunk, part ledger.Scan) {
		counts := mask(c)
		sum := amount.Amount(0)
		for i := part.From; i < part.To; i++ {
			if d := c.Month.First() + calendar.Day(c.Days.Of(i)) - 1; d != day {
				day, nth = d, 0
			}
			named := true
			for _, names := range names {
				named = named && names(c, i)
			}
			if !named {
				continue
			}
			here := nth
			nth++
			switch {
			case counts != nil && !counts[i], s.Kind != "" && part.Code(c, i) != code:
				continue
			case sums && c.Numbers[number][i] == amount.Missing:
				continue
			case m.Aggregate == "distinct" && c.Subjects[number][i] == ledger.Nobody:
				continue
			}
			if sums {
				if more, err := amount.Add(sum, c.Numbers[number][i]); err == nil {
					sum = more
				} else {
					total.Add(total, sum.Rat())
					sum = c.Numbers[number][i]
				}
			}
			if out.Total >= offset && len(out.Lines) < limit {
				out.Lines = append(out.Lines, LineRef{day, here})
			}
			out.Total++
		}
		total.Add(total, sum.Rat())
	})
	if sums {
		out.Sum = total
	}
	return out
}

// side is what a code stands for in a slot: a pair has two, the whole none.
type side struct {
	Slot
	code uint32
}

func (e *Engine) sides(s Slot, code uint32) []side {
	switch {
	case s.Kind == "":
		return nil
	case s.Paired():
		first, second, a, b := e.Sides(s, code)
		return []side{{first, a}, {second, b}}
	}
	return []side{{s, code}}
}
