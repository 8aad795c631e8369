package intake

import (
	"cmp"
	"fmt"
	"maps"
	"slices"

	"oskel/core/calendar"
	"oskel/core/ledger"
	"oskel/core/rulebook"
	"oskel/internal/store"
)

// row is one row of a register as it would stand: from a line of the file, or
// with line 0 one that is held already.
type row struct {
	store.Entry
	line int
}

func (r row) from() calendar.Day {
	if r.ValidFrom != nil {
		return *r.ValidFrom
	}
	return ledger.Never
}

func (r row) since() string {
	if r.ValidFrom != nil {
		return "from " + r.ValidFrom.String()
	}
	return "from the beginning"
}

// withHeld puts the rows of a file among those that are held and do not give
// way to them, by day.
func withHeld(held []store.Entry, rows []row) []row {
	type place struct {
		code uint32
		from calendar.Day
	}
	replaced := map[place]bool{}
	for _, r := range rows {
		replaced[place{r.Code, r.from()}] = true
	}
	all := slices.Clone(rows)
	for _, e := range held {
		if r := (row{Entry: e}); !replaced[place{r.Code, r.from()}] {
			all = append(all, r)
		}
	}
	slices.SortStableFunc(all, func(a, b row) int { return cmp.Compare(a.from(), b.from()) })
	return all
}

// checkOverlaps refuses a row that begins while another of its subject still
// holds by its stated end. A row without an end holds until the next.
func checkOverlaps(t *table, keys func(uint32) string, all []row) {
	last := map[uint32]row{}
	for _, r := range all {
		before, ok := last[r.Code]
		last[r.Code] = r
		if !ok || before.ValidTo == nil || *before.ValidTo < r.from() || r.line+before.line == 0 {
			continue
		}
		where := "what the register holds"
		if before.line > 0 {
			where = fmt.Sprintf("line %d", before.line)
		}
		line, column := r.line, "valid_from"
		if line == 0 {
			line, column, where = before.line, "valid_to", "what the register holds "+r.since()
		}
		t.refusal.add(Fault{Line: line, Column: column, Value: r.from().String(),
			Text: "overlaps " + where + ": " + keys(r.Code) + " is there " + before.since() + " to " + before.ValidTo.String()})
	}
}

// checkWithin holds rows against the attributes that lie within others: on
// every day each team is in one territory.
func checkWithin(t *table, k *rulebook.Kind, all []row) {
	for _, a := range k.Attributes {
		if a.Within != "" {
			checkAttributeWithin(t, a, all)
		}
	}
}

// checkAttributeWithin holds an attribute that lies within another (a territory in a region) to one
// outer value on each day. It walks the days on which anything changes.
func checkAttributeWithin(t *table, a rulebook.Attribute, all []row) {
	type pair struct{ inner, outer string }
	holds := map[uint32]pair{}           // by subject, as of the day reached
	count := map[string]map[string]int{} // inner -> outer -> subjects
	told := map[string]bool{}            // a fault is told once
	lines := map[string]int{}            // inner -> the last line that names it
	var today []row
	day := func() {
		for _, r := range today {
			inner := r.Attributes[a.Name]
			if len(count[inner]) < 2 || told[inner] || lines[inner] == 0 {
				continue
			}
			told[inner] = true
			outers := slices.Sorted(maps.Keys(count[inner]))
			t.refusal.add(Fault{Line: lines[inner], Column: a.Name, Value: inner,
				Text: "expected it to lie within one " + a.Within + " at a time, found " + outers[0] + " and " + outers[1]})
		}
		today = today[:0]
	}
	for n, r := range all {
		if n > 0 && r.from() != all[n-1].from() {
			day()
		}
		if old, ok := holds[r.Code]; ok {
			if count[old.inner][old.outer]--; count[old.inner][old.outer] == 0 {
				delete(count[old.inner], old.outer)
			}
		}
		delete(holds, r.Code)
		p := pair{r.Attributes[a.Name], r.Attributes[a.Within]}
		if p.inner == "" {
			continue
		}
		holds[r.Code] = p
		if r.line > 0 {
			lines[p.inner] = r.line
		}
		if count[p.inner] == nil {
			count[p.inner] = map[string]int{}
		}
		count[p.inner][p.outer]++
		today = append(today, r)
	}
	day()
}

// withEnds adds, after each row that ends before the next of its subject, one
// without attributes.
func withEnds(all []row) []row {
	next := map[uint32]calendar.Day{}
	var ends []row
	for _, r := range slices.Backward(all) {
		if r.ValidTo != nil {
			end := *r.ValidTo + 1
			if from, ok := next[r.Code]; !ok || from > end {
				ends = append(ends, row{store.Entry{Code: r.Code, ValidFrom: &end}, r.line})
			}
		}
		next[r.Code] = r.from()
	}
	out := slices.Concat(all, ends)
	slices.SortStableFunc(out, func(a, b row) int { return cmp.Compare(a.from(), b.from()) })
	return out
}
