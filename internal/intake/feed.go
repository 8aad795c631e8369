package intake

import (
	"context"
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
}

func readKeys(ctx context.Context, tx *store.Tx, kind string) (*keys, error) {
	all, err := tx.SubjectKeys(ctx, kind)
	if err != nil {
		return nil, err
	}
	k := &keys{kind, make(map[string]uint32, len(all)), all}
	for i, key := range all {
		k.codes[key] = uint32(i)
	}
	return k, nil
}

// code is the code of the key in a column; what is unknown is a fault.
func (k *keys) code(t *table, column string) (uint32, bool) {
	key := strings.TrimSpace(t.get(column))
	code, ok := k.codes[key]
	switch {
	case ok:
	case key == "":
		t.fault(column, "expected the key of a %s", k.kind)
	case len(t.refusal.Faults) < shownFaults:
		t.fault(column, "unknown %s%s (a new one comes in with its register)", k.kind, lang.Suggestion(key, k.all))
	default:
		t.fault(column, "unknown %s", k.kind)
	}
	return code, ok
}

// readFeed reads the lines of a feed; write keeps them.
func readFeed(ctx context.Context, tx *store.Tx, f *rulebook.Feed, r Request, body io.Reader, in *store.Intake) (write func(*store.Tx) error, refusal *Refusal, err error) {
	required := []string{f.Date}
	subjects := make([]*keys, len(f.Subjects))
	for i, s := range f.Subjects {
		required = append(required, s.Column)
		if subjects[i], err = readKeys(ctx, tx, s.Kind); err != nil {
			return nil, nil, err
		}
	}
	for _, n := range f.Numbers {
		required = append(required, n.Column)
	}
	texts := append(append([]string(nil), f.Labels...), f.Notes...)
	t := openTable(r.File, body, required, texts)
	lines := &store.Lines{Subjects: make([][]uint32, len(f.Subjects)), Numbers: make([][]amount.Amount, len(f.Numbers)), Texts: make([][]string, len(texts))}
	only := calendar.Month(-1)
	if in.Period != nil {
		only, _ = calendar.ParseMonth(*in.Period)
	}
	days := map[string]calendar.Day{}
	months := map[int32]bool{}
	totals := make([]amount.Amount, len(f.Numbers))
	for t.next() {
		day, ok := days[t.get(f.Date)]
		if !ok {
			if day, ok = t.day(f.Date, true); ok {
				days[strings.Clone(t.get(f.Date))] = day
			}
		}
		if ok {
			if m := day.Month(); only >= 0 && m != only {
				t.fault(f.Date, "outside %s, the month that is replaced", only)
			} else {
				months[int32(m)] = true
			}
		}
		lines.Days = append(lines.Days, day)
		for i, s := range f.Subjects {
			code, _ := subjects[i].code(t, s.Column)
			lines.Subjects[i] = append(lines.Subjects[i], code)
		}
		for i, n := range f.Numbers {
			a := t.number(n.Column)
			lines.Numbers[i] = append(lines.Numbers[i], a)
			if a != amount.Missing {
				if totals[i], err = amount.Add(totals[i], a); err != nil {
					t.fault(n.Column, "with it the column's total is beyond 900 trillion")
				}
			}
		}
		for i, name := range texts {
			lines.Texts[i] = append(lines.Texts[i], t.text(name))
		}
	}
	if t.refusal.Count == 0 && len(lines.Days) == 0 {
		t.refusal.add(Fault{Text: "the file has a header and no rows"})
	}
	if t.refusal.Count > 0 {
		return nil, t.refusal, nil
	}
	in.Lines = int64(len(lines.Days))
	in.Totals = map[string]string{}
	for i, n := range f.Numbers {
		in.Totals[n.Column] = totals[i].String()
	}
	if only >= 0 {
		months[int32(only)] = true
	}
	in.Months = slices.Sorted(maps.Keys(months))
	return func(tx *store.Tx) error {
		if only >= 0 {
			if _, err := tx.SupersedeMonth(ctx, f, only, in.ID); err != nil {
				return err
			}
		}
		return tx.AppendLines(ctx, f, in.ID, in.Months, lines)
	}, nil, nil
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
