package intake

import (
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
func readRegister(ctx context.Context, tx *store.Tx, k *rulebook.Kind, r Request, body io.Reader, in *store.Intake) (write func(*store.Tx) error, refusal *Refusal, err error) {
	required := []string{k.Name}
	for _, a := range k.Attributes {
		required = append(required, a.Name)
	}
	known, err := readKeys(ctx, tx, k.Name)
	if err != nil {
		return nil, nil, err
	}
	t := openTable(r.File, body, required, []string{"name", "active_from", "active_to", "valid_from", "valid_to"})
	var rows []row
	var fresh []string
	type since struct {
		key  string
		from calendar.Day
	}
	seen := map[since]int{}
	codes := map[string]uint32{}
	for t.next() {
		key := t.text(k.Name)
		from, dated := t.day("valid_from", false)
		if !dated {
			from = ledger.Never
		}
		switch {
		case key == "":
			t.fault(k.Name, "expected a key")
			continue
		case seen[since{key, from}] > 0:
			t.fault(k.Name, "already on line %d; a second row of the same key needs another valid_from", seen[since{key, from}])
			continue
		}
		key = strings.Clone(key)
		seen[since{key, from}] = t.line
		code, ok := known.codes[key]
		if !ok {
			if code, ok = codes[key]; !ok {
				code = uint32(len(known.all) + len(fresh))
				codes[key] = code
				fresh = append(fresh, key)
			}
		}
		e := store.Entry{Code: code, Name: strings.Clone(t.text("name")), Attributes: map[string]string{}}
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
		if d, ok := t.day("valid_to", false); ok {
			e.ValidTo = &d
			if dated && d < from {
				t.fault("valid_to", "expected a day not before valid_from, %s", from)
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
		rows = append(rows, row{e, t.line})
	}
	held, err := tx.Entries(ctx, k.Name)
	if err != nil {
		return nil, nil, err
	}
	if _, named := t.place["name"]; !named {
		keepNames(held, rows)
	}
	all := standing(held, rows)
	checkOverlaps(t, func(code uint32) string {
		if int(code) < len(known.all) {
			return known.all[code]
		}
		return fresh[int(code)-len(known.all)]
	}, all)
	checkWithin(t, k, withEnds(all))
	if t.refusal.Count == 0 && len(rows) == 0 {
		t.refusal.add(Fault{Text: "the file has a header and no rows"})
	}
	if t.refusal.Count > 0 {
		return nil, t.refusal, nil
	}
	in.Lines = int64(len(rows))
	return func(tx *store.Tx) error {
		if err := tx.AddSubjects(ctx, k.Name, len(known.all), fresh); err != nil {
			return err
		}
		entries := make([]store.Entry, len(rows))
		for i, r := range rows {
			entries[i] = r.Entry
		}
		return tx.PutEntries(ctx, k.Name, in.ID, entries)
	}, nil, nil
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
func readTargets(ctx context.Context, tx *store.Tx, book *rulebook.Book, k *rulebook.Kind, r Request, body io.Reader, in *store.Intake) (write func(*store.Tx) error, refusal *Refusal, err error) {
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
