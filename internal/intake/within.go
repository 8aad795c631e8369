package intake

import (
	"maps"
	"slices"

	"oskel/core/calendar"
	"oskel/core/ledger"
	"oskel/core/rulebook"
	"oskel/internal/store"
)

// checkWithin holds the rows of a register file against the attributes that
// lie within others: on every day each team is in one territory. lines says
// which line of the file an entry is from.
func checkWithin(t *table, k *rulebook.Kind, entries []store.Entry, lines []int) {
	for _, a := range k.Attributes {
		if a.Within != "" {
			checkAttributeWithin(t, a, entries, lines)
		}
	}
}

func checkAttributeWithin(t *table, a rulebook.Attribute, entries []store.Entry, lines []int) {
	order := make([]int, len(entries))
	for i := range order {
		order[i] = i
	}
	from := func(i int) calendar.Day {
		if d := entries[i].ValidFrom; d != nil {
			return *d
		}
		return ledger.Never
	}
	slices.SortStableFunc(order, func(i, j int) int { return int(int64(from(i)) - int64(from(j))) })
	type pair struct{ inner, outer string }
	holds := map[uint32]pair{}           // by subject, as of the day reached
	count := map[string]map[string]int{} // inner -> outer -> subjects
	told := map[string]bool{}            // a fault is told once
	var today []int                      // the entries of the day
	day := func() {
		for _, i := range today {
			inner := entries[i].Attributes[a.Name]
			if len(count[inner]) < 2 || told[inner] {
				continue
			}
			told[inner] = true
			outers := slices.Sorted(maps.Keys(count[inner]))
			t.refusal.add(Fault{Line: lines[i], Column: a.Name, Value: inner, Text: "expected it to lie within one " + a.Within + " at a time, found " + outers[0] + " and " + outers[1]})
		}
		today = today[:0]
	}
	for n, i := range order {
		if n > 0 && from(i) != from(order[n-1]) {
			day()
		}
		e := entries[i]
		if old, ok := holds[e.Code]; ok {
			if count[old.inner][old.outer]--; count[old.inner][old.outer] == 0 {
				delete(count[old.inner], old.outer)
			}
		}
		p := pair{e.Attributes[a.Name], e.Attributes[a.Within]}
		delete(holds, e.Code)
		if p.inner == "" {
			continue
		}
		holds[e.Code] = p
		if count[p.inner] == nil {
			count[p.inner] = map[string]int{}
		}
		count[p.inner][p.outer]++
		today = append(today, i)
	}
	day()
}
