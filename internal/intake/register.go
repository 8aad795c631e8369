package intake

import (
	"cmp"
	"context"
	"io"
	"maps"
	"slices"
	"strings"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/ledger"
	"oskel/core/rulebook"
	"oskel/internal/store"
)

// readRegister reads subjects of a kind with their attributes; those already
// known are replaced, others stay as they are.
func readRegister(ctx context.Context, tx *store.Tx, k *rulebook.Kind, r Request, body io.Reader, in *store.Intake) (write func(*store.Tx) error,
	fresh []string, refusal *Refusal, err error) {
	required := []string{k.Name}
	for _, a := range k.Attributes {
		required = append(required, a.Name)
	}
	known, err := readKeys(ctx, tx, k.Name)
	if err != nil {
		return nil, nil, nil, err
	}
	rr := &registerReader{kind: k, known: known, seen: map[since]int{}, codes: map[string]uint32{}, spaced: map[string]string{}}
	rr.t = openTable(r.File, body, required, []string{"name", "active_from", "active_to", "valid_from", "valid_to"})
	for rr.t.next() {
		if len(rr.rows) == mostRows {
			rr.t.fault(k.Name, "a file has %d rows of a register at most; load it in parts", mostRows)
			break
		}
		rr.read()
	}
	held, err := tx.Entries(ctx, k.Name)
	if err != nil {
		return nil, nil, nil, err
	}
	rr.checkAgainst(held)
	if rr.t.refusal.Count > 0 {
		return nil, nil, rr.t.refusal, nil
	}
	r.doubts.keys(known.all, rr.fresh)
	in.Lines = int64(len(rr.rows))
	return func(tx *store.Tx) error {
		if err := tx.AddSubjects(ctx, k.Name, in.ID, len(known.all), rr.fresh); err != nil {
			return err
		}
		entries := make([]store.Entry, len(rr.rows))
		for i, r := range rr.rows {
			entries[i] = r.Entry
		}
		return tx.PutEntries(ctx, k.Name, in.ID, entries)
	}, rr.fresh, nil, nil
}

// since names a row of a register: a subject's, from a day on.
type since struct {
	key  string
	from calendar.Day
}

// registerReader reads and checks the rows of a register file.
type registerReader struct {
	t      *table
	kind   *rulebook.Kind
	known  *keys
	rows   []row
	fresh  []string
	seen   map[since]int
	codes  map[string]uint32 // of fresh keys
	spaced map[string]string // keys that the file writes with space around them, by what they are without
}

// mostRows bounds what is held of one file.
const mostRows = 500_000

// mostKey bounds a key, which an index of the database must hold.
const mostKey = 200

// read takes one row.
func (rr *registerReader) read() {
	t, k := rr.t, rr.kind
	key := t.text(k.Name)
	from, dated := t.day("valid_from", false)
	if !dated {
		from = ledger.Never
	}
	at, raw := since{key, from}, t.get(k.Name)
	switch before := rr.seen[at]; {
	case key == "":
		t.fault(k.Name, "expected a key")
		return
	case len(key) > mostKey:
		t.fault(k.Name, "expected a key of at most %d bytes", mostKey)
		return
	case before > 0 && cmp.Or(rr.spaced[key], key) != raw:
		t.fault(k.Name, "the same key as %q on line %d: space around a key does not count", cmp.Or(rr.spaced[key], key), before)
		return
	case before > 0:
		t.fault(k.Name, "already on line %d; a second row of the same key needs another valid_from", before)
		return
	}
	key = strings.Clone(key)
	if rr.seen[since{key, from}] = t.line; raw != key {
		rr.spaced[key] = strings.Clone(raw)
	}
	e := store.Entry{Code: rr.code(key), Name: strings.Clone(t.text("name")), Attributes: make(map[string]string, len(k.Attributes))}
	if e.Name == "" {
		e.Name = key
	}
	for _, a := range k.Attributes {
		v := t.text(a.Name)
		if v == "" {
			continue
		}
		if lang.ParseValue(a.Type, v).Type == "" {
			t.fault(a.Name, "expected a %s", map[lang.Type]string{lang.NumberType: "decimal, such as 12.5", lang.DateType: "day, such as 2026-10-31"}[a.Type])
		}
		e.Attributes[a.Name] = strings.Clone(v)
	}
	if dated {
		e.ValidFrom = &from
	}
	rr.days(&e)
	rr.rows = append(rr.rows, row{e, t.line})
}

// days reads until when a row holds, and in which days its subject is active.
func (rr *registerReader) days(e *store.Entry) {
	t := rr.t
	if d, ok := t.day("valid_to", false); ok {
		e.ValidTo = &d
		if e.ValidFrom != nil && d < *e.ValidFrom {
			t.fault("valid_to", "expected a day not before valid_from, %s", *e.ValidFrom)
		}
	}
	if d, ok := t.day("active_from", false); ok {
		e.From = &d
	}
	if d, ok := t.day("active_to", false); ok {
		e.To = &d
		if e.From != nil && d < *e.From {
			t.fault("active_to", "expected a day not before active_from, %s", *e.From)
		}
	}
}

// code is that of a key, a new one if it is not known.
func (rr *registerReader) code(key string) uint32 {
	if code, ok := rr.known.codes[key]; ok {
		return code
	}
	code, ok := rr.codes[key]
	if !ok {
		code = uint32(len(rr.known.all) + len(rr.fresh))
		rr.codes[key] = code
		rr.fresh = append(rr.fresh, key)
	}
	return code
}

// checkAgainst holds the rows against one another and what the register holds.
func (rr *registerReader) checkAgainst(held []store.Entry) {
	if _, named := rr.t.place["name"]; !named {
		keepNames(held, rr.rows)
	}
	all := withHeld(held, rr.rows)
	checkOverlaps(rr.t, func(code uint32) string {
		if int(code) < len(rr.known.all) {
			return rr.known.all[code]
		}
		return rr.fresh[int(code)-len(rr.known.all)]
	}, all)
	checkWithin(rr.t, rr.kind, withEnds(all))
	if rr.t.refusal.Count == 0 && len(rr.rows) == 0 {
		rr.t.refusal.add(Fault{Text: "the file has a header and no rows"})
	}
}

// keepNames gives rows of a file without names those that their subjects have.
func keepNames(held []store.Entry, rows []row) {
	names := map[uint32]string{}
	for _, e := range held {
		names[e.Code] = e.Name
	}
	for i, r := range rows {
		if name := names[r.Code]; name != "" {
			rows[i].Name = name
		}
	}
}

// readTargets reads a target sheet: a row a subject and month, or a longer
// period that is spread over its months; a column a measure. An empty cell is
// no target.
func readTargets(ctx context.Context, tx *store.Tx, book *rulebook.Book, k *rulebook.Kind, r Request, body io.Reader,
	in *store.Intake) (write func(*store.Tx) error, refusal *Refusal, err error) {
	known, err := readKeys(ctx, tx, k.Name)
	if err != nil {
		return nil, nil, err
	}
	var measures []string
	for _, m := range book.Measures {
		measures = append(measures, m.Name)
	}
	t := openTable(r.File, body, []string{k.Name, "month"}, measures)
	var sheet []string
	for _, c := range t.header {
		if c != k.Name && c != "month" {
			sheet = append(sheet, c)
		}
	}
	if len(sheet) == 0 && t.refusal.Count == 0 {
		t.refusal.add(Fault{Line: 1, Text: "expected at least one column named after a measure, such as " + strings.Join(measures[:min(3, len(measures))], ", ")})
	}
	var targets []store.Target
	type cell struct {
		code  uint32
		month calendar.Month
	}
	seen := map[cell]int{}
	months := map[int32]bool{}
	for t.next() {
		code, known := known.code(t, k.Name)
		period, err := book.Calendar.Parse(strings.TrimSpace(t.get("month")))
		first, last := book.Calendar.Span(period)
		if err != nil || period.Unit < calendar.Monthly || period.Unit > calendar.Yearly || first < firstDay || last > lastDay {
			t.fault("month", "expected a month, such as 2026-10, or a longer period to be spread, such as 2026-Q4 or 2026")
			continue
		}
		if !known {
			continue
		}
		clash := false
		spread, _, _ := book.SpreadTarget(0, period)
		for _, month := range spread {
			if at := seen[cell{code, month}]; at > 0 {
				t.fault(k.Name, "%s already has targets for %s on line %d", t.get(k.Name), book.Calendar.String(calendar.MonthPeriod(month)), at)
				clash = true
				break
			}
			seen[cell{code, month}] = t.line
			months[int32(month)] = true
		}
		if clash {
			continue
		}
		for _, m := range sheet {
			a := t.number(m)
			if a == amount.Missing {
				continue
			}
			spread, parts, _ := book.SpreadTarget(a, period)
			for i, month := range spread {
				targets = append(targets, store.Target{Code: code, Measure: m, Month: month, Target: parts[i]})
			}
		}
	}
	if t.refusal.Count == 0 && len(targets) == 0 {
		t.refusal.add(Fault{Text: "the file holds no target"})
	}
	if t.refusal.Count > 0 {
		return nil, t.refusal, nil
	}
	in.Lines = int64(len(seen))
	in.Months = slices.Sorted(maps.Keys(months))
	return func(tx *store.Tx) error { return tx.PutTargets(ctx, k.Name, in.ID, targets) }, nil, nil
}
