package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"oskel/core/calendar"
	"oskel/core/record"
)

// Snooze is a subject that is snoozed, with who said so.
type Snooze struct {
	record.Snooze
	ID        int64
	Case      int64
	Key, Name string
	Author    string
	At        time.Time
}

const snoozeSelect = `select p.id, p.case_id, p.kind, p.code, s.key, c.name, p.rule, p.until, p.worse, p.severity, p.beyond, p.beyonds, p.author, p.at
	from snoozes p join subjects s on s.kind = p.kind and s.code = p.code join cases c on c.id = p.case_id `

func manySnoozes(ctx context.Context, q querier, tail string, args ...any) ([]Snooze, error) {
	rows, err := q.Query(ctx, snoozeSelect+tail, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (p Snooze, err error) {
		var code int32
		var until time.Time
		err = row.Scan(&p.ID, &p.Case, &p.Kind, &code, &p.Key, &p.Name, &p.Rule, &until, &p.Worse, &p.Severity, &p.Beyond, &p.Beyonds, &p.Author, &p.At)
		p.Code, p.Until = uint32(code), *dayOf(&until)
		return p, err
	})
}

// Snoozes lists those that hold on a day or later, by when they end.
func (s *Store) Snoozes(ctx context.Context, today calendar.Day) ([]Snooze, error) {
	return manySnoozes(ctx, s.pool, "where p.ended_at is null and p.until >= $1 order by p.until, s.key, p.rule, p.id", today.Time())
}

// Snoozes lists the same within a transaction.
func (t *Tx) Snoozes(ctx context.Context, today calendar.Day) (out []record.Snooze, err error) {
	all, err := manySnoozes(ctx, t.tx, "where p.ended_at is null and p.until >= $1 order by p.id", today.Time())
	for _, p := range all {
		out = append(out, p.Snooze)
	}
	return out, err
}

// Snooze snoozes the subjects of cases until a day: for each rule whose flags
// in the case are explained or, with all, for every rule.
func (t *Tx) Snooze(ctx context.Context, cases []int64, all bool, until calendar.Day, worse *float64, author string) error {
	sql := `insert into snoozes (case_id, kind, code, rule, until, worse, severity, beyond, author)
		select c.id, c.kind, c.code, e.rule, $2, $3, min(e.severity), max(e.beyond), $4 from cases c join exceptions e on e.case_id = c.id
			where c.id = any($1) and e.state <> 'cleared' and ` + flagFinding + ` = 'explained' group by c.id, e.rule`
	if all {
		sql = `insert into snoozes (case_id, kind, code, rule, until, worse, severity, beyonds, author)
			select c.id, c.kind, c.code, '', $2, $3, c.severity, (select jsonb_object_agg(rule, beyond) from (
				select e.rule, max(e.beyond) as beyond from exceptions e where e.case_id = c.id and e.state <> 'cleared' and e.beyond is not null and ` +
			flagFinding + ` = 'explained' group by e.rule) r), $4 from cases c where c.id = any($1)`
	}
	_, err := t.tx.Exec(ctx, sql, cases, until.Time(), worse, author)
	return err
}

// WithoutDistance is a rule whose flags in some of the cases are explained, and that does not
// say how far each lies beyond its cut; "" where there is none.
func (t *Tx) WithoutDistance(ctx context.Context, cases []int64) (rule string, err error) {
	err = t.tx.QueryRow(ctx, "select coalesce(min(e.rule), '') from exceptions e join cases c on c.id = e.case_id where c.id = any($1) and e.state <> "+
		"'cleared' and e.beyond is null and "+flagFinding+" = 'explained'", cases).Scan(&rule)
	return rule, err
}

// EndSnoozes ends those of some cases, as somebody says.
func (t *Tx) EndSnoozes(ctx context.Context, cases []int64, author string) error {
	_, err := t.tx.Exec(ctx, "update snoozes set ended_at = now(), ended_by = $2 where case_id = any($1) and ended_at is null", cases, author)
	return err
}

// EndSnooze ends one, and says which it was.
func (t *Tx) EndSnooze(ctx context.Context, id int64, author string) (p Snooze, err error) {
	all, err := manySnoozes(ctx, t.tx, "where p.id = $1 and p.ended_at is null for update of p", id)
	if err == nil && len(all) == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return p, err
	}
	_, err = t.tx.Exec(ctx, "update snoozes set ended_at = now(), ended_by = $2 where id = $1", id, author)
	return all[0], err
}
