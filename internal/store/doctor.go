package store

import (
	"context"
	"fmt"
	"strings"

	"github.com/jackc/pgx/v5"
)

// Finding is something that must always be so, and where it is not.
type Finding struct {
	Rule  string   // in words
	Wrong []string // at most mostWrong places
	Count int      // of all places
}

const mostWrong = 10

// must is a rule with a query for what breaks it: one text a row.
type must struct{ rule, sql string }

// musts are what must always be so, whatever was killed when.
var musts = []must{
	{"an intake is superseded or reverted by a later one", `
		select 'intake ' || id || ' is reverted by ' || reverted_by from intakes where reverted_by <= id`},
	{"a row of a register or of targets is in one version after the other, never in two", `
		select format('%s %s: intake %s', what, key, intake) from (
			select 'register ' || kind as what, code::text || coalesce(' from ' || valid_from, '') as key, intake, superseded,
				lead(intake) over (partition by kind, code, valid_from order by intake) as next from registers
			union all
			select 'targets ' || kind, code || ' ' || measure || ' ' || month, intake, superseded,
				lead(intake) over (partition by kind, code, measure, month order by intake) from targets) r
		where superseded <= intake or next is not null and (superseded is null or superseded > next)`},
	{"an exception stands by the sweep of its own period", `
		select 'exception ' || e.id from exceptions e join sweeps s on s.id = e.sweep where (s.grain, s.period) is distinct from (e.grain, e.period)
		union all select 'exception ' || id || ' is older than its first sweep' from exceptions where first_sweep > sweep`},
	{"what an exception said of old is followed, sweep by sweep, by what it says", `
		select format('exception %s: sweeps %s to %s', id, since, sweep) from (
			select id, since, sweep, first_sweep, lead(since) over (partition by id order by since) as next from exception_versions) v
		where since > sweep or since < first_sweep or next <= sweep`},
	{"the last sweep of a period counts the exceptions as they stand", `
		select format('sweep %s: raised %s, standing %s, cleared %s, and on record %s, %s, %s', s.id, s.raised, s.standing, s.cleared, r.raised,
			r.standing, r.cleared)
		from sweeps s, lateral (select count(*) filter (where e.state = 'raised') as raised, count(*) filter (where e.state = 'standing') as standing,
			count(*) filter (where e.state = 'cleared' and e.sweep = s.id) as cleared
			from exceptions e where e.grain = s.grain and e.period = s.period) r
		where s.id in (select max(id) from sweeps group by grain, period) and (s.raised, s.standing) is distinct from (r.raised, r.standing)`},
	{"the tallies of the last sweep of a period count the subjects it flags rule by rule", `
		select format('sweep %s, rule %s, %s: %s flagged, and on record %s', s.id, t.rule, t.level, t.flagged, t.kept) from sweeps s,
			lateral (select tally ->> 'rule' as rule, tally ->> 'level' as level, (tally ->> 'flagged')::bigint as flagged, tally ->> 'trial' as trial,
				(select count(distinct e.code) from exceptions e where e.grain = s.grain and e.period = s.period and e.rule = tally ->> 'rule'
					and e.kind = tally ->> 'level' and e.state <> 'cleared') as kept
				from jsonb_array_elements(s.tallies) tally) t
		where s.id in (select max(id) from sweeps group by grain, period) and t.trial is null and t.level is not null and t.flagged is not null
			and t.flagged <> t.kept`},
	{"an exception is in a case of its own subject", `
		select format('exception %s in case %s', e.id, c.id) from exceptions e join cases c on c.id = e.case_id where (e.kind, e.code) is distinct
			from (c.kind, c.code)`},
	{"an unsettled case holds something, and has cleared when nothing in it is flagged", `
		select format('case %s: %s items, %s flagged, cleared: %s', c.id, i.items, i.flagged, c.cleared) from cases c,
			lateral (select count(*) as items, count(*) filter (where e.state <> 'cleared') as flagged from exceptions e where e.case_id = c.id) i
		where c.state <> 'settled' and (i.items = 0 or c.cleared <> (i.flagged = 0))`},
	{"a subject has one unsettled case on a desk", `
		select format('%s %s on %s', kind, code, desk) from cases where state <> 'settled' group by kind, code, desk having count(*) > 1`},
	{"a case says what its newest item does", `
		select 'case ' || c.id from cases c join subjects s on s.kind = c.kind and s.code = c.code
			left join lateral (select name, sentence from exceptions e where e.case_id = c.id order by (e.state = 'cleared'), e.period desc, e.severity,
				e.rule limit 1) top on true
		where (c.key, c.name, c.sentence, c.items) is distinct from (s.key, coalesce(top.name, s.key), coalesce(top.sentence, ''), (select count(*)
			from exceptions e where e.case_id = c.id)::int)`},
	{"the people who took or settled a case are in its history", `
		select 'case ' || c.id || ' of ' || c.taken_by from cases c where c.state <> 'settled' and c.taken_by is not null and not exists (select
			from case_events e where e.case_id = c.id and (e.what = 'taken' and e.author = c.taken_by or e.what = 'handed over'
				and e.text like 'to ' || c.taken_by || '%'))
		union all select 'case ' || c.id || ', settled' from cases c where c.state = 'settled' and not exists (select from case_events e
			where e.case_id = c.id and e.what = 'settled')
		union all select 'case ' || c.id || ' is taken by ' || c.taken_by || ', whose account is closed' from cases c join people p on p.name = c.taken_by
			where c.state <> 'settled' and p.closed_at is not null`},
	{"revisions are numbered without gaps, each made from an earlier one", `
		select 'revision ' || number from (select number, based_on, row_number() over (order by number) as place from revisions) r where number <> place
			or based_on >= number`},
	{"a sweep is of a revision and a data version that there are", `
		select 'sweep ' || id from sweeps s where data_version <> 0 and not exists (select from intakes i where i.id = s.data_version)`},
	{"no closed account has a token", `
		select 'token ' || t.id from tokens t join people p on p.name = t.person where p.closed_at is not null`},
}

// feedMusts are the rules of one feed's lines; %[1]s is its table and %[2]s its name.
var feedMusts = []must{
	{"a line of a feed belongs to an intake that there is, and is superseded by a later one", `
		select format('%%s line %%s of intake %%s', %[2]s, f.line, f.intake) from %[1]s f left join intakes i on i.id = f.intake left
			join intakes l on l.id = f.superseded
		where i.id is null or f.superseded is not null and l.id is null or f.superseded < f.intake`},
	{"an intake of a feed brought as many lines as it says", `
		select format('intake %%s: %%s lines, and on record %%s', i.id, i.lines, count(f.line)) from intakes i left join %[1]s f on f.intake = i.id
			and f.again is null
		where i.kind = 'feed' and i.name = %[2]s group by i.id, i.lines having i.lines <> count(f.line)`},
	{"a line stands once in a version", `
		select format('%%s line %%s of intake %%s', %[2]s, line, intake) from %[1]s where superseded is null group by line, intake having count(*) > 1`},
}

// Examine holds the database to what must always be so: read-only, as of one moment.
func (s *Store) Examine(ctx context.Context) (out []Finding, err error) {
	err = pgx.BeginTxFunc(ctx, s.pool, pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly}, func(tx pgx.Tx) error {
		for _, m := range musts {
			f, err := examine(ctx, tx, m.rule, m.sql)
			if err != nil {
				return err
			}
			out = append(out, f)
		}
		rows, err := tx.Query(ctx, "select relname from pg_class where relnamespace = 'feeds'::regnamespace and relkind = 'p' order by 1")
		if err != nil {
			return err
		}
		feeds, err := pgx.CollectRows(rows, pgx.RowTo[string])
		if err != nil {
			return err
		}
		for _, m := range feedMusts {
			all := Finding{Rule: m.rule}
			for _, feed := range feeds {
				f, err := examine(ctx, tx, m.rule, fmt.Sprintf(m.sql, feedTable(feed), "'"+strings.ReplaceAll(feed, "'", "''")+"'"))
				if err != nil {
					return err
				}
				all.Wrong, all.Count = append(all.Wrong, f.Wrong...), all.Count+f.Count
			}
			out = append(out, all)
		}
		return nil
	})
	return out, err
}

func examine(ctx context.Context, tx pgx.Tx, rule, sql string) (Finding, error) {
	f := Finding{Rule: rule}
	rows, err := tx.Query(ctx, sql)
	if err != nil {
		return f, fmt.Errorf("examining whether %s: %w", rule, err)
	}
	var where string
	_, err = pgx.ForEachRow(rows, []any{&where}, func() error {
		if f.Count++; len(f.Wrong) < mostWrong {
			f.Wrong = append(f.Wrong, where)
		}
		return nil
	})
	if err != nil {
		return f, fmt.Errorf("examining whether %s: %w", rule, err)
	}
	return f, nil
}
