package store

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/casework"
	"oskel/core/record"
)

// Case is a case as it is stored.
type Case struct {
	casework.Case
	OpenedAt time.Time
	Version  int
	Items    int
	Sentence string
	Stake    *string         // a decimal: of what is flagged in it; nil is not known
	ParkedAt *int64          // the data version that was newest when it was parked for a feed
	Undo     json.RawMessage // what it was before the last act, for a moment
}

// CaseEvent is something that happened to a case.
type CaseEvent struct {
	At     time.Time
	Author string
	What   casework.EventKind
	Text   string
}

const caseSelect = "select id, kind, code, key, name, desk, state, grade, severity, due, opened_at, coalesce(taken_by, ''), coalesce(finding, ''), " +
	"coalesce(settled_by, ''), settled_at, version, cleared, items, sentence, coalesce(asked, ''), parked_to, coalesce(parked_for, ''), parked_at, " +
	"coalesce(reason, ''), recovered::text, written_off::text, undo, coalesce(self, ''), coalesce(below, ''), stake::text, apart from cases "

func manyCases(ctx context.Context, q querier, tail string, args ...any) ([]Case, error) {
	return scanCases(q.Query(ctx, caseSelect+tail, args...))
}

func scanCases(rows pgx.Rows, err error) ([]Case, error) {
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (Case, error) { return scanCase(row) })
}

// scanCase reads a case, and what else a row has after it.
func scanCase(row pgx.CollectableRow, more ...any) (c Case, err error) {
	var code int32
	var due time.Time
	var parked *time.Time
	var recovered, writtenOff *string
	err = row.Scan(append([]any{&c.ID, &c.Kind, &code, &c.Key, &c.Name, &c.Desk, &c.State, &c.Grade, &c.Severity, &due, &c.OpenedAt, &c.Holder,
		&c.Finding, &c.SettledBy, &c.SettledAt, &c.Version, &c.Cleared, &c.Items, &c.Sentence,
		&c.Asked, &parked, &c.ParkedFor, &c.ParkedAt, &c.Reason, &recovered, &writtenOff, &c.Undo, &c.Self, &c.Reports, &c.Stake, &c.FlagFindings}, more...)...)
	if err == nil {
		c.Recovered, err = amountOf(recovered)
	}
	if err == nil {
		c.WrittenOff, err = amountOf(writtenOff)
	}
	c.Code, c.Due, c.ParkedTo = uint32(code), *dayOf(&due), dayOf(parked)
	return c, err
}

// amountOf reads a decimal of the database, which may be null.
func amountOf(text *string) (*amount.Amount, error) {
	if text == nil {
		return nil, nil
	}
	a, err := amount.Parse(*text)
	return &a, err
}

// amountText is how a decimal is written, nil where there is none.
func amountText(a *amount.Amount) *string {
	if a == nil {
		return nil
	}
	text := a.String()
	return &text
}

// orNull is a text, or null where it is empty.
func orNull(text string) *string {
	if text == "" {
		return nil
	}
	return &text
}

// CaseFilter says which cases are listed; a nil Desks is all desks.
type CaseFilter struct {
	State         string        // open, taken, parked, settled, or unsettled; "" is all
	Holder, Asked string        // taken by somebody, or asked of somebody
	Told          []string      // told to any of these
	Stranded      *calendar.Day // that nobody sees, as of a day
	Desks         []string
	Grade, Kind   string
	Rule          string        // that has flagged something in it
	Text          string        // in the key or name
	Late          *calendar.Day // that wait, and were due before a day
	Group         string        // one of caseGroups: by which they are gathered first
	Sort          string        // one of caseOrders; "" is by due day
	Descending    bool
	Limit, Offset int
}

// caseGroups are what cases are gathered by, in what order, and what each is told by.
var caseGroups = map[string]struct{ order, name string }{
	"desk": {`desk collate "C"`, "desk"}, "grade": {"severity", "grade"}, "kind": {`kind collate "C"`, "kind"},
	"person": {`coalesce(taken_by, '') collate "C"`, "coalesce(taken_by, '')"},
	"state":  {"array_position(array['open', 'taken', 'parked', 'settled'], state)", "state"},
}

// CaseGroup is how many cases one group has.
type CaseGroup struct {
	Name        string
	Cases, Late int
}

// GroupCases counts what a filter has by its group, in their order.
func (s *Store) GroupCases(ctx context.Context, f CaseFilter, today calendar.Day) ([]CaseGroup, error) {
	by := caseGroups[f.Group]
	condition, args := f.where()
	args = append(args, today.Time())
	rows, err := s.pool.Query(ctx, fmt.Sprintf("select %s, count(*), count(*) filter (where state in ('open', 'taken') and due < $%d) from cases %s "+
		"group by %s, %s order by %s", by.name, len(args), condition, by.name, by.order, by.order), args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[CaseGroup])
}

var caseOrders = map[string]string{"due": "due", "grade": "severity", "subject": "name collate \"C\"", "desk": "desk collate \"C\"", "state": "state",
	"stake": "coalesce(stake, 0)"}

// where is the condition of a filter.
func (f CaseFilter) where() (condition string, args []any) {
	var all []string
	add := func(condition string, arg any) {
		args = append(args, arg)
		all = append(all, fmt.Sprintf(condition, len(args)))
	}
	switch f.State {
	case "":
	case "unsettled":
		all = append(all, "state <> 'settled'")
	default:
		if f.State != "settled" {
			all = append(all, "state <> 'settled'") // by which the index is found
		}
		add("state = $%d", f.State)
	}
	switch {
	case len(f.Desks) == 1: // an index has one desk's in order
		add("desk = $%d", f.Desks[0])
	case f.Desks != nil:
		add("desk = any($%d)", f.Desks)
	}
	if f.Told != nil {
		add("id in (select case_id from case_copies where name = any($%d))", f.Told)
	}
	if f.Holder != "" {
		add("taken_by = $%d", f.Holder)
	}
	if f.Asked != "" {
		add("asked = $%d", f.Asked)
	}
	if f.Grade != "" {
		add("grade = $%d", f.Grade)
	}
	if f.Kind != "" {
		add("kind = $%d", f.Kind)
	}
	if f.Rule != "" {
		add("exists (select from exceptions e where e.case_id = cases.id and e.rule = $%d)", f.Rule)
	}
	if f.Text != "" {
		add("strpos(lower(name || ' ' || key), lower($%d)) > 0", f.Text)
	}
	if f.Late != nil {
		add("state in ('open', 'taken') and due < $%d", f.Late.Time())
	}
	if f.Stranded != nil {
		add(`state <> 'settled' and (taken_by is null and not exists (select from people p where p.closed_at is null and p.role = 'reviewer'
			and cases.desk = any(p.desks))
			or exists (select from absences a where a.person = taken_by and a.first <= $%[1]d and a.last > greatest(cases.due, $%[1]d)
				and a.stand_in is null))`, f.Stranded.Time())
	}
	if len(all) > 0 {
		condition = "where " + strings.Join(all, " and ")
	}
	return condition, args
}

// Cases lists a page of cases by due day, grade and number, those in which all has
// cleared, or that are parked, last; the settled ones with the last settled first.
func (s *Store) Cases(ctx context.Context, f CaseFilter) ([]Case, error) {
	condition, args := f.where()
	order := " order by resting, due, severity, id"
	switch by := caseOrders[f.Sort]; {
	case f.Sort == "due" && !f.Descending && f.State == "settled":
		order = " order by settled_at desc, id"
	case f.Sort != "" && (f.Sort != "due" || f.Descending):
		if f.Descending {
			by += " desc"
		}
		order = " order by resting, " + by + ", due, severity, id"
	}
	if f.Group != "" {
		order = " order by " + caseGroups[f.Group].order + "," + strings.TrimPrefix(order, " order by")
	}
	args = append(args, f.Limit, f.Offset)
	list := strings.Replace(caseSelect, "undo,", "null::jsonb,", 1) // which is for who acts
	return scanCases(s.pool.Query(ctx, list+fmt.Sprintf("%s%s limit $%d offset $%d", condition, order, len(args)-1, len(args)), args...))
}

// CaseCounts is how many cases there are.
type CaseCounts struct{ All, Late, Cleared int }

// CountCases counts what a filter has; late is what was due before today.
func (s *Store) CountCases(ctx context.Context, f CaseFilter, today calendar.Day) (n CaseCounts, err error) {
	condition, args := f.where()
	args = append(args, today.Time())
	err = s.pool.QueryRow(ctx, fmt.Sprintf("select count(*), count(*) filter (where state in ('open', 'taken') and due < $%d), count(*) filter (where "+
		"state <> 'settled' and cleared) from cases %s", len(args), condition), args...).Scan(&n.All, &n.Late, &n.Cleared)
	return n, err
}

// LockCase finds one case and holds it to the end of the transaction.
func (t *Tx) LockCase(ctx context.Context, id int64) (Case, error) {
	return firstCase(manyCases(ctx, t.tx, "where id = $1 for update", id))
}

// SomeCases lists some cases, by number.
func (s *Store) SomeCases(ctx context.Context, ids []int64) ([]Case, error) {
	return manyCases(ctx, s.pool, "where id = any($1) order by id", ids)
}

// LockCases finds some cases and holds them to the end of the transaction, by number.
func (t *Tx) LockCases(ctx context.Context, ids []int64) ([]Case, error) {
	return manyCases(ctx, t.tx, "where id = any($1) order by id for update", ids)
}

// UnsettledCases lists all unsettled cases and holds them to the end of the
// transaction; without their names and items.
func (t *Tx) UnsettledCases(ctx context.Context) ([]Case, error) {
	rows, err := t.tx.Query(ctx, "select id, kind, code, desk, state, grade, severity, due, coalesce(taken_by, ''), version, cleared, coalesce(asked, "+
		"''), parked_to, coalesce(parked_for, ''), parked_at from cases where state <> 'settled' order by id for update")
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (Case, error) {
		var c Case
		var code int32
		var due time.Time
		var parked *time.Time
		err := row.Scan(&c.ID, &c.Kind, &code, &c.Desk, &c.State, &c.Grade, &c.Severity, &due, &c.Holder, &c.Version, &c.Cleared, &c.Asked, &parked,
			&c.ParkedFor, &c.ParkedAt)
		c.Code, c.Due, c.ParkedTo = uint32(code), *dayOf(&due), dayOf(parked)
		return c, err
	})
}

// UnsettledItems lists what is in unsettled cases, by case.
func (t *Tx) UnsettledItems(ctx context.Context) (map[int64][]record.Item, error) {
	rows, err := t.tx.Query(ctx, "select e.case_id, e.grain, e.period, e.rule, e.event, e.grade, e.severity, e.state <> 'cleared', e.desk from "+
		"exceptions e join cases c on c.id = e.case_id where c.state <> 'settled' order by e.id")
	if err != nil {
		return nil, err
	}
	out := map[int64][]record.Item{}
	var id int64
	var period time.Time
	var event *time.Time
	var i record.Item
	_, err = pgx.ForEachRow(rows, []any{&id, &i.Period.Grain, &period, &i.Rule, &event, &i.Grade, &i.Severity, &i.Flagged, &i.Desk}, func() error {
		if i.Period.Start, i.Event = startOf(period), 0; event != nil {
			i.Event = *dayOf(event)
		}
		out[id] = append(out[id], i)
		return nil
	})
	return out, err
}

// ClearedCases lists the unsettled cases of some desks, nil being all, in which
// nothing is flagged any more, and holds them to the end of the transaction.
func (t *Tx) ClearedCases(ctx context.Context, desks []string) ([]Case, error) {
	return manyCases(ctx, t.tx, "where state <> 'settled' and cleared and ($1::text[] is null or desk = any($1)) order by id for update", desks)
}

func firstCase(all []Case, err error) (Case, error) {
	if err == nil && len(all) == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return Case{}, err
	}
	return all[0], nil
}

// AddCases opens cases, and numbers them.
func (t *Tx) AddCases(ctx context.Context, all []*Case) error {
	t.grows("cases", len(all))
	rows, err := t.tx.Query(ctx, "select nextval(pg_get_serial_sequence('cases', 'id')) from generate_series(1, $1)", len(all))
	if err != nil {
		return err
	}
	ids, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	if err != nil {
		return err
	}
	_, err = t.tx.CopyFrom(ctx, pgx.Identifier{"cases"},
		[]string{"id", "kind", "code", "key", "name", "sentence", "items", "desk", "grade", "severity", "due", "state", "taken_by", "self", "below",
			"stake"}, pgx.CopyFromSlice(len(all), func(i int) ([]any, error) {
			c := all[i]
			c.ID = ids[i]
			return []any{c.ID, c.Kind, int32(c.Code), c.Key, c.Name, c.Sentence, int32(c.Items), c.Desk, c.Grade, int32(c.Severity), c.Due.Time(), c.State,
				orNull(c.Holder), orNull(c.Self), orNull(c.Reports), numeric(c.Stake)}, nil
		}))
	return err
}

const updateCase = `update cases set state = $2, grade = $3, severity = $4, due = $5, taken_by = $6, finding = $7, settled_by = $8, settled_at = $9,
	desk = $10, cleared = $11,
	asked = $12, parked_to = $13, parked_for = $14, parked_at = $15, reason = $16, recovered = $17::text::numeric, written_off = $18::text::numeric,
		undo = $19, apart = $20, version = version + 1 where id = $1`

func caseValues(c *Case) []any {
	parkedAt := c.ParkedAt
	if c.ParkedFor == "" { // it waits for no lines, whoever took it out of waiting
		parkedAt = nil
	}
	return []any{c.ID, c.State, c.Grade, c.Severity, c.Due.Time(), orNull(c.Holder), orNull(c.Finding), orNull(c.SettledBy), c.SettledAt, c.Desk, c.Cleared,
		orNull(c.Asked), timeOf(c.ParkedTo), orNull(c.ParkedFor), parkedAt, orNull(c.Reason), amountText(c.Recovered), amountText(c.WrittenOff), c.Undo,
		c.FlagFindings}
}

// UpdateCase writes a case as it now stands, under its next version, and what
// happened to it.
func (t *Tx) UpdateCase(ctx context.Context, c Case, e CaseEvent) error {
	b := &pgx.Batch{}
	b.Queue(updateCase, caseValues(&c)...)
	b.Queue(insertCaseEvent, c.ID, e.Author, e.What, e.Text)
	return t.tx.SendBatch(ctx, b).Close()
}

// UpdateCases writes cases as they now stand, each under its next version.
func (t *Tx) UpdateCases(ctx context.Context, all []*Case) error {
	for part := range slices.Chunk(all, 2000) {
		batch := &pgx.Batch{}
		for _, c := range part {
			batch.Queue(updateCase, caseValues(c)...)
		}
		if err := t.tx.SendBatch(ctx, batch).Close(); err != nil {
			return fmt.Errorf("writing cases: %w", err)
		}
	}
	return nil
}

// TellCases has cases say what their newest item does: the most serious one of the
// last period that is not cleared. At stake is what the rule that puts most money at stake
// says; rules of other stakes are named with commas between.
func (t *Tx) TellCases(ctx context.Context, ids []int64, otherStakes string) error {
	_, err := t.tx.Exec(ctx, `update cases c set name = coalesce(top.name, c.key), sentence = coalesce(top.sentence, ''), items = (select count(*)
		from exceptions e where e.case_id = c.id),
			stake = (select max(stake) from (select sum(e.stake) as stake from exceptions e where e.case_id = c.id and e.state <> 'cleared'
				and e.rule <> all(string_to_array($2, ',')) group by e.rule) r)
		from unnest($1::bigint[]) of (id)
		left join lateral (select name, sentence from exceptions e where e.case_id = of.id order by (e.state = 'cleared'), e.period desc, e.severity,
			e.rule limit 1) top on true
		where c.id = of.id`, ids, otherStakes)
	return err
}

// NewCaseEvent is something that happens to a case.
type NewCaseEvent struct {
	Case   *Case
	Author string
	What   casework.EventKind
	Text   string
}

// fewEvents is up to how many rows are sent at once: a COPY asks for the columns first,
// and waits for the answer.
const fewEvents = 20

// AddCaseEvents records what happened to cases, in order.
func (t *Tx) AddCaseEvents(ctx context.Context, all []NewCaseEvent) error {
	t.grows("case_events", len(all))
	if len(all) <= fewEvents {
		b := &pgx.Batch{}
		for _, e := range all {
			b.Queue(insertCaseEvent, e.Case.ID, e.Author, e.What, e.Text)
		}
		return t.tx.SendBatch(ctx, b).Close()
	}
	_, err := t.tx.CopyFrom(ctx, pgx.Identifier{"case_events"}, []string{"case_id", "author", "what", "text"},
		pgx.CopyFromSlice(len(all), func(i int) ([]any, error) {
			e := all[i]
			return []any{e.Case.ID, e.Author, e.What, e.Text}, nil
		}))
	return err
}

// AddCaseEvent records what happened to a case.
func (t *Tx) AddCaseEvent(ctx context.Context, id int64, author string, what casework.EventKind, text string) error {
	_, err := t.tx.Exec(ctx, insertCaseEvent, id, author, what, text)
	return err
}

const insertCaseEvent = "insert into case_events (case_id, author, what, text) values ($1, $2, $3, $4)"

// CountUnsettled counts the unsettled cases of each desk.
func (s *Store) CountUnsettled(ctx context.Context) (map[string]int, error) {
	rows, err := s.pool.Query(ctx, "select desk, count(*) from cases where state <> 'settled' group by desk")
	if err != nil {
		return nil, err
	}
	out := map[string]int{}
	var desk string
	var n int
	_, err = pgx.ForEachRow(rows, []any{&desk, &n}, func() error { out[desk] = n; return nil })
	return out, err
}

// numeric is how a decimal is copied.
func numeric(decimal *string) any {
	if decimal == nil {
		return nil
	}
	return *decimal
}

// FlagsOf lists the flags of a case by their numbers, and the rule of each.
func (t *Tx) FlagsOf(ctx context.Context, id int64) (map[int64]string, error) {
	rows, err := t.tx.Query(ctx, "select id, rule from exceptions where case_id = $1", id)
	if err != nil {
		return nil, err
	}
	out := map[int64]string{}
	var flag int64
	var rule string
	_, err = pgx.ForEachRow(rows, []any{&flag, &rule}, func() error { out[flag] = rule; return nil })
	return out, err
}
