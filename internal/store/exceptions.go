package store

import (
	"cmp"
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"oskel/core/calendar"
)

// ExceptionFilter says which exceptions are listed, and how. Empty fields
// filter nothing.
type ExceptionFilter struct {
	Period                   calendar.Key
	Rule, Grade, State, Kind string
	Desk, Text, Sort         string
	Key                      string       // of one subject of Kind
	Group                    string       // gathered by this first: one of Groups, or an attribute of any kinds
	AsOf                     calendar.Day // the day as of which attributes are told
	OtherStakes              string       // the rules whose stake is no money, with commas between
	Sweep                    int64        // as one sweep of the period left them; 0 is as they stand
	Descending               bool
	Evidence                 bool // with what led to it
	Limit, Offset            int
}

var exceptionOrders = map[string]string{
	"grade":   "(e.state = 'cleared'), e.severity",
	"subject": "e.name collate \"C\"",
	"rule":    "e.rule",
	"state":   "case e.state when 'raised' then 0 when 'standing' then 1 else 2 end",
	"stake":   "e.stake",
	"streak":  "e.streak",
	"beyond":  "e.beyond",
	"desk":    "e.desk",
}

// Groups are what a list may be gathered by, beside attributes.
var Groups = []string{"grade", "rule", "kind", "desk", "state", "subject"}

// exceptionGroups are these, with what a group is called by.
var exceptionGroups = map[string]string{"grade": "e.grade", "rule": "e.rule", "kind": "e.kind", "desk": "e.desk", "state": "e.state",
	"subject": "e.kind || ' ' || s.key"}

// source is where exceptions are listed and, by something, counted from, and the
// conditions of a filter.
func (f ExceptionFilter) source(by string) (fields, from, where string, args []any) {
	conditions := []string{"e.grain = $1", "e.period = $2"}
	args = []any{f.Period.Grain, f.Period.Start.Time()}
	add := func(condition string, arg any) {
		args = append(args, arg)
		conditions = append(conditions, fmt.Sprintf(condition, len(args)))
	}
	for _, c := range []struct{ condition, value string }{
		{"e.rule = $%d", f.Rule}, {"e.grade = $%d", f.Grade}, {"e.kind = $%d", f.Kind}, {"e.desk = $%d", f.Desk}, {"s.key = $%d", f.Key},
	} {
		if c.value != "" {
			add(c.condition, c.value)
		}
	}
	switch f.State {
	case "":
	case "flagged":
		conditions = append(conditions, "e.state <> 'cleared'")
	default:
		add("e.state = $%d", f.State)
	}
	if f.Text != "" {
		add("(position(lower($%[1]d) in lower(e.name)) > 0 or position(lower($%[1]d) in lower(s.key)) > 0)", f.Text)
	}
	fields, from = exceptionSelect, "exceptions e "
	if f.Sweep == 0 {
		conditions = append(conditions, "e.dropped is null")
	} else {
		fields, from = versionSelect, "exception_versions e "
		add("$%d between e.since and e.sweep", f.Sweep)
	}
	attribute := by != "" && exceptionGroups[by] == ""
	if f.Text != "" || f.Key != "" || by == "subject" || attribute { // all else is read without looking up keys
		from += "join subjects s on s.kind = e.kind and s.code = e.code "
	}
	if attribute {
		from, args = attributed(from, by, f.AsOf, args)
	}
	return fields, "from " + from, "where " + strings.Join(conditions, " and "), args
}

// attributeGroup is what a group by an attribute is called by: the attribute's value, or of
// a level that is made of the attribute its key; "" where there is none.
const attributeGroup = "coalesce(a.value, a.level, '') collate \"C\""

// attributed joins the value of an attribute to exceptions e of subjects s.
func attributed(from, attribute string, asOf calendar.Day, args []any) (string, []any) {
	args = append(args, attribute, asOf.Time())
	return from + fmt.Sprintf(`left join lateral (select case when right(e.kind, length($%[1]d) + 1) = '.' || $%[1]d then s.key end as level,
		(select r.attributes ->> $%[1]d from registers r where r.kind = e.kind and r.code = e.code and r.superseded is null and (r.valid_from is null
			or r.valid_from <= $%[2]d) and (r.valid_to is null or r.valid_to >= $%[2]d)
		order by r.valid_from desc nulls last limit 1) as value) a on true `, len(args)-1, len(args)), args
}

// Exceptions lists one page of a period's exceptions. Ties are in order of grade, stake
// and name.
func (s *Store) Exceptions(ctx context.Context, f ExceptionFilter) ([]Exception, error) {
	fields, _, where, args := f.source("")
	if !f.Evidence {
		fields = withoutEvidence(fields)
	}
	order, ok := exceptionOrders[f.Sort]
	if !ok {
		order = exceptionOrders["grade"]
	}
	ties := ", (e.state = 'cleared'), e.severity, e.stake desc nulls last"
	if f.Sort == "grade" || f.Sort == "" { // then it is the index's own order
		ties = ", e.stake desc nulls last"
	}
	if f.Descending {
		order = strings.ReplaceAll(order, ", ", " desc, ") + " desc nulls last"
	}
	group := exceptionGroups[f.Group]
	if f.Group != "" && group == "" {
		group = attributeGroup
		fields, args = attributed(fields, f.Group, f.AsOf, args)
	}
	if group != "" {
		order = "(" + group + ") collate \"C\", " + order
		if f.Group == "grade" {
			order = exceptionOrders["grade"] + ", " + order
		}
	}
	args = append(args, f.Limit, f.Offset)
	return scanExceptions(s.pool.Query(ctx, fmt.Sprintf("%s%s order by %s%s, e.name collate \"C\", e.id limit $%d offset $%d",
		fields, where, order, ties, len(args)-1, len(args)), args...))
}

// withoutEvidence has a list of fields leave the evidence where it is.
func withoutEvidence(fields string) string {
	return strings.Replace(fields, "e.evidence,", "null::jsonb,", 1)
}

// ExceptionGroup is how many exceptions there are of one group, and what money is at stake
// in them. A subject's is that of the rule that puts most at stake, since rules speak of the
// same money; and so do kinds, which are not added.
type ExceptionGroup struct {
	Name   string
	Count  int
	Stakes map[string]string // by kind: decimals
}

// ExceptionGroups counts what a filter lists, by one of Groups or, with "", all of it.
func (s *Store) ExceptionGroups(ctx context.Context, f ExceptionFilter, by string) ([]ExceptionGroup, error) {
	_, from, where, args := f.source(by)
	name := "''"
	if by != "" {
		name = cmp.Or(exceptionGroups[by], attributeGroup)
	}
	args = append(args, f.OtherStakes)
	rows, err := s.pool.Query(ctx, fmt.Sprintf(`select name, sum(n)::int, jsonb_object_agg(kind, stake::text) filter (where stake is not null) from (
			select name, kind, sum(n) as n, sum(stake) as stake from (
				select name, kind, code, sum(n) as n, max(stake) as stake from (
					select %s as name, e.kind, e.code, e.rule, count(*) as n, sum(e.stake) filter (where e.rule <> all(string_to_array($%d, ','))) as stake %s %s
						group by 1, 2, 3, 4) rules
				group by 1, 2, 3) subjects
			group by 1, 2) kinds
		group by 1 order by 1`, name, len(args), from, where), args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[ExceptionGroup])
}

// ExceptionMark is how one of the exceptions that are asked for stood in a period.
type ExceptionMark struct {
	Rule, Kind   string
	Code         uint32
	Period       calendar.Key
	State, Grade string
}

// Marks lists how some exceptions stood in some periods of one grain: of events, the most
// serious of each period.
func (s *Store) Marks(ctx context.Context, of []Exception, periods []calendar.Key) ([]ExceptionMark, error) {
	rules, kinds, codes := make([]string, len(of)), make([]string, len(of)), make([]int32, len(of))
	for i, e := range of {
		rules[i], kinds[i], codes[i] = e.Rule, e.Kind, int32(e.Code)
	}
	rows, err := s.pool.Query(ctx, `select distinct on (e.rule, e.kind, e.code, e.period) e.rule, e.kind, e.code, e.period, e.state, e.grade
		from (select distinct * from unnest($1::text[], $2::text[], $3::int[]) a(rule, kind, code)) a
		join exceptions e on e.grain = $4 and e.period = any($5) and e.rule = a.rule and e.kind = a.kind and e.code = a.code and e.dropped is null
		order by e.rule, e.kind, e.code, e.period, (e.state = 'cleared'), e.severity`, rules, kinds, codes, periods[0].Grain, starts(periods))
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (m ExceptionMark, err error) {
		var period time.Time
		var code int32
		err = row.Scan(&m.Rule, &m.Kind, &code, &period, &m.State, &m.Grade)
		m.Code, m.Period = uint32(code), calendar.Key{Grain: periods[0].Grain, Start: startOf(period)}
		return m, err
	})
}

// SomeExceptions lists some exceptions by number, and holds them to the end of the
// transaction.
func (t *Tx) SomeExceptions(ctx context.Context, ids []int64) ([]Exception, error) {
	return scanExceptions(t.tx.Query(ctx, withoutEvidence(exceptionSelect)+"where e.id = any($1) order by e.id for update of e", ids))
}

// InNoCase lists what is flagged of a subject in the last swept period of each grain and
// is in no case: by a rule, or with "" by all. What was swept so far alone, and what is
// closed, is left out.
func (t *Tx) InNoCase(ctx context.Context, kind string, code uint32, rule string) ([]Exception, error) {
	return scanExceptions(t.tx.Query(ctx, withoutEvidence(exceptionSelect)+
		`where e.kind = $1 and e.code = $2 and ($3 = '' or e.rule = $3) and e.state <> 'cleared' and e.case_id is null
		and e.period = (select max(period) from sweeps w where w.grain = e.grain and w.to_date is null)
		and not exists (select from closings w where w.grain = e.grain and w.period = e.period) order by e.id for update of e`, kind, int32(code), rule))
}

// PutInCase puts an exception into a case.
func (t *Tx) PutInCase(ctx context.Context, id, into int64) error {
	_, err := t.tx.Exec(ctx, "update exceptions set case_id = $2 where id = $1", id, into)
	return err
}

// ExceptionCount is how many exceptions of one period share all of this.
type ExceptionCount struct {
	Period                         calendar.Key
	Rule, Kind, Grade, State, Desk string
	Count                          int
}

// CountExceptions counts the exceptions from one period to another of the same
// grain.
func (s *Store) CountExceptions(ctx context.Context, from, to calendar.Key) ([]ExceptionCount, error) {
	rows, err := s.pool.Query(ctx, "select period, rule, kind, grade, state, desk, count(*) from exceptions where grain = $1 and period between $2 and "+
		"$3 and dropped is null group by 1, 2, 3, 4, 5, 6 order by 1, 2, 3, 4, 5, 6", from.Grain, from.Start.Time(), to.Start.Time())
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (ExceptionCount, error) {
		var c ExceptionCount
		var period time.Time
		err := row.Scan(&period, &c.Rule, &c.Kind, &c.Grade, &c.State, &c.Desk, &c.Count)
		c.Period = calendar.Key{Grain: from.Grain, Start: startOf(period)}
		return c, err
	})
}

// FlaggedKeys lists the keys of those of a level that are flagged in some periods of one
// grain, in order.
func (s *Store) FlaggedKeys(ctx context.Context, level string, periods []calendar.Key) ([]string, error) {
	if len(periods) == 0 {
		return []string{}, nil
	}
	rows, err := s.pool.Query(ctx, `select distinct s.key collate "C" as key from exceptions e join subjects s on s.kind = e.kind and s.code = e.code
		where e.grain = $1 and e.period = any($2) and e.kind = $3 and e.state <> 'cleared' order by key`, periods[0].Grain, starts(periods), level)
	if err != nil {
		return nil, err
	}
	keys, err := pgx.CollectRows(rows, pgx.RowTo[string])
	return append([]string{}, keys...), err
}

// FlagCount is how often a rule flags one subject with a grade in a period.
type FlagCount struct {
	Key, Rule, Grade string
	Period           calendar.Key
	Count            int
}

// FlagCounts counts what is flagged of a level in some periods of one grain.
func (s *Store) FlagCounts(ctx context.Context, level string, periods []calendar.Key) ([]FlagCount, error) {
	if len(periods) == 0 {
		return nil, nil
	}
	rows, err := s.pool.Query(ctx, `select s.key, e.rule, e.grade, e.period, count(*) from exceptions e join subjects s on s.kind = e.kind and s.code = e.code
		where e.grain = $1 and e.period = any($2) and e.kind = $3 and e.state <> 'cleared' group by s.key, e.rule, e.grade, e.period`,
		periods[0].Grain, starts(periods), level)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (f FlagCount, err error) {
		var start time.Time
		err = row.Scan(&f.Key, &f.Rule, &f.Grade, &start, &f.Count)
		f.Period = calendar.Key{Grain: periods[0].Grain, Start: startOf(start)}
		return f, err
	})
}

// FlagsOf lists what is flagged of some of a level, by their keys, in some periods of
// one grain: the most serious first.
func (s *Store) FlagsOf(ctx context.Context, level string, keys []string, periods []calendar.Key) ([]Exception, error) {
	if len(periods) == 0 || len(keys) == 0 {
		return nil, nil
	}
	return scanExceptions(s.pool.Query(ctx, withoutEvidence(exceptionSelect)+`where e.grain = $1 and e.period = any($2) and e.kind = $3 and e.state <> 'cleared'
		and e.code = any(array(select code from subjects where kind = $3 and key = any($4))) order by e.severity, e.stake desc nulls last, e.rule, e.event`,
		periods[0].Grain, starts(periods), level, keys))
}

func starts(periods []calendar.Key) (out []time.Time) {
	for _, k := range periods {
		out = append(out, k.Start.Time())
	}
	return out
}

// Pulse is the newest of all that lists are made of: while it is the same, so are they,
// but for how their cases stand: that changes with what is last in their trails.
type Pulse struct {
	Sweep, DataVersion, Closings int64
	Revision                     int
	Closed                       time.Time // when the last period was closed
}

// Pulse reads it in one round trip, and the number of what is last in the trails of cases.
func (s *Store) Pulse(ctx context.Context) (p Pulse, trail int64, err error) {
	err = s.pool.QueryRow(ctx, `select coalesce((select max(id) from sweeps), 0), coalesce((select max(id) from intakes), 0), (select count(*)
		from closings), coalesce((select max(number) from revisions), 0),
		coalesce((select max(at) from closings), 'epoch'), coalesce((select max(id) from case_events), 0)`).Scan(&p.Sweep, &p.DataVersion, &p.Closings,
		&p.Revision, &p.Closed, &trail)
	p.Closed = p.Closed.UTC()
	return p, trail, err
}

// InCase is the case that an exception is in, and how that stands.
type InCase struct {
	Case  int64
	State string
}

// InCases are the cases of some exceptions, by the numbers of these; those in no case are
// left out.
func (s *Store) InCases(ctx context.Context, exceptions []int64) (map[int64]InCase, error) {
	out := make(map[int64]InCase, len(exceptions))
	if len(exceptions) == 0 {
		return out, nil
	}
	rows, err := s.pool.Query(ctx, "select e.id, c.id, c.state from exceptions e join cases c on c.id = e.case_id where e.id = any($1)", exceptions)
	if err != nil {
		return nil, err
	}
	var id int64
	var in InCase
	_, err = pgx.ForEachRow(rows, []any{&id, &in.Case, &in.State}, func() error { out[id] = in; return nil })
	return out, err
}
