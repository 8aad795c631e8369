package store

import (
	"context"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"oskel/core/calendar"
)

// SettledException is an exception of a rule whose case was settled, by what it is of.
type SettledException struct {
	Period    calendar.Key
	Kind, Key string
	Event     calendar.Day
	Finding   string
}

// mostSettled is how many of them are read for one rule, the newest.
const mostSettled = 5000

// SettledExceptions lists those of a rule from one period to another of the same grain that
// were explained, confirmed or found to be the rule's fault, the newest first.
func (s *Store) SettledExceptions(ctx context.Context, rule string, from, to calendar.Key) ([]SettledException, error) {
	rows, err := s.pool.Query(ctx, `select e.grain, e.period, e.kind, s.key, e.event, `+flagFinding+
		` from exceptions e join cases c on c.id = e.case_id join subjects s on s.kind = e.kind and s.code = e.code
		where e.rule = $1 and e.grain = $2 and e.period between $3 and $4 and c.state = 'settled' and `+flagFinding+` in ('explained', 'confirmed', 'rule fault')
		order by e.period desc, e.id desc limit $5`, rule, from.Grain, from.Start.Time(), to.Start.Time(), mostSettled)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (x SettledException, err error) {
		var period time.Time
		var event *time.Time
		err = row.Scan(&x.Period.Grain, &period, &x.Kind, &x.Key, &event, &x.Finding)
		if x.Period.Start = startOf(period); event != nil {
			x.Event = *dayOf(event)
		}
		return x, err
	})
}

// namedCases are the cases of a report's names, from what each rule says of each, and what
// is at stake in those of a name by kind. Rules speak of the same money of a subject, so that
// the one that puts most at stake counts.
const namedCases = `named as (
			select id, name, array_agg(distinct f) as findings, max(stake) as stake from ruled left join lateral unnest(findings) f on true group by 1, 2),
		staked as (select name, jsonb_object_agg(kind, stake::text) as stakes from (
			select n.name, c.kind, sum(n.stake) as stake from named n join cases c on c.id = n.id where n.stake is not null group by 1, 2) kinds group by 1)`

// FindingRow is what came of the settled cases of one name.
type FindingRow struct {
	Name                                                string
	Settled                                             int
	Confirmed, Explained, DataFault, RuleFault, Cleared int
	FirstLook, Settling                                 *float64          // median hours from opening; nil where nobody knows
	Stakes                                              map[string]string // of what was confirmed, by kind: decimals, of money
	Recovered, WrittenOff                               string            // decimals
}

// reportNames are what settled and waiting cases are counted by, as SQL of a case c and,
// where it has an e, of its exceptions.
var reportNames = map[string]string{
	"desk": "c.desk", "person": "coalesce(%s, '')", "reason": "coalesce(c.reason, '')", "grade": "c.grade",
	"rule": "e.rule", "period": "e.grain || ' ' || e.period", "revision": "(select sw.revision::text from sweeps sw where sw.id = e.first_sweep)",
}

// FindingFilter says which settled cases are counted: between two moments, and where it is
// stated of a rule or a desk.
type FindingFilter struct {
	From, To    time.Time
	Rule, Desk  string
	OtherStakes string // the rules whose stake is no money, with commas between
}

// Findings counts what came of the cases that were settled from one day to another, by
// desk, person, reason, rule, period or revision. A case with several rules counts for
// each; it counts under each finding that any of its flags has.
func (s *Store) Findings(ctx context.Context, by string, of FindingFilter) ([]FindingRow, error) {
	name := reportNames[by]
	if by == "person" {
		name = fmt.Sprintf(name, "c.settled_by")
	}
	rows, err := s.pool.Query(ctx, `with ruled as (
			select c.id, `+name+` as name, array_agg(distinct `+flagFinding+
		`) as findings, sum(e.stake) filter (where e.state <> 'cleared' and e.rule <> all(string_to_array($5, ',')) and `+flagFinding+` = 'confirmed') as stake
			from cases c left join exceptions e on e.case_id = c.id where c.state = 'settled' and c.settled_at >= $1 and c.settled_at < $2 and ($3 = ''
				or e.rule = $3) and ($4 = '' or c.desk = $4) group by 1, 2, e.rule),
		`+namedCases+`,
		looked as (select n.id, min(ev.at) as at, max(ev.at) filter (where ev.what = 'settled') as settled from (select distinct id from named) n
			join case_events ev on ev.case_id = n.id
			where ev.what in ('taken', 'comment', 'asked', 'parked', 'settled') and ev.author not like 'sweep %' group by 1)
		select coalesce(n.name, ''), count(*), count(*) filter (where 'confirmed' = any(n.findings)),
			count(*) filter (where 'explained' = any(n.findings)), count(*) filter (where 'data fault' = any(n.findings)),
			count(*) filter (where 'rule fault' = any(n.findings)), count(*) filter (where 'cleared' = any(n.findings)),
			percentile_cont(0.5) within group (order by extract(epoch from l.at - c.opened_at) / 3600),
				percentile_cont(0.5) within group (order by extract(epoch from l.settled - c.opened_at) / 3600),
			s.stakes, coalesce(sum(c.recovered), 0)::text, coalesce(sum(c.written_off), 0)::text
		from named n join cases c on c.id = n.id left join looked l on l.id = n.id left join staked s on s.name is not distinct from n.name
			group by n.name, s.stakes order by n.name collate "C"`, of.From, of.To, of.Rule, of.Desk, of.OtherStakes)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (f FindingRow, err error) {
		err = row.Scan(&f.Name, &f.Settled, &f.Confirmed, &f.Explained, &f.DataFault, &f.RuleFault, &f.Cleared, &f.FirstLook, &f.Settling, &f.Stakes,
			&f.Recovered, &f.WrittenOff)
		return f, err
	})
}

// WorkRow is what waits under one name.
type WorkRow struct {
	Name                string
	Open, Taken, Parked int
	Late, Cleared       int
	Unseen              int    // open, and nobody has done anything with it
	Ages                [4]int // opened within a week before the moment, in the second, in the third and fourth, earlier
	Oldest              time.Time
	Stakes              map[string]string // of what is still flagged, by kind: decimals, of money
}

// Work counts the unsettled cases by desk, person, rule, grade or period.
func (s *Store) Work(ctx context.Context, by string, today calendar.Day, now time.Time, otherStakes string) ([]WorkRow, error) {
	name := reportNames[by]
	if by == "person" {
		name = fmt.Sprintf(name, "c.taken_by")
	}
	rows, err := s.pool.Query(ctx, `with ruled as (
			select c.id, `+name+` as name, array['']::text[] as findings, sum(e.stake) filter (where e.state <> 'cleared'
				and e.rule <> all(string_to_array($3, ','))) as stake from cases c left join exceptions e on e.case_id = c.id where c.state <> 'settled'
					group by 1, 2, e.rule),
		`+namedCases+`
		select coalesce(n.name, ''), count(*) filter (where c.state = 'open'), count(*) filter (where c.state = 'taken'), count(*) filter (where c.state = 'parked'),
			count(*) filter (where c.state in ('open', 'taken') and c.due < $1), count(*) filter (where c.cleared),
			count(*) filter (where c.state = 'open' and not exists (select from case_events ev where ev.case_id = c.id and ev.author not like 'sweep %')),
			count(*) filter (where c.opened_at > $2::timestamptz - interval '7 days'),
				count(*) filter (where c.opened_at <= $2::timestamptz - interval '7 days' and c.opened_at > $2::timestamptz - interval '14 days'),
			count(*) filter (where c.opened_at <= $2::timestamptz - interval '14 days' and c.opened_at > $2::timestamptz - interval '28 days'),
				count(*) filter (where c.opened_at <= $2::timestamptz - interval '28 days'),
			min(c.opened_at), s.stakes
		from named n join cases c on c.id = n.id left join staked s on s.name is not distinct from n.name group by n.name, s.stakes
			order by n.name collate "C"`, today.Time(), now, otherStakes)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (w WorkRow, err error) {
		err = row.Scan(&w.Name, &w.Open, &w.Taken, &w.Parked, &w.Late, &w.Cleared, &w.Unseen, &w.Ages[0], &w.Ages[1], &w.Ages[2], &w.Ages[3], &w.Oldest, &w.Stakes)
		return w, err
	})
}

// Waiting counts the cases with exceptions of a period that are neither settled nor parked.
func (t *Tx) Waiting(ctx context.Context, k calendar.Key) (n int, err error) {
	err = t.tx.QueryRow(ctx, "select count(distinct c.id) from cases c join exceptions e on e.case_id = c.id where e.grain = $1 and e.period = $2 and "+
		"c.state in ('open', 'taken')", k.Grain, k.Start.Time()).Scan(&n)
	return n, err
}
