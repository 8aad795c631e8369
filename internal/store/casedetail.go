package store

import (
	"context"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"oskel/core/calendar"
)

// CaseDetail is a case with what is in it and what happened to it.
type CaseDetail struct {
	Case
	Exceptions []Exception   // the most serious first
	Events     []CaseEvent   // the first first
	Told       []string      // the desks and accounts that are told of it
	Named      bool          // whoever asks was named in it
	Files      []CaseFile    // the first first
	Todos      []Todo        // what is not done first, by day
	Before     []FoundBefore // of the same subject, the newest first
	Newest     Newest
	Swept      map[calendar.Key]Sweep // the last sweep of each period of its exceptions, without what it found
}

// FoundBefore is a settled case.
type FoundBefore struct {
	Case                int64
	Desk                string
	Finding, Reason, By string
	At                  time.Time
	Sentence, Text      string
}

// Foremost is the flag that a case is shown by: the most serious of its last period.
type Foremost struct {
	Case      int64
	Rule      string
	Kind, Key string
	Period    calendar.Key
}

// Foremosts lists those of some cases, by case.
func (s *Store) Foremosts(ctx context.Context, cases []int64) ([]Foremost, error) {
	rows, err := s.pool.Query(ctx, `select distinct on (e.case_id) e.case_id, e.rule, e.kind, c.key, e.grain, e.period from exceptions e
		join cases c on c.id = e.case_id
		where e.case_id = any($1) order by e.case_id, (e.state = 'cleared'), e.period desc, e.severity, e.rule`, cases)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (f Foremost, err error) {
		var period time.Time
		err = row.Scan(&f.Case, &f.Rule, &f.Kind, &f.Key, &f.Period.Grain, &period)
		f.Period.Start = startOf(period)
		return f, err
	})
}

// Newest is what is published and what data there are.
type Newest struct {
	Revision    int
	DataVersion int64
	Sweep       int64 // the last of any period
}

const newestSelect = "select coalesce((select max(number) from revisions), 0), coalesce((select max(id) from intakes), 0)"

// Newest is what is published and what data there are, as of now.
func (s *Store) Newest(ctx context.Context) (n Newest, err error) {
	err = s.pool.QueryRow(ctx, newestSelect+", coalesce((select max(id) from sweeps), 0)").Scan(&n.Revision, &n.DataVersion, &n.Sweep)
	return n, err
}

// caseAndMore is a case with what few cases have, and what there is of rules and data.
var caseAndMore = strings.Replace(caseSelect, " from cases ",
	`, array(select name from case_copies where case_id = $1 order by name), exists (select from notices where case_id = $1 and person = $2
		and what = 'mentioned'),
	exists (select from case_files where case_id = $1), exists (select from case_todos where case_id = $1), coalesce((select max(number)
		from revisions), 0), coalesce((select max(id) from intakes), 0), coalesce((select max(id) from sweeps), 0) from cases `, 1) + "where id = $1"

// CaseDetail finds a case with all that its page shows, in one round trip, or two where it
// has files or to-dos: people wait for little else as often.
func (s *Store) CaseDetail(ctx context.Context, id int64, who string) (d CaseDetail, err error) {
	var files, todos bool
	b := &pgx.Batch{}
	b.Queue(caseAndMore, id, who).Query(func(rows pgx.Rows) (err error) {
		all, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (Case, error) {
			return scanCase(row, &d.Told, &d.Named, &files, &todos, &d.Newest.Revision, &d.Newest.DataVersion, &d.Newest.Sweep)
		})
		d.Case, err = firstCase(all, err)
		return err
	})
	b.Queue(exceptionSelect+"where e.case_id = $1 order by e.period desc, (e.state = 'cleared'), e.severity, e.rule, e.event",
		id).Query(func(rows pgx.Rows) (err error) {
		d.Exceptions, err = scanExceptions(rows, nil)
		return err
	})
	b.Queue("select at, author, what, text from case_events where case_id = $1 order by id", id).Query(func(rows pgx.Rows) (err error) {
		d.Events, err = pgx.CollectRows(rows, pgx.RowToStructByPos[CaseEvent])
		return err
	})
	b.Queue(`select o.id, o.desk, o.finding, coalesce(o.reason, ''), coalesce(o.settled_by, ''), o.settled_at, o.sentence, coalesce((select text
		from case_events ev where ev.case_id = o.id and ev.what = 'settled' order by ev.id desc limit 1), '')
		from cases c join cases o on o.kind = c.kind and o.code = c.code and o.id <> c.id and o.finding is not null where c.id = $1
			order by o.settled_at desc, o.id desc limit 10`, id).Query(func(rows pgx.Rows) (err error) {
		d.Before, err = pgx.CollectRows(rows, pgx.RowToStructByPos[FoundBefore])
		return err
	})
	b.Queue(`select p.grain, p.period, last.id, last.revision, last.data_version, last.to_date from (select distinct grain, period from exceptions
		where case_id = $1) p,
		lateral (select id, revision, data_version, to_date from sweeps s where s.grain = p.grain and s.period = p.period order by id desc limit 1) last`,
		id).Query(func(rows pgx.Rows) error {
		d.Swept = map[calendar.Key]Sweep{}
		var sw Sweep
		var period time.Time
		var toDate *time.Time
		_, err := pgx.ForEachRow(rows, []any{&sw.Period.Grain, &period, &sw.ID, &sw.Revision, &sw.DataVersion, &toDate}, func() error {
			sw.Period.Start, sw.ToDate = startOf(period), dayOf(toDate)
			d.Swept[sw.Period] = sw
			return nil
		})
		return err
	})
	if err := s.pool.SendBatch(ctx, b); err != nil || !files && !todos {
		return d, err
	}
	b = &pgx.Batch{}
	b.Queue(caseFileSelect+"case_id = $1 order by id", id).Query(func(rows pgx.Rows) (err error) {
		d.Files, err = pgx.CollectRows(rows, pgx.RowToStructByPos[CaseFile])
		return err
	})
	b.Queue(todoSelect+"where t.case_id = $1 order by t.done_at nulls first, t.due, t.id limit 200", id).Query(func(rows pgx.Rows) (err error) {
		d.Todos, err = scanTodos(rows, nil)
		return err
	})
	return d, s.pool.SendBatch(ctx, b)
}
