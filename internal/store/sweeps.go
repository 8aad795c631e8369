package store

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"oskel/core/calendar"
)

// Sweep is one evaluation of a revision for a period on a data version.
type Sweep struct {
	ID                        int64
	Period                    calendar.Key
	Revision                  int
	DataVersion               int64
	ComparedWith              *int64
	Author                    string
	At                        time.Time
	TookMS                    int
	Raised, Standing, Cleared int
	Tallies                   json.RawMessage
	Difference                json.RawMessage
	Stages                    json.RawMessage // how long they took
	Whole                     bool            // all that it recorded is on record
	Snoozed                   int             // flags of subjects that are snoozed
	ToDate                    *calendar.Day   // up to which day it judged, where the period was still running
	Computation               int             // by what it was computed: of another number other verdicts and sentences may be right
}

const sweepColumns = "id, grain, period, revision, data_version, compared_with, author, at, took_ms, raised, standing, cleared, tallies, " +
	"difference, whole, stages, to_date, snoozed, computation"

// LatestSweep is the last sweep of a period, or ErrNotFound.
func (s *Store) LatestSweep(ctx context.Context, k calendar.Key) (Sweep, error) {
	return latestSweep(ctx, s.pool, k)
}

// LatestSweep is the same within a transaction.
func (t *Tx) LatestSweep(ctx context.Context, k calendar.Key) (Sweep, error) {
	return latestSweep(ctx, t.tx, k)
}

// LatestSwept is what the last sweep of a period judged, without what it found.
func (s *Store) LatestSwept(ctx context.Context, k calendar.Key) (sw Sweep, err error) {
	var toDate *time.Time
	err = s.pool.QueryRow(ctx, "select id, revision, data_version, to_date from sweeps where grain = $1 and period = $2 order by id desc limit 1",
		k.Grain, k.Start.Time()).Scan(&sw.ID, &sw.Revision, &sw.DataVersion, &toDate)
	sw.ToDate = dayOf(toDate)
	return sw, notFound(err)
}

func latestSweep(ctx context.Context, q querier, k calendar.Key) (Sweep, error) {
	all, err := manySweeps(ctx, q, "where grain = $1 and period = $2 order by id desc limit 1", k.Grain, k.Start.Time())
	if err == nil && len(all) == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return Sweep{}, err
	}
	return all[0], nil
}

// Newest is the number of the published revision and the data version, as of
// now.
func (t *Tx) Newest(ctx context.Context) (revision int, version int64, err error) {
	err = t.tx.QueryRow(ctx, newestSelect).Scan(&revision, &version)
	return revision, version, err
}

// Sweep finds a sweep by number.
func (s *Store) Sweep(ctx context.Context, id int64) (Sweep, error) {
	all, err := manySweeps(ctx, s.pool, "where id = $1", id)
	if err == nil && len(all) == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return Sweep{}, err
	}
	return all[0], nil
}

// CountSweeps counts all sweeps.
func (s *Store) CountSweeps(ctx context.Context) (n int64, err error) {
	err = s.pool.QueryRow(ctx, "select count(*) from sweeps").Scan(&n)
	return n, err
}

// LastSweep is the number of the newest sweep of any period, 0 before the first.
func (s *Store) LastSweep(ctx context.Context) (id int64, err error) {
	err = s.pool.QueryRow(ctx, "select coalesce(max(id), 0) from sweeps").Scan(&id)
	return id, err
}

// Sweeps lists sweeps, the newest first, of one period or, with nil, of all; at most
// so many, and only those before a number unless that is 0.
func (s *Store) Sweeps(ctx context.Context, k *calendar.Key, before int64, most int) ([]Sweep, error) {
	if k == nil {
		return manySweeps(ctx, s.pool, "where $1::bigint = 0 or id < $1 order by id desc limit $2", before, most)
	}
	return manySweeps(ctx, s.pool, "where grain = $3 and period = $4 and ($1::bigint = 0 or id < $1) order by id desc limit $2", before, most, k.Grain,
		k.Start.Time())
}

// LatestSweeps lists the last sweep of each period from one to another of the
// same grain.
func (s *Store) LatestSweeps(ctx context.Context, from, to calendar.Key) ([]Sweep, error) {
	return manySweeps(ctx, s.pool,
		"where id in (select max(id) from sweeps where grain = $1 and period between $2 and $3 group by period) order by period", from.Grain,
		from.Start.Time(), to.Start.Time())
}

func manySweeps(ctx context.Context, q querier, tail string, args ...any) ([]Sweep, error) {
	rows, err := q.Query(ctx, "select "+sweepColumns+" from sweeps "+tail, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (Sweep, error) {
		var s Sweep
		var period time.Time
		var toDate *time.Time
		err := row.Scan(&s.ID, &s.Period.Grain, &period, &s.Revision, &s.DataVersion, &s.ComparedWith, &s.Author, &s.At, &s.TookMS, &s.Raised, &s.Standing,
			&s.Cleared, &s.Tallies, &s.Difference, &s.Whole, &s.Stages, &toDate, &s.Snoozed, &s.Computation)
		s.Period.Start, s.ToDate = startOf(period), dayOf(toDate)
		return s, err
	})
}

// AddSweep records a sweep; its counts follow with FinishSweep.
func (t *Tx) AddSweep(ctx context.Context, s *Sweep) error {
	return t.tx.QueryRow(ctx, `insert into sweeps (grain, period, revision, data_version, compared_with, author, took_ms, raised, standing, cleared,
		tallies, to_date, computation)
		values ($1, $2, $3, $4, $5, $6, 0, 0, 0, 0, $7, $8, $9) returning id, at`,
		s.Period.Grain, s.Period.Start.Time(), s.Revision, s.DataVersion, s.ComparedWith, s.Author, s.Tallies, timeOf(s.ToDate), s.Computation).Scan(&s.ID, &s.At)
}

// FinishSweep records what a sweep found.
func (t *Tx) FinishSweep(ctx context.Context, s *Sweep) error {
	_, err := t.tx.Exec(ctx, "update sweeps set took_ms = $2, raised = $3, standing = $4, cleared = $5, difference = $6, stages = $7, snoozed = $8 where id = $1",
		s.ID, s.TookMS, s.Raised, s.Standing, s.Cleared, s.Difference, s.Stages, s.Snoozed)
	return err
}

// Exception is a breach recorded by a sweep. Stake is a decimal, or nil.
type Exception struct {
	ID                int64
	Period            calendar.Key
	Rule, Kind        string
	Code              uint32
	Key, Name         string
	Event             calendar.Day // of which it is, 0 if of the period
	State             string       // raised, standing, cleared
	Outcome, Grade    string
	Severity          int
	Sentence          string
	Value, Comparison string
	Stake             *string
	Beyond            *float64 // distance from the cut, as a share of the cut
	Streak            *int     // periods in a row, this one among them; nil is not known
	Evidence          json.RawMessage
	Desk              string
	CaseID            *int64
	CaseState         *string
	Sweep             int64 // the last that found it so
	FirstSweep        int64 // the first that found it
	Since             int64 // the first that found it so
}

const (
	exceptionSelect = exceptionFields + `from exceptions ` + exceptionJoins
	// versionSelect selects what exceptions said before, too.
	versionSelect   = exceptionFields + `from exception_versions ` + exceptionJoins
	exceptionFields = `select e.id, e.grain, e.period, e.rule, e.kind, e.code, s.key, e.name, e.event, e.state, e.outcome, e.grade, e.severity,
		e.sentence, e.value, e.comparison,
	e.stake::text, e.evidence, e.desk, e.case_id, c.state, e.sweep, e.first_sweep, e.since, e.beyond, e.streak `
	exceptionJoins = `e join subjects s on s.kind = e.kind and s.code = e.code left join cases c on c.id = e.case_id `
)

func scanExceptions(rows pgx.Rows, err error) ([]Exception, error) {
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (Exception, error) {
		var e Exception
		var period time.Time
		var event *time.Time
		var code int32
		err := row.Scan(&e.ID, &e.Period.Grain, &period, &e.Rule, &e.Kind, &code, &e.Key, &e.Name, &event, &e.State, &e.Outcome, &e.Grade, &e.Severity,
			&e.Sentence, &e.Value, &e.Comparison,
			&e.Stake, &e.Evidence, &e.Desk, &e.CaseID, &e.CaseState, &e.Sweep, &e.FirstSweep, &e.Since, &e.Beyond, &e.Streak)
		e.Period.Start, e.Code = startOf(period), uint32(code)
		if event != nil {
			e.Event = *dayOf(event)
		}
		return e, err
	})
}

// event is how the day of an event is kept.
func (e *Exception) event() any {
	if e.Event == 0 {
		return nil
	}
	return e.Event.Time()
}

// PeriodExceptions lists all exceptions of a period, for a sweep, without what led to
// them.
func (t *Tx) PeriodExceptions(ctx context.Context, k calendar.Key) ([]Exception, error) {
	return scanExceptions(t.tx.Query(ctx, withoutEvidence(exceptionSelect)+"where e.grain = $1 and e.period = $2 order by e.id", k.Grain, k.Start.Time()))
}

// Carried are those exceptions of a period that no sweep of it raised, by their numbers, and
// whether a sweep has dropped them.
func (t *Tx) Carried(ctx context.Context, k calendar.Key) (map[int64]bool, error) {
	rows, err := t.tx.Query(ctx, "select id, dropped is not null from exceptions where grain = $1 and period = $2 and not own", k.Grain, k.Start.Time())
	if err != nil {
		return nil, err
	}
	out := map[int64]bool{}
	var id int64
	var dropped bool
	_, err = pgx.ForEachRow(rows, []any{&id, &dropped}, func() error { out[id] = dropped; return nil })
	return out, err
}

// DropExceptions takes exceptions off the record of their period, by a sweep of it. What
// earlier sweeps said of them stays.
func (t *Tx) DropExceptions(ctx context.Context, sweep int64, ids []int64) error {
	if len(ids) == 0 {
		return nil
	}
	_, err := t.tx.Exec(ctx, "update exceptions set dropped = $1 where id = any($2) and dropped is null", sweep, ids)
	return wrapped(err, "writing exceptions")
}

// Changed is the last sweep of each period of a grain that changed who is flagged in it.
func (s *Store) Changed(ctx context.Context, grain string) (map[calendar.Day]int64, error) {
	return changed(ctx, s.pool, grain)
}

// Changed is the same within a transaction.
func (t *Tx) Changed(ctx context.Context, grain string) (map[calendar.Day]int64, error) {
	return changed(ctx, t.tx, grain)
}

func changed(ctx context.Context, q querier, grain string) (map[calendar.Day]int64, error) {
	rows, err := q.Query(ctx, `select period, max(id) from sweeps where grain = $1 and case when difference is null then raised + standing
		else coalesce((difference ->> 'flagged')::int, 0) + coalesce((difference ->> 'no_longer')::int, 0) end > 0 group by period`, grain)
	if err != nil {
		return nil, err
	}
	out := map[calendar.Day]int64{}
	var period time.Time
	var id int64
	_, err = pgx.ForEachRow(rows, []any{&period, &id}, func() error { out[startOf(period)] = id; return nil })
	return out, err
}

// FlagLeft is a flag that is of a period as a whole, as a sweep left it.
type FlagLeft struct{ Rule, Kind, Key string }

// FlagsLeft lists what was flagged in a period of the whole of it, as the last of its sweeps
// before a number left it; false where there is none.
func (s *Store) FlagsLeft(ctx context.Context, k calendar.Key, before int64) (map[FlagLeft]bool, bool, error) {
	return flagsLeft(ctx, s.pool, k, before)
}

// FlagsLeft is the same within a transaction.
func (t *Tx) FlagsLeft(ctx context.Context, k calendar.Key, before int64) (map[FlagLeft]bool, bool, error) {
	return flagsLeft(ctx, t.tx, k, before)
}

func flagsLeft(ctx context.Context, q querier, k calendar.Key, before int64) (map[FlagLeft]bool, bool, error) {
	var sweep int64
	err := q.QueryRow(ctx, "select coalesce(max(id), 0) from sweeps where grain = $1 and period = $2 and id < $3", k.Grain, k.Start.Time(), before).Scan(&sweep)
	if err != nil || sweep == 0 {
		return nil, false, err
	}
	rows, err := q.Query(ctx, `select e.rule, e.kind, s.key from exception_versions e join subjects s on s.kind = e.kind and s.code = e.code
		where e.grain = $1 and e.period = $2 and $3 between e.since and e.sweep and e.state <> 'cleared' and e.event is null`, k.Grain, k.Start.Time(), sweep)
	if err != nil {
		return nil, false, err
	}
	out := map[FlagLeft]bool{}
	var f FlagLeft
	_, err = pgx.ForEachRow(rows, []any{&f.Rule, &f.Kind, &f.Key}, func() error { out[f] = true; return nil })
	return out, true, err
}

// Evidence is what led to some exceptions, by their numbers.
func (t *Tx) Evidence(ctx context.Context, ids []int64) (map[int64]json.RawMessage, error) {
	out := map[int64]json.RawMessage{}
	rows, err := t.tx.Query(ctx, "select id, evidence from exceptions where id = any($1)", ids)
	if err != nil {
		return nil, err
	}
	var id int64
	var evidence json.RawMessage
	_, err = pgx.ForEachRow(rows, []any{&id, &evidence}, func() error { out[id] = slices.Clone(evidence); return nil })
	return out, err
}

// ExceptionVersions lists what sweeps have said of one exception, the newest first.
func (s *Store) ExceptionVersions(ctx context.Context, id int64) ([]Exception, error) {
	return scanExceptions(s.pool.Query(ctx, versionSelect+"where e.id = $1 order by e.since desc", id))
}

// SweepExceptions lists the exceptions of a period as one of its sweeps left them.
func (s *Store) SweepExceptions(ctx context.Context, of Sweep) ([]Exception, error) {
	return scanExceptions(s.pool.Query(ctx, versionSelect+"where e.grain = $1 and e.period = $2 and $3 between e.since and e.sweep order by e.id",
		of.Period.Grain, of.Period.Start.Time(), of.ID))
}

// SubjectCode is the code that exceptions of a group, a pair or the whole are
// kept by, given out when first needed.
func (t *Tx) SubjectCode(ctx context.Context, level, key string) (uint32, error) {
	var code int32
	err := t.tx.QueryRow(ctx, `with known as (select code from subjects where kind = $1 and key = $2),
		fresh as (insert into subjects (kind, code, key) select $1, coalesce((select max(code) + 1 from subjects where kind = $1), 0), $2
			where not exists (select from known) returning code)
		select code from known union all select code from fresh`, level, key).Scan(&code)
	return uint32(code), err
}

// exceptionColumns are those that a sweep writes.
var exceptionColumns = []string{"grain", "period", "rule", "kind", "code", "event", "name", "state", "outcome", "grade", "severity", "sentence",
	"value", "comparison", "stake",
	"beyond", "evidence", "desk", "case_id", "streak", "sweep", "first_sweep", "since", "own"}

func (e *Exception) row() []any {
	var stake any
	if e.Stake != nil {
		stake = *e.Stake
	}
	return []any{e.Period.Grain, e.Period.Start.Time(), e.Rule, e.Kind, int32(e.Code), e.event(), e.Name, e.State, e.Outcome, e.Grade, int32(e.Severity),
		e.Sentence, e.Value, e.Comparison, stake,
		e.Beyond, e.Evidence, e.Desk, e.CaseID, e.Streak, e.Sweep, e.Sweep, e.Sweep, e.State != "cleared"}
}

// said are the columns of an exception that say what was found; when one of them is
// another, what it said before is kept.
const said = "event, name, state, outcome, grade, severity, sentence, value, comparison, stake, beyond, evidence, desk, streak"

var (
	saidBefore = "(e." + strings.ReplaceAll(said, ", ", ", e.") + ")"
	saidNow    = "(n." + strings.ReplaceAll(said, ", ", ", n.") + ")"
)

// PutExceptions writes exceptions: new ones with ID 0, others as they now
// stand; what those said before stays readable as what the earlier sweeps found.
func (t *Tx) PutExceptions(ctx context.Context, all []Exception) error {
	var fresh, known []Exception
	for _, e := range all {
		if e.ID == 0 {
			fresh = append(fresh, e)
		} else {
			known = append(known, e)
		}
	}
	t.grows("exceptions", len(fresh))
	_, err := t.tx.CopyFrom(ctx, pgx.Identifier{"exceptions"}, exceptionColumns,
		pgx.CopyFromSlice(len(fresh), func(i int) ([]any, error) { return fresh[i].row(), nil }))
	if err != nil || len(known) == 0 {
		return wrapped(err, "writing exceptions")
	}
	if _, err := t.tx.Exec(ctx, "create temporary table now_found (like exceptions) on commit drop"); err != nil {
		return wrapped(err, "writing exceptions")
	}
	_, err = t.tx.CopyFrom(ctx, pgx.Identifier{"now_found"}, append([]string{"id"}, exceptionColumns...),
		pgx.CopyFromSlice(len(known), func(i int) ([]any, error) {
			return append([]any{known[i].ID}, known[i].row()...), nil
		}))
	if err != nil {
		return wrapped(err, "writing exceptions")
	}
	for _, sql := range []string{"analyze now_found (id)", replaceExceptions} {
		if _, err := t.tx.Exec(ctx, sql); err != nil {
			return wrapped(err, "writing exceptions")
		}
	}
	return nil
}

// replaceExceptions keeps what those exceptions said before that say something else
// now. Of the others, which are most, no more is written than which sweep says so: it
// stands in no index.
var replaceExceptions = `with changed as materialized (select e.id from exceptions e join now_found n on n.id = e.id where ` + saidBefore +
	` is distinct from ` + saidNow + `),
	kept as (insert into past_exceptions (exception, since, sweep, ` + said + `) select e.id, e.since, e.sweep, ` + saidBefore[1:len(saidBefore)-1] +
	` from exceptions e join changed c on c.id = e.id),
	written as (update exceptions e set (` + said + `, case_id, sweep, since, own, dropped) = (` + saidNow[1:len(saidNow)-1] +
	`, n.case_id, n.sweep, n.sweep, e.own or n.own, null) from now_found n join changed c on c.id = n.id where n.id = e.id)
	update exceptions e set case_id = n.case_id, sweep = n.sweep, dropped = null from now_found n where n.id = e.id and not exists (select
		from changed c where c.id = e.id)`

// RestateExceptions notes of exceptions, which say what they said, that a sweep says so,
// and in which case they are.
func (t *Tx) RestateExceptions(ctx context.Context, sweep int64, all []Exception) error {
	if len(all) == 0 {
		return nil
	}
	ids, cases := make([]int64, len(all)), make([]*int64, len(all))
	for i, e := range all {
		ids[i], cases[i] = e.ID, e.CaseID
	}
	_, err := t.tx.Exec(ctx, "update exceptions e set sweep = $1, case_id = n.case_id from unnest($2::bigint[], $3::bigint[]) n(id, case_id) where "+
		"e.id = n.id", sweep, ids, cases)
	return wrapped(err, "writing exceptions")
}

func wrapped(err error, doing string) error {
	if err != nil {
		err = fmt.Errorf("%s: %w", doing, err)
	}
	return err
}

// SubjectPeriod is one subject in one period.
type SubjectPeriod struct {
	Key    string
	Period calendar.Key
}

// Explained lists whose exceptions of a rule, from one period to another, were
// settled as explained.
func (s *Store) Explained(ctx context.Context, rule, kind string, from, to calendar.Key) (map[SubjectPeriod]bool, error) {
	rows, err := s.pool.Query(ctx, `select s.key, e.period from exceptions e join cases c on c.id = e.case_id join subjects s on s.kind = e.kind
		and s.code = e.code
		where e.rule = $1 and e.kind = $2 and e.grain = $3 and e.period between $4 and $5 and `+flagFinding+` = 'explained'`, rule, kind, from.Grain,
		from.Start.Time(), to.Start.Time())
	if err != nil {
		return nil, err
	}
	out := map[SubjectPeriod]bool{}
	var key string
	var period time.Time
	_, err = pgx.ForEachRow(rows, []any{&key, &period}, func() error {
		out[SubjectPeriod{key, calendar.Key{Grain: from.Grain, Start: startOf(period)}}] = true
		return nil
	})
	return out, err
}
