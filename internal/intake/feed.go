package intake

import (
	"context"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"
	"time"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/rulebook"
	"oskel/internal/store"
)

// Days outside these years are taken for slips of the pen.
var firstDay, lastDay = calendar.Date(1990, time.January, 1), calendar.Date(2100, time.December, 31)

// keys finds subjects of one kind by key.
type keys struct {
	kind  string
	codes map[string]uint32
	all   []string
	told  map[string]bool // the unknown ones that a fault names
}

func readKeys(ctx context.Context, tx *store.Tx, kind string) (*keys, error) {
	all, err := tx.SubjectKeys(ctx, kind)
	if err != nil {
		return nil, err
	}
	k := &keys{kind, make(map[string]uint32, len(all)), all, map[string]bool{}}
	for i, key := range all {
		k.codes[key] = uint32(i)
	}
	return k, nil
}

// code is the code of the key in a column; what is unknown is a fault, of which the first
// line is listed and the others are counted.
func (k *keys) code(t *table, column string) (uint32, bool) {
	key := strings.TrimSpace(t.get(column))
	code, ok := k.codes[key]
	switch {
	case ok:
	case key == "":
		t.fault(column, "expected the key of a %s", k.kind)
	case k.told[key] || len(t.refusal.Faults) >= shownFaults:
		t.refusal.Count++
	case len(k.all) == 0:
		k.told[key] = true
		t.fault(column, "unknown %s: its register is empty, and comes in first", k.kind)
	default:
		k.told[key] = true
		t.fault(column, "unknown %s%s (a new one comes in with its register)", k.kind, lang.Suggestion(key, k.all))
	}
	return code, ok
}

// blockLines is how many lines go to the database at a time, while the next
// are read.
const blockLines = 1 << 15

// readFeed reads the lines of a feed and writes them, block by block, while it
// reads on; with a refusal or an error the transaction takes all of it back.
func readFeed(ctx context.Context, tx *store.Tx, book *rulebook.Book, r Request, body io.Reader, in *store.Intake) (refusal *Refusal, err error) {
	f := book.Feed(r.Name)
	required := []string{f.Date}
	subjects := make([]*keys, len(f.Subjects))
	for i, s := range f.Subjects {
		required = append(required, s.Column)
		if subjects[i], err = readKeys(ctx, tx, s.Kind); err != nil {
			return nil, err
		}
	}
	for _, n := range f.Numbers {
		required = append(required, n.Column)
	}
	var only *stretch
	if in.Period != nil {
		period, _ := book.Calendar.Parse(*in.Period) // it was planned
		only = &stretch{name: *in.Period}
		only.first, only.last = book.Calendar.Span(period)
		if err := tx.SupersedeDays(ctx, f, only.first, only.last, in.ID); err != nil {
			return nil, err
		}
	}
	if r.Correct != "" {
		required = append(required, r.Correct)
	}
	t := openTable(r.File, body, required, append(append([]string(nil), f.Labels...), f.Notes...))
	appender := tx.NewAppender(f, in.ID)
	w := newBlockWriter(ctx, appender)
	err = (&lineReader{t: t, feed: f, subjects: subjects, only: only, doubts: r.doubts}).read(w, in)
	if written := w.close(); err == nil {
		err = written
	}
	if err == nil && t.refusal.Count > 0 {
		return t.refusal, nil
	}
	if err == nil {
		err = appender.Attach(ctx)
	}
	if err == nil && r.Correct != "" {
		var more []int32
		if more, err = tx.SupersedeSame(ctx, f, r.Correct, in.ID); err == nil {
			in.Months = slices.Compact(slices.Sorted(slices.Values(append(in.Months, more...))))
		}
	}
	return nil, err
}

// Equal says that lines of a file are equal to lines that count already: most
// likely they were taken in before.
type Equal struct {
	Lines int64
	Of    int64 // lines in the file
	By    map[int64]int64
}

func (e *Equal) Error() string {
	var from []string
	for _, id := range slices.Sorted(maps.Keys(e.By)) {
		from = append(from, fmt.Sprintf("%d with intake %d", e.By[id], id))
	}
	are := "are equal to lines that are"
	if e.Lines == 1 {
		are = "is equal to a line that is"
	}
	return fmt.Sprintf("%d of the %d lines %s there already, in every column: %s", e.Lines, e.Of, are, strings.Join(from, ", "))
}

// equalLines finds lines of an intake that are there already; nil is none.
func equalLines(ctx context.Context, tx *store.Tx, f *rulebook.Feed, in *store.Intake) (*Equal, error) {
	e := &Equal{Of: in.Lines, By: map[int64]int64{}}
	for _, m := range in.Months {
		month := calendar.Month(m)
		by, err := tx.EqualLines(ctx, f, in.ID, month.First(), month.Last())
		if err != nil {
			return nil, err
		}
		for id, n := range by {
			e.By[id] += n
			e.Lines += n
		}
	}
	if e.Lines == 0 {
		return nil, nil
	}
	return e, nil
}

// blockWriter hands blocks to the database in their order, one behind the
// other. The first error ends the writing.
type blockWriter struct {
	blocks chan *store.Lines
	done   chan error
}

func newBlockWriter(ctx context.Context, a *store.Appender) *blockWriter {
	w := &blockWriter{make(chan *store.Lines, 2), make(chan error, 1)}
	go func() {
		var err error
		for b := range w.blocks {
			if err == nil {
				err = appended(ctx, a, b)
			}
		}
		w.done <- err
	}()
	return w
}

func appended(ctx context.Context, a *store.Appender, b *store.Lines) (err error) {
	defer func() {
		if what := recover(); what != nil {
			err = fmt.Errorf("panic while writing lines: %v", what)
		}
	}()
	return a.Append(ctx, b)
}

func (w *blockWriter) close() error {
	close(w.blocks)
	return <-w.done
}

// lineReader checks the rows of a feed's file.
type lineReader struct {
	t        *table
	feed     *rulebook.Feed
	subjects []*keys
	only     *stretch // of a replacement
	doubts   *doubts
}

// stretch is a period by its days, both included.
type stretch struct {
	name        string
	first, last calendar.Day
}

// read takes the lines of a file one by one, so that a file may be larger than memory: each is
// checked, added to its block, and the totals of the intake are kept as it goes.
func (l *lineReader) read(w *blockWriter, in *store.Intake) error {
	t, f := l.t, l.feed
	block := newBlock(f, 1)
	days := map[string]calendar.Day{}
	months := map[int32]bool{}
	totals := make([]amount.Amount, len(f.Numbers))
	count := int64(0)
	for t.next() {
		raw := t.get(f.Date)
		day, ok := days[raw]
		if !ok {
			if day, ok = t.day(f.Date, true); ok {
				days[strings.Clone(raw)] = day
				months[int32(day.Month())] = true
			}
		}
		if ok && l.only != nil && (day < l.only.first || day > l.only.last) {
			t.fault(f.Date, "outside %s (%s to %s), the period that is replaced", l.only.name, l.only.first, l.only.last)
		}
		count++
		block.Days = append(block.Days, day)
		for i, s := range f.Subjects {
			code, _ := l.subjects[i].code(t, s.Column)
			block.Subjects[i] = append(block.Subjects[i], code)
		}
		for i, n := range f.Numbers {
			a := t.number(n.Column)
			block.Numbers[i] = append(block.Numbers[i], a)
			if a == amount.Missing {
				continue
			}
			sum, err := amount.Add(totals[i], a)
			if err != nil {
				t.fault(n.Column, "with it the column's total is beyond 900 trillion")
			}
			totals[i] = sum
		}
		for i, name := range f.Labels {
			block.Texts[i] = append(block.Texts[i], t.text(name))
		}
		for i, name := range f.Notes {
			block.Texts[len(f.Labels)+i] = append(block.Texts[len(f.Labels)+i], t.note(name))
		}
		if len(block.Days) == blockLines {
			if t.refusal.Count == 0 {
				w.blocks <- block
			}
			block = newBlock(f, count+1)
		}
	}
	if t.refusal.Count == 0 && count == 0 {
		t.refusal.add(Fault{Text: "the file has a header and no rows"})
	}
	if t.refusal.Count > 0 {
		return nil
	}
	l.doubts.days(f.Date, days)
	w.blocks <- block
	in.Lines = count
	in.Totals = map[string]string{}
	for i, n := range f.Numbers {
		in.Totals[n.Column] = totals[i].String()
	}
	if l.only != nil {
		for m := l.only.first.Month(); m <= l.only.last.Month(); m++ {
			months[int32(m)] = true
		}
	}
	in.Months = slices.Sorted(maps.Keys(months))
	return nil
}

func newBlock(f *rulebook.Feed, first int64) *store.Lines {
	b := &store.Lines{First: first, Days: make([]calendar.Day, 0, blockLines), Subjects: make([][]uint32, len(f.Subjects)),
		Numbers: make([][]amount.Amount, len(f.Numbers)), Texts: make([][]string, len(f.Labels)+len(f.Notes))}
	for i := range b.Subjects {
		b.Subjects[i] = make([]uint32, 0, blockLines)
	}
	for i := range b.Numbers {
		b.Numbers[i] = make([]amount.Amount, 0, blockLines)
	}
	for i := range b.Texts {
		b.Texts[i] = make([]string, 0, blockLines)
	}
	return b
}

// day is the day in a column; required or not, what is there must be one.
func (t *table) day(column string, required bool) (calendar.Day, bool) {
	s := strings.TrimSpace(t.get(column))
	if s == "" {
		if required {
			t.fault(column, "expected a day, such as 2026-10-31")
		}
		return 0, false
	}
	d, err := calendar.ParseDay(s)
	switch {
	case err != nil:
		t.fault(column, "expected a day of the calendar, such as 2026-10-31")
	case d < firstDay || d > lastDay:
		t.fault(column, "expected a day between %s and %s", firstDay, lastDay)
	default:
		return d, true
	}
	return 0, false
}

// number is the decimal in a column; an empty cell is missing.
func (t *table) number(column string) amount.Amount {
	s := strings.TrimSpace(t.get(column))
	if s == "" {
		return amount.Missing
	}
	a, err := amount.Parse(s)
	if err != nil {
		t.fault(column, "expected a decimal of at most four places, such as 1234.5: %s", err)
	}
	return a
}
