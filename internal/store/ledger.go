package store

import (
	"context"
	"encoding/binary"
	"fmt"
	"slices"
	"sort"
	"strings"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
	"golang.org/x/sync/errgroup"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/ledger"
	"oskel/core/rulebook"
)

// ReadLedger builds the snapshot of a data version. near may be a snapshot of
// an earlier or a later version, made for a book with the same kinds and feeds:
// what no intake between the two has touched is shared with it.
func (s *Store) ReadLedger(ctx context.Context, book *rulebook.Book, version int64, near *ledger.Snapshot) (*ledger.Snapshot, error) {
	out := &ledger.Snapshot{Version: version, Registers: map[string]*ledger.Register{}, Feeds: map[string]*ledger.Feed{},
		Targets: map[ledger.SheetKey]*ledger.Sheet{}}
	touched, err := s.touched(ctx, book, version, near)
	if err != nil {
		return nil, err
	}
	for i := range book.Kinds {
		kind := &book.Kinds[i]
		if near != nil && !touched.registers[kind.Name] {
			out.Registers[kind.Name] = near.Registers[kind.Name]
			continue
		}
		if out.Registers[kind.Name], err = s.readRegister(ctx, kind, version); err != nil {
			return nil, fmt.Errorf("reading the register of %s: %w", kind.Name, err)
		}
	}
	for i := range book.Feeds {
		def := &book.Feeds[i]
		feed := &ledger.Feed{Name: def.Name}
		for _, l := range def.Texts() {
			feed.Labels = append(feed.Labels, &ledger.Label{Column: l, Words: []string{""}})
		}
		if near != nil {
			feed.Labels = near.Feeds[def.Name].Labels
		}
		dictionaries := newDictionaries(feed)
		for _, c := range def.Subjects {
			feed.Subjects = append(feed.Subjects, c.Column)
		}
		for _, c := range def.Numbers {
			feed.Numbers = append(feed.Numbers, c.Column)
		}
		if feed.Chunks, err = s.readChunks(ctx, def, touched.months[def.Name], version, near, dictionaries); err != nil {
			return nil, err
		}
		if near != nil {
			for _, c := range near.Feeds[def.Name].Chunks {
				if !touched.months[def.Name][c.Month] {
					feed.Chunks = append(feed.Chunks, c)
				}
			}
		}
		feed.Labels = dictionaries.labels()
		sort.Slice(feed.Chunks, func(i, j int) bool { return feed.Chunks[i].Month < feed.Chunks[j].Month })
		out.Feeds[def.Name] = feed
	}
	if near != nil && !touched.targets {
		out.Targets = near.Targets
		return out, nil
	}
	return out, s.readTargets(ctx, out, version)
}

// touched is what the intakes between two versions brought or took away.
type touched struct {
	months    map[string]map[calendar.Month]bool
	registers map[string]bool
	targets   bool
}

func (s *Store) touched(ctx context.Context, book *rulebook.Book, version int64, near *ledger.Snapshot) (touched, error) {
	out := touched{map[string]map[calendar.Month]bool{}, map[string]bool{}, false}
	for _, f := range book.Feeds {
		out.months[f.Name] = map[calendar.Month]bool{}
	}
	since, until := int64(0), version
	if near != nil {
		since, until = min(near.Version, version), max(near.Version, version)
	}
	intakes, err := s.IntakesSince(ctx, since)
	if err != nil {
		return out, err
	}
	for _, in := range intakes {
		if in.ID > until {
			continue
		}
		// A take-back bears the name of what it takes back, and its months.
		out.registers[in.Name] = out.registers[in.Name] || in.Of == "register"
		out.targets = out.targets || in.Of == "targets"
		if months := out.months[in.Name]; months != nil && in.Of == "feed" {
			for _, m := range in.Months {
				months[calendar.Month(m)] = true
			}
		}
	}
	return out, nil
}

// counts is the condition that a row counts at data version $1.
const counts = "coalesce(again, intake) <= $1 and (superseded is null or superseded > $1)"

// readRegister reads a register as it is at a version: the keys in the order of their codes, which
// never changes, and each attribute's values with the days from which they hold.
func (s *Store) readRegister(ctx context.Context, kind *rulebook.Kind, version int64) (*ledger.Register, error) {
	keys, err := subjectKeys(ctx, s.pool, kind.Name, version)
	if err != nil {
		return nil, err
	}
	keys = slices.Clip(slices.Clone(keys))
	r := ledger.NewRegister(kind.Name, keys, slices.Clone(keys))
	values := map[string][]lang.Value{}
	for _, a := range kind.Attributes {
		values[a.Name] = make([]lang.Value, len(keys))
	}
	rows, err := s.pool.Query(ctx, "select code, name, attributes, active_from, active_to, valid_from, valid_to from registers where kind = $2 and "+
		counts+" order by valid_from nulls first, intake", version, kind.Name)
	if err != nil {
		return nil, err
	}
	var code int32
	var name string
	var attributes map[string]string
	var from, to, validFrom, validTo *time.Time
	changes := map[string][]ledger.Dated{}
	active := make([][]ledger.ActiveRow, len(keys))
	_, err = pgx.ForEachRow(rows, []any{&code, &name, &attributes, &from, &to, &validFrom, &validTo}, func() error {
		if int(code) >= len(keys) {
			return nil // arrived after the keys were read; a later version's
		}
		if name != r.Keys[code] { // one string will do for both
			r.Names[code] = name
		}
		active[code] = append(active[code], ledger.ActiveRow{From: dayOr(validFrom, ledger.Never),
			Active: ledger.Spell{First: dayOr(from, ledger.Never), Last: dayOr(to, ledger.Never)}})
		for _, a := range kind.Attributes {
			v := lang.ParseValue(a.Type, attributes[a.Name])
			if d := dayOf(validFrom); d != nil {
				changes[a.Name] = append(changes[a.Name], ledger.Dated{From: *d, Subject: uint32(code), Value: v})
			} else {
				values[a.Name][code] = v
			}
			if d := dayOf(validTo); d != nil { // a row from the next day comes after, and holds
				changes[a.Name] = append(changes[a.Name], ledger.Dated{From: *d + 1, Subject: uint32(code)})
			}
		}
		attributes = nil
		return nil
	})
	for _, a := range kind.Attributes {
		r.SetAttribute(a.Name, values[a.Name], changes[a.Name]...)
	}
	for code, rows := range active {
		r.SetRows(uint32(code), rows)
	}
	return r, err
}

func (s *Store) readTargets(ctx context.Context, out *ledger.Snapshot, version int64) error {
	rows, err := s.pool.Query(ctx, "select kind, code, measure, month, target::text from targets where "+counts, version)
	if err != nil {
		return err
	}
	var kind, measure, text string
	var code int32
	var month time.Time
	_, err = pgx.ForEachRow(rows, []any{&kind, &code, &measure, &month, &text}, func() error {
		target, err := amount.Parse(text)
		if err != nil {
			return err
		}
		key := ledger.SheetKey{Kind: kind, Measure: measure}
		if out.Targets[key] == nil {
			out.Targets[key] = &ledger.Sheet{Months: map[calendar.Month][]amount.Amount{}}
		}
		out.Targets[key].Set(monthOf(month), uint32(code), target)
		return nil
	})
	return err
}

// readers is how many months are read at once: what one waits for from the
// database, another decodes.
const readers = 4

// readChunks reads months of a feed; those without lines are left out. Of a month that an
// earlier snapshot holds, and that has only grown, what has come since is read.
func (s *Store) readChunks(ctx context.Context, f *rulebook.Feed, months map[calendar.Month]bool, version int64, near *ledger.Snapshot,
	dictionaries dictionaries) ([]*ledger.Chunk, error) {
	known := map[calendar.Month]*ledger.Chunk{}
	if near != nil && near.Version < version {
		for _, c := range near.Feeds[f.Name].Chunks {
			known[c.Month] = c
		}
	}
	var chunks []*ledger.Chunk
	var mu sync.Mutex
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(readers)
	for m := range months {
		group.Go(func() (err error) {
			defer caught(&err)
			grown := false
			if known[m] != nil {
				grown, err = s.onlyGrown(ctx, f, m, near.Version, version)
			}
			var c *ledger.Chunk
			switch {
			case err != nil:
			case grown:
				if c, err = s.readChunk(ctx, f, m, near.Version, version, dictionaries); err == nil {
					c = known[m].With(c)
				}
			default:
				c, err = s.readChunk(ctx, f, m, 0, version, dictionaries)
			}
			if err != nil {
				return fmt.Errorf("reading %s of %s: %w", f.Name, m, err)
			}
			if c.Days.Len() > 0 {
				mu.Lock()
				defer mu.Unlock()
				chunks = append(chunks, c)
			}
			return nil
		})
	}
	return chunks, group.Wait()
}

// onlyGrown says whether all lines of a month that counted at one version still do at a
// later one, and none of before it counts again.
func (s *Store) onlyGrown(ctx context.Context, f *rulebook.Feed, m calendar.Month, from, to int64) (stands bool, err error) {
	sql := fmt.Sprintf("select not exists (select from %s where %s between $1 and $2 and (superseded > $3 and superseded <= $4 or again > $3 and again "+
		"<= $4))", feedTable(f.Name), quoted(f.Date))
	err = s.pool.QueryRow(ctx, sql, m.First().Time(), m.Last().Time(), from, to).Scan(&stands)
	return stands, err
}

// readChunk reads one month of a feed in date order: what intakes after a version brought,
// which of 0 is all. The values are taken from the wire as they come, since this is what
// the start of the service waits for.
func (s *Store) readChunk(ctx context.Context, f *rulebook.Feed, m calendar.Month, since, version int64, dictionaries dictionaries) (*ledger.Chunk, error) {
	columns := []string{quoted(f.Date)}
	for _, c := range f.Subjects {
		columns = append(columns, quoted(c.Column))
	}
	for _, c := range f.Numbers {
		columns = append(columns, quoted(c.Column))
	}
	texts := f.Texts()
	for _, l := range texts {
		columns = append(columns, quoted(l))
	}
	sql := fmt.Sprintf("select %s from %s where %s between $2 and $3 and intake > $4 and %s order by %s, intake, line",
		strings.Join(columns, ", "), feedTable(f.Name), quoted(f.Date), counts, quoted(f.Date))
	rows, err := s.pool.Query(ctx, sql, version, m.First().Time(), m.Last().Time(), since)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	c := &ledger.Chunk{Month: m, Subjects: make([][]uint32, len(f.Subjects)), Numbers: make([][]amount.Amount, len(f.Numbers)),
		Labels: make([][]uint32, len(texts))}
	first := m.First()
	for rows.Next() {
		raw := rows.RawValues()
		c.Days.Add(int(epoch + calendar.Day(int32(binary.BigEndian.Uint32(raw[0]))) - first + 1))
		for i := range f.Subjects {
			c.Subjects[i] = append(c.Subjects[i], decodeSubject(raw[1+i]))
		}
		for i := range f.Numbers {
			c.Numbers[i] = append(c.Numbers[i], decodeNumeric(raw[1+len(f.Subjects)+i]))
		}
		for i := range texts {
			c.Labels[i] = append(c.Labels[i], dictionaries[i].code(raw[1+len(f.Subjects)+len(f.Numbers)+i]))
		}
	}
	// What growing left over is given back: a snapshot lives long.
	for _, columns := range [][][]uint32{c.Subjects, c.Labels} {
		for i := range columns {
			columns[i] = slices.Clip(slices.Clone(columns[i]))
		}
	}
	for i := range c.Numbers {
		c.Numbers[i] = slices.Clip(slices.Clone(c.Numbers[i]))
	}
	return c, rows.Err()
}

// epoch is the day PostgreSQL counts dates from.
var epoch = calendar.Date(2000, time.January, 1)

// decodeSubject reads a subject's code; a line from before the column has none.
func decodeSubject(b []byte) uint32 {
	if b == nil {
		return ledger.Nobody
	}
	return binary.BigEndian.Uint32(b)
}

// decodeNumeric reads PostgreSQL's binary numeric(19,4): digits to the base
// ten thousand, the unit of an Amount.
func decodeNumeric(b []byte) amount.Amount {
	if b == nil {
		return amount.Missing
	}
	n := int(binary.BigEndian.Uint16(b))
	weight := int(int16(binary.BigEndian.Uint16(b[2:])))
	negative := binary.BigEndian.Uint16(b[4:]) == 0x4000
	var out amount.Amount
	for i := range n {
		out = out*amount.Scale + amount.Amount(binary.BigEndian.Uint16(b[8+2*i:]))
	}
	// The last digit stands at 10000^(weight-n+1); Amounts end at 10000^-1.
	for range weight - n + 2 {
		out *= amount.Scale
	}
	if negative {
		return -out
	}
	return out
}
