package measure

import (
	"math"

	"oskel/core/amount"
	"oskel/core/lang"
	"oskel/core/ledger"
	"oskel/core/rulebook"
)

// picker lists the lines of a chunk that a condition lets count; nil is all. lasting
// says that it hangs on the lines alone, not on a register.
func (e *Engine) picker(where *rulebook.Condition, f *ledger.Feed, def *rulebook.Feed) (pick ledger.Pick, lasting bool) {
	if where == nil {
		return nil, true
	}
	lasting = true
	return e.pickerOf(where.Tree, f, def, &lasting), lasting
}

func (e *Engine) pickerOf(n *lang.Node, f *ledger.Feed, def *rulebook.Feed, lasting *bool) ledger.Pick {
	if n.Op == lang.And { // the second is asked of those alone of whom the first holds
		first, second := e.pickerOf(n.Parts[0], f, def, lasting), e.lineTest(n.Parts[1], f, def, lasting)
		return func(c *ledger.Chunk, room []uint32) []uint32 {
			lines, holds := first(c, room), second(c)
			out := lines[:0]
			for _, i := range lines {
				if holds(int(i)) {
					out = append(out, i)
				}
			}
			return out
		}
	}
	if low, high, ok := numberRange(n); ok {
		if k := ledger.Column(f.Numbers, n.Parts[0].Text); k >= 0 {
			return func(c *ledger.Chunk, room []uint32) []uint32 { return within(c.Numbers[k], low, high, room) }
		}
	}
	test := e.lineTest(n, f, def, lasting)
	return func(c *ledger.Chunk, room []uint32) []uint32 {
		holds := test(c)
		for i := range c.Days.Len() {
			if holds(i) {
				room = append(room, uint32(i))
			}
		}
		return room
	}
}

// numberRange is between what the numbers lie that a comparison holds of, both ends
// included; ok is false where they are not a range, or what is missing counts.
func numberRange(n *lang.Node) (low, high amount.Amount, ok bool) {
	if len(n.Parts) < 2 {
		return 0, 0, false
	}
	at := func(part int) amount.Amount {
		if p := n.Parts[part]; p.Op == lang.Negate {
			return -p.Parts[0].Number
		}
		return n.Parts[part].Number
	}
	const least, most = amount.Missing + 1, amount.Amount(math.MaxInt64)
	switch n.Op {
	case lang.Below:
		return least, at(1) - 1, true
	case lang.AtMost:
		return least, at(1), true
	case lang.Above:
		return at(1) + 1, most, true
	case lang.AtLeast:
		return at(1), most, true
	case lang.Between:
		return at(1), at(2), at(1) <= at(2)
	}
	return 0, 0, false
}

// within lists the places of numbers in a range. It branches nowhere: which lines a
// condition holds of is no pattern that a processor could guess.
func within(numbers []amount.Amount, low, high amount.Amount, room []uint32) []uint32 {
	if cap(room) < len(numbers) {
		room = make([]uint32, len(numbers))
	}
	room = room[:len(numbers)]
	span := uint64(high) - uint64(low)
	n := 0
	for i, v := range numbers {
		room[n] = uint32(i)
		if uint64(v)-uint64(low) <= span {
			n++
		}
	}
	return room[:n]
}
