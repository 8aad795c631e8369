package ledger_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"oskel/core/ledger"
)

// picked picks the lines that a mask lets count; nil is all.
func picked(mask []bool) ledger.Pick {
	if mask == nil {
		return nil
	}
	return func(_ *ledger.Chunk, room []uint32) []uint32 {
		for i, counts := range mask {
			if counts {
				room = append(room, uint32(i))
			}
		}
		return room
	}
}

// The order of lines holds each line that names somebody once, by rising code and
// in order of days, however many codes there are, and is made anew each time alike.
func TestLinesInOrderOfCodes(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		size := rapid.SampledFrom([]int{1, 3, 40, 5000}).Draw(t, "size")
		codes := rapid.SliceOfN(rapid.OneOf(rapid.Uint32Range(0, uint32(size-1)), rapid.Just(uint32(ledger.Nobody))), 0, 60).Draw(t, "codes")
		mask := rapid.SliceOfN(rapid.Bool(), len(codes), len(codes)).Draw(t, "mask")
		if rapid.Bool().Draw(t, "all") {
			mask = nil
		}
		for range 2 { // the second finds the working room of the first
			o := (&ledger.Chunk{}).OrderBy(codes, picked(mask), size)
			expected := map[uint32][]uint32{}
			for i, code := range codes {
				if code != ledger.Nobody && (mask == nil || mask[i]) {
					expected[code] = append(expected[code], uint32(i))
				}
			}
			got := map[uint32][]uint32{}
			for k, code := range o.Codes {
				got[code] = o.Lines[o.Starts[k]:o.Starts[k+1]]
			}
			assert.Equal(t, expected, got)
			for k := 1; k < len(o.Codes); k++ {
				assert.Less(t, o.Codes[k-1], o.Codes[k])
			}
		}
	})
}

// The sets of days are those on which a line that counts names the code.
func TestDaysByCode(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		size := rapid.SampledFrom([]int{1, 3, 5000}).Draw(t, "size")
		codes := rapid.SliceOfN(rapid.OneOf(rapid.Uint32Range(0, uint32(size-1)), rapid.Just(uint32(ledger.Nobody))), 0, 60).Draw(t, "codes")
		c := &ledger.Chunk{Subjects: [][]uint32{codes}}
		for i := range codes {
			c.Days.Add(1 + i/2)
		}
		mask := rapid.SliceOfN(rapid.Bool(), len(codes), len(codes)).Draw(t, "mask")
		expected, whole := map[uint32]uint32{}, map[uint32]uint32{}
		for i, code := range codes {
			if code == ledger.Nobody {
				continue
			}
			whole[code] |= 1 << c.Days.Of(i)
			if mask[i] {
				expected[code] |= 1 << c.Days.Of(i)
			}
		}
		read := func(s *ledger.DaySets) map[uint32]uint32 {
			out := map[uint32]uint32{}
			for k, code := range s.Codes {
				out[code] = s.Sets[k]
			}
			return out
		}
		assert.Equal(t, expected, read(c.DaySetsBy(codes, picked(mask), size)))
		for range 2 {
			assert.Equal(t, whole, read(c.DaySets(ledger.Some{Size: size})))
			assert.Equal(t, expected, read(c.DaySets(ledger.Some{Size: size, Where: "some", Pick: picked(mask)})))
		}
	})
}
