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

// Aggregate implements Aggregator.
func (a Memory) Aggregate(m *rulebook.Measure, s Slot) *ledger.Totals {
	f, def, column, ok := a.e.feedOf(m.Of.Feed, s.Level)
	if s.Paired() && ok {
		_, second := s.Sides()
		_, _, _, ok = a.e.feedOf(m.Of.Feed, second)
	}
	size := a.e.Size(s.Level)
	empty := &ledger.Totals{Counts: make([]uint32, size), Amounts: make([]amount.Amount, size)}
	if !ok {
		return empty
	}
	scan := ledger.Scan{Subject: column, Size: size, Number: ledger.Column(f.Numbers, m.Of.Figure)}
	mask, lasting := a.e.masker(m, f, def)
	if m.Aggregate == "distinct" {
		return a.distinct(m, f, def, s, scan, mask)
	}
	var total *ledger.Totals
	a.stretches(f, s, scan, func(c *ledger.Chunk, scan ledger.Scan) {
		work := func() *ledger.Totals {
			scan := scan
			scan.Mask = mask(c)
			return one(m.Aggregate, c, scan)
		}
		var t *ledger.Totals
		if scan.From == 0 && scan.To == len(c.Days) && lasting && s.By == "" && !s.Paired() {
			t = c.Memo(memoKey{m.Aggregate, scan.Number, column, size, conditionText(m)}, work)
		} else {
			t = work()
		}
		total = merge(m.Aggregate, total, t)
	})
	if total == nil {
		return empty
	}
	if total.Amounts == nil { // counts
		total = &ledger.Totals{Counts: total.Counts, Amounts: make([]amount.Amount, len(total.Counts))}
		for i, n := range total.Counts {
			total.Amounts[i] = amount.FromInt(int64(n))
		}
	}
	return total
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
	var attribute *ledger.Attribute
	if s.By != "" && !s.Paired() {
		if attribute = a.e.Snapshot.Registers[s.Kind].Attributes[s.By]; attribute == nil {
			scan.Groups = make([]uint32, len(a.e.Snapshot.Registers[s.Kind].Keys))
		}
	}
	for _, c := range f.Chunks {
		if a.e.Stopped() {
			return
		}
		first, last := max(s.First, c.Month.First()), min(s.Last, c.Month.Last())
		if first > last {
			continue
		}
		starts := []calendar.Day{first}
		if attribute != nil {
			starts = append(starts, attribute.Turns(first, last)...)
		}
		for i, from := range starts {
			to := last
			if i+1 < len(starts) {
				to = starts[i+1] - 1
			}
			part := scan
			part.From, part.To = c.Between(from, to)
			if s.Paired() {
				part.Codes = a.e.pairs(s.Level).Column(c)
			}
			if attribute != nil {
				part.Groups = attribute.At(from)
			}
			visit(c, part)
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

// merge adds the totals of a later chunk to those before; what a chunk keeps
// is never written to.
func merge(aggregate string, before, t *ledger.Totals) *ledger.Totals {
	if before == nil {
		return t
	}
	out := &ledger.Totals{Counts: make([]uint32, len(t.Counts)), Beyond: before.Beyond || t.Beyond}
	for i, n := range t.Counts {
		out.Counts[i] = before.Counts[i] + n
	}
	if t.Amounts == nil {
		return out
	}
	out.Amounts = make([]amount.Amount, len(t.Amounts))
	for i, b := range t.Amounts {
		a := before.Amounts[i]
		switch {
		case before.Counts[i] == 0:
			out.Amounts[i] = b
		case t.Counts[i] == 0:
			out.Amounts[i] = a
		case aggregate == "minimum":
			out.Amounts[i] = min(a, b)
		case aggregate == "maximum":
			out.Amounts[i] = max(a, b)
		case aggregate == "first":
			out.Amounts[i] = a
		case aggregate == "last":
			out.Amounts[i] = b
		default:
			sum, err := amount.Add(a, b)
			out.Amounts[i], out.Beyond = sum, out.Beyond || err != nil
		}
	}
	return out
}

func (a Memory) distinct(m *rulebook.Measure, f *ledger.Feed, def *rulebook.Feed, s Slot, scan ledger.Scan, mask func(*ledger.Chunk) []bool) *ledger.Totals {
	other := ledger.Column(f.Subjects, m.Of.Figure)
	kind := def.Subjects[other].Kind
	var chunks []*ledger.Chunk
	scans := []ledger.Scan{}
	a.stretches(f, s, scan, func(c *ledger.Chunk, part ledger.Scan) {
		part.Mask = mask(c)
		chunks, scans = append(chunks, c), append(scans, part)
	})
	if len(chunks) == 0 {
		return &ledger.Totals{Counts: make([]uint32, scan.Size), Amounts: make([]amount.Amount, scan.Size)}
	}
	return ledger.Distinct(chunks, scans, other, len(a.e.Snapshot.Registers[kind].Keys))
}

// masker makes the lines that a measure's condition lets count, by chunk; nil
// is all. lasting says that it hangs on the lines alone, not on a register.
func (e *Engine) masker(m *rulebook.Measure, f *ledger.Feed, def *rulebook.Feed) (mask func(*ledger.Chunk) []bool, lasting bool) {
	if m.Where == nil {
		return func(*ledger.Chunk) []bool { return nil }, true
	}
	lasting = true
	columns := map[string]func(c *ledger.Chunk, i int) lang.Value{}
	for _, name := range m.Where.Tree.Names() {
		if k := labelColumn(f, name); k >= 0 {
			words := f.Labels[k].Words
			columns[name] = func(c *ledger.Chunk, i int) lang.Value {
				if word := words[c.Labels[k][i]]; word != "" {
					return lang.Value{Type: lang.TextType, Text: word}
				}
				return lang.Value{}
			}
			continue
		}
		if k := ledger.Column(f.Numbers, name); k >= 0 {
			columns[name] = func(c *ledger.Chunk, i int) lang.Value {
				if n := c.Numbers[k][i]; n != amount.Missing {
					return lang.Value{Type: lang.NumberType, Number: n}
				}
				return lang.Value{}
			}
			continue
		}
		for k, s := range def.Subjects {
			if attribute, ok := cutPrefix(name, s.Column+"."); ok {
				lasting = false
				register := e.Snapshot.Registers[s.Kind]
				columns[name] = func(c *ledger.Chunk, i int) lang.Value {
					return register.Value(attribute, c.Subjects[k][i], c.Month.First()+calendar.Day(c.Days[i])-1)
				}
			}
		}
	}
	return func(c *ledger.Chunk) []bool {
		out := make([]bool, len(c.Days))
		for i := range out {
			out[i] = lang.Test(m.Where.Tree, func(name string) lang.Value { return columns[name](c, i) })
		}
		return out
	}, lasting
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

// targets are a level's targets for a measure over a slot: a month's, or the
// sum of the months of a longer period that have one; of a group those of its
// subjects. None is amount.Missing.
func (e *Engine) targets(measure string, s Slot) []amount.Amount {
	out := make([]amount.Amount, e.Size(s.Level))
	for i := range out {
		out[i] = amount.Missing
	}
	add := func(code uint32, a amount.Amount) {
		if out[code] == amount.Missing {
			out[code] = 0
		}
		out[code] += a
	}
	begin, end := e.Book.Calendar.Of(calendar.Monthly, s.First), e.Book.Calendar.Of(calendar.Monthly, s.Last)
	from, _ := e.Book.Calendar.Span(begin)
	_, to := e.Book.Calendar.Span(end)
	if s.First != from || s.Last != to {
		return out // targets are kept by month; a part of one has none
	}
	first, last := calendar.Month(begin.Number), calendar.Month(end.Number)
	for key, sheet := range e.Snapshot.Targets {
		if key.Measure != measure || s.Kind != "" && key.Kind != s.Kind || s.Paired() {
			continue // a sheet is of one kind, so pairs have no targets
		}
		_, groups := e.group(Slot{Level: Level{Kind: key.Kind}, Last: s.Last}, key.Kind, s.By)
		for m := first; m <= last; m++ {
			for code, a := range sheet.Months[m] {
				switch {
				case a == amount.Missing:
				case s.Kind == "":
					add(0, a)
				case groups != nil:
					add(groups[code], a)
				default:
					add(uint32(code), a)
				}
			}
		}
	}
	return out
}
