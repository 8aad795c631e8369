package measure

import (
	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/ledger"
	"oskel/core/rulebook"
)

// Aggregator makes aggregates of lines; it is the seam at which another
// engine than the columns in memory can stand. Totals are by code of the
// slot's level; a code without a line that has a value has a count of 0.
type Aggregator interface {
	Aggregate(m *rulebook.Measure, s Slot) *ledger.Totals
}

// Memory aggregates the columns of a snapshot.
type Memory struct{ e *Engine }

// memoKey names what is kept of a whole chunk. A change of definition is
// another key, since a Condition is its own pointer only within one book: its
// text stands for it.
type memoKey struct {
	aggregate string
	number    int
	subject   int
	size      int
	where     string
}

func memoKeyOf(m *rulebook.Measure, s ledger.Scan) memoKey {
	return memoKey{m.Aggregate, s.Number, s.Subject, s.Size, conditionText(m)}
}

// remembered aggregates a whole chunk, unless it remembers; scan names neither
// groups nor a mask. others is how many subjects a distinct count chooses from.
func remembered(c *ledger.Chunk, m *rulebook.Measure, scan ledger.Scan, mask func(*ledger.Chunk) []bool, others int) *ledger.Totals {
	return c.Memo(memoKeyOf(m, scan), func() *ledger.Totals {
		scan.From, scan.To, scan.Mask = 0, c.Days.Len(), mask(c)
		if m.Aggregate == "distinct" {
			return ledger.Distinct([]*ledger.Chunk{c}, []ledger.Scan{scan}, scan.Number, others)
		}
		return one(m.Aggregate, c, scan)
	})
}

// counted is the column that a measure aggregates, of numbers or for a
// distinct count of subjects, and how many subjects there are of those.
func (e *Engine) counted(m *rulebook.Measure, f *ledger.Feed, def *rulebook.Feed) (column, others int) {
	if m.Aggregate != "distinct" {
		return ledger.Column(f.Numbers, m.Of.Figure), 0
	}
	column = ledger.Column(f.Subjects, m.Of.Figure)
	return column, len(e.Snapshot.Registers[def.Subjects[column].Kind].Keys)
}

// Aggregate implements Aggregator.
func (a Memory) Aggregate(m *rulebook.Measure, s Slot) *ledger.Totals {
	f, def, column, ok := a.e.feedOf(m.Of.Feed, s.Level)
	if s.Paired() && ok {
		_, second := s.Sides()
		_, _, _, ok = a.e.feedOf(m.Of.Feed, second)
	}
	size := a.e.Size(s.Level)
	if !ok {
		return ledger.NewTotals(size, false)
	}
	number, others := a.e.counted(m, f, def)
	scan := ledger.Scan{Subject: column, Size: size, Number: number}
	mask, lasting := a.e.masker(m, f, def)
	if m.Aggregate == "distinct" {
		return a.distinct(m, f, s, scan, mask, lasting, others)
	}
	var total *ledger.Totals
	own := false // what a chunk remembers is never written to
	a.stretches(f, s, scan, func(c *ledger.Chunk, scan ledger.Scan) {
		var t *ledger.Totals
		whole := scan.From == 0 && scan.To == c.Days.Len() && lasting && !s.Paired()
		switch {
		case whole && s.By == "":
			t = remembered(c, m, scan, mask, 0)
		case whole && scan.Groups != nil && addsUp(m.Aggregate) && 4*len(scan.Groups) < c.Days.Len():
			// The subjects' totals are fewer than the lines, and others ask for them too.
			each := scan
			each.Groups, each.Size = nil, len(scan.Groups)
			t = gather(m.Aggregate, remembered(c, m, each, mask, 0), scan.Groups, size)
		default:
			scan.Mask = mask(c)
			t = one(m.Aggregate, c, scan)
		}
		switch {
		case total == nil:
			total = t
			return
		case !own:
			total, own = total.Dense(), true
		}
		for code, of := range t.All() {
			add(m.Aggregate, total, code, of)
		}
		total.Beyond = total.Beyond || t.Beyond
	})
	if total == nil {
		return ledger.NewTotals(size, false)
	}
	return total
}

// addsUp says whether an aggregate of a group is made of those of its
// subjects.
func addsUp(aggregate string) bool { return aggregate != "first" && aggregate != "last" }

// gather makes the totals of groups from those of subjects.
func gather(aggregate string, t *ledger.Totals, groups []uint32, size int) *ledger.Totals {
	out := ledger.NewTotals(size, t.Amounts != nil)
	out.Beyond = t.Beyond
	for code, of := range t.All() {
		add(aggregate, out, groups[code], of)
	}
	return out
}

func conditionText(m *rulebook.Measure) string {
	if m.Where == nil {
		return ""
	}
	return m.Where.Text
}

// stretches visits the lines of a slot, chunk by chunk in date order; within a
// chunk anew wherever a subject changes its group, so that each line counts
// where its subject belonged on its day.
func (a Memory) stretches(f *ledger.Feed, s Slot, scan ledger.Scan, visit func(*ledger.Chunk, ledger.Scan)) {
	grouped := s.By != "" && !s.Paired()
	for _, c := range f.Chunks {
		if a.e.Stopped() {
			return
		}
		for _, days := range a.e.spans(s) {
			within := s
			within.First, within.Last, within.Joined = max(days.first, c.Month.First()), min(days.last, c.Month.Last()), 0
			if within.First > within.Last {
				continue
			}
			a.e.memberships(within, func(first, last calendar.Day, codes []uint32) {
				part := scan
				part.From, part.To = c.Between(first, last)
				switch {
				case s.Paired():
					part.Codes = a.e.pairs(s.Level).Column(c)
				case grouped && codes == nil:
					part.Groups = make([]uint32, len(a.e.Snapshot.Registers[s.Kind].Keys))
				case grouped:
					part.Groups = codes
				}
				visit(c, part)
			})
		}
	}
}

func one(aggregate string, c *ledger.Chunk, s ledger.Scan) *ledger.Totals {
	switch aggregate {
	case "count":
		return c.Count(s)
	case "minimum":
		return c.Pick(s, func(a, b amount.Amount) bool { return a < b }, false)
	case "maximum":
		return c.Pick(s, func(a, b amount.Amount) bool { return a > b }, false)
	case "first", "last":
		return c.Pick(s, nil, aggregate == "first")
	}
	return c.Sum(s) // of an average too
}

// add takes the total of a later stretch, or of another subject, into that of
// a code of dense totals.
func add(aggregate string, to *ledger.Totals, code uint32, of ledger.Total) {
	if to.Amounts != nil {
		a, b := to.Amounts[code], of.Amount
		switch {
		case to.Counts[code] == 0, aggregate == "last":
			a = b
		case aggregate == "minimum":
			a = min(a, b)
		case aggregate == "maximum":
			a = max(a, b)
		case aggregate == "first":
		default:
			sum, err := amount.Add(a, b)
			a, to.Beyond = sum, to.Beyond || err != nil
		}
		to.Amounts[code] = a
	}
	to.Counts[code] += of.Count
}

func (a Memory) distinct(m *rulebook.Measure, f *ledger.Feed, s Slot, scan ledger.Scan, mask func(*ledger.Chunk) []bool, lasting bool,
	others int) *ledger.Totals {
	if c := f.Within(s.First, s.Last); c != nil && lasting && s.By == "" && !s.Paired() && s.Joined == 0 {
		return remembered(c, m, scan, mask, others)
	}
	var chunks []*ledger.Chunk
	scans := []ledger.Scan{}
	a.stretches(f, s, scan, func(c *ledger.Chunk, part ledger.Scan) {
		part.Mask = mask(c)
		chunks, scans = append(chunks, c), append(scans, part)
	})
	if len(chunks) == 0 {
		return ledger.NewTotals(scan.Size, false)
	}
	return ledger.Distinct(chunks, scans, scan.Number, others)
}

// masker makes the lines that a measure's condition lets count, by chunk; nil
// is all. lasting says that it hangs on the lines alone, not on a register.
func (e *Engine) masker(m *rulebook.Measure, f *ledger.Feed, def *rulebook.Feed) (mask func(*ledger.Chunk) []bool, lasting bool) {
	if m.Where == nil {
		return func(*ledger.Chunk) []bool { return nil }, true
	}
	lasting = true
	test := e.lineTest(m.Where.Tree, f, def, &lasting)
	return func(c *ledger.Chunk) []bool {
		out := make([]bool, c.Days.Len())
		holds := test(c)
		for i := range out {
			out[i] = holds(i)
		}
		return out
	}, lasting
}

// lineTest answers a condition line by line: for each chunk a test of its lines.
// Each comparison is of one column, and made ready for it.
func (e *Engine) lineTest(n *lang.Node, f *ledger.Feed, def *rulebook.Feed, lasting *bool) func(*ledger.Chunk) func(i int) bool {
	switch n.Op {
	case lang.And, lang.Or:
		left, right := e.lineTest(n.Parts[0], f, def, lasting), e.lineTest(n.Parts[1], f, def, lasting)
		if n.Op == lang.And {
			return func(c *ledger.Chunk) func(i int) bool {
				a, b := left(c), right(c)
				return func(i int) bool { return a(i) && b(i) }
			}
		}
		return func(c *ledger.Chunk) func(i int) bool {
			a, b := left(c), right(c)
			return func(i int) bool { return a(i) || b(i) }
		}
	case lang.Not:
		inner := e.lineTest(n.Parts[0], f, def, lasting)
		return func(c *ledger.Chunk) func(i int) bool {
			a := inner(c)
			return func(i int) bool { return !a(i) }
		}
	}
	name := n.Parts[0].Text
	if k := labelColumn(f, name); k >= 0 {
		return labelTest(n, f.Labels[k].Words, k)
	}
	if k := ledger.Column(f.Numbers, name); k >= 0 {
		return numberTest(n, k)
	}
	for k, s := range def.Subjects {
		if attribute, ok := cutPrefix(name, s.Column+"."); ok {
			*lasting = false
			register := e.Snapshot.Registers[s.Kind]
			return func(c *ledger.Chunk) func(i int) bool {
				return func(i int) bool {
					v := register.Value(attribute, c.Subjects[k][i], c.Month.First()+calendar.Day(c.Days.Of(i))-1)
					return lang.Test(n, func(string) lang.Value { return v })
				}
			}
		}
	}
	return func(*ledger.Chunk) func(i int) bool { return func(int) bool { return false } }
}

// labelTest asks the condition of each word once.
func labelTest(n *lang.Node, words []string, column int) func(*ledger.Chunk) func(i int) bool {
	holds := make([]bool, len(words))
	for code, word := range words {
		v := lang.Value{}
		if word != "" {
			v = lang.Value{Type: lang.TextType, Text: word}
		}
		holds[code] = lang.Test(n, func(string) lang.Value { return v })
	}
	return func(c *ledger.Chunk) func(i int) bool {
		codes := c.Labels[column]
		return func(i int) bool { return holds[codes[i]] }
	}
}

// numberTest compares a column of numbers with what stands in the condition; what is
// missing is asked for as lang.Test does.
func numberTest(n *lang.Node, column int) func(*ledger.Chunk) func(i int) bool {
	missing := lang.Test(n, func(string) lang.Value { return lang.Value{} })
	holds := func(v amount.Amount) bool {
		return lang.Test(n, func(string) lang.Value { return lang.Value{Type: lang.NumberType, Number: v} })
	}
	switch n.Op {
	case lang.Below, lang.AtMost, lang.Above, lang.AtLeast:
		cut := n.Parts[1].Number
		if n.Parts[1].Op == lang.Negate {
			cut = -n.Parts[1].Parts[0].Number
		}
		switch n.Op {
		case lang.Below:
			holds = func(v amount.Amount) bool { return v < cut }
		case lang.AtMost:
			holds = func(v amount.Amount) bool { return v <= cut }
		case lang.Above:
			holds = func(v amount.Amount) bool { return v > cut }
		default:
			holds = func(v amount.Amount) bool { return v >= cut }
		}
	}
	return func(c *ledger.Chunk) func(i int) bool {
		numbers := c.Numbers[column]
		return func(i int) bool {
			if v := numbers[i]; v != amount.Missing {
				return holds(v)
			}
			return missing
		}
	}
}

func cutPrefix(s, prefix string) (string, bool) {
	if len(s) > len(prefix) && s[:len(prefix)] == prefix {
		return s[len(prefix):], true
	}
	return "", false
}

func labelColumn(f *ledger.Feed, name string) int {
	for i, l := range f.Labels {
		if l.Column == name {
			return i
		}
	}
	return -1
}
