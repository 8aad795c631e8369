package store

import (
	"context"
	"fmt"
	"math"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/rulebook"
)

// Intake is one arrival of a file. Its ID is the data version it makes.
type Intake struct {
	ID         int64
	Into       string // "feed", "register", "targets" or "revert"
	Name       string
	Mode       string // "append" or "replace"
	Period     *string
	File       string
	SHA256     []byte
	Lines      int64
	Months     []int32
	Totals     map[string]string
	Author     string
	At         time.Time
	RevertedBy *int64
	Of         string // Into, or of a taking back that of what it took back
}

const intakeColumns = "id, kind, name, mode, period, file, sha256, lines, months, totals, author, at, reverted_by, coalesce((select i.kind from " +
	"intakes i where i.reverted_by = intakes.id), kind)"

// DataVersion is the number of the newest intake, 0 before the first.
func (s *Store) DataVersion(ctx context.Context) (int64, error) {
	var v int64
	err := s.pool.QueryRow(ctx, "select coalesce(max(id), 0) from intakes").Scan(&v)
	return v, err
}

// Intakes lists all intakes, the newest first.
func (s *Store) Intakes(ctx context.Context) ([]Intake, error) {
	return manyIntakes(ctx, s.pool, "order by id desc")
}

// IntakesSince lists the intakes after a data version, the oldest first.
func (s *Store) IntakesSince(ctx context.Context, version int64) ([]Intake, error) {
	return manyIntakes(ctx, s.pool, "where id > $1 order by id", version)
}

// IntakesSince is the same within a transaction.
func (t *Tx) IntakesSince(ctx context.Context, version int64) ([]Intake, error) {
	return manyIntakes(ctx, t.tx, "where id > $1 order by id", version)
}

// IntakesAfter lists the intakes that came after a moment and stand.
func (s *Store) IntakesAfter(ctx context.Context, at time.Time) ([]Intake, error) {
	return manyIntakes(ctx, s.pool, "where at > $1 and reverted_by is null order by id", at)
}

// Intake finds one intake.
func (t *Tx) Intake(ctx context.Context, id int64) (Intake, error) {
	return firstIntake(manyIntakes(ctx, t.tx, "where id = $1", id))
}

// SameIntake finds an intake of the same bytes into the same place of which
// any row still counts.
func (t *Tx) SameIntake(ctx context.Context, into, name string, sum []byte) (Intake, error) {
	all, err := manyIntakes(ctx, t.tx, "where sha256 = $1 and kind = $2 and name = $3 and reverted_by is null order by id desc", sum, into, name)
	if err != nil {
		return Intake{}, err
	}
	for _, in := range all {
		var counts bool
		if err := t.tx.QueryRow(ctx, fmt.Sprintf("select exists (select from %s where intake = $1 and superseded is null)", tableOf(in)),
			in.ID).Scan(&counts); err != nil {
			return Intake{}, err
		}
		if counts {
			return in, nil
		}
	}
	return Intake{}, ErrNotFound
}

// MonthTotals is what a feed has in a month before an intake and with it: how
// many lines count, and what their numbers add up to.
type MonthTotals struct {
	Month        calendar.Month
	Before, Rows int64
	BeforeSums   map[string]string
	Sums         map[string]string
}

// MonthTotals counts a feed's lines by month from one day to another, as they
// stand within the transaction of an intake.
func (t *Tx) MonthTotals(ctx context.Context, f *rulebook.Feed, intake int64, first, last calendar.Day) ([]MonthTotals, error) {
	selects := []string{"date_trunc('month', " + quoted(f.Date) + ")::date",
		"count(*) filter (where intake <> $1 and (superseded is null or superseded = $1))", "count(*) filter (where superseded is null)"}
	for _, n := range f.Numbers {
		for _, which := range []string{"intake <> $1 and (superseded is null or superseded = $1)", "superseded is null"} {
			selects = append(selects, fmt.Sprintf("coalesce(trim_scale(sum(%s) filter (where %s))::text, '')", quoted(n.Column), which))
		}
	}
	rows, err := t.tx.Query(ctx, fmt.Sprintf("select %s from %s where %s between $2 and $3 group by 1 order by 1", strings.Join(selects, ", "),
		feedTable(f.Name), quoted(f.Date)), intake, first.Time(), last.Time())
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (MonthTotals, error) {
		m := MonthTotals{BeforeSums: map[string]string{}, Sums: map[string]string{}}
		var month time.Time
		into := []any{&month, &m.Before, &m.Rows}
		sums := make([]string, 2*len(f.Numbers))
		for i := range sums {
			into = append(into, &sums[i])
		}
		err := row.Scan(into...)
		m.Month = monthOf(month)
		for i, n := range f.Numbers {
			m.BeforeSums[n.Column], m.Sums[n.Column] = sums[2*i], sums[2*i+1]
		}
		return m, err
	})
}

// tableOf is the table that holds an intake's rows.
func tableOf(in Intake) string {
	switch in.Into {
	case "register":
		return "registers"
	case "targets":
		return "targets"
	}
	return feedTable(in.Name)
}

// EqualLines counts the lines of an intake that are equal, in every column, to
// lines of other intakes that count, by intake.
func (t *Tx) EqualLines(ctx context.Context, f *rulebook.Feed, intake int64, first, last calendar.Day) (map[int64]int64, error) {
	var names []string
	for _, c := range feedColumns(f) {
		names = append(names, quoted(c.name))
	}
	columns, table, date := strings.Join(names, ", "), feedTable(f.Name), quoted(f.Date)
	out := map[int64]int64{}
	var others bool
	// The usual case first: days that nothing else has lines on.
	err := t.tx.QueryRow(ctx, fmt.Sprintf("select exists (select from %s where %s between $2 and $3 and superseded is null and intake <> $1)", table,
		date), intake, first.Time(), last.Time()).Scan(&others)
	if err != nil || !others {
		return out, err
	}
	rows, err := t.tx.Query(ctx, fmt.Sprintf(`with same as (
		select min(intake) filter (where intake <> $1) as before, count(*) filter (where intake = $1) as fresh
		from %s where %s between $2 and $3 and superseded is null
		group by %s having bool_or(intake = $1) and bool_or(intake <> $1))
		select before, sum(fresh)::bigint from same group by before`, table, date, columns), intake, first.Time(), last.Time())
	if err != nil {
		return nil, err
	}
	var id, n int64
	_, err = pgx.ForEachRow(rows, []any{&id, &n}, func() error { out[id] = n; return nil })
	return out, err
}

// LaterIntakes lists the intakes into the same place after one, that still
// count.
func (t *Tx) LaterIntakes(ctx context.Context, in Intake) ([]Intake, error) {
	return manyIntakes(ctx, t.tx, "where id > $1 and kind = $2 and name = $3 and reverted_by is null order by id", in.ID, in.Into, in.Name)
}

func firstIntake(all []Intake, err error) (Intake, error) {
	if err == nil && len(all) == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return Intake{}, err
	}
	return all[0], nil
}

func manyIntakes(ctx context.Context, q querier, tail string, args ...any) ([]Intake, error) {
	rows, err := q.Query(ctx, "select "+intakeColumns+" from intakes "+tail, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Intake])
}

// NumberIntake gives an intake the next number; the caller holds LockIntake.
func (t *Tx) NumberIntake(ctx context.Context, in *Intake) error {
	return t.tx.QueryRow(ctx, "select coalesce(max(id), 0) + 1 from intakes").Scan(&in.ID)
}

// AddIntake records a numbered intake.
func (t *Tx) AddIntake(ctx context.Context, in *Intake) error {
	if in.Months == nil {
		in.Months = []int32{}
	}
	if in.Totals == nil {
		in.Totals = map[string]string{}
	}
	return t.tx.QueryRow(ctx, "insert into intakes (id, kind, name, mode, period, file, sha256, lines, months, totals, author) values ($1, $2, $3, $4, "+
		"$5, $6, $7, $8, $9, $10, $11) returning at",
		in.ID, in.Into, in.Name, in.Mode, in.Period, in.File, in.SHA256, in.Lines, in.Months, in.Totals, in.Author).Scan(&in.At)
}

// SupersedeDays makes all lines of a feed between two days, both included, that
// still count give way to an intake.
func (t *Tx) SupersedeDays(ctx context.Context, f *rulebook.Feed, first, last calendar.Day, intake int64) error {
	_, err := t.tx.Exec(ctx, fmt.Sprintf("update %s set superseded = $1 where superseded is null and %s between $2 and $3", feedTable(f.Name), quoted(f.Date)),
		intake, first.Time(), last.Time())
	return err
}

// SupersedeSame makes earlier lines that bear the same word in a column as one
// of an intake's give way to it, and says in which months they lay.
func (t *Tx) SupersedeSame(ctx context.Context, f *rulebook.Feed, column string, intake int64) ([]int32, error) {
	rows, err := t.tx.Query(ctx, fmt.Sprintf(`with gone as (update %[1]s set superseded = $1 where superseded is null and intake < $1
		and %[2]s in (select %[2]s from %[1]s where intake = $1) returning %[3]s)
		select distinct (extract(year from %[3]s) * 12 + extract(month from %[3]s) - 1)::int from gone`, feedTable(f.Name), quoted(column), quoted(f.Date)), intake)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[int32])
}

// TakeBack undoes what one intake did, under the number of the intake that
// takes it back: its rows give way, and copies of those that had given way to
// it come to count again, as rows of the intake that had brought them.
func (t *Tx) TakeBack(ctx context.Context, in Intake, by int64) error {
	table := tableOf(in)
	// Every column of the table, those too that the rulebook no longer declares.
	rows, err := t.tx.Query(ctx, `select quote_ident(attname) from pg_attribute where attrelid = $1::regclass and attnum > 0 and not attisdropped
		and attname not in ('intake', 'again', 'superseded') order by attnum`, table)
	if err != nil {
		return err
	}
	names, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return err
	}
	columns := strings.Join(names, ", ")
	for _, sql := range []string{
		fmt.Sprintf("update %s set superseded = $2 where intake = $1 and superseded is null", table),
		fmt.Sprintf("insert into %s (%s, intake, again) select %s, intake, $2 from %s where superseded = $1", table, columns, columns, table),
		"update intakes set reverted_by = $2 where id = $1",
	} {
		if _, err := t.tx.Exec(ctx, sql, in.ID, by); err != nil {
			return fmt.Errorf("taking back intake %d: %w", in.ID, err)
		}
	}
	return nil
}

// Entry is one subject of a register.
type Entry struct {
	Code       uint32
	Name       string
	Attributes map[string]string
	From, To   *calendar.Day // active
	ValidFrom  *calendar.Day // nil is from the beginning
	ValidTo    *calendar.Day // it included; nil is until the next
}

// Entries lists the rows of a register that count, by subject.
func (t *Tx) Entries(ctx context.Context, kind string) ([]Entry, error) {
	rows, err := t.tx.Query(ctx, "select code, name, attributes, active_from, active_to, valid_from, valid_to from registers where kind = $1 and "+
		"superseded is null order by code, intake", kind)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, scanEntry)
}

func scanEntry(row pgx.CollectableRow) (e Entry, err error) {
	var from, to, validFrom, validTo *time.Time
	err = row.Scan(&e.Code, &e.Name, &e.Attributes, &from, &to, &validFrom, &validTo)
	e.From, e.To, e.ValidFrom, e.ValidTo = dayOf(from), dayOf(to), dayOf(validFrom), dayOf(validTo)
	return e, err
}

// AddSubjects gives codes to new keys of a kind that an intake brings, in the
// order given, from first on.
func (t *Tx) AddSubjects(ctx context.Context, kind string, intake int64, first int, keys []string) error {
	t.grows("subjects", len(keys))
	_, err := t.tx.CopyFrom(ctx, pgx.Identifier{"subjects"}, []string{"kind", "code", "key", "intake"}, pgx.CopyFromSlice(len(keys), func(i int) ([]any, error) {
		return []any{kind, int32(first + i), keys[i], intake}, nil
	}))
	return err
}

// SubjectKeys lists the keys of a kind by code.
func (t *Tx) SubjectKeys(ctx context.Context, kind string) ([]string, error) {
	return subjectKeys(ctx, t.tx, kind, math.MaxInt64)
}

// subjectKeys lists the keys of a kind that were known at a data version.
func subjectKeys(ctx context.Context, q querier, kind string, version int64) ([]string, error) {
	rows, err := q.Query(ctx, "select key from subjects where kind = $1 and intake <= $2 order by code", kind, version)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

// PutEntries adds entries to a register; those of the same subjects that hold
// from the same day give way.
func (t *Tx) PutEntries(ctx context.Context, kind string, intake int64, entries []Entry) error {
	codes, from := make([]int32, len(entries)), make([]*time.Time, len(entries))
	for i, e := range entries {
		codes[i], from[i] = int32(e.Code), timeOf(e.ValidFrom)
	}
	if _, err := t.tx.Exec(ctx, `update registers set superseded = $1 from unnest($3::int[], $4::date[]) as n(code, valid_from)
		where registers.kind = $2 and superseded is null and registers.code = n.code and registers.valid_from is not distinct from n.valid_from`, intake,
		kind, codes, from); err != nil {
		return err
	}
	t.grows("registers", len(entries))
	_, err := t.tx.CopyFrom(ctx, pgx.Identifier{"registers"},
		[]string{"kind", "code", "name", "attributes", "active_from", "active_to", "valid_from", "valid_to", "intake"},
		pgx.CopyFromSlice(len(entries), func(i int) ([]any, error) {
			e := entries[i]
			return []any{kind, int32(e.Code), e.Name, e.Attributes, timeOf(e.From), timeOf(e.To), timeOf(e.ValidFrom), timeOf(e.ValidTo), intake}, nil
		}))
	return err
}

func timeOf(d *calendar.Day) *time.Time {
	if d == nil {
		return nil
	}
	t := d.Time()
	return &t
}

// Target is one row of a target sheet.
type Target struct {
	Code    uint32
	Measure string
	Month   calendar.Month
	Target  amount.Amount
}

// PutTargets adds targets; those of the same subject, measure and month give
// way.
func (t *Tx) PutTargets(ctx context.Context, kind string, intake int64, targets []Target) error {
	codes, measures, months := make([]int32, len(targets)), make([]string, len(targets)), make([]time.Time, len(targets))
	for i, x := range targets {
		codes[i], measures[i], months[i] = int32(x.Code), x.Measure, monthDate(x.Month)
	}
	if _, err := t.tx.Exec(ctx, `update targets set superseded = $1 from unnest($3::int[], $4::text[], $5::date[]) as n(code, measure, month)
		where targets.kind = $2 and superseded is null and targets.code = n.code and targets.measure = n.measure and targets.month = n.month`,
		intake, kind, codes, measures, months); err != nil {
		return err
	}
	t.grows("targets", len(targets))
	_, err := t.tx.CopyFrom(ctx, pgx.Identifier{"targets"}, []string{"kind", "code", "measure", "month", "target", "intake"},
		pgx.CopyFromSlice(len(targets), func(i int) ([]any, error) {
			x := targets[i]
			return []any{kind, int32(x.Code), x.Measure, monthDate(x.Month), x.Target.String(), intake}, nil
		}))
	return err
}
